"""The nature of a field: what kind of thing it holds, which decides where it belongs and how it is summed up.

Judged from type, name and how many different values there are. A proposal only: what somebody says (`mending/natures.py`) and the user's placing always win.
"""

from __future__ import annotations

import enum
import re
from decimal import Decimal
from functools import lru_cache

from foldbasket.tables.column import CodedColumn, Column, DeferredColumn
from foldbasket.tables.types import FieldType, shifted
from foldbasket.tables.unread import at_hand

# By how trade names its fields, in English and in the languages around it; of those that put words together (Stückpreis, Bestellnr) the last tells.
_PRICE = re.compile(
    r"\b(price|rate|percent|discount|share|average|avg|grade|score)\b|%|\bper\b|^unit "
    r"|(preis|rabatt|nachlass|(steuer|zins|prozent|stunden|tages)satz|anteil|quote|durchschnitt|mittelwert|prijs|korting|tarief|gemiddelde|aandeel)\b"
    r"|\b(prix|taux|remise|tarif|moyenne|note|precio|tasa|descuento|tarifa|promedio|prezzo|sconto|tasso|tariffa|media|preço|desconto|taxa)\b",
    re.IGNORECASE,
)
_IDENTIFIER = re.compile(
    r"\b(id|no|nr|number|code|key|ref|reference|sku|phone|zip|postcode|year)\b\.?$|^(id|no)\b"
    r"|(nr|nummer|kennung|schlüssel|plz|postleitzahl|telefon|telefoon)\b\.?$"
    r"|\b(numéro|num|réf|référence|clé|téléphone|número|numero|código|codigo|clave|referencia|referência|codice|chiave|riferimento|telefono|cep|n°|nº)\.?($|\s)",
    re.IGNORECASE,
)


def _spaced(name: str) -> str:
    """A name as programs write it, in words: “customer_id” and “customerId” are “customer id”."""
    return re.sub(r"_+|(?<=[a-z])(?=[A-Z])", " ", name)


def names_identifier(name: str) -> bool:
    """Whether a field's name says that its values name things: their leading zeros then matter."""
    found = _IDENTIFIER.search(_spaced(name))
    return found is not None and found[0].lower() != "year"


@lru_cache(maxsize=20_000)
def _names_price(name: str) -> bool:
    return _PRICE.search(_spaced(name)) is not None


@lru_cache(maxsize=20_000)
def _names_thing(name: str) -> bool:
    return _IDENTIFIER.search(_spaced(name)) is not None


FILE = "File"
"""What the field is called that says which file of a folder a record comes from; more is added where another is called so."""
_ENDED = r".+\.[A-Za-z0-9]{1,8}"
_MOST_FILES = 100_000


def tells_file(column: Column) -> bool:
    """Whether a field says which file of a folder its records come from, and nothing of the records themselves."""
    if not column.name.startswith(FILE) or column.type is not FieldType.TEXT:
        return False
    column = at_hand(column)
    if not isinstance(column, CodedColumn) or not 0 < len(column.dictionary) <= _MOST_FILES:
        return False
    return all(re.fullmatch(_ENDED, name) for name in column.dictionary.texts)


class Nature(enum.Enum):
    """The value is the word shown to the user."""

    AMOUNT = "amount"
    QUANTITY = "quantity"
    PRICE = "price or rate"
    PERCENTAGE = "percentage"
    """A share of a whole, held as such: 0.15 is 15 %."""
    IDENTIFIER = "identifier"
    CATEGORY = "category"
    DATE = "date"
    TEXT = "text"

    @property
    def is_measured(self) -> bool:
        """Whether the field belongs in the cells, rather than on an axis."""
        return self in (Nature.AMOUNT, Nature.QUANTITY) or self.is_rate

    @property
    def is_rate(self) -> bool:
        """Whether adding the field up would mean nothing."""
        return self in (Nature.PRICE, Nature.PERCENTAGE)


def nature_of(column: Column) -> Nature:
    """The nature of a column: what it was said to be, else what it looks like."""
    if column.nature:
        return Nature(column.nature)
    if column.type.is_time:
        return Nature.DATE
    if column.type is FieldType.YESNO:
        return Nature.CATEGORY
    if column.type.is_number:
        if _names_price(column.name):
            return Nature.PRICE
        if column.type is FieldType.WHOLE:
            return Nature.IDENTIFIER if _names_thing(column.name) else Nature.QUANTITY
        return Nature.AMOUNT
    if _names_thing(column.name):
        return Nature.IDENTIFIER
    column = at_hand(column)
    if isinstance(column, DeferredColumn):  # its values are mostly different, and asking for them would encode it
        return Nature.TEXT
    if isinstance(column, CodedColumn) and len(column.dictionary) > max(50, len(column) // 2):
        return Nature.TEXT
    return Nature.CATEGORY


def pattern_of(nature: str, kind: FieldType, scale: int) -> str | None:
    """The LDML pattern in which numbers of a type and scale are written for what their field is taken for; None where the type alone tells."""
    if nature != Nature.PERCENTAGE.value:
        return None
    decimals = 1 if kind is FieldType.REAL else scale - 2
    return f"#,##0.{'0' * decimals}%" if decimals > 0 else "#,##0%"


def as_told(column: Column, said: str) -> str:
    """A value's canonical text as what the field is taken for has it written: of a percentage 0.15 as “15%”."""
    return f"{shifted(Decimal(said), 2):f}%" if column.nature == Nature.PERCENTAGE.value and said else said
