"""The frame: from a cube's cells to the lines and columns of a report, with every total.

Cells become a matrix of leaves; each level of totals is the merge of the one below it along that axis. Nothing here sees
a record, so turning, sorting and switching totals cost only this.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.aggregates.aggregate import Block, State, beyond_numbers
from foldbasket.folding.axis import Axis, Head, Kind
from foldbasket.folding.domain import Domain
from foldbasket.folding.runs import Runs
from foldbasket.spec.fold import Placed, TotalOf, Where
from foldbasket.tables.reading.contract import memory_at_hand

MOST_CELLS = 5_000_000
"""More cells than this are refused before they are made."""
BYTES_A_CELL = 40
"""What a cell of a measure takes while totals are rolled up: its state twice, its result and whether it is blank."""

Matrix = npt.NDArray


@dataclass(frozen=True, eq=False)
class Tree:
    """The members that occur on one axis, in display order.

    `leaf_of_cell` gives each cube cell's leaf, -1 for those that the report leaves out. `codes[leaf, field]` names the leaf's
    members, -1 beyond the fields it names: a leaf that gathers several members, or stands for one without records, may end
    before the innermost field. `starts[k]` is the first leaf of each node of level k (level 0 is everything, level n the
    leaves); `firsts[k]` its first child in level k + 1.
    """

    leaf_of_cell: npt.NDArray[np.int64]
    codes: npt.NDArray[np.int32]
    starts: tuple[npt.NDArray[np.int64], ...]
    firsts: tuple[npt.NDArray[np.int64], ...]
    gathers: bool = False
    """Whether several combinations of members may share a leaf."""

    @property
    def depth(self) -> int:
        return self.codes.shape[1]

    @property
    def leaves(self) -> int:
        return len(self.codes)

    @property
    def ends(self) -> npt.NDArray[np.int64]:
        """How many fields each leaf names; shape (leaves,)."""
        return (self.codes >= 0).sum(axis=1)

    def node_of_leaf(self, level: int) -> npt.NDArray[np.int64]:
        """For each leaf the node of `level` above it; shape (leaves,)."""
        marks = np.zeros(self.leaves, np.int64)
        marks[self.starts[level]] = 1
        return np.cumsum(marks) - 1

    def path(self, level: int, node: int) -> tuple[int, ...]:
        """The codes that name a node, outermost first."""
        return tuple(int(code) for code in self.codes[self.starts[level][node], :level])


def tree_of(ranks: Matrix, codes: npt.NDArray[np.int32], leaf_of_cell: npt.NDArray[np.int64]) -> Tree:
    """The tree of items by the ranks of their members, both of shape (items, fields); items alike in all become one leaf.

    `leaf_of_cell` names an item for each cell, or -1.
    """
    items, depth = ranks.shape
    order = np.lexsort(ranks.T[::-1]) if depth else np.arange(items)
    stacked = ranks[order]
    changed = np.ones(stacked.shape, np.bool_)
    if items:
        changed[1:] = np.logical_or.accumulate(stacked[1:] != stacked[:-1], axis=1)
    is_leaf = changed[:, -1] if depth else np.arange(items) == 0
    leaf_of_item = np.empty(items + 1, np.int64)
    leaf_of_item[order] = np.cumsum(is_leaf) - 1
    leaf_of_item[items] = -1
    leaf_changed = changed[is_leaf]
    root = np.zeros(min(1, items), np.int64)
    starts = (root, *(np.flatnonzero(leaf_changed[:, level]) for level in range(depth)))
    firsts = tuple(np.searchsorted(lower, upper) for upper, lower in pairwise(starts))
    return Tree(leaf_of_item[leaf_of_cell], codes[order[is_leaf]], starts, firsts)


def grow(
    coords: Sequence[npt.NDArray[np.int32]],
    cells: int,
    domains: Sequence[Domain],
    words: Sequence[Placed],
    more: npt.NDArray[np.int32] | None = None,
) -> Tree:
    """The tree of one axis from each cell's code in each of its fields, outermost first.

    Members stand by label, those that are listed by hand before the others. `more` adds members without records, one row of
    codes each, which may end in -1.
    """
    codes = (
        np.stack([*coords], axis=1).astype(np.int32, copy=False)
        if len(coords)
        else np.empty((min(1, cells), 0), np.int32)
    )
    leaf_of_cell = np.arange(cells) if len(coords) else np.zeros(cells, np.int64)
    if more is not None and len(more):
        codes = np.concatenate([codes, more])
    ranks = np.empty(codes.shape, np.int64)
    for at, (domain, word) in enumerate(zip(domains, words, strict=True)):
        rank = np.append(domain.turned if word.descending and word.by is None else domain.ranks, -1)
        for place, key in enumerate(word.first):
            with contextlib.suppress(ValueError):  # a listed member that is no longer one has no place
                code = domain.code_of(key)
                if code is not None:
                    rank[code] = place - len(word.first)
        ranks[:, at] = rank[codes[:, at]]
    return tree_of(ranks, codes, leaf_of_cell)


@dataclass(frozen=True, eq=False)
class Lines:
    """The lines an axis shows: each one's level and its node in that level, and what kind of line it is."""

    level: npt.NDArray[np.int32]
    node: npt.NDArray[np.int64]
    kind: npt.NDArray[np.int8]


def lines_of(
    tree: Tree, subtotals: Sequence[Where], grand: Where, closed: Sequence[npt.NDArray[np.bool_]] = ()
) -> Lines:
    """The lines of an axis in order. `subtotals[k]` places the total over members of field k, `grand` that over everything.

    `closed[k]` tells which nodes of level k are folded up to one line; level 0 has no such nodes.
    """
    depth = tree.depth
    levels, nodes, kinds, places, sides = [], [], [], [], []
    # A node is hidden when any node above it is closed.
    hidden = [np.zeros(len(start), np.bool_) for start in tree.starts]
    for upper, shut in enumerate(closed):
        for level in range(upper + 1, depth + 1):
            hidden[level] |= shut[tree.node_of_leaf(upper)[tree.starts[level]]]
    ends = tree.ends

    def put(level: int, kind: Kind, where: Where, chosen: npt.NDArray[np.bool_]) -> None:
        start = tree.starts[level]
        stop = np.append(start[1:], tree.leaves)[: len(start)]
        chosen = chosen & ~hidden[level]
        levels.append(np.full(int(chosen.sum()), level, np.int32))
        nodes.append(np.flatnonzero(chosen))
        kinds.append(np.full(int(chosen.sum()), kind, np.int8))
        places.append((start if where == Where.BEFORE else stop - 1)[chosen])
        # Before its first leaf outer totals come first; after its last leaf inner ones do.
        side = 0 if level == depth else level - depth if where == Where.BEFORE else depth - level
        sides.append(np.full(int(chosen.sum()), side, np.int64))

    def every(level: int) -> npt.NDArray[np.bool_]:
        return np.ones(len(tree.starts[level]), np.bool_)

    put(depth, Kind.MEMBER, Where.AFTER, every(depth))
    for level in range(depth):
        shut = closed[level] if level < len(closed) else ~every(level)
        if level and shut.any():
            put(level, Kind.CLOSED, Where.AFTER, shut)
        where = grand if level == 0 else subtotals[level - 1]
        if where != Where.OFF:
            # A leaf that ends here says all there is to say, so a total over it would only repeat it.
            more = every(level) if level == 0 else ~shut & (ends[tree.starts[level]] > level)
            put(level, Kind.GRAND if level == 0 else Kind.SUBTOTAL, where, more)
    order = np.lexsort((np.concatenate(sides), np.concatenate(places)))
    return Lines(np.concatenate(levels)[order], np.concatenate(nodes)[order], np.concatenate(kinds)[order])


def closed_of(tree: Tree, words: Sequence[Placed], domains: Sequence[Domain]) -> list[npt.NDArray[np.bool_]]:
    """Which nodes of each level stand folded up; levels from 0 to the last but one. The innermost field has nothing to fold."""
    closed = [np.zeros(len(tree.starts[0]), np.bool_)]
    for level in range(1, tree.depth):
        word, count = words[level - 1], len(tree.starts[level])
        shut = np.full(count, word.closed)
        if word.turned:
            turned = set(word.turned)
            for node in range(count):
                if path_of(tree, level, node, domains) in turned:
                    shut[node] = not word.closed
        # A leaf that ends at this level or above is one line already.
        closed.append(shut & (tree.ends[tree.starts[level]] > level))
    return closed


def path_of(tree: Tree, level: int, node: int, domains: Sequence[Domain]) -> tuple[str, ...]:
    """The members that name a node, by their tokens, outermost first."""
    return tuple(domain.token(code) for domain, code in zip(domains, tree.path(level, node), strict=False))


def every_line(tree: Tree) -> Lines:
    """The lines of an axis with every total, which comparisons need whether they are shown or not."""
    order = [np.arange(len(start)) for start in tree.starts]
    levels = np.concatenate([np.full(len(each), level, np.int32) for level, each in enumerate(order)])
    stops = [np.append(start[1:], tree.leaves)[: len(start)] for start in tree.starts]
    placed = np.lexsort((-levels, np.concatenate(stops)))
    kinds = np.where(levels == tree.depth, Kind.MEMBER, np.where(levels == 0, Kind.GRAND, Kind.SUBTOTAL)).astype(
        np.int8
    )
    return Lines(levels[placed], np.concatenate(order)[placed], kinds[placed])


def shown_of(block: Block, tree_lines: tuple[Lines, Lines], every: tuple[Lines, Lines]) -> Block:
    """A block over every line as one over the lines shown."""
    rows, columns = (_positions(shown, whole) for shown, whole in zip(tree_lines, every, strict=True))
    return picked_cells(block, rows, columns)


def picked_cells(block: Block, rows: npt.NDArray[np.int64], columns: npt.NDArray[np.int64]) -> Block:
    """The cells of some rows and columns, by their numbers, in that order."""
    place = np.ix_(rows, columns)
    return replace(block, data=block.data[place], blank=block.blank[place])


def _positions(shown: Lines, whole: Lines) -> npt.NDArray[np.int64]:
    wide = int(whole.node.max(initial=0)) + 1
    keys = whole.level.astype(np.int64) * wide + whole.node
    order = np.argsort(keys)
    wanted = shown.level.astype(np.int64) * wide + shown.node
    return order[np.searchsorted(keys[order], wanted)]


def axis_of(tree: Tree, lines: Lines, heads: tuple[Head, ...], locale: str) -> Axis:
    """The axis as the report carries it."""
    codes = np.full((len(lines.level), tree.depth), -1, np.int32)
    for level in range(1, tree.depth + 1):
        at = np.flatnonzero(lines.level == level)
        codes[at, :level] = tree.codes[tree.starts[level][lines.node[at]], :level]
    return Axis(heads, lines.level, lines.kind, codes, locale)


def check_size(rows: Lines, columns: Lines, measures: int) -> None:
    """Raises FoldError when the report would have more than five million cells."""
    cells = len(rows.level) * len(columns.level) * max(1, measures)
    if cells > MOST_CELLS:
        raise FoldError(
            f"this fold would make {cells:,} cells ({len(rows.level):,} rows × {len(columns.level) * max(1, measures):,} columns).",
            todo=f"The most is {MOST_CELLS:,}: keep fewer members, or take out a field with many.",
        )


def check_memory(rows: Lines, columns: Lines, measures: int) -> None:
    """Raises FoldError when aggregates on every line, shown or not, would not fit into the memory at hand."""
    needed = len(rows.level) * len(columns.level) * BYTES_A_CELL * (measures + 1)
    free = memory_at_hand()
    if needed > free:
        raise FoldError(
            f"this fold needs about {needed / 1e9:.1f} GB, and {free / 1e9:.1f} GB are free.",
            todo="Filter records first, or take out a field with many members.",
        )


def shown_cells(rows: Tree, columns: Tree) -> npt.NDArray[np.bool_]:
    """Which cells of a cube the report shows or counts in its totals."""
    return (rows.leaf_of_cell >= 0) & (columns.leaf_of_cell >= 0)


def spread(
    state: State, values: npt.NDArray, rows: Tree, columns: Tree, row_lines: Lines, column_lines: Lines
) -> Matrix:
    """A state of every cell of the report, totals included; shape (lines of rows, lines of columns)."""
    neutral = state.neutral(values.dtype)
    matrix = np.full((rows.leaves, columns.leaves), neutral, values.dtype)
    shown = shown_cells(rows, columns)
    down, across, values = rows.leaf_of_cell[shown], columns.leaf_of_cell[shown], values[shown]
    if rows.gathers or columns.gathers:
        with beyond_numbers():
            state.merge.at(matrix, (down, across), values)  # several cells of the cube may make one of the report
    else:
        matrix[down, across] = values
    return _rolled(matrix, state.merge, rows, columns, row_lines, column_lines)


def _along_rows(matrix: Matrix, merge: np.ufunc, tree: Tree, lines: Lines) -> Matrix:
    """Rolls leaves up level by level and picks the lines shown."""
    shown = np.empty((len(lines.level), matrix.shape[1]), matrix.dtype)
    for level in range(tree.depth, -1, -1):
        if level < tree.depth and len(tree.firsts[level]):
            with beyond_numbers():
                matrix = merge.reduceat(matrix, tree.firsts[level], axis=0)
        at = lines.level == level
        if at.any():
            shown[at] = matrix[lines.node[at]]
    return shown


def spread_pairs(
    states: Sequence[State],
    pairs: tuple[npt.NDArray[np.int64], npt.NDArray[np.int32]],
    values: npt.NDArray,
    valid: npt.NDArray[np.bool_] | None,
    rows: Tree,
    columns: Tree,
    row_lines: Lines,
    column_lines: Lines,
    scale: int = 0,
) -> dict[State, Matrix]:
    """States of a field of a coarser table, each of whose records counts once in every cell and total.

    `pairs` are the different (cell, record of that table); `values` and `valid` belong to that table's records.
    """
    cells, partners = pairs
    shown = shown_cells(rows, columns)[cells]
    cells, partners = cells[shown], partners[shown]
    shape = (len(row_lines.level), len(column_lines.level))
    exact = values.dtype.kind != "f"
    held: dict[State, np.dtype] = {State.VALUES: np.dtype(np.int64), State.PRODUCT: np.dtype(np.float64)}
    held |= {State.SUM: np.dtype(object)} if exact else {}
    kinds = {state: held.get(state, values.dtype) for state in states}
    results = {state: np.full(shape, state.neutral(kinds[state]), kinds[state]) for state in states}
    for row_level in np.unique(row_lines.level):
        row_node = rows.node_of_leaf(row_level)[rows.leaf_of_cell[cells]] if len(cells) else cells
        at_rows = np.flatnonzero(row_lines.level == row_level)
        for column_level in np.unique(column_lines.level):
            column_node = columns.node_of_leaf(column_level)[columns.leaf_of_cell[cells]] if len(cells) else cells
            at_columns = np.flatnonzero(column_lines.level == column_level)
            wide = len(columns.starts[column_level])
            keys = np.unique((row_node * wide + column_node) * len(values) + partners)
            group, partner = np.divmod(keys, max(1, len(values)))
            if valid is not None:
                known = valid[partner]
                group, partner = group[known], partner[known]
            many = len(rows.starts[row_level]) * wide
            for state in states:
                kind = kinds[state]
                found = np.full(many, state.neutral(kind), kind)
                taken: npt.NDArray = (
                    np.ones(len(group), np.int64) if state is State.VALUES else values[partner].astype(kind)
                )
                if state is State.PRODUCT and scale:
                    taken = taken / 10.0**scale
                with beyond_numbers():
                    state.merge.at(found, group, taken)
                block = found.reshape(len(rows.starts[row_level]), wide)
                results[state][np.ix_(at_rows, at_columns)] = block[
                    np.ix_(row_lines.node[at_rows], column_lines.node[at_columns])
                ]
    if State.SUM in results and exact:
        results[State.SUM] = _narrowed(results[State.SUM])
    return results


def spread_values(
    make: Callable[[Runs], npt.NDArray],
    runs_by: Callable[[npt.NDArray[np.int64]], Runs],
    kind: np.dtype,
    rows: Tree,
    columns: Tree,
    row_lines: Lines,
    column_lines: Lines,
) -> tuple[Matrix, npt.NDArray[np.bool_]]:
    """Results made of values, in every cell and total, and where there is any value.

    `runs_by` gives the runs of values when each cell of the cube becomes the group named for it.
    """
    shape = (len(row_lines.level), len(column_lines.level))
    data, known = np.zeros(shape, kind), np.zeros(shape, np.bool_)
    for row_level in np.unique(row_lines.level):
        row_node = rows.node_of_leaf(row_level)[rows.leaf_of_cell]
        at_rows = np.flatnonzero(row_lines.level == row_level)
        for column_level in np.unique(column_lines.level):
            column_node = columns.node_of_leaf(column_level)[columns.leaf_of_cell]
            at_columns = np.flatnonzero(column_lines.level == column_level)
            wide = len(columns.starts[column_level])
            many = len(rows.starts[row_level]) * wide
            found, has = np.zeros(many, kind), np.zeros(many, np.bool_)
            runs = runs_by(np.where(shown_cells(rows, columns), row_node * wide + column_node, -1))
            if len(runs.groups):
                found[runs.groups] = make(runs)
                has[runs.groups] = True
            place = np.ix_(row_lines.node[at_rows], column_lines.node[at_columns])
            data[np.ix_(at_rows, at_columns)] = found.reshape(-1, wide)[place]
            known[np.ix_(at_rows, at_columns)] = has.reshape(-1, wide)[place]
    return data, known


def totals_of_shown(
    block: Block, how: TotalOf, rows: Tree, columns: Tree, row_lines: Lines, column_lines: Lines
) -> Block:
    """The block with its totals made of the innermost lines shown, instead of the records beneath: their sum, average,
    smallest or largest; or with none at all."""
    at_rows = np.flatnonzero(row_lines.level == rows.depth)
    at_columns = np.flatnonzero(column_lines.level == columns.depth)
    inner = np.ix_(at_rows, at_columns)
    is_total = np.ones(block.blank.shape, np.bool_)
    is_total[inner] = False
    if how == "none":
        return replace(block, blank=block.blank | is_total)
    if not block.type.is_number and not (how in ("smallest", "largest") and block.type.is_time):
        raise FoldError(f"totals cannot be the {how} of {block.type.value}.", todo="Choose totals over the records.")
    # Leaves stand in the order of the lines that show them, so the shown cells are the matrix of leaves.
    state = {"smallest": State.SMALLEST, "largest": State.LARGEST}.get(how, State.SUM)
    blank = block.blank[inner]
    leaves = np.where(blank, state.neutral(block.data.dtype), block.data[inner])
    if state is State.SUM and leaves.dtype.kind == "i":
        leaves = leaves.astype(object)
    rolled = _rolled(leaves, state.merge, rows, columns, row_lines, column_lines)
    known = _rolled((~blank).astype(np.int64), np.add, rows, columns, row_lines, column_lines)
    none = is_total & (known == 0)
    if how == "average":
        return _averaged(block, rolled, known, is_total)
    if rolled.dtype == object:
        rolled = _narrowed(rolled)
    data = np.where(is_total, np.where(none, 0, rolled), block.data)
    return replace(block, data=data, blank=np.where(is_total, none, block.blank))


def _averaged(block: Block, sums: Matrix, counts: npt.NDArray[np.int64], is_total: npt.NDArray[np.bool_]) -> Block:
    """The block with sums divided by counts in its totals, each rounded once; its other cells stay what they are."""
    none = is_total & (counts == 0)
    blank = np.where(is_total, none, block.blank)
    if block.data.dtype.kind == "f":
        return replace(block, data=np.where(is_total, sums / np.maximum(counts, 1), block.data), blank=blank)
    data = block.data.astype(object)
    means = [int(total) / max(1, int(many)) for total, many in zip(sums[is_total], counts[is_total], strict=True)]
    data[is_total] = np.array(means, object)
    pattern = block.pattern if block.pattern is not None or block.scale > 2 else "#,##0.00"
    return replace(block, data=data, blank=blank, pattern=pattern)


def _rolled(
    matrix: Matrix, merge: np.ufunc, rows: Tree, columns: Tree, row_lines: Lines, column_lines: Lines
) -> Matrix:
    by_rows = _along_rows(matrix, merge, rows, row_lines)
    return np.ascontiguousarray(_along_rows(by_rows.T, merge, columns, column_lines).T)


def _narrowed(exact: Matrix) -> Matrix:
    """Python whole numbers as int64 where all of them fit."""
    fits = all(-(2**63) <= number < 2**63 for number in exact.flat)
    return exact.astype(np.int64) if fits else exact
