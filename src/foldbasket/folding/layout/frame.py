"""The frame: from a cube's cells to the lines and columns of a report, with every total.

Cells become a matrix of leaves; each level of totals is the merge of the one below it along that axis. Nothing here sees
a record, so turning, sorting and switching totals cost only this.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.lines.axis import Axis, Head
from foldbasket.folding.lines.trees import Lines, Matrix, Tree, positions
from foldbasket.folding.states.aggregates.aggregate import Block, State, beyond_numbers
from foldbasket.folding.states.exact import narrowed, of_limbs, summable
from foldbasket.folding.states.runs import Grouped
from foldbasket.spec.fold import TotalOf
from foldbasket.tables.distinct import distinct
from foldbasket.tables.reading.contract import memory_at_hand
from foldbasket.turns import give_way

MOST_CELLS = 5_000_000
"""More cells than this are refused before they are made."""
BYTES_A_CELL = 40
"""What a cell of a measure takes while totals are rolled up: its state twice, its result and whether it is blank."""


def shown_of(block: Block, tree_lines: tuple[Lines, Lines], every: tuple[Lines, Lines]) -> Block:
    """A block over every line as one over the lines shown."""
    rows, columns = (positions(shown, whole) for shown, whole in zip(tree_lines, every, strict=True))
    return picked_cells(block, rows, columns)


def picked_cells(block: Block, rows: npt.NDArray[np.int64], columns: npt.NDArray[np.int64]) -> Block:
    """The cells of some rows and columns, by their numbers, in that order."""
    place = np.ix_(rows, columns)
    return replace(block, data=block.data[place], blank=block.blank[place])


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
    if state is State.SUM:
        values = summable(values)
    neutral = state.neutral(values.dtype)
    matrix = np.full((rows.leaves, columns.leaves), neutral, values.dtype)
    down, across = rows.leaf_of_cell, columns.leaf_of_cell
    shown = shown_cells(rows, columns)
    if not shown.all():
        down, across, values = down[shown], across[shown], values[shown]
    if rows.gathers or columns.gathers:
        with beyond_numbers():
            state.merge.at(matrix, (down, across), values)  # several cells of the cube may make one of the report
    elif columns.leaves == 1:
        matrix[down, 0] = values
    else:
        matrix[down, across] = values
    return narrowed(_rolled(matrix, state.merge, rows, columns, row_lines, column_lines))


def _along_rows(matrix: Matrix, merge: np.ufunc, tree: Tree, lines: Lines) -> Matrix:
    """Rolls leaves up level by level and picks the lines shown."""
    give_way()
    shown = np.empty((len(lines.level), matrix.shape[1]), matrix.dtype)
    for level in range(tree.depth, -1, -1):
        if level < tree.depth and len(tree.firsts[level]):
            matrix = _merged(matrix, merge, tree.firsts[level])
        at = np.flatnonzero(lines.level == level)
        step = _step(matrix)
        for start in range(0, len(at), step):
            shown[at[start : start + step]] = matrix[lines.node[at[start : start + step]]]
            give_way()
    return shown


AT_ONCE = 50_000
"""So many of Python's own numbers are worked on at once, which holds Python's lock for some milliseconds."""


def _step(matrix: Matrix) -> int:
    """How many rows are worked on at once."""
    return max(1, AT_ONCE // max(1, matrix.shape[1])) if matrix.dtype == object else max(1, len(matrix))


def _merged(matrix: Matrix, merge: np.ufunc, firsts: npt.NDArray[np.int64]) -> Matrix:
    """The rows from each of some to the next one merged; of Python's own numbers so many at once."""
    step, many = _step(matrix), len(matrix)
    with beyond_numbers():
        if step >= many:
            return merge.reduceat(matrix, firsts, axis=0)
        made = np.empty((len(firsts), matrix.shape[1]), matrix.dtype)
        stops, at = np.append(firsts[1:], many), 0
        while at < len(firsts):
            start = int(firsts[at])
            to = int(np.searchsorted(stops, start + step, side="right"))
            if to > at:
                made[at:to] = merge.reduceat(matrix[start : stops[to - 1]], firsts[at:to] - start, axis=0)
            else:
                pieces = range(start, int(stops[at]), step)
                made[at] = merge.reduce([merge.reduce(matrix[each : min(each + step, stops[at])]) for each in pieces])
            at = max(to, at + 1)
            give_way()
    return made


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
    kinds = {state: held.get(state, values.dtype) for state in states}
    results = {state: np.full(shape, state.neutral(kinds[state]), kinds[state]) for state in states}
    for row_level in np.unique(row_lines.level):
        row_node = rows.node_of_leaf(row_level)[rows.leaf_of_cell[cells]] if len(cells) else cells
        at_rows = np.flatnonzero(row_lines.level == row_level)
        for column_level in np.unique(column_lines.level):
            column_node = columns.node_of_leaf(column_level)[columns.leaf_of_cell[cells]] if len(cells) else cells
            at_columns = np.flatnonzero(column_lines.level == column_level)
            wide = len(columns.starts[column_level])
            keys = distinct((row_node * wide + column_node) * len(values) + partners)
            group, partner = np.divmod(keys, max(1, len(values)))
            if valid is not None:
                known = valid[partner]
                group, partner = group[known], partner[known]
            many = len(rows.starts[row_level]) * wide
            for state in states:
                kind = kinds[state]
                taken: npt.NDArray = (
                    np.ones(len(group), np.int64) if state is State.VALUES else values[partner].astype(kind)
                )
                if state is State.PRODUCT and scale:
                    taken = taken / 10.0**scale
                if state is State.SUM and exact:
                    found = _summed(taken, group, many)
                    results[state] = results[state].astype(np.result_type(results[state], found), copy=False)
                else:
                    found = np.full(many, state.neutral(kind), kind)
                    with beyond_numbers():
                        state.merge.at(found, group, taken)
                block = found.reshape(len(rows.starts[row_level]), wide)
                give_way()
                results[state][np.ix_(at_rows, at_columns)] = block[
                    np.ix_(row_lines.node[at_rows], column_lines.node[at_columns])
                ]
    if State.SUM in results and results[State.SUM].dtype == object:
        results[State.SUM] = narrowed(results[State.SUM])
    return results


def spread_values(
    make: Callable[[Grouped], npt.NDArray],
    values_by: Callable[[npt.NDArray[np.int64], int], Grouped],
    kind: np.dtype,
    rows: Tree,
    columns: Tree,
    row_lines: Lines,
    column_lines: Lines,
) -> tuple[Matrix, npt.NDArray[np.bool_]]:
    """Results made of values, in every cell and total, and where there is any value.

    `values_by` gives the values when each cell of the cube becomes the group named for it, of so many.
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
            values = values_by(np.where(shown_cells(rows, columns), row_node * wide + column_node, -1), many)
            has = values.totals > 0
            found = np.zeros(many, kind)
            if has.any():
                found[has] = make(values)[has]
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
    if state is State.SUM:
        leaves = summable(leaves)
    rolled = _rolled(leaves, state.merge, rows, columns, row_lines, column_lines)
    known = _rolled((~blank).astype(np.int64), np.add, rows, columns, row_lines, column_lines)
    none = is_total & (known == 0)
    if how == "average":
        return _averaged(block, rolled, known, is_total)
    data = np.where(is_total, np.where(none, 0, narrowed(rolled)), block.data)
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


def _summed(values: npt.NDArray, group: npt.NDArray[np.int64], many: int) -> npt.NDArray:
    """Exact sums of whole numbers by group: int64, or Python's own numbers where 64 bits might not hold them. Shape (many,)."""
    if values.dtype == object:
        found = np.zeros(many, object)
        np.add.at(found, group, values)
        return found
    whole = values.astype(np.int64, copy=False)
    upper, lower = np.zeros(many, np.int64), np.zeros(many, np.int64)
    np.add.at(upper, group, whole >> 32)
    np.add.at(lower, group, whole & 0xFFFFFFFF)
    return of_limbs([lower, upper])
