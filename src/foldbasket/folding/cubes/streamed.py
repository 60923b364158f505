"""Cubes of a table that is not held: made part by part, by the maker for tables that are, and put together.

The tables that its links lead to are held, and looked up for each part. While one part is folded the next ones are read.
"""

from __future__ import annotations

import datetime
import os
from collections import Counter, deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from itertools import accumulate
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from foldbasket.folding.cubes import kernels
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.cubes.merging import merged_but_runs, stand_in
from foldbasket.folding.cubes.skipping import asked_of, may_pass
from foldbasket.folding.cubes.winners import taken
from foldbasket.folding.plan.plan import Plan
from foldbasket.folding.states.runs import Runs
from foldbasket.folding.states.spilled import Gathering
from foldbasket.formulas.checking import Checked
from foldbasket.formulas.evaluation import calculated
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.tables.column import Column, natured, picked
from foldbasket.tables.progress import Progress
from foldbasket.tables.stacking import stacked_as
from foldbasket.tables.store import STORE
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Part, Stream, is_unread

LARGE = 20_000_000
"""For more records than that the compiled loops are worth loading."""
FIRST = 1_000
"""So many of the records behind a number can be looked at, of a table that is not held."""
READERS = min(4, os.cpu_count() or 1)


class Expression(NamedTuple):
    """A record expression that a plan names: its formula, the field that stands for it, and the as-of date that it is worked out by."""

    formula: Checked
    ref: FieldRef
    today: datetime.date

    def over(self, source: Source) -> Column:
        """Its values, for the records of its table in a source."""
        return calculated(self.formula, source, self.ref.table, self.ref.field, self.today)


Expressions = Mapping[FieldRef, Expression]
"""Record expressions by the fields that stand for them."""


class StreamedMaker:
    """Cubes over one source, of whose tables one is not held. `ran` counts how often its records were visited; where it `spills`, values that are too many go to
    the disk, so that its cubes stay in this process."""

    def __init__(self, source: Source, locale: str, ran: Counter[str], *, spills: bool = True) -> None:
        self.source, self.locale, self.ran, self.spills = source, locale, ran, spills

    def cube(self, plan: Plan, stream: Stream, expressions: Expressions, progress: Progress) -> Cube:
        """The cube of a plan whose base table comes as a stream. `expressions` are those that the plan names. Raises FoldError for what cannot be
        told of parts; ReadError; Cancelled."""
        self.ran["cube"] += 1
        if stream.count > LARGE:
            kernels.warm_in_background()
        found: Cube | None = None
        values = {quantity: Gathering(STORE.folder.parent, spills=self.spills) for quantity in plan.runs}
        for _, source in self._parts(plan, stream, expressions, progress, "Folding"):
            self.ran["part"] += 1
            maker = LocalMaker(source, self.locale, Counter())
            cube = maker.cube(plan, progress.quietly())
            for quantity in [*(each.quantity for each in plan.states), *plan.runs]:
                cube.stands[quantity] = stand_in(maker.column(quantity))
            for quantity in {each.quantity for each in plan.states if each.quantity.kind == "rank"}:
                cube.winners[quantity] = taken(cube.states, quantity, source)
            places = (np.zeros(0, np.int64), np.arange(cube.cells))
            runs, own, cube.runs = cube.runs, cube.stands, {}
            found, places = (cube, places) if found is None else merged_but_runs(found, cube, progress)
            for quantity, gathering in values.items():
                part = runs[quantity]
                assert isinstance(part, Runs)
                gathering.add(part, own[quantity], found.stands[quantity], places, found.cells, progress)
        assert found is not None  # a stream has one part at the least, if an empty one
        found.runs = {quantity: gathering.done(progress) for quantity, gathering in values.items()}
        found.place = "part by part"
        return found

    def records(
        self, base: str, stream: Stream, rules: Sequence[Filter], expressions: Expressions, progress: Progress
    ) -> tuple[int, npt.NDArray[np.int64]]:
        """How many records of a table pass some rules, and the numbers of the first of them. Raises ReadError, Cancelled."""
        if not rules:
            return stream.count, np.arange(min(FIRST, stream.count))
        plan = Plan(base, rules=tuple(rules))
        count, found = 0, np.zeros(0, np.int64)
        parts = self._parts(plan, stream, expressions, progress, "Looking for its records")
        for start, _, at in self._passing(plan, parts, progress):
            count += len(at)
            if len(found) < FIRST:
                found = np.concatenate([found, at[: FIRST - len(found)] + start])
        return count, found

    def gathered(
        self,
        plan: Plan,
        stream: Stream,
        names: Collection[str],
        expressions: Expressions,
        most: int,
        progress: Progress,
    ) -> tuple[Table, npt.NDArray[np.int64]] | None:
        """Some fields of the records of a plan's base table that pass its rules, and their numbers; None where they are more than so many. Raises
        ReadError, Cancelled."""
        refs = [FieldRef(plan.base, name) for name in names]
        found: list[Table] = []
        numbers: list[npt.NDArray[np.int64]] = []
        parts = self._parts(plan, stream, expressions, progress, "Gathering its records", refs)
        for start, source, at in self._passing(plan, parts, progress):
            numbers.append(at + start)
            if sum(map(len, numbers)) > most:
                return None
            found.append(Table(plan.base, {ref.field: picked(source.column(ref), at) for ref in refs}))
        whole = self.source.table(plan.base)
        made: dict[str, Column] = {}
        for name in names:
            known = whole.column(name)
            made[name] = natured(stacked_as(name, found, known.type, known.scale), known.nature)
        return Table(whole.name, made, whole.origin), np.concatenate(numbers)

    def _passing(
        self, plan: Plan, parts: Iterable[tuple[int, Source]], progress: Progress
    ) -> Iterator[tuple[int, Source, npt.NDArray[np.int64]]]:
        """Parts with the numbers within each of the records that pass the plan's rules."""
        for start, source in parts:
            mask = LocalMaker(source, self.locale, Counter()).selection(plan.base, plan.rules, progress.quietly())
            yield start, source, np.arange(source.table(plan.base).count) if mask is None else np.flatnonzero(mask)

    def _parts(
        self,
        plan: Plan,
        stream: Stream,
        expressions: Expressions,
        progress: Progress,
        what: str,
        more: Iterable[FieldRef] = (),
    ) -> Iterator[tuple[int, Source]]:
        """The source with each part of the base table in its place, of those that its filters may keep, and the number of the part's first record;
        with what the plan reads and `more` fields."""
        names = self.names(plan.base, used_by(plan, expressions) | leaves_of(more, expressions))
        held = self.held(plan.base, names)
        own = [name for name in names if name not in held]
        asked = [] if plan.every else asked_of(plan.base, plan.rules, own)
        for part in _ahead(stream, own, lambda piece: may_pass(piece, plan.base, asked, self.source), progress):
            progress.step(what, part.start / max(1, stream.count))
            yield part.start, self._source_of(plan.base, part, held, expressions)

    def sampled(self, stream: Stream, ref: FieldRef, expressions: Expressions) -> Column:
        """A record expression over the first part of a stream alone, which tells its type."""
        names = self.names(ref.table, leaves_of([ref], expressions))
        held = self.held(ref.table, names)
        part = next(iter(stream.parts([name for name in names if name not in held])))
        return self._source_of(ref.table, part, held, expressions).column(ref)

    def held(self, base: str, names: Collection[str]) -> dict[str, Column]:
        """Those of the base table's fields that do not come with its stream, such as the file of each record."""
        columns = self.source.table(base).columns
        return {name: columns[name] for name in names if name in columns and not is_unread(columns[name])}

    def names(self, base: str, used: Collection[FieldRef]) -> list[str]:
        """The base table's own fields that are read: those in use, and the keys that lead to other tables in use."""
        return self.source.needed({*used, FieldRef(base, "")})[base]

    def _source_of(self, base: str, part: Part, held: Mapping[str, Column], expressions: Expressions) -> Source:
        own, at = self.source, np.arange(part.start, part.start + part.table.count)
        more = {name: picked(column, at) for name, column in held.items()}
        table = part.table.with_columns({**part.table.columns, **more}, {})
        made = own.with_table(base, table)
        for ref, expression in expressions.items():
            made.add(ref, partial(expression.over, made))
        return made


def used_by(plan: Plan, expressions: Expressions | None = None) -> set[FieldRef]:
    """Every field that a plan reads, those in its record expressions too."""
    used = {field.field for field in plan.fields}
    used |= {ref for rule in plan.rules for ref in rule.fields()}
    for quantity in [*(each.quantity for each in plan.states), *plan.runs]:
        used |= {quantity.field} | ({quantity.other} if quantity.other is not None else set())
    used |= {FieldRef(table, "") for table in plan.pairs}
    return leaves_of(used, expressions or {})


def leaves_of(refs: Iterable[FieldRef], expressions: Expressions) -> set[FieldRef]:
    """The fields that some are read from: themselves, and those in their expressions."""
    found: set[FieldRef] = set()
    for ref in refs:
        found |= leaves_of(expressions[ref].formula.refs(), expressions) if ref in expressions else {ref}
    return found


def _ahead(
    stream: Stream, names: Collection[str], wanted: Callable[[Stream], bool], progress: Progress
) -> Iterator[Part]:
    """The parts of a stream in their order, but for pieces that are not wanted, read on all cores while those before are folded; the last in any case
    where none is. Where its files are cut so coarsely that a piece of them is much more than a part, they are read one part after the other."""
    many = stream.records_a_part(names)
    pieces = stream.divided(-(-stream.count // many))
    if len(pieces) == 1 or max(piece.count for piece in pieces) > 2 * many:
        pieces = [stream]
    readers = ThreadPoolExecutor(READERS, thread_name_prefix="stream")
    try:
        if len(pieces) == 1:
            parts = stream.parts(names)
            coming = readers.submit(next, parts, None)
            while (part := progress.awaited(coming)) is not None:
                coming = readers.submit(next, parts, None)
                yield part
            return
        waiting: deque[tuple[int, Future[list[Part]]]] = deque()
        starts = [0, *accumulate(piece.count for piece in pieces)]
        left = deque((piece, start) for piece, start in zip(pieces, starts, strict=False) if wanted(piece))
        if not left:
            left.append((pieces[-1], starts[-2]))
        while waiting or left:
            while left and len(waiting) <= READERS:
                piece, start = left.popleft()
                waiting.append((start, readers.submit(lambda piece: list(piece.parts(names)), piece)))
            start, read = waiting.popleft()
            for part in progress.awaited(read):
                yield Part(part.table, start + part.start)
    finally:
        readers.shutdown(wait=False, cancel_futures=True)  # whoever gave up does not wait for what is being read
