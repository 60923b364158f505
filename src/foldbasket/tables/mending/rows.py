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
from foldbasket.tables.repeats import repeated, repeated_in_order
from foldbasket.tables.store import STORE
from foldbasket.tables.table import Table

Bools = npt.NDArray[np.bool_]


def empty_rows(table: Table) -> Bools:
    """The records in which every field is blank."""
    empty = np.ones(table.count, np.bool_)
    for name, column in sorted(table.columns.items(), key=lambda item: item[1].type.value != "text", reverse=True):
        if not empty.any():
            break
        empty &= blank_mask(table.texts.get(name, column))
    return empty if table.columns else np.zeros(0, np.bool_)


@entered
class DropEmptyRows(Mend, frozen=True):
    """Drops the records in which every field is blank."""

    counts = "records"
    in_order = True

    standing: ClassVar[int] = 120

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if not place.field:
            yield AtOnce("Drop empty rows", cls())

    @property
    def label(self) -> str:
        return "Drop empty rows"

    def apply(self, table: Table) -> Mended:
        return _without_some(table, empty_rows(table))

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        return lambda part: _without(part, empty_rows(part))


@entered
class DropRepeatedRows(Mend, frozen=True):
    """Keeps the first of the records that are alike in all fields, or in the given ones."""

    fields: tuple[str, ...] = ()
    counts = "records"
    in_order = True

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

    def apply(self, table: Table) -> Mended:
        return _without_some(table, repeated_rows(table, self.fields))

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        again = repeated_in_order(parts(), self.fields, STORE.folder.parent)

        def done(part: Table) -> Mended:
            found = next(again)
            return _without(part, found if self.fields else found & ~empty_rows(part))

        return done


@entered
class DropMatching(Mend, frozen=True):
    """Drops the records with one of some values in a field; an empty one means blank."""

    field: str
    values: tuple[str, ...]
    counts = "records"
    in_order = True

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

    def apply(self, table: Table) -> Mended:
        return _without_some(table, matching_rows(table, self.field, self.values))

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        return lambda part: _without(part, matching_rows(part, self.field, self.values))


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


def _without_some(table: Table, dropped: Bools) -> Mended:
    """A table without some of its records, but not without all."""
    if table.count and dropped.all():
        raise none_left()
    return _without(table, dropped)


def _without(table: Table, dropped: Bools) -> Mended:
    count = int(dropped.sum())
    return Mended(with_records(table, ~dropped), count) if count else Mended(table, 0)


def repeated_rows(table: Table, fields: tuple[str, ...] = ()) -> Bools:
    """The records that are alike to an earlier one in the fields (all, when none are given); empty records are not meant."""
    found = repeated(table, fields)
    if found.any() and not fields:
        found &= ~empty_rows(table)
    return found
