"""The mend that says what a field is: an amount, a price, the name of something. It changes no value, only where the field belongs and how it is summed up."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from foldbasket.errors import ReadError
from foldbasket.kinds import entered
from foldbasket.tables.column import Column, natured
from foldbasket.tables.mending.mend import Mend, Mended
from foldbasket.tables.mending.ways import Picked, Place, Way
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

MEASURED = tuple(each for each in Nature if each.is_measured)
NAMING = (Nature.IDENTIFIER, Nature.CATEGORY)


def natures_for(column: Column) -> tuple[Nature, ...]:
    """What a column can be taken for, by its type."""
    if column.type.is_number:
        return (*MEASURED, *NAMING)
    return (*NAMING, Nature.TEXT) if column.type is FieldType.TEXT else ()


def _an(nature: Nature) -> str:
    return f"{'an' if nature.value[0] in 'aeiou' else 'a'} {nature.value}"


@entered
class TakeFor(Mend, frozen=True):
    """Takes a field for what it is, whatever its name and values look like."""

    field: str
    nature: Nature
    counts = "fields"
    by_record = True

    standing: ClassVar[int] = 5

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field and natures_for(place.column):
            now = nature_of(place.column)
            others = [each.value for each in natures_for(place.column) if each is not now]
            yield Picked("Taken for", now.value, others, lambda said: cls(place.field, Nature(said)))

    @property
    def label(self) -> str:
        return f"Take {self.field} for {_an(self.nature)}"

    def apply(self, table: Table) -> Mended:
        column = table.column(self.field)
        if self.nature not in natures_for(column):
            raise ReadError(
                f"“{self.field}” ({column.type.value}) cannot be taken for {_an(self.nature)}.",
                todo="Read it as another type first.",
            )
        if nature_of(column) is self.nature:
            return Mended(table, 0)
        return Mended(
            table.with_columns({**table.columns, self.field: natured(column, self.nature.value)}, table.texts), 1
        )
