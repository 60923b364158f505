"""The room of one panel: its scales, the lines and texts around it, and the marks in it. Kinds of charts draw on it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from foldbasket.charts.figures import Figures, Panel, Series
from foldbasket.charts.scale import Scale, Unit
from foldbasket.spec.chart import Chart, Values
from foldbasket.styling.palette import DASHES, HATCHES, on_ink, others_ink, series_inks
from foldbasket.styling.styles import Paper

if TYPE_CHECKING:
    from foldbasket.charts.canvas import Canvas  # which imports matplotlib, wanted only when something is drawn

SMALL = 11.5
Box = tuple[float, float, float, float]
"""Left, top, right, bottom."""


class Mark(msgspec.Struct, frozen=True):
    """Something drawn that stands for a cell: where it is, which measure, row line and column line it is, and the names of its member and series."""

    box: Box
    cell: tuple[int, int, int]
    place: int
    series: int
    panel: int


class Plot:
    """A panel's room on a canvas. `upright` has values rise; else they go to the right and members stand below one another."""

    def __init__(
        self, canvas: Canvas, box: Box, figures: Figures, panel: Panel, number: int, scale: Scale, unit: Unit, chart: Chart, paper: Paper, upright: bool,
        marks: list[Mark],
    ) -> None:  # fmt: skip
        self.canvas, self.figures, self.panel, self.number = canvas, figures, panel, number
        self.left, self.top, self.right, self.bottom = box
        self.scale, self.unit, self.chart, self.paper, self.upright = scale, unit, chart, paper, upright
        self.marks = marks
        self.inks = canvas.inks
        self._colours = series_inks(paper)

    # --- scales ---------------------------------------------------------------

    @property
    def length(self) -> float:
        """How long the axis of members is."""
        return self.right - self.left if self.upright else self.bottom - self.top

    @property
    def slots(self) -> int:
        """How many places there are along the axis."""
        places = self.figures.places
        return int(places[-1]) + 1 if len(places) else 1

    @property
    def slot(self) -> float:
        """The room of one place."""
        return self.length / self.slots

    def place(self, at: float) -> float:
        """The middle of a place along the axis, in pixels."""
        start = self.left if self.upright else self.top
        return start + (at + 0.5) * self.slot

    def value(self, value: float) -> float:
        """Where a value stands, in pixels."""
        share = self.scale.share(value)
        return (
            self.bottom - share * (self.bottom - self.top)
            if self.upright
            else self.left + share * (self.right - self.left)
        )

    def point(self, at: float, value: float) -> tuple[float, float]:
        """A value at a place."""
        return (self.place(at), self.value(value)) if self.upright else (self.value(value), self.place(at))

    # --- looks ----------------------------------------------------------------

    def ink(self, series: Series, number: int) -> str:
        """The colour of a series."""
        return others_ink(self.inks) if series.others else self._colours[number % len(self._colours)]

    def hatch(self, number: int) -> str:
        """What fills an area, where there is no colour."""
        return HATCHES[number % len(HATCHES)] if self.paper == "grey" else ""

    def dashes(self, number: int) -> Sequence[float]:
        """How a line is broken: where there is no colour, and past the first few that differ enough."""
        return DASHES[number % len(DASHES)] if self.paper == "grey" or number >= 5 else ()

    # --- marks ----------------------------------------------------------------

    def bar(self, series: Series, number: int, place: int, start: float, stop: float, low: float, high: float) -> None:
        """A bar at a place, between two values; `low` and `high` say which part of the place it takes, 0 to 1."""
        middle = float(self.figures.places[place])
        one, two = (self.place(middle - 0.5 + share) for share in (low, high))
        first, last = sorted((self.value(start), self.value(stop)))
        box = (one, first, two, last) if self.upright else (first, one, last, two)
        ink = self.ink(series, number)
        if series.others or self.figures.others[place]:
            ink = others_ink(self.inks)
        self.canvas.box(*box, ink, self.hatch(number))
        self.mark(box, series, number, place)

    def mark(self, box: Box, series: Series, number: int, place: int) -> None:
        """Says that something stands for a cell."""
        measure, row, line = (int(each) for each in series.cells[place])
        if measure >= 0:
            self.marks.append(Mark(box, (measure, row, line), place, number, self.number))

    def says(self, place: int, many: int) -> bool:
        """Whether the value of a place is written out."""
        values = self.chart.values
        return values is Values.ALL or (values is Values.ENDS and place in (0, many - 1))

    def written(self, value: float) -> str:
        """A value as a text in the chart."""
        return self.unit.text(value)

    def name_inside(self, text: str, box: Box, ground: str) -> bool:
        """Writes a text in the middle of a box where it fits; whether it did."""
        left, top, right, bottom = box
        if self.canvas.width_of(text, SMALL) > right - left - 4 or bottom - top < SMALL * 1.3 or self.paper == "grey":
            return False
        self.canvas.text((left + right) / 2, (top + bottom) / 2, text, size=SMALL, ink=on_ink(ground), across="center")
        return True


def spread(wanted: Sequence[float], gap: float, low: float, high: float) -> list[float] | None:
    """Places as near to those wanted as leaves a gap between each two, within bounds, in the same order; None where they do not fit."""
    many = len(wanted)
    if not many:
        return []
    if (many - 1) * gap > high - low:
        return None
    order = sorted(range(many), key=lambda at: wanted[at])
    # Those that touch are one block, which stands at the middle of what its members want.
    blocks: list[list[float]] = []
    for at in order:
        blocks.append([min(max(wanted[at], low), high), 1.0])
        while len(blocks) > 1:
            (one, many_one), (two, many_two) = blocks[-2], blocks[-1]
            if two - (many_two - 1) * gap / 2 >= one + (many_one - 1) * gap / 2 + gap:
                break
            total = many_one + many_two
            middle = (one * many_one + two * many_two) / total
            half = (total - 1) * gap / 2
            blocks[-2:] = [[min(max(middle, low + half), high - half), total]]
    found, at = [0.0] * many, 0
    for middle, count in blocks:
        for step in range(int(count)):
            found[order[at]] = middle - (count - 1) * gap / 2 + step * gap
            at += 1
    return found


def runs_of(values: np.ndarray, places: np.ndarray) -> list[range]:
    """The stretches of places that have values one after the other, between which a line is broken."""
    runs: list[range] = []
    for at in np.flatnonzero(np.isfinite(values)).tolist():
        if runs and runs[-1].stop == at and places[at] - places[at - 1] == 1:
            runs[-1] = range(runs[-1].start, at + 1)
        else:
            runs.append(range(at, at + 1))
    return runs
