"""Mends of records: dropping the empty, the repeated and the matching ones."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import ClassVar

import numpy as np
import numpy.typing as npt

from foldbasket.kinds import entered
from foldbasket.tables.column import blank_mask
from foldbasket.tables.mending.mend import Mend, Mended, Step, as_text, listed, none_left, with_records
from foldbasket.tables.mending.ways import AtOnce, Place, Typed, Way
from foldbasket.tables.nature import tells_file
from foldbasket.tables.repeats import repeated, repeated_in_order
from foldbasket.tables.store import STORE
from foldbasket.tables.table import Table

Bools = npt.NDArray[np.bool_]


def empty_rows(table: Table) -> Bools:
    """The records in which every field is blank but for the one that says which file they come from."""
    own = [(name, column) for name, column in table.columns.items() if not tells_file(column)]
    empty = np.full(table.count, bool(own))
    for name, column in sorted(own, key=lambda item: item[1].type.value != "text", reverse=True):
        if not empty.any():
            break
        empty &= blank_mask(table.texts.get(name, column))
    return empty


class Dropping(Mend, frozen=True):
    """Base of those that drop records, though not all that there are."""

    counts = "records"
    in_order = True

    def dropped(self, table: Table) -> Bools:
        """The records that it drops."""
        raise NotImplementedError

    def apply(self, table: Table) -> Mended:
        dropped = self.dropped(table)
        if table.count and dropped.all():
            raise none_left()
        return _without(table, dropped)

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        return lambda part: _without(part, self.dropped(part))


@entered
class DropEmptyRows(Dropping, frozen=True):
    """Drops the records in which every field is blank, whichever file they come from."""

    standing: ClassVar[int] = 120

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if not place.field:
            yield AtOnce("Drop empty rows", cls())

    @property
    def label(self) -> str:
        return "Drop empty rows"

    def dropped(self, table: Table) -> Bools:
        return empty_rows(table)


@entered
class DropRepeatedRows(Dropping, frozen=True):
    """Keeps the first of the records that are alike in all fields, or in the given ones."""

    fields: tuple[str, ...] = ()

    standing: ClassVar[int] = 130

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if not place.field:
            yield AtOnce("Keep one of each repeated record", cls())

    @property
    def label(self) -> str:
        return (
            f"Keep one record for each {' and '.join(self.fields)}"
            if self.fields
            else "Keep one of each repeated record"
        )

    def dropped(self, table: Table) -> Bools:
        return repeated_rows(table, self.fields)

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        again = repeated_in_order(parts(), self.fields, STORE.folder.parent)
        return lambda part: _without(part, _but_empty(next(again), part, self.fields))


@entered
class DropMatching(Dropping, frozen=True):
    """Drops the records with one of some values in a field; an empty one means blank."""

    field: str
    values: tuple[str, ...]

    standing: ClassVar[int] = 50

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field:
            yield Typed("Leave out records", "with this value", lambda value: cls(place.field, (value,)))
        if place.has_blanks:
            yield AtOnce("Leave out records without a value", cls(place.field, ("",)))

    @property
    def label(self) -> str:
        said = listed([value or "blank" for value in self.values])
        return f"Leave out records with {said} in {self.field}"

    def dropped(self, table: Table) -> Bools:
        return matching_rows(table, self.field, self.values)


def matching_rows(table: Table, field: str, values: tuple[str, ...]) -> Bools:
    """The records that have one of some values, as text, in a field; an empty value means blank."""
    text = as_text(table, field)
    members = len(text.dictionary)
    wanted = np.zeros(members + 1, np.bool_)
    for value in values:
        code = members if value == "" else text.dictionary.code_of(value)
        if code is not None:
            wanted[code] = True
    return np.asarray(wanted[text.codes], np.bool_)


def _without(table: Table, dropped: Bools) -> Mended:
    count = int(dropped.sum())
    return Mended(with_records(table, ~dropped), count) if count else Mended(table, 0)


def repeated_rows(table: Table, fields: tuple[str, ...] = ()) -> Bools:
    """The records that are alike to an earlier one in the fields (all, when none are given); empty records are not meant."""
    return _but_empty(repeated(table, fields), table, fields)


def _but_empty(found: Bools, table: Table, fields: tuple[str, ...]) -> Bools:
    """Records alike in all fields without the empty ones."""
    return found & ~empty_rows(table) if found.any() and not fields else found
