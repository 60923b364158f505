"""The frame: from a cube's cells to the lines and columns of a report, with every total.

Cells become a matrix of leaves; each level of totals is the merge of the one below it along that axis. Nothing here sees
a record, so turning, sorting and switching totals cost only this.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.aggregates import Block, State
from foldbasket.folding.cube import Cube
from foldbasket.folding.domain import Domain
from foldbasket.folding.report import Axis, Head, Kind
from foldbasket.folding.runs import Runs
from foldbasket.tables.types import FieldType

if TYPE_CHECKING:
    from foldbasket.folding.spec import Placed, TotalOf, Where

MOST_CELLS = 5_000_000
"""More cells than this are refused before they are made."""

Matrix = npt.NDArray


@dataclass(frozen=True, eq=False)
class Tree:
    """The members that occur on one axis, in display order.

    `leaf_of_cell` gives each cube cell's leaf. `codes[leaf, field]` names the leaf's members. `starts[k]` is the first leaf
    of each node of level k (level 0 is everything, level n the leaves); `firsts[k]` its first child in level k + 1.
    """

    leaf_of_cell: npt.NDArray[np.int64]
    codes: npt.NDArray[np.int32]
    starts: tuple[npt.NDArray[np.int64], ...]
    firsts: tuple[npt.NDArray[np.int64], ...]

    @property
    def depth(self) -> int:
        return self.codes.shape[1]

    @property
    def leaves(self) -> int:
        return len(self.codes)

    def node_of_leaf(self, level: int) -> npt.NDArray[np.int64]:
        """For each leaf the node of `level` above it; shape (leaves,)."""
        marks = np.zeros(self.leaves, np.int64)
        marks[self.starts[level]] = 1
        return np.cumsum(marks) - 1


def grow(cube: Cube, fields: Sequence[int], domains: Sequence[Domain], words: Sequence[Placed]) -> Tree:
    """The tree of one axis: `fields` are positions in the cube's fields, outermost first. Members stand by label, those that
    are listed by hand before the others."""
    if not fields:
        some = min(1, cube.cells)
        root = np.zeros(some, np.int64)
        return Tree(np.zeros(cube.cells, np.int64), np.empty((some, 0), np.int32), (root,), ())
    ranks = []
    for position, domain, word in zip(fields, domains, words, strict=True):
        rank = domain.ranks.copy()
        if word.descending and word.by is None:  # blank and no match stay last
            rank[: domain.blank] = domain.blank - 1 - rank[: domain.blank]
        for place, key in enumerate(word.first):
            with contextlib.suppress(ValueError):  # a listed member that is no longer one has no place
                code = domain.code_of(key)
                if code is not None:
                    rank[code] = place - len(word.first)
        ranks.append(rank[cube.coords[position]])
    order = np.lexsort(ranks[::-1])
    stacked = np.stack(ranks, axis=1)[order]
    changed = np.ones(stacked.shape, np.bool_)
    if len(order):
        changed[1:] = np.logical_or.accumulate(stacked[1:] != stacked[:-1], axis=1)
    is_leaf = changed[:, -1]
    leaf_of_cell = np.empty(cube.cells, np.int64)
    leaf_of_cell[order] = np.cumsum(is_leaf) - 1
    heads = order[is_leaf]
    codes = np.stack([cube.coords[position][heads] for position in fields], axis=1)
    leaf_changed = changed[is_leaf]
    root = np.zeros(min(1, len(heads)), np.int64)
    starts = (root, *(np.flatnonzero(leaf_changed[:, level]) for level in range(len(fields))))
    firsts = tuple(np.searchsorted(lower, upper) for upper, lower in pairwise(starts))
    return Tree(leaf_of_cell, codes, starts, firsts)


@dataclass(frozen=True, eq=False)
class Lines:
    """The lines an axis shows: each one's level and its node in that level, and what kind of line it is."""

    level: npt.NDArray[np.int8]
    node: npt.NDArray[np.int64]
    kind: npt.NDArray[np.int8]


def lines_of(tree: Tree, subtotals: Sequence[Where], grand: Where) -> Lines:
    """The lines of an axis in order. `subtotals[k]` places the total over members of field k, `grand` that over everything."""
    depth = tree.depth
    levels, nodes, kinds, places, sides = [], [], [], [], []

    def put(level: int, kind: Kind, where: Where) -> None:
        start = tree.starts[level]
        stop = np.append(start[1:], tree.leaves)[: len(start)]
        levels.append(np.full(len(start), level, np.int8))
        nodes.append(np.arange(len(start)))
        kinds.append(np.full(len(start), kind, np.int8))
        places.append(start if where == "before" else stop - 1)
        # Before its first leaf outer totals come first; after its last leaf inner ones do.
        sides.append(
            np.full(
                len(start), 0 if level == depth else level - depth if where == "before" else depth - level, np.int64
            )
        )

    put(depth, Kind.MEMBER, "after")
    for level in range(depth):
        where = grand if level == 0 else subtotals[level - 1]
        if where != "off":
            put(level, Kind.GRAND if level == 0 else Kind.SUBTOTAL, where)
    order = np.lexsort((np.concatenate(sides), np.concatenate(places)))
    return Lines(np.concatenate(levels)[order], np.concatenate(nodes)[order], np.concatenate(kinds)[order])


def every_line(tree: Tree) -> Lines:
    """The lines of an axis with every total, which comparisons need whether they are shown or not."""
    return lines_of(tree, ["after"] * tree.depth, "after" if tree.depth else "off")


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


def spread(
    state: State, values: npt.NDArray, rows: Tree, columns: Tree, row_lines: Lines, column_lines: Lines
) -> Matrix:
    """A state of every cell of the report, totals included; shape (lines of rows, lines of columns)."""
    neutral = state.neutral(values.dtype)
    matrix = np.full((rows.leaves, columns.leaves), neutral, values.dtype)
    matrix[rows.leaf_of_cell, columns.leaf_of_cell] = values
    return _rolled(matrix, state.merge, rows, columns, row_lines, column_lines)


def _along_rows(matrix: Matrix, merge: np.ufunc, tree: Tree, lines: Lines) -> Matrix:
    """Rolls leaves up level by level and picks the lines shown."""
    shown = np.empty((len(lines.level), matrix.shape[1]), matrix.dtype)
    for level in range(tree.depth, -1, -1):
        if level < tree.depth and len(tree.firsts[level]):
            with np.errstate(over="ignore", invalid="ignore"):  # a product may pass every number; it is blank then
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
    shape = (len(row_lines.level), len(column_lines.level))
    exact = values.dtype.kind != "f"
    kinds = {
        state: np.dtype(object)
        if exact and state is State.SUM
        else np.dtype(np.int64)
        if state is State.VALUES
        else np.dtype(np.float64)
        if state is State.PRODUCT
        else values.dtype
        for state in states
    }
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
            runs = runs_by(row_node * wide + column_node)
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
        kind, scale = FieldType.REAL, 0
        share = (
            np.array([float(each) for each in rolled.flat]).reshape(rolled.shape)
            / np.maximum(known, 1)
            / 10.0**block.scale
        )
        own = block.data.astype(np.float64) / 10.0**block.scale
        return Block(
            kind, np.where(is_total, np.where(none, 0.0, share), own), np.where(is_total, none, block.blank), scale
        )
    if rolled.dtype == object:
        rolled = _narrowed(rolled)
    data = np.where(is_total, np.where(none, 0, rolled), block.data)
    return replace(block, data=data, blank=np.where(is_total, none, block.blank))


def _rolled(
    matrix: Matrix, merge: np.ufunc, rows: Tree, columns: Tree, row_lines: Lines, column_lines: Lines
) -> Matrix:
    by_rows = _along_rows(matrix, merge, rows, row_lines)
    return np.ascontiguousarray(_along_rows(by_rows.T, merge, columns, column_lines).T)


def _narrowed(exact: Matrix) -> Matrix:
    """Python whole numbers as int64 where all of them fit."""
    fits = all(-(2**63) <= number < 2**63 for number in exact.flat)
    return exact.astype(np.int64) if fits else exact
