"""Steps: how one total becomes the next."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.plot import SMALL, Plot
from foldbasket.kinds import entered
from foldbasket.spec.chart import DrawnStruct

FILLED = 0.7


@entered
class Steps(DrawnStruct, frozen=True, tag="steps"):
    """The first and the last value as columns from zero, and between them a step for each change."""

    standing: ClassVar[int] = 70
    label: ClassVar[str] = "steps"
    meaning: ClassVar[str] = "How one total becomes the next, change by change."
    alone: ClassVar[bool] = True
    per_member: ClassVar[str] = "A chart for each"

    def fits(self, figures: Figures) -> tuple[int, str]:
        return (12 if figures.is_time and not figures.several else 3), ""

    def refusal(self, figures: Figures) -> str:
        if figures.several:
            return "Steps lead along one series: choose no field for its series, or draw columns."
        if any(np.isfinite(each.values).sum() < 2 for panel in figures.panels for each in panel.series):
            return "Steps need two values or more: draw columns."
        return ""

    def extent(self, panel: Panel) -> tuple[float, float]:
        return float(panel.values.min(initial=0)), float(panel.values.max(initial=0))

    def draw(self, plot: Plot, panel: Panel) -> None:
        series = panel.series[0]
        known = np.flatnonzero(np.isfinite(series.values)).tolist()
        low, high = (1 - FILLED) / 2, (1 + FILLED) / 2
        before: tuple[int, float] | None = None
        for at in known:
            value = float(series.values[at])
            is_last = at == known[-1]
            if before is None:
                plot.bar(series, 0, at, 0.0, value, low, high)
                self._say(plot, at, plot.written(value), value, 0.0)
            else:
                self._step(plot, at, before, value, (low, 0.49 if is_last else high))
            if is_last:
                plot.bar(series, 0, at, 0.0, value, 0.51, high)
                self._say(plot, at, plot.written(value), value, 0.25)
            before = (at, value)

    def _step(self, plot: Plot, at: int, before: tuple[int, float], value: float, lanes: tuple[float, float]) -> None:
        series, (left, start) = plot.panel.series[0], before
        rises = value >= start
        plot.bar(series, 3 if rises else 2, at, start, value, *lanes)
        here, there = float(plot.figures.places[at]), float(plot.figures.places[left])
        level = plot.value(start)
        ends = (plot.place(there + FILLED / 2), plot.place(here - 0.5 + lanes[0]))
        plot.canvas.lines([[(ends[0], level), (ends[1], level)]], plot.inks.muted, 0.8, 3)
        text = f"{'+' if rises else ''}{plot.written(value - start)}"
        self._say(plot, at, text, max(value, start), sum(lanes) / 2 - 0.5)

    @staticmethod
    def _say(plot: Plot, at: int, text: str, above: float, aside: float) -> None:
        """Writes a text over a value, where there is room for it."""
        if plot.canvas.width_of(text, SMALL) <= plot.slot * (1.1 if not aside else 0.6):
            x = plot.place(float(plot.figures.places[at]) + aside)
            plot.canvas.text(x, plot.value(max(above, 0.0)) - 3, text, size=SMALL, across="center", down="bottom")
