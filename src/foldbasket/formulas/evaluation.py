"""Evaluates a checked formula: on arrays that the caller gives for its names, or over all records of a table.

Whatever reads only encoded fields of few members is worked out once for each combination of members, not for each record. The
rest goes in chunks that stay in cache, on all cores; results are written over operands that nobody else needs.
"""

from __future__ import annotations

import datetime
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.errors import FoldError, FormulaError
from foldbasket.formulas.checking import Checked
from foldbasket.formulas.functions.calendar import CurrentDate
from foldbasket.formulas.tree import Apply, Constant, Name, Node, names_in
from foldbasket.formulas.values import Vec, constant, members_of, to_column
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.column import CodedColumn, Column, NumberColumn, coded_from_arrow
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import MICROS_PER_DAY, FieldType
from foldbasket.tables.unread import streamed

CHUNK = 1 << 16
MOST_COMBINATIONS = 1 << 16
"""Up to so many combinations of members are worked out ahead of the records."""

WORKERS = min(8, os.cpu_count() or 1)
_pool = ThreadPoolExecutor(WORKERS, thread_name_prefix="formula")


def value(node: Node, leaf: Callable[[Node], Vec | None], today: datetime.date) -> Vec:
    """The value of a tree. `leaf` gives the values of names, aggregates and whatever else the caller has; None leaves it to us."""
    given = leaf(node)
    if given is not None:
        return given
    if isinstance(node, Constant):
        return node.value
    assert isinstance(node, Apply)
    if isinstance(node.function, CurrentDate):
        return constant(FieldType.DATE, (today - EPOCH).days)
    return node.function.evaluate(*(value(each, leaf, today) for each in node.arguments))


class _Ahead(msgspec.Struct, frozen=True, eq=False):
    """A part of a tree that was worked out for combinations of members: a code for each record, and the values by code."""

    codes: npt.NDArray
    values: Vec

    def taken(self, start: int, stop: int) -> Vec:
        codes = self.codes[start:stop]
        made = self.values
        valid = None if made.valid is None else made.valid[codes]
        return Vec(made.type, made.data[codes], valid, made.scale, made.bound, own=True)


class OnRecords:
    """The fields of one formula over the records of a base table."""

    def __init__(self, formula: Checked, source: Source, base: str, today: datetime.date) -> None:
        self.formula, self.source, self.base, self.today = formula, source, base, today
        self.count = source.table(base).count
        self.coded: dict[FieldRef, tuple[npt.NDArray, Vec]] = {}
        self.numbers: dict[FieldRef, NumberColumn] = {}
        for ref in formula.refs():
            column = source.column(ref)
            if isinstance(column, NumberColumn):
                self.numbers[ref] = self._aligned(column, ref)
            else:
                aligned = source.aligned(base, ref)
                members = members_of(CodedColumn(ref.field, np.empty(0, np.uint8), aligned.dictionary))
                # One more blank, for records that find no partner.
                data = np.append(members.data, members.data[-1:])
                assert members.valid is not None
                self.coded[ref] = aligned.codes, Vec(members.type, data, np.append(members.valid, False), members.scale)
        self.ahead: dict[Node, _Ahead] = {}
        self._look_ahead(formula.tree)

    def _aligned(self, column: NumberColumn, ref: FieldRef) -> NumberColumn:
        rows = self.source.rows(self.base, ref.table)
        if rows is None:
            return column
        values: npt.NDArray = np.append(column.values, column.values.dtype.type(0))[rows]
        own = np.ones(len(column), np.bool_) if column.valid is None else column.valid
        return NumberColumn(column.name, column.type, values, np.append(own, False)[rows], column.scale)

    def _look_ahead(self, node: Node) -> None:
        """Works out the largest parts of the tree that read only encoded fields."""
        refs = list(dict.fromkeys(self.formula.fields[name] for name in names_in(node)))
        if not refs:
            return
        if all(ref in self.coded for ref in refs):
            sizes = [len(self.coded[ref][1].data) for ref in refs]
            if len(refs) == 1 or np.prod([float(size) for size in sizes]) <= MOST_COMBINATIONS:
                self.ahead[node] = self._combined(node, refs, sizes)
                return
        for child in node.children:
            self._look_ahead(child)

    def _combined(self, node: Node, refs: list[FieldRef], sizes: list[int]) -> _Ahead:
        codes = self.coded[refs[0]][0]
        for ref, size in zip(refs[1:], sizes[1:], strict=True):
            codes = codes.astype(np.int32) * size + self.coded[ref][0]
        grid = np.unravel_index(np.arange(int(np.prod(sizes))), sizes)
        known = {}
        for ref, at in zip(refs, grid, strict=True):
            members = self.coded[ref][1]
            assert members.valid is not None
            known[ref] = Vec(members.type, members.data[at], members.valid[at], members.scale)

        def leaf(each: Node) -> Vec | None:
            return known[self.formula.fields[each]] if isinstance(each, Name) else None

        made = value(node, leaf, self.today)
        many = len(grid[0])
        valid = None if made.valid is None or made.valid.all() else np.broadcast_to(made.valid, (many,))
        return _Ahead(codes, Vec(made.type, np.broadcast_to(made.data, (many,)), valid, made.scale, made.bound))

    def chunk(self, start: int, stop: int) -> Vec:
        """The values of some records."""

        def leaf(node: Node) -> Vec | None:
            if node in self.ahead:
                return self.ahead[node].taken(start, stop)
            if isinstance(node, Name):
                column = self.numbers[self.formula.fields[node]]
                valid = None if column.valid is None else column.valid[start:stop]
                return Vec(column.type, column.values[start:stop], valid, column.scale, column.largest_magnitude)
            return None

        return value(self.formula.tree, leaf, self.today)

    def column(self, name: str, progress: Progress) -> Column:
        """The values of all records as a column."""
        tree = self.formula.tree
        if tree in self.ahead:
            return self._of_members(self.ahead[tree], name)
        first = self.chunk(0, min(CHUNK, self.count))
        if first.is_null:
            raise FormulaError("this formula is always blank.", tree.start, tree.stop, todo="Give it a value.")
        if first.type is FieldType.TEXT:
            return self._texts(name, progress)
        data = np.empty(self.count, first.data.dtype if first.data.dtype != object else np.float64)
        valid = np.ones(self.count, np.bool_)

        def work(start: int, stop: int) -> bool:
            all_there = True
            for at in range(start, stop, CHUNK):
                progress.step("Calculating", (at - start) / max(1, stop - start))
                end = min(stop, at + CHUNK)
                made = self.chunk(at, end)
                data[at:end] = made.data
                if made.valid is not None:
                    valid[at:end] = made.valid
                    all_there = False
            return all_there

        share = -(-self.count // WORKERS) if self.count > 4 * CHUNK else max(1, self.count)
        parts = [_pool.submit(work, start, min(self.count, start + share)) for start in range(share, self.count, share)]
        whole = [work(0, min(self.count, share)), *(part.result() for part in parts)]
        result = Vec(first.type, data, None if all(whole) else valid, first.scale)
        return to_column(result, name, self.count)

    def _of_members(self, ahead: _Ahead, name: str) -> Column:
        made = ahead.values
        over = to_column(made, name, len(made.data))
        if isinstance(over, CodedColumn):
            coded = over.coded()
            return CodedColumn(name, coded.codes[ahead.codes], coded.dictionary)
        valid = None if over.valid is None else over.valid[ahead.codes]
        return NumberColumn(name, over.type, over.values[ahead.codes], valid, over.scale)

    def _texts(self, name: str, progress: Progress) -> Column:
        chunks = []
        for at in range(0, max(1, self.count), CHUNK):
            progress.step("Calculating", at / max(1, self.count))
            end = min(self.count, at + CHUNK)
            made = self.chunk(at, end)
            many = end - at
            mask = None if made.valid is None else ~np.broadcast_to(made.valid, (many,))
            chunks.append(pa.array(np.broadcast_to(made.data, (many,)), pa.string(), mask=mask))
        return coded_from_arrow(name, pa.chunked_array(chunks, pa.string()))


def calculated(
    formula: Checked, source: Source, base: str, name: str, today: datetime.date, progress: Progress | None = None
) -> Column:
    """The column that a record formula gives, on the records of `base`, from which all its fields are reached."""
    return OnRecords(formula, source, base, today).column(name, progress or Progress())


def shown_for(formula: Checked, source: Source, base: str, records: range, today: datetime.date) -> list[str | None]:
    """Canonical texts of the values of a few records, as an editor shows them while one types."""
    rows = OnRecords(formula, source, base, today)
    made = rows.chunk(records.start, records.stop)
    column = to_column(made, "", len(records)) if not made.is_null else None
    return [None] * len(records) if column is None else [column.text(at) for at in range(len(records))]


def as_of_day(source: Source, as_of: str, table: str) -> datetime.date:
    """The day that CURRENT_DATE stands for on a table's records: a given date, today, or the latest of its first date."""
    if as_of not in ("latest", "today"):
        return day_named(as_of)
    columns = source.table(table).columns.values() if table in source.tables else ()
    first = next((column for column in columns if column.type.is_time), None)
    if as_of == "today" or first is None:
        return datetime.date.today()
    return latest_day(first) or datetime.date.today()


def day_named(text: str) -> datetime.date:
    """An as-of date that is written out. Raises FoldError where it is none."""
    try:
        return datetime.date.fromisoformat(text)
    except ValueError:
        raise FoldError(f"the as-of date “{text}” is not a date.", todo="Write it like 2026-09-30.") from None


def latest_day(column: Column) -> datetime.date | None:
    """The latest day in a column of dates or time stamps; None when all are blank."""
    stream = streamed(column)
    if stream is not None:
        told = stream.span(column.name)
        if told is not None and isinstance(told.high, datetime.datetime):
            return told.high.date()
        if told is not None and isinstance(told.high, datetime.date | None):
            return told.high
        found = [latest_day(part.table.column(column.name)) for part in stream.parts([column.name])]
        return max((day for day in found if day is not None), default=None)
    if isinstance(column, NumberColumn):
        values = column.values if column.valid is None else column.values[column.valid]
        return EPOCH + datetime.timedelta(days=int(values.max()) // MICROS_PER_DAY) if len(values) else None
    days = np.asarray(column.dictionary.values)
    return EPOCH + datetime.timedelta(days=int(days.max())) if len(days) else None
