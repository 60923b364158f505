"""Findings of whole records in a table that is not held: all of them are gone through once, part by part, as `rows.py` does where they are held.

What repeats is found by a number for each record, kept on the disk meanwhile (`repeats.py`).
"""

from __future__ import annotations

import errno
import os
import shutil
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from functools import partial

import numpy as np
import numpy.typing as npt

from foldbasket.errors import ReadError, reason_of
from foldbasket.tables.column import CodedColumn, Column, NumberColumn, blank_mask, picked
from foldbasket.tables.findings.finding import MOST_FOUND, Find, Finding, Records, texts_of
from foldbasket.tables.findings.findings import not_looked
from foldbasket.tables.findings.outliers import beyond, far_amounts, values_but
from foldbasket.tables.findings.rows import (
    FEW_BLANKS,
    MOST_LABELS,
    SHOWN,
    are_totals,
    empty_records,
    fields_but_file,
    is_amount,
    key_field,
    names_records,
    no_amount,
    overlapping_files,
    repeated_keys,
    repeated_records,
    total_labels,
    total_lines,
)
from foldbasket.tables.mending.rows import empty_rows, matching_rows
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.repeats import BYTES, Dealt, Marks
from foldbasket.tables.sample import first_of, in_view, parts_of
from foldbasket.tables.store import STORE
from foldbasket.tables.survey import Surveyed
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import is_made

SHARE = 4
"""Of the room on the disk a look takes no more than one in so many."""
LARGEST = 1_000
"""So many of a field's largest numbers are kept."""


def each_in_order(
    table: Table, told: Mapping[str, Surveyed], progress: Progress, between: Callable[[], object] = lambda: None
) -> Iterator[Finding]:
    """All findings of whole records in a table that is not held, given what a survey told of its fields; `between` is called before every part. Raises
    ReadError, Cancelled."""
    names = [name for name, column in table.columns.items() if not is_made(column)]
    sample = in_view(table)
    own = Table("", {name: sample.columns[name] for name in names})
    others, key = fields_but_file(own), key_field(own)
    key = key if nature_of(sample.columns[key]) is Nature.IDENTIFIER else ""
    look = _Look(sample, table.count, names, key, told)
    with ExitStack() as stack:
        numbers = _Numbers(stack, table, key, names, others)
        for part in parts_of(table, names, progress, "Looking through", between):
            whole = Table(table.name, {name: part.table.columns[name] for name in names})
            look.add(whole, part.start)
            numbers.add(whole)
        by, totals = look.of_totals()
        repeated, overlapping = (numbers.repeated(each, progress) for each in (numbers.records, numbers.others))
        repeated.remove(look.empty)
        overlapping.remove(look.empty)
        overlapping.remove(repeated)
        if count := look.empty.count:
            yield empty_records(count, _known(look.empty.first(MOST_FOUND)))
        if count := repeated.count:
            yield repeated_records(count, _known(repeated.first(MOST_FOUND)))
        if count := overlapping.count:
            yield overlapping_files(others, count, _known(overlapping.first(MOST_FOUND)))
        yield from totals
        if numbers.keys is not None:
            passed = [look.empty, look.unnamed, repeated, overlapping, *([look.lines[by]] if by else [])]
            yield from _of_keys(table, key, numbers.keys, passed, progress)
        yield from look.of_amounts(by)
        yield from look.of_far(table, by)
        if numbers.problem is not None:
            yield not_looked(numbers.problem, "repeated records")


def records_in_parts(
    table: Table, names: Sequence[str], which: Callable[[Table], npt.NDArray[np.bool_]], progress: Progress
) -> Records:
    """The first of the records of a table that is not held which are wanted, by some of their fields. Raises ReadError, Cancelled."""
    found = _First()
    for part in parts_of(table, names, progress, "Looking through"):
        found.add(which(part.table), part.start)
        if found.count >= MOST_FOUND:
            break
    return found.records


class _Numbers:
    """Numbers on the disk as long as it has room for them: one for each record, one for its key, and one for all of it but the file it comes from."""

    def __init__(self, stack: ExitStack, table: Table, key: str, names: Sequence[str], others: Sequence[str]) -> None:
        self._table, self._key, self._names, self._others = table, key, names, others
        self.problem: ReadError | None = None
        self.records: Dealt | None = None
        self.keys: Dealt | None = None
        self.others: Dealt | None = None
        self._tried(lambda: self._begin(stack))

    def _begin(self, stack: ExitStack) -> None:
        folder = STORE.folder.parent
        self.records = Dealt(folder, stack) if len(self._names) > 1 else None
        self.keys = Dealt(folder, stack) if self._key else None
        self.others = Dealt(folder, stack) if len(self._others) > 1 else None
        lists = sum(each is not None for each in (self.records, self.keys, self.others))
        if self._table.count * BYTES * lists * SHARE > shutil.disk_usage(folder).free:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    def add(self, part: Table) -> None:
        """Takes the next records."""

        def take() -> None:
            for dealt, fields in ((self.records, self._names), (self.keys, (self._key,)), (self.others, self._others)):
                if dealt is not None:
                    dealt.add(part, fields)

        self._tried(take)

    def repeated(self, dealt: Dealt | None, progress: Progress) -> Marks:
        """The records that are alike to an earlier one."""
        return dealt.again(progress.look) if dealt is not None else Marks(self._table.count)

    def _tried(self, work: Callable[[], None]) -> None:
        try:
            work()
        except OSError as error:
            self.records = self.keys = self.others = None
            why = f"a number for each record could not be kept on the disk: {reason_of(error)}."
            self.problem = ReadError(why, where=self._table.name, todo="Make room in your cache folder.")


class _First:
    """Counts records and keeps the numbers of the first ones."""

    def __init__(self) -> None:
        self.count = self._many = 0
        self._kept = [np.zeros(0, np.int64)]

    def add(self, mask: npt.NDArray[np.bool_], start: int) -> None:
        self.count += int(mask.sum())
        if self._many < MOST_FOUND:
            self._kept.append(np.flatnonzero(mask)[: MOST_FOUND - self._many] + start)
            self._many += len(self._kept[-1])

    @property
    def records(self) -> Records:
        return np.concatenate(self._kept)


def _known(records: Records) -> Find:
    return lambda _: records


class _Look:
    """What is seen of the records, part by part."""

    def __init__(self, sample: Table, many: int, names: list[str], key: str, told: Mapping[str, Surveyed]) -> None:
        self.many, self._key = many, key
        self.empty, self.unnamed = Marks(many), Marks(many)
        self._labels = {name: said for name in names if (said := _labels_of(told.get(name)))}
        """The members that read like the labels of totals, by their fields."""
        self.lines = {name: Marks(many) for name in self._labels}
        self._blanks: dict[tuple[str, str], npt.NDArray[np.int64]] = defaultdict(lambda: np.zeros(2, np.int64))
        """How many labelled records, and how many others, have none of another field."""
        self._without = {name: defaultdict[str, _First](_First) for name in names if is_amount(sample.columns[name])}
        self._sample = sample
        self._far = {name: defaultdict[str, _Largest](_Largest) for name in names if _is_measured(sample.columns[name])}

    def add(self, part: Table, start: int) -> None:
        empty = empty_rows(part)
        self.empty.add(np.flatnonzero(empty) + start)
        blank = {name: blank_mask(column) for name, column in part.columns.items()}
        if self._key:
            self.unnamed.add(np.flatnonzero(blank[self._key]) + start)
        lines = {name: matching_rows(part, name, labels) for name, labels in self._labels.items()}
        for name, mask in lines.items():
            self.lines[name].add(np.flatnonzero(mask) + start)
            for other in blank.keys() - {name}:
                self._blanks[name, other] += [(blank[other] & mask).sum(), (blank[other] & ~mask).sum()]
        for name, found in self._without.items():
            without = blank[name] & ~empty
            found[""].add(without, start)
            for by, mask in lines.items():
                found[by].add(without & ~mask, start)
        for name, far in self._far.items():
            column = part.columns[name]
            assert isinstance(column, NumberColumn)
            for by in ("", *lines):
                far[by].add(column, lines.get(by))

    def of_totals(self) -> tuple[str, Iterator[Finding]]:
        """The first field by whose labels total lines are told, and what is found of them; an empty one where there are none."""
        for by, lines in self.lines.items():
            count = lines.count
            counted = [each for (labelled, _), each in self._blanks.items() if labelled == by]
            if 0 < count < self.many and any(are_totals(on / count, off / (self.many - count)) for on, off in counted):
                return by, iter([total_lines(by, self._labels[by], count, _known(lines.first(MOST_FOUND)))])
        return "", iter(())

    def of_amounts(self, by: str) -> Iterator[Finding]:
        """A few records without the amount that nearly all have; those that a field tells to be totals are not meant."""
        for name, found in self._without.items():
            without = found[by]
            if 0 < without.count <= FEW_BLANKS * self.many:
                yield no_amount(name, without.count, _known(without.records))

    def of_far(self, table: Table, by: str) -> Iterator[Finding]:
        """Amounts far beyond all others; totals are not meant."""
        for name, found in self._far.items():
            sampled, labels = self._sample.columns[name], self._labels.get(by, ())
            assert isinstance(sampled, NumberColumn)
            if by:
                meant = ~matching_rows(self._sample, by, labels)
                sampled = picked(sampled, np.flatnonzero(meant))
            assert isinstance(sampled, NumberColumn)
            find = partial(_beyond, table, name, sampled.scale, by, labels)
            yield from far_amounts(sampled, found[by].values, found[by].known, find)


class _Largest:
    """Of numbers how many there are, and those of the greatest size, of either sign, in units of the last digit."""

    def __init__(self) -> None:
        self.known = 0
        self.values = np.zeros(0)

    def add(self, column: NumberColumn, but: npt.NDArray[np.bool_] | None) -> None:
        """Takes the next ones, some left out."""
        values = values_but(column, but)
        self.known += len(values)
        if not len(values):
            return
        now = self.values if len(self.values) else values[:0]
        if len(now) == LARGEST:
            least = np.abs(now.astype(np.float64)).min()
            if -least <= values.min() and values.max() <= least:
                return
            values = values[(values > least) | (values < -least)]
        found = np.concatenate([now, values[np.isfinite(values)] if values.dtype.kind == "f" else values])
        if len(found) > LARGEST:
            found = found[np.argpartition(np.abs(found.astype(np.float64)), -LARGEST)[-LARGEST:]]
        self.values = found


def _is_measured(column: Column) -> bool:
    return isinstance(column, NumberColumn) and nature_of(column).is_measured


def _beyond(
    table: Table, name: str, scale: int, by: str, labels: tuple[str, ...], bound: float, progress: Progress
) -> Records:
    """The records with a value of such a size or more, in units of a digit, that are no totals."""

    def which(part: Table) -> npt.NDArray[np.bool_]:
        column = part.columns[name]
        assert isinstance(column, NumberColumn)
        totals = matching_rows(part, by, labels) if by else None
        return beyond(column, bound * 10.0 ** (column.scale - scale), totals)

    return records_in_parts(table, [name, *([by] if by else [])], which, progress)


def _labels_of(told: Surveyed | None) -> tuple[str, ...]:
    members: CodedColumn | None = told.members if told is not None else None
    if members is None or members.type is not FieldType.TEXT or len(members.dictionary) > MOST_LABELS:
        return ()
    return texts_of(members, total_labels(members.dictionary))


def _of_keys(table: Table, name: str, keys: Dealt, passed: list[Marks], progress: Progress) -> Iterator[Finding]:
    """A field that names its records and does so twice for some; `passed` are records that are not meant."""
    several = keys.several(lambda at: np.logical_or.reduce([each.among(at) for each in passed]), SHOWN, progress.look)
    if names_records(several.different, several.records):
        column = first_of(table, several.first, progress).columns[name].coded()
        first = [column.dictionary.key(int(code)) for code in column.codes]
        repeats, count = several.records - several.different, several.on.count
        yield repeated_keys(name, several.keys, repeats, count, first, _known(several.on.first(MOST_FOUND)))
