"""A highlight worked out over a report: where it holds, how far each cell stands on its scale, how long its bars are."""

from __future__ import annotations

from functools import cached_property
from weakref import WeakKeyDictionary

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldBasketError, FoldError
from foldbasket.folding.dress.judged import Cells, Mask
from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.spec.look import Highlight


class Lit(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A highlight worked out: where it holds on the lines of both axes, with the step of its form, and the length of its bars."""

    highlight: Highlight
    measure: int
    holds: Mask
    steps: npt.NDArray[np.uint8] | None
    bars: npt.NDArray[np.float32] | None

    @cached_property
    def falls_below(self) -> bool:
        """Whether any of its bars is of a negative value."""
        return self.bars is not None and bool((self.bars[self.holds] < 0).any())

    @property
    def count(self) -> int:
        """How many cells it marks."""
        return int(self.holds.sum())


class AllLit(msgspec.Struct, frozen=True, eq=False):
    """The highlights of a report, and those that could not be judged, each with why."""

    lit: tuple[Lit, ...]
    failed: tuple[tuple[Highlight, FoldBasketError], ...]


_known: WeakKeyDictionary[Report, AllLit] = WeakKeyDictionary()


def lit_of(report: Report) -> AllLit:
    """Every highlight of a measure that is there, in their order: judged once a report, whatever form of it is drawn or written."""
    found = _known.get(report)
    if found is None:
        lit, failed = [], []
        for highlight in report.look.highlights:
            at = report.measure_at(highlight.measure)
            if at is not None:
                try:
                    lit.append(judge(report, highlight, at))
                except FoldBasketError as error:
                    failed.append((highlight, error))
        found = _known[report] = AllLit(tuple(lit), tuple(failed))
    return found


def judge(report: Report, highlight: Highlight, measure: int) -> Lit:
    """Judges every cell of a measure. Raises FoldError where the highlight compares with what is not there."""
    form = type(highlight.form)

    def block_of(key: str) -> Block:
        at = report.measure_at(key)
        if at is not None:
            return report.blocks[at]
        raise FoldError("the measure that it compares with was taken out.", todo="Choose another one.")

    named = {head.heading: block for head, block in zip(report.measures, report.blocks, strict=True)}
    cells = Cells(
        report.blocks[measure], report.rows, report.columns, highlight.within, highlight.totals, block_of, named
    )
    holds = highlight.when.holds(cells)
    steps: npt.NDArray[np.uint8] | None = None
    bars: npt.NDArray[np.float32] | None = None
    if form.steps > 1:
        low, high = cells.of_groups(np.minimum, np.inf), cells.of_groups(np.maximum, -np.inf)
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.where(high > low, (cells.floats - low) / (high - low), 1.0)
        steps = np.clip((np.nan_to_num(share) * form.steps).astype(np.int64), 0, form.steps - 1).astype(np.uint8)
    if form.bars:
        largest = np.maximum(np.abs(cells.of_groups(np.minimum, 0.0)), np.abs(cells.of_groups(np.maximum, 0.0)))
        with np.errstate(invalid="ignore", divide="ignore"):
            bars = np.where(largest > 0, cells.floats / largest, 0.0).astype(np.float32)
    if highlight.line:
        holds = np.broadcast_to(holds.any(axis=1)[:, None], holds.shape)
    return Lit(highlight, measure, holds, steps, bars)
