"""The nature of a field: what kind of thing it holds, which decides where it belongs and how it is summed up.

Judged from type, name and how many different values there are. A proposal only: what somebody says (`mending/natures.py`) and the user's placing always win.
"""

from __future__ import annotations

import enum
import re

from foldbasket.tables.column import CodedColumn, Column, DeferredColumn
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import at_hand

_PRICE = re.compile(r"\b(price|rate|percent|discount|share|average|avg|grade|score)\b|%|\bper\b|^unit ", re.IGNORECASE)
_IDENTIFIER = re.compile(
    r"\b(id|no|nr|number|code|key|ref|reference|sku|phone|zip|postcode|year)\b\.?$|^(id|no)\b", re.IGNORECASE
)


def _spaced(name: str) -> str:
    """A name as programs write it, in words: “customer_id” and “customerId” are “customer id”."""
    return re.sub(r"_+|(?<=[a-z])(?=[A-Z])", " ", name)


def names_identifier(name: str) -> bool:
    """Whether a field's name says that its values name things: their leading zeros then matter."""
    found = _IDENTIFIER.search(_spaced(name))
    return found is not None and found[0].lower() != "year"


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
    IDENTIFIER = "identifier"
    CATEGORY = "category"
    DATE = "date"
    TEXT = "text"

    @property
    def is_measured(self) -> bool:
        """Whether the field belongs in the cells, rather than on an axis."""
        return self in (Nature.AMOUNT, Nature.QUANTITY, Nature.PRICE)


def nature_of(column: Column) -> Nature:
    """The nature of a column: what it was said to be, else what it looks like."""
    if column.nature:
        return Nature(column.nature)
    name = _spaced(column.name)
    if column.type.is_time:
        return Nature.DATE
    if column.type is FieldType.YESNO:
        return Nature.CATEGORY
    if column.type.is_number:
        if _PRICE.search(name):
            return Nature.PRICE
        if column.type is FieldType.WHOLE:
            return Nature.IDENTIFIER if _IDENTIFIER.search(name) else Nature.QUANTITY
        return Nature.AMOUNT
    if _IDENTIFIER.search(name):
        return Nature.IDENTIFIER
    column = at_hand(column)
    if isinstance(column, DeferredColumn):  # its values are mostly different, and asking for them would encode it
        return Nature.TEXT
    if isinstance(column, CodedColumn) and len(column.dictionary) > max(50, len(column) // 2):
        return Nature.TEXT
    return Nature.CATEGORY
