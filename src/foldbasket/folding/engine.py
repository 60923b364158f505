"""The engine: runs the stages of a fold, keeps what each made until something it reads changes, and counts what ran."""

from __future__ import annotations

import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.aggregates import Aggregate, Block, Operand, State, aggregate_named
from foldbasket.folding.cube import AxisField, Cube, Wants, add_pairs, add_states, build_cube, measured
from foldbasket.folding.domain import Domain, placed_codes
from foldbasket.folding.filters import passes
from foldbasket.folding.frame import Lines, Tree, axis_of, check_size, grow, lines_of, spread, spread_pairs
from foldbasket.folding.report import Head, MeasureHead, Report
from foldbasket.folding.sentence import measure_heading, placed_heading, sentence_of
from foldbasket.folding.spec import Fold, Measure, Placed
from foldbasket.links.source import FieldRef, Source
from foldbasket.tables.column import CodedColumn, Codes
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

    def __init__(self, source: Source, *, locale: str = "en", currency: str = "EUR") -> None:
        self.source = source
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
        operands = [self._operand(measure) for measure in fold.measures]
        mask = self._selection(base, fold, progress)
        placed = fold.rows + fold.columns
        fields = tuple(sorted({_axis_field(word) for word in placed}))
        wants = [
            (measure.field, aggregate.states)
            for measure, (aggregate, _) in zip(fold.measures, operands, strict=True)
            if measure.field is not None and measure.field.table == base
        ]
        cube = self._cube(base, fields, fold, wants, mask, progress)
        position = {field: at for at, field in enumerate(fields)}
        progress.step("Laying out", 0.0)
        self.ran["frame"] += 1
        trees: list[Tree] = []
        lines: list[Lines] = []
        heads: list[tuple[Head, ...]] = []
        for words, grand in ((fold.rows, fold.row_total), (fold.columns, fold.column_total)):
            domains = [self._coded(base, word.field, word.part)[1] for word in words]
            tree = grow(
                cube, [position[_axis_field(word)] for word in words], domains, [word.descending for word in words]
            )
            trees.append(tree)
            lines.append(lines_of(tree, [word.subtotal for word in words], grand if words else "off"))
            heads.append(
                tuple(Head(word.id, placed_heading(word), domain) for word, domain in zip(words, domains, strict=True))
            )
        check_size(lines[0], lines[1], len(fold.measures))
        blocks = self._blocks(base, cube, fold, operands, mask, (trees[0], trees[1]), (lines[0], lines[1]))
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

    def _operand(self, measure: Measure) -> tuple[Aggregate, Operand | None]:
        aggregate = aggregate_named(measure.aggregate)
        operand = None
        if measure.field is not None:
            column = self.source.column(measure.field)
            operand = Operand(column.type, column.scale, column.dictionary if isinstance(column, CodedColumn) else None)
        aggregate.check(operand, measure.field.field if measure.field else measure.id)
        return aggregate, operand

    def _selection(self, base: str, fold: Fold, progress: Progress) -> Mask | None:
        """Which base records pass all filters; None when there is no filter."""
        if not fold.filters:
            return None

        def select() -> Mask:
            self.ran["selection"] += 1
            mask: Mask | None = None
            for at, rule in enumerate(fold.filters):
                progress.step("Filtering", at / len(fold.filters))
                kept = passes(rule, self.source, base)
                mask = kept if mask is None else mask & kept
            assert mask is not None
            return mask

        found: Mask = self._selections.get_or(self._selection_key(base, fold), select)
        return found

    @staticmethod
    def _selection_key(base: str, fold: Fold) -> Hashable:
        return base, fold.filters

    def _coded(self, base: str, ref: FieldRef, part: str | None) -> tuple[Codes, Domain]:
        def code() -> tuple[Codes, Domain]:
            self.ran["codes"] += 1
            return placed_codes(self.source, base, ref, part)

        found: tuple[Codes, Domain] = self._codes.get_or((base, ref, part), code)
        return found

    def _cube(
        self, base: str, fields: tuple[AxisField, ...], fold: Fold, wants: Wants, mask: Mask | None, progress: Progress
    ) -> Cube:
        """The cube over `fields` with at least the states in `wants`; only what is missing is aggregated."""
        different: dict[FieldRef, dict[State, None]] = {}
        for ref, states in wants:
            different.setdefault(ref, {}).update(dict.fromkeys(states))
        merged = [(ref, list(states)) for ref, states in different.items()]

        def build() -> Cube:
            self.ran["cube"] += 1
            coded = [self._coded(base, field.field, field.part or None) for field in fields]
            codes, domains = [each for each, _ in coded], [each for _, each in coded]
            return build_cube(fields, codes, domains, mask, self.source, base, merged, progress)

        found: Cube = self._cubes.get_or((self._selection_key(base, fold), fields), build)
        self.ran["aggregate"] += add_states(found, self.source, base, merged, mask, progress)
        return found

    def _blocks(
        self,
        base: str,
        cube: Cube,
        fold: Fold,
        operands: list[tuple[Aggregate, Operand | None]],
        mask: Mask | None,
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
    ) -> list[Block]:
        present = spread(State.RECORDS, cube.records, *trees, *lines)
        matrices: dict[tuple[FieldRef | None, State], np.ndarray] = {(None, State.RECORDS): present}
        has_records = present > 0
        blocks = []
        for measure, (aggregate, operand) in zip(fold.measures, operands, strict=True):
            ref = measure.field
            if ref is not None and ref.table != base:
                self._spread_coarse(base, cube, ref, aggregate, mask, trees, lines, matrices)
            states = {}
            for state in aggregate.states:
                of = None if state is State.RECORDS else ref
                if (of, state) not in matrices:
                    assert of is not None
                    matrices[of, state] = spread(state, cube.states[of, state], *trees, *lines)
                states[state] = matrices[of, state]
            blocks.append(aggregate.finish(states, has_records, operand or Operand(next(iter(aggregate.takes)))))
        return blocks

    def _spread_coarse(
        self,
        base: str,
        cube: Cube,
        ref: FieldRef,
        aggregate: Aggregate,
        mask: Mask | None,
        trees: tuple[Tree, Tree],
        lines: tuple[Lines, Lines],
        matrices: dict[tuple[FieldRef | None, State], np.ndarray],
    ) -> None:
        """States of a field that lives on a table reached over links: each of its records counts once per cell."""
        missing = [state for state in aggregate.states if state is not State.RECORDS and (ref, state) not in matrices]
        if not missing:
            return
        rows = self.source.rows(base, ref.table)
        assert rows is not None
        before = len(cube.pairs)
        add_pairs(cube, ref.table, rows, self.source.table(ref.table).count, mask)
        self.ran["aggregate"] += len(cube.pairs) > before
        values, valid, _ = measured(self.source.column(ref))
        for state, matrix in spread_pairs(missing, cube.pairs[ref.table], values, valid, *trees, *lines).items():
            matrices[ref, state] = matrix

    def _remark(self, base: str, measure: Measure) -> str:
        if measure.field is None or measure.field.table == base:
            return ""
        return f"Each record of {measure.field.table} counts once in a cell, so totals can be less than the sum of their parts."


def _axis_field(word: Placed) -> AxisField:
    return AxisField(word.field, word.part or "")
