"""Mends of records: dropping the empty, the repeated and the matching ones."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from foldbasket.errors import ReadError
from foldbasket.tables.column import NumberColumn, blank_mask
from foldbasket.tables.mending.mend import Mend, Mended, as_text, listed, with_records
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


class DropEmptyRows(Mend, frozen=True):
    """Drops the records in which every field is blank."""

    counts = "records"

    @property
    def label(self) -> str:
        return "Drop empty rows"

    def apply(self, table: Table) -> Mended:
        empty = empty_rows(table)
        return _without(table, empty)


class DropRepeatedRows(Mend, frozen=True):
    """Keeps the first of the records that are alike in all fields, or in the given ones."""

    fields: tuple[str, ...] = ()
    counts = "records"

    @property
    def label(self) -> str:
        return (
            f"Keep one record for each {' and '.join(self.fields)}"
            if self.fields
            else "Keep one of each repeated record"
        )

    def apply(self, table: Table) -> Mended:
        return _without(table, repeated_rows(table, self.fields))


class DropMatching(Mend, frozen=True):
    """Drops the records with one of some values in a field; an empty one means blank."""

    field: str
    values: tuple[str, ...]
    counts = "records"

    @property
    def label(self) -> str:
        said = listed([value or "blank" for value in self.values])
        return f"Leave out records with {said} in {self.field}"

    def apply(self, table: Table) -> Mended:
        return _without(table, matching_rows(table, self.field, self.values))


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
    if count and count == table.count:
        raise ReadError("it would leave no record.", todo="Choose fewer records.")
    return Mended(with_records(table, ~dropped), count) if count else Mended(table, 0)


def row_hashes(table: Table, fields: tuple[str, ...] = ()) -> npt.NDArray[np.uint64]:
    """A number for each record that is the same for records alike in the fields (all, when none are given)."""
    hashes = np.zeros(table.count, np.uint64)
    step = 1 << 16
    columns = [table.texts.get(name, table.column(name)) for name in (fields or table.columns)]
    for start in range(0, table.count, step):
        part = hashes[start : start + step]
        for column in columns:
            if isinstance(column, NumberColumn):
                values = column.values[start : start + step].view(np.uint64)
                if column.valid is not None:
                    values = values ^ (column.valid[start : start + step].astype(np.uint64) << np.uint64(63))
            else:
                values = column.coded().codes[start : start + step].astype(np.uint64)
            part ^= values * np.uint64(0x9E3779B97F4A7C15)
            part *= np.uint64(0xBF58476D1CE4E5B9)
            part ^= part >> np.uint64(29)
    return hashes


def repeated_rows(table: Table, fields: tuple[str, ...] = ()) -> Bools:
    """The records that are alike to an earlier one in the fields (all, when none are given); empty records are not meant."""
    import pyarrow as pa
    import pyarrow.compute as pc

    for field in fields:
        table.column(field)
    repeated = np.zeros(table.count, np.bool_)
    hashes = row_hashes(table, fields)
    if pc.count_distinct(pa.array(hashes)).as_py() == table.count:
        return repeated
    order = np.argsort(hashes, kind="stable")
    same = hashes[order[1:]] == hashes[order[:-1]]
    repeated[order[1:][same]] = True
    if not fields:
        repeated &= ~empty_rows(table)
    return repeated
