"""Cubes of parts of a table made into that of the whole: what was counted and added up apart, put together by the values of members.

Each part has dictionaries of its own, so a member is found again by its value, and a rank among values by the value that has it.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.cubes.cube import Cube, Grouping
from foldbasket.folding.cubes.numbering import numbered
from foldbasket.folding.cubes.winners import kept, renumbered, together
from foldbasket.folding.members.bands.band import Band
from foldbasket.folding.members.domain import Domain
from foldbasket.folding.states.aggregates.aggregate import State, beyond_numbers
from foldbasket.folding.states.quantities import Quantity
from foldbasket.folding.states.runs import Runs
from foldbasket.folding.states.spilled import Gathering, Spilled
from foldbasket.tables.column import CodedColumn, Column, Dictionary, NumberColumn
from foldbasket.tables.distinct import distinct
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType
from foldbasket.tables.uniting import united

Ints = npt.NDArray[np.int64]


def stand_in(column: Column) -> Column:
    """A column without records that says of another what aggregates ask: its type, its digits, its members."""
    if isinstance(column, CodedColumn):
        return CodedColumn(column.name, np.empty(0, np.uint8), column.dictionary)
    return NumberColumn(column.name, column.type, column.values[:0], None, column.scale)


def merged(one: Cube, two: Cube, progress: Progress) -> Cube:
    """The cube of two parts together. Both are of one plan. Raises FoldError for bands that differ, since they were cut by what a part holds."""
    made, place = merged_but_runs(one, two, progress)
    for quantity in one.runs:
        made.runs[quantity] = _runs(one, two, quantity, made, place, progress)
    return made


def merged_but_runs(one: Cube, two: Cube, progress: Progress) -> tuple[Cube, tuple[Ints, Ints]]:
    """The same without the runs of values; and of each cell of the one and of the other the cell that it became. Raises as `merged` does."""
    domains, moved = [], []
    for at, field in enumerate(one.fields):
        domain, ours, theirs = _united(one.domains[at], two.domains[at], field.field.field)
        domains.append(domain)
        moved.append(np.concatenate([ours[one.coords[at]], theirs[two.coords[at]]]))
    many = one.cells + two.cells
    if moved:
        ids, coords = numbered(moved, [domain.size for domain in domains], None, progress)
    else:
        ids, coords = np.zeros(many, np.int32), ()
    cells = int(ids.max()) + 1 if many else 0
    place = (ids[: one.cells].astype(np.int64), ids[one.cells :].astype(np.int64))
    records = np.zeros(cells, np.int64)
    records[place[0]] = one.records
    records[place[1]] += two.records
    made = Cube(one.fields, coords, records, Grouping((), (), cells), np.arange(cells), tuple(domains))
    for quantity in one.stands:
        made.stands[quantity] = stands_for_both(one.stands[quantity], two.stands[quantity])
    moves: dict[Quantity, tuple[Ints, Ints]] = {}
    for quantity in one.winners:
        made.winners[quantity], *move = together(one.winners[quantity], two.winners[quantity])
        moves[quantity] = (move[0], move[1])
    for quantity, state in one.states:
        if quantity in moves and state is not State.VALUES:
            pieces = [
                renumbered(cube.states[quantity, state], move)
                for cube, move in zip((one, two), moves[quantity], strict=True)
            ]
        else:
            pieces = [_restated(cube, quantity, state, made.stands[quantity]) for cube in (one, two)]
        made.states[quantity, state] = _joined(state, pieces, place, cells)
    for quantity in moves:
        made.winners[quantity] = kept(made.states, quantity, made.winners[quantity])
    for table in one.pairs:
        made.pairs[table] = _pairs(one.pairs[table], two.pairs[table], place)
    return made, place


def _united(one: Domain, two: Domain, field: str) -> tuple[Domain, Ints, Ints]:
    """The members of both, and for every code of each its new one."""
    if isinstance(one.part, Band) and one.part.edges != two.part.edges:  # type: ignore[union-attr]
        raise FoldError(
            f"the bands of “{field}” depend on all of its values, which are not held at once.",
            todo="Give the edges of the bands.",
        )
    dictionary, ours, theirs = united(one.dictionary, two.dictionary)
    domain = Domain(dictionary, one.part, one.locale)
    ends = np.array([domain.blank, domain.no_match], np.int64)
    return domain, np.concatenate([ours, ends]), np.concatenate([theirs, ends])


def stands_for_both(one: Column, two: Column) -> Column:
    """What stands for a quantity of both parts: the members of both, or the type that holds the numbers of both."""
    if isinstance(one, CodedColumn) and isinstance(two, CodedColumn):
        return CodedColumn(one.name, one.codes, united(one.dictionary, two.dictionary)[0])
    if one.type is two.type and one.scale == two.scale:
        return one
    if FieldType.REAL in (one.type, two.type) and one.type.is_number and two.type.is_number:
        return NumberColumn(one.name, FieldType.REAL, np.zeros(0))
    raise FoldError(f"“{one.name}” is {one.type.value} in one part of its table and {two.type.value} in another.")


def _restated(cube: Cube, quantity: Quantity, state: State, stand: Column) -> npt.NDArray:
    """A state of a part in the terms of the whole: ranks among the members of all, and reals where some of the numbers are."""
    own, held = cube.stands[quantity], cube.states[quantity, state]
    if state in (State.VALUES, State.RECORDS):
        return held
    if isinstance(own, CodedColumn):
        return _reranked(held, own.dictionary, stand.dictionary) if state is not State.SUM else held  # type: ignore[union-attr]
    return _as_reals(held, own) if stand.type is FieldType.REAL is not own.type else held


def _as_reals(held: npt.NDArray, own: Column) -> npt.NDArray:
    bounds = np.iinfo(np.int64)
    made = held.astype(np.float64) / 10.0**own.scale
    made[held == bounds.max], made[held == bounds.min] = np.inf, -np.inf
    return made


def _reranked(ranks: npt.NDArray, own: Dictionary, whole: Dictionary) -> npt.NDArray:
    """Ranks among the values of one dictionary as ranks among those of another that has them all; what is no rank stays."""
    if own.values is whole.values or not len(own):
        return ranks
    _, _, place = united(whole, own)
    new = whole.binary_ranks[place][np.argsort(own.binary_ranks, kind="stable")]
    is_rank = (ranks >= 0) & (ranks < len(own))
    return np.where(is_rank, new[np.where(is_rank, ranks, 0)], ranks)


def _joined(state: State, pieces: Sequence[npt.NDArray], place: tuple[Ints, Ints], cells: int) -> npt.NDArray:
    one, two = pieces
    kind = np.result_type(one, two) if object not in (one.dtype, two.dtype) else np.dtype(object)
    if state is State.SUM and kind.kind == "i" and _largest(one) + _largest(two) >= 1 << 63:
        kind = np.dtype(object)
    made = np.full(cells, state.neutral(kind), kind)
    made[place[0]] = one
    with beyond_numbers():
        made[place[1]] = state.merge(made[place[1]], two.astype(kind))
    return made


def _largest(values: npt.NDArray) -> int:
    return max(abs(int(values.min())), abs(int(values.max()))) if len(values) else 0


def _runs(one: Cube, two: Cube, quantity: Quantity, made: Cube, place: tuple[Ints, Ints], progress: Progress) -> Runs | Spilled:  # fmt: skip
    both, stays = Gathering(None, spills=False), np.arange(made.cells)
    for cube, before, here in ((one, stays[:0], place[0]), (two, stays, place[1])):
        runs = cube.runs[quantity]
        assert isinstance(runs, Runs)  # what went to the disk is put together there
        both.add(runs, cube.stands[quantity], made.stands[quantity], (before, here), made.cells, progress)
    return both.done(progress)


def _pairs(
    one: tuple[Ints, npt.NDArray[np.int32]], two: tuple[Ints, npt.NDArray[np.int32]], place: tuple[Ints, Ints]
) -> tuple[Ints, npt.NDArray[np.int32]]:
    cells = np.concatenate([place[0][one[0]], place[1][two[0]]])
    partners = np.concatenate([one[1], two[1]]).astype(np.int64)
    many = int(partners.max(initial=0)) + 1
    keys = distinct(cells * many + partners)
    return keys // many, (keys % many).astype(np.int32)
