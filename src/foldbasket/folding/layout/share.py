"""A share of a fold: what one table's records contribute to it, as blocks over the lines of the report.

States of the cube's cells become the cells and totals of each measure. Nothing here looks at the base table's records: all that is
needed was planned.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.folding.cubes.cube import Cube, measured
from foldbasket.folding.layout.frame import spread, spread_pairs, spread_values
from foldbasket.folding.lines.trees import Lines, Tree
from foldbasket.folding.states.aggregates.aggregate import Aggregate, Block, Key, Operand, State, beyond_numbers
from foldbasket.folding.states.quantities import ProductColumn, Quantity
from foldbasket.folding.states.runs import Grouped, held, regrouped, runs_of
from foldbasket.folding.states.spilled import Spilled
from foldbasket.links.source import Source
from foldbasket.spec.fold import Measure
from foldbasket.tables.column import Column
from foldbasket.tables.distinct import distinct
from foldbasket.tables.nature import pattern_of
from foldbasket.tables.progress import Progress

Mask = npt.NDArray[np.bool_]


class Measured(msgspec.Struct, frozen=True):
    """A measure, its aggregate and what that runs over."""

    at: int
    measure: Measure
    aggregate: Aggregate
    operand: Operand | None


class Share(msgspec.Struct, frozen=True, eq=False):
    """One base table, the cube of its plan, and the measures aggregated over it. `column` gives the column of a quantity."""

    source: Source
    base: str
    cube: Cube
    measures: Sequence[Measured]
    column: Callable[[Quantity], Column]
    progress: Progress

    def blocks(self, trees: tuple[Tree, Tree], lines: tuple[Lines, Lines]) -> tuple[dict[int, Block], Mask]:
        """The block of each measure by its number in the fold, and which cells have records. The trees' cells are those of this
        share's cube."""
        present = spread(State.RECORDS, self.cube.records, *trees, *lines)
        matrices: dict[tuple[Quantity, State], np.ndarray] = {}
        has_records = present > 0
        blocks = {}
        for each in self.measures:
            self.progress.look()
            aggregate, operand = each.aggregate, each.operand
            if aggregate.needs_values:
                blocks[each.at] = self._of_values(each, has_records, trees, lines)
                continue
            needs = aggregate.quantities(each.measure)
            for quantity in dict.fromkeys(quantity for quantity, _ in needs.values()):
                if quantity.table != self.base:
                    wanted = [state for one, state in needs.values() if one == quantity]
                    self._spread_coarse(quantity, wanted, trees, lines, matrices)
            states: dict[Key, np.ndarray] = {State.RECORDS: present}
            for key, (quantity, state) in needs.items():
                if (quantity, state) not in matrices:
                    self.progress.look()
                    matrices[quantity, state] = spread(state, self.cube.states[quantity, state], *trees, *lines)
                states[key] = matrices[quantity, state]
            with beyond_numbers():
                blocks[each.at] = aggregate.finish(states, has_records, operand or Operand(next(iter(aggregate.takes))))
        return {each.at: self._in_unit(each, blocks[each.at]) for each in self.measures}, has_records

    def _in_unit(self, of: Measured, block: Block) -> Block:
        """A measure's block with the pattern of percentages where its field has them."""
        ref = of.measure.field
        if ref is None or not of.aggregate.in_its_unit or block.dictionary is not None or not block.type.is_number:
            return block
        pattern = pattern_of(self.source.column(ref).nature, block.type, block.scale)
        return block if pattern is None else replace(block, pattern=pattern)

    def _of_values(
        self, each: Measured, has_records: Mask, trees: tuple[Tree, Tree], lines: tuple[Lines, Lines]
    ) -> Block:
        """A measure that needs the values: from their runs in each cell, regrouped for every level of totals."""
        ref, aggregate, operand = each.measure.field, each.aggregate, each.operand
        assert ref is not None
        assert operand is not None
        quantity = Quantity(ref)
        column = self.source.column(ref)
        if ref.table == self.base:
            runs = self.cube.runs[quantity]

            def values_by(target: npt.NDArray[np.int64], many: int) -> Grouped:
                if isinstance(runs, Spilled):
                    return runs.grouped(target, many, self.progress)
                return held(self.progress.meanwhile("Working out totals", lambda: regrouped(runs, target)), many)

        else:
            cells, partners = self.cube.pairs[ref.table]
            values, valid, _ = measured(column)

            def values_by(target: npt.NDArray[np.int64], many: int) -> Grouped:
                shown = target[cells] >= 0
                groups, records = np.divmod(
                    distinct(target[cells[shown]] * len(values) + partners[shown]), max(1, len(values))
                )
                known = slice(None) if valid is None else valid[records]
                return held(runs_of(groups[known], values[records[known]]), many)

        kind = aggregate.held_in(operand)

        def of_values(values: Grouped) -> npt.NDArray:
            with beyond_numbers():
                return aggregate.of_values(values, operand, each.measure)

        data, known = spread_values(of_values, values_by, kind, *trees, *lines)
        return aggregate.block_of(data, ~has_records if aggregate.zero_over_nothing else ~known, operand)

    def _spread_coarse(
        self,
        quantity: Quantity,
        states: Sequence[State],
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
        matrices: dict[tuple[Quantity, State], np.ndarray],
    ) -> None:
        """States of a quantity that lives on a table reached over links: each of its records counts once per cell."""
        missing = [state for state in states if (quantity, state) not in matrices]
        if not missing:
            return
        column = self.column(quantity)
        values, valid, _ = measured(column)
        if isinstance(column, ProductColumn):
            values = column.products(np.arange(len(column)))
        for state, matrix in spread_pairs(
            missing, self.cube.pairs[quantity.table], values, valid, *trees, *lines, column.scale
        ).items():
            matrices[quantity, state] = matrix
