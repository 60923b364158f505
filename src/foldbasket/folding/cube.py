"""The cube: for each combination of members among the selected records, the states of every measured field.

Records are touched here and nowhere later. They are visited in chunks that stay in cache, on all cores: codes become one
group number per record, and the kernels scatter counts and values into groups. The cube knows no axes: turning a
fold, moving a field or adding totals finds the same cube again.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.folding import kernels
from foldbasket.folding.aggregates import State
from foldbasket.folding.domain import Domain
from foldbasket.links.source import FieldRef, Source
from foldbasket.tables.column import CodedColumn, Codes, Column
from foldbasket.tables.progress import Progress

CHUNK = 1 << 16
DENSE_GROUPS = 1 << 21
"""Up to so many possible groups get an accumulator each; beyond, the groups that occur are numbered first."""

Mask = npt.NDArray[np.bool_]
WORKERS = min(8, os.cpu_count() or 1)
_pool = ThreadPoolExecutor(WORKERS, thread_name_prefix="fold")


class AxisField(msgspec.Struct, frozen=True, order=True):
    """A field, or a part of it, that groups records."""

    field: FieldRef
    part: str = ""


@dataclass(frozen=True, eq=False)
class Grouping:
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
                keys *= size
                keys += codes[start:stop]
        if mask is not None:
            keys[~mask[start:stop]] = self.groups
        return keys


@dataclass(eq=False)
class Cube:
    """Cells that have records. `coords[f]` is each cell's code in field f, `records` its count of records; shape (cells,).

    `states` holds the states of fields of the base table by (field, state). For a field of a coarser table `pairs` names, per
    table, each different (cell, record of that table), since such a record counts once per cell.
    """

    fields: tuple[AxisField, ...]
    coords: tuple[npt.NDArray[np.int32], ...]
    records: npt.NDArray[np.int64]
    grouping: Grouping
    cell_groups: npt.NDArray[np.int64]
    states: dict[tuple[FieldRef, State], npt.NDArray] = field(default_factory=dict)
    pairs: dict[str, tuple[npt.NDArray[np.int64], npt.NDArray[np.int32]]] = field(default_factory=dict)

    @property
    def cells(self) -> int:
        return len(self.records)


def over_chunks(
    count: int,
    make: Callable[[], list[npt.NDArray]],
    visit: Callable[[int, int, list[npt.NDArray]], None],
    progress: Progress,
) -> list[list[npt.NDArray]]:
    """Visits `count` records in chunks on every core. Each core fills accumulators of its own, made by `make`."""
    workers = 1 if count <= 4 * CHUNK else WORKERS
    share = -(-count // workers)

    def work(start: int, stop: int) -> list[npt.NDArray]:
        accumulators = make()
        for at in range(start, stop, CHUNK):
            progress.step("Folding", (at - start) / max(1, stop - start))
            visit(at, min(at + CHUNK, stop), accumulators)
        return accumulators

    if workers == 1:
        return [work(0, count)]
    # The last share is done here, so that a fold started from a worker never waits for itself.
    parts = [_pool.submit(work, share * n, min(count, share * (n + 1))) for n in range(workers - 1)]
    last = work(share * (workers - 1), count)
    return [part.result() for part in parts] + [last]


def build_cube(
    fields: Sequence[AxisField],
    codes: Sequence[Codes],
    domains: Sequence[Domain],
    count: int,
    mask: Mask | None,
    progress: Progress,
) -> Cube:
    """The cube with its cells and their counts of records, and no field's states yet."""
    sizes = tuple(domain.size for domain in domains)
    groups = 1
    for size in sizes:
        groups *= size
    if groups <= DENSE_GROUPS:
        grouping = Grouping(tuple(codes), sizes, groups)
        counts = _merged(
            over_chunks(
                count,
                lambda: [np.zeros(groups + 1, np.int64)],
                lambda a, b, into: kernels.count(grouping.keys(a, b, mask), into[0]),
                progress,
            ),
            [State.RECORDS],
        )[0]
        occupied = np.flatnonzero(counts[:groups])
        return Cube(tuple(fields), _coords(occupied, sizes), counts[occupied], grouping, occupied)
    ids, coords = _numbered(codes, sizes, mask, progress)
    cells = len(coords[0])
    grouping = Grouping((), sizes, cells, ids)
    counts = _merged(
        over_chunks(
            count,
            lambda: [np.zeros(cells + 1, np.int64)],
            lambda a, b, into: kernels.count(grouping.keys(a, b, mask), into[0]),
            progress,
        ),
        [State.RECORDS],
    )[0]
    return Cube(tuple(fields), coords, counts[:cells], grouping, np.arange(cells))


def _coords(groups: npt.NDArray[np.int64], sizes: Sequence[int]) -> tuple[npt.NDArray[np.int32], ...]:
    if not sizes:
        return ()
    return tuple(code.astype(np.int32) for code in np.unravel_index(groups, sizes))


def _numbered(
    codes: Sequence[Codes], sizes: Sequence[int], mask: Mask | None, progress: Progress
) -> tuple[npt.NDArray[np.int32], tuple[npt.NDArray[np.int32], ...]]:
    """Numbers the combinations that occur: (number per record, codes per number). Fields are taken in as fit 62 bits."""
    chosen = slice(None) if mask is None else mask
    ids: npt.NDArray[np.int64] = codes[0][chosen].astype(np.int64)
    many = sizes[0]
    taken: list[npt.NDArray[np.int32]] = []
    pending = [sizes[0]]
    for code, size in zip(codes[1:], sizes[1:], strict=True):
        progress.step("Grouping", 0.0)
        if many > (1 << 62) // size:
            ids, different = _encoded(ids)
            taken = _extend(taken, different, pending)
            many, pending = len(different), []
        ids = ids * size + code[chosen]
        many *= size
        pending.append(size)
    ids, different = _encoded(ids)
    taken = _extend(taken, different, pending)
    if mask is None:
        return ids.astype(np.int32), tuple(taken)
    full = np.full(len(mask), len(different), np.int32)
    full[mask] = ids
    return full, tuple(taken)


def _encoded(keys: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Keys as numbers from 0 and the different keys, by hashing rather than sorting."""
    encoded = pa.array(keys).dictionary_encode()
    return encoded.indices.to_numpy().astype(np.int64), encoded.dictionary.to_numpy()


def _extend(
    taken: list[npt.NDArray[np.int32]], different: npt.NDArray[np.int64], pending: Sequence[int]
) -> list[npt.NDArray[np.int32]]:
    """Codes per number for all fields so far; `pending` are the sizes of the fields in `different` since the last numbering."""
    newest: list[npt.NDArray[np.int32]] = []
    rest = different
    for size in reversed(pending):
        rest, code = np.divmod(rest, size)
        newest.insert(0, code.astype(np.int32))
    return [code[rest] for code in taken] + newest


def _merged(parts: list[list[npt.NDArray]], states: Sequence[State]) -> list[npt.NDArray]:
    """The accumulators of all cores merged into one set."""
    merged = parts[0]
    for part in parts[1:]:
        for state, into, more in zip(states, merged, part, strict=True):
            state.merge(into, more, out=into)
    return merged


def add_states(
    cube: Cube, source: Source, ref: FieldRef, wanted: Iterable[State], mask: Mask | None, progress: Progress
) -> None:
    """Aggregates one field of the base table into the cube: the states in `wanted` that it does not have yet."""
    missing = [state for state in wanted if state is not State.RECORDS and (ref, state) not in cube.states]
    if not missing:
        return
    values, valid, kind = measured(source.column(ref))
    count = len(values)
    groups = cube.grouping.groups
    plans: list[tuple[State, Callable[[int, int], npt.NDArray], np.dtype]] = []
    column = source.column(ref)
    magnitude = getattr(column, "largest_magnitude", 0)
    wide = State.SUM in missing and kind.kind == "i" and magnitude * max(1, count) >= 2**63
    for state in missing:
        if state is State.VALUES:
            if valid is None:
                cube.states[ref, state] = cube.records
                continue
            plans.append((state, lambda a, b: valid[a:b].astype(np.int64), np.dtype(np.int64)))
        elif state is State.SUM and wide:
            plans.append((state, lambda a, b: values[a:b] >> 32, np.dtype(np.int64)))
            plans.append((state, lambda a, b: values[a:b] & 0xFFFFFFFF, np.dtype(np.int64)))
        elif state is State.SUM or valid is None:
            plans.append((state, lambda a, b: values[a:b], kind))
        else:
            neutral = state.neutral(kind)
            plans.append((state, lambda a, b, neutral=neutral: np.where(valid[a:b], values[a:b], neutral), kind))  # type: ignore[misc]
    if not plans:
        return
    scatter = {State.SMALLEST: kernels.smallest, State.LARGEST: kernels.largest}

    def make() -> list[npt.NDArray]:
        return [np.full(groups + 1, state.neutral(dtype), dtype) for state, _, dtype in plans]

    def visit(start: int, stop: int, into: list[npt.NDArray]) -> None:
        keys = cube.grouping.keys(start, stop, mask)
        for (state, take, _), accumulator in zip(plans, into, strict=True):
            scatter.get(state, kernels.add)(keys, take(start, stop), accumulator)

    merged = _merged(over_chunks(count, make, visit, progress), [state for state, _, _ in plans])
    results = [accumulator[cube.cell_groups] for accumulator in merged]
    for at, (planned, _, _) in enumerate(plans):
        if planned is State.SUM and wide:
            if (ref, planned) not in cube.states:
                cube.states[ref, planned] = results[at].astype(object) * (1 << 32) + results[at + 1].astype(object)
        else:
            cube.states[ref, planned] = results[at]


def measured(column: Column) -> tuple[npt.NDArray, Mask | None, np.dtype]:
    """A column as numbers to aggregate: its values, or for coded fields the rank of each value; with the mask of valid ones."""
    if isinstance(column, CodedColumn):
        ranks = np.append(column.dictionary.binary_ranks, 0)
        valid = None if column.blank_count == 0 else column.codes != len(column.dictionary)
        return ranks[column.codes], valid, np.dtype(np.int64)
    return column.values, column.valid, column.values.dtype


def add_pairs(cube: Cube, table: str, rows: npt.NDArray[np.int32], table_count: int, mask: Mask | None) -> None:
    """Finds each different (cell, record of a coarser table) among the selected records."""
    if table in cube.pairs:
        return
    count = len(rows)
    number = np.full(cube.grouping.groups + 1, -1, np.int64)
    number[cube.cell_groups] = np.arange(cube.cells)
    found = []
    for start in range(0, count, CHUNK * 16):
        stop = min(count, start + CHUNK * 16)
        cells = number[cube.grouping.keys(start, stop, mask)]
        partner = rows[start:stop]
        known = (cells >= 0) & (partner >= 0)
        found.append(np.unique(cells[known] * table_count + partner[known]))
    pairs = np.unique(np.concatenate(found)) if found else np.empty(0, np.int64)
    cells, partners = np.divmod(pairs, max(1, table_count))
    cube.pairs[table] = (cells, partners.astype(np.int32))
