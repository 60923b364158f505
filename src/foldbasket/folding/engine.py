"""The engine: runs the stages of a fold, keeps what each made until something it reads changes, and counts what ran."""

from __future__ import annotations

import dataclasses
import datetime
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable, Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.aggregates import Aggregate, Block, Key, Operand, State, aggregate_named
from foldbasket.folding.comparisons import Cells, compared
from foldbasket.folding.cube import AxisField, Cube, Wants, add_pairs, add_runs, add_states, build_cube, measured
from foldbasket.folding.domain import MICROS_PER_DAY, Domain, placed_codes
from foldbasket.folding.filters import Filter, Relative, passes
from foldbasket.folding.frame import (
    Lines,
    Tree,
    axis_of,
    check_size,
    every_line,
    grow,
    lines_of,
    picked_cells,
    shown_of,
    spread,
    spread_pairs,
    spread_values,
    totals_of_shown,
)
from foldbasket.folding.ordering import Asked, Rearranged, node_values, rearranged
from foldbasket.folding.quantities import Quantity, column_of, record_at
from foldbasket.folding.report import Head, MeasureHead, Report
from foldbasket.folding.runs import Runs, regrouped, runs_of
from foldbasket.folding.sentence import measure_heading, placed_heading, sentence_of
from foldbasket.folding.sides import Side
from foldbasket.folding.spec import Fold, Measure, Placed
from foldbasket.links.source import FieldRef, Source
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.column import CodedColumn, Codes, Column, NumberColumn
from foldbasket.tables.progress import Progress

Mask = npt.NDArray[np.bool_]


class _Kept(OrderedDict[Hashable, Any]):
    """The last few results of a stage."""

    def __init__(self, most: int) -> None:
        super().__init__()
        self.most = most

    def get_or(self, key: Hashable, make: Callable[[], Any]) -> Any:
        if key in self:
            self.move_to_end(key)
            return self[key]
        made = make()
        self[key] = made
        while len(self) > self.most:
            self.popitem(last=False)
        return made


class Engine:
    """Folds over one source. `ran` counts how often each stage ran, which tests and the bench read.

    Folding is serialised by a lock, since stages fill shared caches; each stage is itself spread over the cores.
    """

    def __init__(self, source: Source, *, locale: str = "en", currency: str = "EUR", as_of: str = "latest") -> None:
        """`as_of` is what relative dates go by: a date, `today`, or the `latest` date of the field filtered by."""
        self.source = source
        self.as_of = as_of
        self.locale = locale
        self.currency = currency
        self.ran: Counter[str] = Counter()
        self._lock = threading.RLock()
        self._selections = _Kept(8)
        self._codes = _Kept(32)
        self._cubes = _Kept(8)

    def fold(self, fold: Fold, progress: Progress | None = None) -> Report:
        """The report that a fold describes. Raises FoldError or LinkError when it cannot be answered, Cancelled on request."""
        progress = progress or Progress()
        with self._lock:
            return self._fold(fold, progress)

    def base_of(self, fold: Fold) -> str:
        """The table whose records the fold is over."""
        used = list(dict.fromkeys(ref.table for ref in fold.fields()))
        if not used:
            if not self.source.tables:
                raise FoldError("there is no source to fold.", todo="Open a file first.")
            used = [next(iter(self.source.tables))]
        return self.source.base_for(used)

    def _fold(self, fold: Fold, progress: Progress) -> Report:
        base = self.base_of(fold)
        records = self.source.table(base).count
        measures = [self._completed(measure) for measure in fold.measures]
        operands = [self._operand(measure) for measure in measures]
        rules = tuple(self.resolved(rule) for rule in fold.filters)
        mask = self._selection(base, rules, progress)
        placed = fold.rows + fold.columns
        fields = tuple(sorted({_axis_field(word) for word in placed}))
        wants = [
            (quantity, [state])
            for measure, (aggregate, _) in zip(measures, operands, strict=True)
            for quantity, state in aggregate.quantities(measure).values()
            if quantity.table == base
        ]
        cube = self._cube(base, fields, rules, wants, mask, progress)
        position = {field: at for at, field in enumerate(fields)}
        progress.step("Laying out", 0.0)
        self.ran["frame"] += 1
        trees: list[Tree] = []
        heads: list[tuple[Head, ...]] = []
        axes = ((fold.rows, fold.row_total), (fold.columns, fold.column_total))
        for words, _ in axes:
            domains = [self._coded(base, word.field, word.part)[1] for word in words]
            trees.append(grow(cube, [position[_axis_field(word)] for word in words], domains, words))
            heads.append(
                tuple(Head(word.id, placed_heading(word), domain) for word, domain in zip(words, domains, strict=True))
            )

        def shown_lines() -> tuple[Lines, Lines]:
            rows, columns = (
                lines_of(tree, [word.subtotal for word in words], grand if words else "off")
                for tree, (words, grand) in zip(trees, axes, strict=True)
            )
            return rows, columns

        lines = shown_lines()
        # Whatever looks beyond the cells shown, to totals that may be off or to members left out, needs every line.
        looks_beyond = any(measure.compare is not None for measure in measures)
        picks = any(word.by is not None or word.keep is not None for word in placed)
        if not picks:
            check_size(*lines, len(measures))
        whole = (every_line(trees[0]), every_line(trees[1])) if looks_beyond or picks else lines
        blocks = self._blocks(base, cube, measures, operands, mask, (trees[0], trees[1]), whole, progress)
        if picks:
            trees, whole, blocks = self._picked(fold, measures, trees, whole, blocks, heads)
            lines = shown_lines()
            check_size(*lines, len(measures))
        both = (trees[0], trees[1])
        blocks = [
            block if measure.total == "records" else totals_of_shown(block, measure.total, *both, *whole)
            for measure, block in zip(measures, blocks, strict=True)
        ]
        if looks_beyond:
            cells = self._cells(fold, measures, trees, whole, blocks, heads)
            blocks = [
                block if measure.compare is None else compared(measure.compare, block, cells, measure_heading(measure))
                for measure, block in zip(measures, blocks, strict=True)
            ]
        if whole is not lines:
            blocks = [shown_of(block, lines, whole) for block in blocks]
        return Report(
            name=fold.name,
            sentence=sentence_of(fold, self.source, self.locale),
            rows=axis_of(trees[0], lines[0], heads[0], self.locale),
            columns=axis_of(trees[1], lines[1], heads[1], self.locale),
            measures=tuple(
                MeasureHead(measure.id, measure_heading(measure), measure.number, self._remark(base, measure))
                for measure in fold.measures
            ),
            blocks=tuple(blocks),
            base=base,
            kept=records if mask is None else int(cube.records.sum()),
            records=records,
            locale=self.locale,
            currency=self.currency,
        )

    @staticmethod
    def _cells(
        fold: Fold,
        measures: Sequence[Measure],
        trees: Sequence[Tree],
        whole: tuple[Lines, Lines],
        blocks: Sequence[Block],
        heads: Sequence[Sequence[Head]],
    ) -> Cells:
        rows, columns = (
            Side(tree, every, words, [head.domain for head in each])
            for tree, every, words, each in zip(trees, whole, (fold.rows, fold.columns), heads, strict=True)
        )
        return Cells(rows, columns, {measure.id: block for measure, block in zip(measures, blocks, strict=True)})

    def _picked(
        self,
        fold: Fold,
        measures: Sequence[Measure],
        trees: Sequence[Tree],
        whole: tuple[Lines, Lines],
        blocks: Sequence[Block],
        heads: Sequence[Sequence[Head]],
    ) -> tuple[list[Tree], tuple[Lines, Lines], list[Block]]:
        """Trees, lines and blocks with members ordered by value and those left out that summary filters do not show."""
        cells = self._cells(fold, measures, trees, whole, blocks, heads)
        sides = (cells.rows, cells.columns)
        by_id = {measure.id: measure for measure in measures}

        def values(word: Placed, measure: str, among: tuple[str, ...], axis: int, level: int) -> Block:
            if measure not in by_id:
                raise FoldError(
                    f"the measure that {word.field.field} is ordered or picked by was taken out.",
                    where=fold.name,
                    todo="Choose another measure on its card.",
                )
            block = cells.measures[measure]
            compare = by_id[measure].compare
            if compare is not None:  # members are ordered by what the report shows
                block = compared(compare, block, cells, measure_heading(by_id[measure]))
            return node_values(block, sides[axis], level, sides[1 - axis], among, axis == 1)

        made: list[Rearranged] = []
        for axis, words in enumerate((fold.rows, fold.columns)):
            asked = []
            for level, word in enumerate(words, 1):
                order = values(word, word.by.measure, word.by.among, axis, level) if word.by is not None else None
                kept_by = values(word, word.keep.measure, (), axis, level) if word.keep is not None else None
                if order is not None or kept_by is not None:
                    asked.append(Asked(level, order, word.descending, word.keep, kept_by))
            made.append(rearranged(trees[axis], asked))
        new = (every_line(made[0].tree), every_line(made[1].tree))
        rows, columns = (each.lines_before(lines, old) for each, lines, old in zip(made, new, whole, strict=True))
        return [each.tree for each in made], new, [picked_cells(block, rows, columns) for block in blocks]

    def _completed(self, measure: Measure) -> Measure:
        """The measure with its order by default: the first date of its table."""
        aggregate = aggregate_named(measure.aggregate)
        if "order" in aggregate.parameters and measure.order is None and measure.field is not None:
            table = self.source.table(measure.field.table)
            dates = [name for name, column in table.columns.items() if column.type.is_time]
            if dates:
                return msgspec.structs.replace(measure, order=FieldRef(measure.field.table, dates[0]))
        return measure

    def _operand(self, measure: Measure) -> tuple[Aggregate, Operand | None]:
        aggregate = aggregate_named(measure.aggregate)
        operand = None
        if measure.field is not None:
            column = self.source.column(measure.field)
            operand = Operand(
                column.type, column.scale, column.dictionary if isinstance(column, CodedColumn) else None, column
            )
        aggregate.check(operand, measure.field.field if measure.field else measure.id)
        if operand is not None:
            needs = aggregate.quantities(measure)
            if aggregate.parameters and not aggregate.needs_values:
                scales = {key: self._column(quantity).scale for key, (quantity, _) in needs.items()}
                records = None
                if measure.order is not None and "order" in aggregate.parameters:
                    order = measure.order
                    records = self._codes.get_or(("records", order), lambda: record_at(self.source, order))
                operand = dataclasses.replace(operand, scales=scales, records=records)
        return aggregate, operand

    def _column(self, quantity: Quantity) -> Column:
        """The column of a quantity; those made of two fields are kept."""
        if quantity.kind == "plain":
            return self.source.column(quantity.field)
        found: Column = self._codes.get_or(quantity, lambda: column_of(self.source, quantity))
        return found

    def _selection(self, base: str, rules: tuple[Filter, ...], progress: Progress) -> Mask | None:
        """Which base records pass all filters; None when there is no filter."""
        if not rules:
            return None

        def select() -> Mask:
            self.ran["selection"] += 1
            mask: Mask | None = None
            for at, rule in enumerate(rules):
                progress.step("Filtering", at / len(rules))
                kept = passes(rule, self.source, base)
                mask = kept if mask is None else mask & kept
            assert mask is not None
            return mask

        found: Mask = self._selections.get_or((base, rules), select)
        return found

    def resolved(self, rule: Filter) -> Filter:
        """The filter with relative dates become the range that they mean now."""
        if not isinstance(rule, Relative):
            return rule
        column = self.source.column(rule.field)
        return rule.between(self.as_of_date(rule.field), column.type)

    def as_of_date(self, ref: FieldRef) -> datetime.date:
        """The day that relative dates of a field go by; today where the field has no date."""
        if self.as_of == "today":
            return datetime.date.today()
        if self.as_of != "latest":
            try:
                return datetime.date.fromisoformat(self.as_of)
            except ValueError:
                raise FoldError(f"“{self.as_of}” is not a date.", todo="Write it like 2026-09-30.") from None
        column = self.source.column(ref)
        if not column.type.is_time:
            return datetime.date.today()
        if isinstance(column, NumberColumn):
            values = column.values if column.valid is None else column.values[column.valid]
            latest = int(values.max()) // MICROS_PER_DAY if len(values) else None
        else:
            days = column.dictionary.values
            latest = int(days.max()) if len(days) else None
        return datetime.date.today() if latest is None else EPOCH + datetime.timedelta(days=latest)

    def _coded(self, base: str, ref: FieldRef, part: str | None) -> tuple[Codes, Domain]:
        def code() -> tuple[Codes, Domain]:
            self.ran["codes"] += 1
            return placed_codes(self.source, base, ref, part)

        found: tuple[Codes, Domain] = self._codes.get_or((base, ref, part), code)
        return found

    def _cube(
        self,
        base: str,
        fields: tuple[AxisField, ...],
        rules: tuple[Filter, ...],
        wants: Wants,
        mask: Mask | None,
        progress: Progress,
    ) -> Cube:
        """The cube over `fields` with at least the states in `wants`; only what is missing is aggregated."""
        different: dict[Quantity, dict[State, None]] = {}
        for quantity, states in wants:
            different.setdefault(quantity, {}).update(dict.fromkeys(states))
        merged = [(quantity, list(states)) for quantity, states in different.items()]
        count = self.source.table(base).count

        def build() -> Cube:
            self.ran["cube"] += 1
            coded = [self._coded(base, field.field, field.part or None) for field in fields]
            codes, domains = [each for each, _ in coded], [each for _, each in coded]
            return build_cube(fields, codes, domains, mask, count, self._column, merged, progress)

        found: Cube = self._cubes.get_or((base, rules, fields), build)
        self.ran["aggregate"] += add_states(found, count, self._column, merged, mask, progress)
        return found

    def _blocks(
        self,
        base: str,
        cube: Cube,
        measures: Sequence[Measure],
        operands: list[tuple[Aggregate, Operand | None]],
        mask: Mask | None,
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
        progress: Progress,
    ) -> list[Block]:
        present = spread(State.RECORDS, cube.records, *trees, *lines)
        matrices: dict[tuple[Quantity, State], np.ndarray] = {}
        has_records = present > 0
        blocks = []
        for measure, (aggregate, operand) in zip(measures, operands, strict=True):
            if aggregate.needs_values:
                assert operand is not None
                blocks.append(
                    self._of_values(base, cube, measure, aggregate, operand, has_records, mask, trees, lines, progress)
                )
                continue
            needs = aggregate.quantities(measure)
            for quantity in dict.fromkeys(quantity for quantity, _ in needs.values()):
                if quantity.table != base:
                    wanted = [state for each, state in needs.values() if each == quantity]
                    self._spread_coarse(base, cube, quantity, wanted, mask, trees, lines, matrices)
            states: dict[Key, np.ndarray] = {State.RECORDS: present}
            for key, (quantity, state) in needs.items():
                if (quantity, state) not in matrices:
                    matrices[quantity, state] = spread(state, cube.states[quantity, state], *trees, *lines)
                states[key] = matrices[quantity, state]
            blocks.append(aggregate.finish(states, has_records, operand or Operand(next(iter(aggregate.takes)))))
        return blocks

    def _of_values(
        self,
        base: str,
        cube: Cube,
        measure: Measure,
        aggregate: Aggregate,
        operand: Operand,
        has_records: np.ndarray,
        mask: Mask | None,
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
        progress: Progress,
    ) -> Block:
        """A measure that needs the values: from their runs in each cell, regrouped for every level of totals."""
        ref = measure.field
        assert ref is not None
        quantity = Quantity(ref)
        column = self.source.column(ref)
        if ref.table == base:
            self.ran["aggregate"] += add_runs(cube, quantity, column, mask, progress)
            runs = cube.runs[quantity]

            def runs_by(target: npt.NDArray[np.int64]) -> Runs:
                progress.step("Working out totals", 0.5)
                return regrouped(runs, target)

        else:
            self._find_pairs(base, cube, ref.table, mask)
            cells, partners = cube.pairs[ref.table]
            values, valid, _ = measured(column)

            def runs_by(target: npt.NDArray[np.int64]) -> Runs:
                groups, records = np.divmod(np.unique(target[cells] * len(values) + partners), max(1, len(values)))
                known = slice(None) if valid is None else valid[records]
                return runs_of(groups[known], values[records[known]])

        kind = aggregate.held_in(operand)
        data, known = spread_values(
            lambda each: aggregate.of_values(each, operand, measure), runs_by, kind, *trees, *lines
        )
        return aggregate.block_of(data, ~has_records if aggregate.zero_over_nothing else ~known, operand)

    def _spread_coarse(
        self,
        base: str,
        cube: Cube,
        quantity: Quantity,
        states: Sequence[State],
        mask: Mask | None,
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
        matrices: dict[tuple[Quantity, State], np.ndarray],
    ) -> None:
        """States of a quantity that lives on a table reached over links: each of its records counts once per cell."""
        missing = [state for state in states if (quantity, state) not in matrices]
        if not missing:
            return
        self._find_pairs(base, cube, quantity.table, mask)
        column = self._column(quantity)
        values, valid, _ = measured(column)
        pairs = cube.pairs[quantity.table]
        for state, matrix in spread_pairs(missing, pairs, values, valid, *trees, *lines, column.scale).items():
            matrices[quantity, state] = matrix

    def _find_pairs(self, base: str, cube: Cube, table: str, mask: Mask | None) -> None:
        rows = self.source.rows(base, table)
        assert rows is not None
        before = len(cube.pairs)
        add_pairs(cube, table, rows, self.source.table(table).count, mask)
        self.ran["aggregate"] += len(cube.pairs) > before

    def _remark(self, base: str, measure: Measure) -> str:
        said = TOTAL_REMARKS.get(measure.total, "")
        if measure.field is not None and measure.field.table != base and measure.total == "records":
            return f"Each record of {measure.field.table} counts once in a cell, so totals can be less than the sum of their parts."
        return said


TOTAL_REMARKS = {
    "sum": "Totals are the sum of the lines shown.",
    "average": "Totals are the average of the lines shown.",
    "smallest": "Totals are the smallest of the lines shown.",
    "largest": "Totals are the largest of the lines shown.",
    "none": "It has no totals.",
}


def _axis_field(word: Placed) -> AxisField:
    return AxisField(word.field, word.part or "")
