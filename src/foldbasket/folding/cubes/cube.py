"""The cube: for each combination of members among the selected records, the states of every measured field.

Records are touched here and nowhere later. They are visited in chunks that stay in cache, on all cores: codes become one
group number per record, and the kernels scatter counts and values into groups. The cube knows no axes: turning a
fold, moving a field or adding totals finds the same cube again.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.cubes import kernels
from foldbasket.folding.cubes.numbering import numbered
from foldbasket.folding.cubes.winners import Winners
from foldbasket.folding.members.domain import Domain
from foldbasket.folding.plan.plan import AxisField
from foldbasket.folding.states.aggregates.aggregate import State, beyond_numbers
from foldbasket.folding.states.exact import of_limbs
from foldbasket.folding.states.quantities import ProductColumn, Quantity
from foldbasket.folding.states.runs import Runs, runs_from, runs_of
from foldbasket.folding.states.spilled import Spilled
from foldbasket.tables.column import CodedColumn, Codes, Column
from foldbasket.tables.distinct import distinct
from foldbasket.tables.progress import Progress

CHUNK = 1 << 16
DENSE_GROUPS = 1 << 21
"""Up to so many possible groups get an accumulator each; beyond, the groups that occur are numbered first."""

DENSE_VALUES = 1 << 22
"""Up to so many possible values of all cells together are counted; beyond, values are sorted."""

Mask = npt.NDArray[np.bool_]
WORKERS = min(8, os.cpu_count() or 1)
_pool = ThreadPoolExecutor(WORKERS, thread_name_prefix="fold")


class Grouping(msgspec.Struct, frozen=True, eq=False):
    """How each record finds its group: mixed-radix over `codes`, or `ids` where there are too many combinations."""

    codes: tuple[Codes, ...]
    sizes: tuple[int, ...]
    groups: int
    ids: npt.NDArray[np.int32] | None = None

    def keys(self, start: int, stop: int, mask: Mask | None) -> npt.NDArray[np.int32]:
        """Group of each record from `start` to `stop`; records left out go to the spare group `groups`."""
        if self.ids is not None:
            keys = self.ids[start:stop] if mask is None else self.ids[start:stop].copy()
        elif not self.codes:
            keys = np.zeros(stop - start, np.int32)
        else:
            keys = self.codes[0][start:stop].astype(np.int32)
            for codes, size in zip(self.codes[1:], self.sizes[1:], strict=True):
                kernels.extend(keys, size, codes[start:stop])
        if mask is not None:
            kernels.leave_out(keys, mask[start:stop], self.groups)
        return keys


class Cube(msgspec.Struct, eq=False):
    """Cells that have records. `coords[f]` is each cell's code in field f, which `domains[f]` explains, `records` its count of records; shape (cells,).

    `states` holds the states of quantities of the base table by (quantity, state), `runs` their values where those are needed. For a field of a coarser table `pairs` names, per
    table, each different (cell, record of that table), since such a record counts once per cell.
    """

    fields: tuple[AxisField, ...]
    coords: tuple[npt.NDArray[np.int32], ...]
    records: npt.NDArray[np.int64]
    grouping: Grouping
    cell_groups: npt.NDArray[np.int64]
    domains: tuple[Domain, ...]
    states: dict[tuple[Quantity, State], npt.NDArray] = msgspec.field(default_factory=dict)
    runs: dict[Quantity, Runs | Spilled] = msgspec.field(default_factory=dict)
    pairs: dict[str, tuple[npt.NDArray[np.int64], npt.NDArray[np.int32]]] = msgspec.field(default_factory=dict)
    stands: dict[Quantity, Column] = msgspec.field(default_factory=dict)
    """Of a cube whose records are not held: columns without records that tell type and members of its quantities."""
    winners: dict[Quantity, Winners] = msgspec.field(default_factory=dict)
    """Of such a cube: the records that come first or last, which the states of a quantity number."""
    place: str = ""
    """Where it was made, in words; empty for here, of records that are held."""

    @property
    def cells(self) -> int:
        return len(self.records)


class _Task(msgspec.Struct, frozen=True):
    """One state to accumulate: `take` gives the values of the records from start to stop, None for counting records."""

    state: State
    kind: np.dtype
    take: Callable[[int, int], npt.NDArray] | None = None

    def accumulator(self, groups: int) -> npt.NDArray:
        return np.full(groups, self.state.neutral(self.kind), self.kind)

    def scatter(self, keys: npt.NDArray[np.int32], start: int, stop: int, into: npt.NDArray) -> None:
        if self.take is None:
            kernels.count(keys, into)
        else:
            _SCATTER.get(self.state, kernels.add)(keys, self.take(start, stop), into)


def _multiply(keys: npt.NDArray[np.int32], values: npt.NDArray, into: npt.NDArray) -> None:
    with beyond_numbers():
        np.multiply.at(into, keys, values)


_SCATTER: dict[State, Callable[..., None]] = {
    State.SMALLEST: kernels.smallest,
    State.LARGEST: kernels.largest,
    State.PRODUCT: _multiply,
}
Wants = Sequence[tuple[Quantity, Sequence[State]]]
"""Quantities of the base table and the states wanted of each."""
Columns = Callable[[Quantity], Column]
"""Gives the column of a quantity."""


def _accumulate(
    grouping: Grouping, tasks: Sequence[_Task], count: int, mask: Mask | None, progress: Progress
) -> list[npt.NDArray]:
    """Runs tasks over all records in one pass, each core with accumulators of its own; one array per task, spare group last."""
    workers = 1 if count <= 4 * CHUNK else WORKERS
    share = -(-count // workers)

    def work(start: int, stop: int) -> list[npt.NDArray]:
        accumulators = [task.accumulator(grouping.groups + 1) for task in tasks]
        for at in range(start, stop, CHUNK):
            progress.step("Folding", (at - start) / max(1, stop - start))
            end = min(at + CHUNK, stop)
            keys = grouping.keys(at, end, mask)
            for task, into in zip(tasks, accumulators, strict=True):
                task.scatter(keys, at, end, into)
        return accumulators

    # The last share is done here, so that a fold started from a worker never waits for itself.
    parts = [_pool.submit(work, share * n, min(count, share * (n + 1))) for n in range(workers - 1)]
    merged = work(share * (workers - 1), count)
    with beyond_numbers():
        for part in parts:
            for task, into, more in zip(tasks, merged, part.result(), strict=True):
                task.state.merge(into, more, out=into)
    return merged


def build_cube(
    fields: Sequence[AxisField],
    codes: Sequence[Codes],
    domains: Sequence[Domain],
    mask: Mask | None,
    count: int,
    columns: Columns,
    wants: Wants,
    progress: Progress,
) -> Cube:
    """The cube with its cells, their counts of records, and the states in `wants`, all in one pass over the records."""
    sizes = tuple(domain.size for domain in domains)
    groups = math.prod(sizes)
    dense = groups <= DENSE_GROUPS
    if dense:
        grouping = Grouping(tuple(codes), sizes, groups)
    else:
        ids, coords = numbered(codes, sizes, mask, progress)
        grouping = Grouping((), sizes, len(coords[0]), ids)
    planned = [(ref, state, tasks) for ref, states in wants for state, tasks in _tasks(columns(ref), states)]
    records = _Task(State.RECORDS, np.dtype(np.int64))
    counts, *results = _accumulate(
        grouping, [records, *(task for *_, tasks in planned for task in tasks)], count, mask, progress
    )
    occupied = np.flatnonzero(counts[: grouping.groups])
    cube = Cube(
        tuple(fields),
        _coords(occupied, sizes) if dense else coords,
        counts[occupied],
        grouping,
        occupied,
        tuple(domains),
    )
    _keep(cube, planned, results)
    return cube


def add_states(cube: Cube, count: int, columns: Columns, wants: Wants, mask: Mask | None, progress: Progress) -> bool:
    """Aggregates into the cube the states that it does not have yet; says whether there were any."""
    missing = [
        (ref, [state for state in states if (ref, state) not in cube.states and state is not State.RECORDS])
        for ref, states in wants
    ]
    planned = [(ref, state, tasks) for ref, states in missing for state, tasks in _tasks(columns(ref), states)]
    tasks = [task for *_, each in planned for task in each]
    results = _accumulate(cube.grouping, tasks, count, mask, progress) if tasks else []
    _keep(cube, planned, results)
    return bool(planned)


def _keep(cube: Cube, planned: Sequence[tuple[Quantity, State, list[_Task]]], results: list[npt.NDArray]) -> None:
    """Puts accumulated states into the cube, cell by cell."""
    rest = iter(results)
    for ref, state, tasks in planned:
        parts = [next(rest)[cube.cell_groups] for _ in tasks]
        if not parts:  # no value is blank, so there are as many as records
            cube.states[ref, state] = cube.records
        elif len(parts) == 1:
            cube.states[ref, state] = parts[0]
        else:  # limbs of sums that 64 bits may not hold
            cube.states[ref, state] = of_limbs(parts)


def _tasks(column: Column, states: Iterable[State]) -> Iterator[tuple[State, list[_Task]]]:
    """How each state of a column is accumulated: usually one task, none where it is known, one a limb for sums past 64 bits."""
    wanted = [state for state in states if state is not State.RECORDS]
    if not wanted:
        return
    values, valid, kind = measured(column)
    whole = np.dtype(np.int64)
    for state in wanted:
        if state is State.PRODUCT:
            scale = 10.0**column.scale
            yield state, [_Task(state, np.dtype(np.float64), _factors(values, valid, scale))]
        elif state is State.VALUES:
            yield state, [] if valid is None else [_Task(state, whole, lambda a, b: valid[a:b].astype(np.int64))]
        elif state is State.SUM and isinstance(column, ProductColumn):
            yield state, [_Task(state, whole, limb) for limb in column.limbs]
        elif (
            state is State.SUM
            and kind.kind == "i"
            and getattr(column, "largest_magnitude", 0) * max(1, len(values)) >= 2**63
        ):
            yield (
                state,
                [
                    _Task(state, whole, lambda a, b: values[a:b] & 0xFFFFFFFF),
                    _Task(state, whole, lambda a, b: values[a:b] >> 32),
                ],
            )
        elif state is State.SUM or valid is None:  # values under a blank are 0, so they add nothing
            yield state, [_Task(state, kind, lambda a, b: values[a:b])]
        else:
            neutral = state.neutral(kind)
            yield state, [_Task(state, kind, lambda a, b, neutral=neutral: np.where(valid[a:b], values[a:b], neutral))]  # type: ignore[misc]


def _factors(values: npt.NDArray, valid: Mask | None, scale: float) -> Callable[[int, int], npt.NDArray]:
    def take(start: int, stop: int) -> npt.NDArray:
        some = values[start:stop] / scale
        return some if valid is None else np.where(valid[start:stop], some, 1.0)

    return take


def _coords(groups: npt.NDArray[np.int64], sizes: Sequence[int]) -> tuple[npt.NDArray[np.int32], ...]:
    if not sizes:
        return ()
    return tuple(code.astype(np.int32) for code in np.unravel_index(groups, sizes))


def measured(column: Column) -> tuple[npt.NDArray, Mask | None, np.dtype]:
    """A column as numbers to aggregate: its values, or for coded fields the rank of each value; with the mask of valid ones."""
    if isinstance(column, CodedColumn):
        ranks = np.append(column.dictionary.binary_ranks, 0)
        valid = None if column.blank_count == 0 else column.codes != len(column.dictionary)
        return ranks[column.codes], valid, np.dtype(np.int64)
    return column.values, column.valid, column.values.dtype


def add_runs(cube: Cube, quantity: Quantity, column: Column, mask: Mask | None, progress: Progress) -> bool:
    """Finds the different values of each cell, with how often each occurs; says whether that was still to do."""
    if quantity in cube.runs:
        return False
    values, valid, kind = measured(column)
    if not cube.cells:
        cube.runs[quantity] = runs_of(np.zeros(0, np.int64), values[:0])
        return True
    if kind.kind == "i" and len(values):
        low, high = int(values.min()), int(values.max())
        if cube.cells * (high - low + 1) <= DENSE_VALUES:
            cube.runs[quantity] = _counted_runs(cube, values, valid, low, high - low + 1, mask, progress)
            return True
    cells = _cell_of_records(cube, len(values), mask, progress)
    known = cells >= 0 if valid is None else (cells >= 0) & valid
    cube.runs[quantity] = progress.meanwhile(
        "Sorting values", lambda: runs_of(cells, values) if known.all() else runs_of(cells[known], values[known])
    )
    return True


def _counted_runs(
    cube: Cube, values: npt.NDArray, valid: Mask | None, low: int, span: int, mask: Mask | None, progress: Progress
) -> Runs:
    """Runs by counting, where every possible value of every cell can have a counter of its own; nothing is sorted."""
    number = np.full(cube.grouping.groups + 1, cube.cells, np.int64)
    number[cube.cell_groups] = np.arange(cube.cells)
    spare = cube.cells * span
    many = len(values)
    share = -(-many // WORKERS) if many > 4 * CHUNK else max(1, many)

    def work(start: int, stop: int) -> npt.NDArray[np.int64]:
        counts = np.zeros(spare + span, np.int64)
        for at in range(start, stop, CHUNK):
            progress.step("Counting values", (at - start) / max(1, stop - start))
            end = min(at + CHUNK, stop)
            keys = number[cube.grouping.keys(at, end, mask)] * span + (values[at:end] - low)
            if valid is not None:
                keys[~valid[at:end]] = spare
            kernels.count(keys.astype(np.int32), counts)
        return counts

    parts = [_pool.submit(work, start, min(many, start + share)) for start in range(share, many, share)]
    counts = work(0, min(many, share))
    for part in parts:
        counts += part.result()
    found = np.flatnonzero(counts[:spare])
    cells, offsets = np.divmod(found, span)
    return runs_from(cells, offsets + low, counts[found])


def _cell_of_records(cube: Cube, count: int, mask: Mask | None, progress: Progress) -> npt.NDArray[np.int64]:
    """The cell of each record, -1 for records left out; shape (records,)."""
    number = np.full(cube.grouping.groups + 1, -1, np.int64)
    number[cube.cell_groups] = np.arange(cube.cells)
    cells = np.empty(count, np.int64)
    for start in range(0, count, CHUNK):
        progress.step("Grouping values", start / max(1, count))
        stop = min(count, start + CHUNK)
        cells[start:stop] = number[cube.grouping.keys(start, stop, mask)]
    return cells


def add_pairs(
    cube: Cube, table: str, rows: npt.NDArray[np.int32], table_count: int, mask: Mask | None, progress: Progress
) -> bool:
    """Finds each different (cell, record of a coarser table) among the selected records; says whether that was still to do."""
    if table in cube.pairs:
        return False
    count = len(rows)
    number = np.full(cube.grouping.groups + 1, -1, np.int64)
    number[cube.cell_groups] = np.arange(cube.cells)
    found = []
    for start in range(0, count, CHUNK * 16):
        progress.step("Grouping partners", start / max(1, count))
        stop = min(count, start + CHUNK * 16)
        cells = number[cube.grouping.keys(start, stop, mask)]
        partner = rows[start:stop]
        known = (cells >= 0) & (partner >= 0)
        found.append(distinct(cells[known] * table_count + partner[known]))
    pairs = (
        progress.meanwhile("Grouping partners", lambda: distinct(np.concatenate(found)))
        if found
        else np.empty(0, np.int64)
    )
    cells, partners = np.divmod(pairs, max(1, table_count))
    cube.pairs[table] = (cells, partners.astype(np.int32))
    return True
