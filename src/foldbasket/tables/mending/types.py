"""Mends of types: reading a field as another type, giving up what does not fit, and bringing amounts to one unit."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal, InvalidOperation
from typing import ClassVar

import numpy as np

from foldbasket.errors import ReadError
from foldbasket.kinds import entered
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.detection import judged_as, put
from foldbasket.tables.mending.mend import Mend, Mended, as_text
from foldbasket.tables.mending.ways import Place, Typed, Way
from foldbasket.tables.nature import Nature
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import MAX_SCALE, FieldType
from foldbasket.tables.written import Order

_ORDERS = {"day month year": "day/month/year", "month day year": "month/day/year", "year month day": "year-month-day"}


@entered
class ReadAs(Mend, frozen=True):
    """Reads a field as a type; dates in an order of day and month, numbers with a decimal mark. What cannot be read stays
    at hand as text and is blank in the field."""

    field: str
    type: FieldType
    order: Order | None = None
    decimal_mark: str | None = None
    by_record = True

    @property
    def label(self) -> str:
        if self.order is not None:
            return f"Read {self.field} as {_ORDERS[self.order]}"
        return f"Read {self.field} as {self.type.value}"

    def apply(self, table: Table) -> Mended:
        text = as_text(table, self.field)
        before = table.column(self.field)
        mark = self.decimal_mark or table.decimal_mark
        found = judged_as(text, self.type, self.order, mark)
        column = found.column
        made = put(table, column, found.text, Chosen(self.type, self.order, mark))
        if before.type is column.type:
            return Mended(made, abs(before.blank_count - column.blank_count))
        return Mended(made, len(column) - column.blank_count)


@entered
class BlankMisfits(Mend, frozen=True):
    """Gives up the values that do not fit a field's type: they are blank, and no longer a finding."""

    field: str
    by_record = True

    @property
    def label(self) -> str:
        return f"Blank what does not fit in {self.field}"

    def apply(self, table: Table) -> Mended:
        column = table.column(self.field)
        text = table.texts.get(self.field)
        if text is None:
            return Mended(table, 0)
        return Mended(put(table, column), column.blank_count - text.blank_count)


@entered
class ScaleUnit(Mend, frozen=True):
    """Multiplies a field by a factor, as when amounts come in thousands. Decimals stay exact."""

    field: str
    factor: str
    by_record = True

    standing: ClassVar[int] = 20

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field and place.column.type.is_number:
            yield Typed("Multiply by", "1000 or 0.01", lambda by: cls(place.field, by.strip()))

    @property
    def label(self) -> str:
        return f"Multiply {self.field} by {self.factor}"

    def apply(self, table: Table) -> Mended:
        column = table.column(self.field)
        if not isinstance(column, NumberColumn) or not column.type.is_number:
            raise ReadError(f"“{self.field}” holds no numbers.", todo="Read it as a number first.")
        try:
            factor = Decimal(self.factor)
            if not factor.is_finite():
                raise InvalidOperation
        except InvalidOperation:
            raise ReadError(f"“{self.factor}” is not a factor.", todo="Type a number such as 1000 or 0.01.") from None
        changed = len(column) - column.blank_count
        # A share of a whole is none any more when it is multiplied.
        nature = Nature.PRICE.value if column.nature == Nature.PERCENTAGE.value else column.nature
        digits = max(0, -int(factor.as_tuple().exponent))
        units = int(factor.scaleb(digits))
        scale = column.scale + digits
        values = column.values
        while scale > column.scale and units % 10 == 0 and units:
            units, scale = units // 10, scale - 1
        exact = column.type is not FieldType.REAL and column.largest_magnitude * abs(units) < 1 << 62
        if exact and scale > column.scale and values.size:
            spare = 10 ** (
                scale - column.scale
            )  # cents given in hundredths of cents lose nothing when they end in zeros
            products = values * units
            if not (products % spare).any():
                made = NumberColumn(
                    self.field, _kind(column.scale), products // spare, column.valid, column.scale, nature
                )
                return Mended(put(table, made), changed)
        if exact and scale <= MAX_SCALE:
            return Mended(
                put(table, NumberColumn(self.field, _kind(scale), values * units, column.valid, scale, nature)), changed
            )
        reals = values / 10.0**column.scale * float(factor)
        return Mended(
            put(table, NumberColumn(self.field, FieldType.REAL, np.asarray(reals), column.valid, 0, nature)), changed
        )


def _kind(scale: int) -> FieldType:
    return FieldType.DECIMAL if scale else FieldType.WHOLE
