"""Points of two measures, and of a third by their size."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np

from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.plot import SMALL, Plot
from foldbasket.charts.scale import scale_of, unit_of
from foldbasket.kinds import entered, set_by
from foldbasket.spec.chart import DrawnStruct

LARGEST = 18.0
NAMED = 40
"""Up to so many points bear their names."""


@entered
class Points(DrawnStruct, frozen=True, tag="points"):
    """A point for each member: one measure to the right, another upwards, and a third as the size of the point."""

    across: Annotated[str, set_by("To the right", of="measure")] = ""
    size: Annotated[str, set_by("As size", of="measure")] = ""
    standing: ClassVar[int] = 60
    label: ClassVar[str] = "points"
    meaning: ClassVar[str] = "How two measures go together, a point for each member."
    alone: ClassVar[bool] = True
    in_time: ClassVar[bool] = False
    per_member: ClassVar[str] = "A colour for each"
    from_zero: ClassVar[bool | None] = None

    def other(self, figures: Figures, panel: Panel) -> int | None:
        """The measure that goes to the right: the one that is named, or the first other one."""
        report = figures.report
        named = report.measure_at(self.across)
        if named is not None and named != panel.measure and report.is_number(named):
            return named
        return next((at for at in range(len(report.measures)) if at != panel.measure and report.is_number(at)), None)

    def refusal(self, figures: Figures) -> str:
        if not figures.panels or self.other(figures, figures.panels[0]) is None:
            return "Points need two measures: add one, or draw bars."
        return ""

    def extent(self, panel: Panel) -> tuple[float, float]:
        values = panel.values
        return (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)

    def draw(self, plot: Plot, panel: Panel) -> None:
        other = self.other(plot.figures, panel)
        if other is None:
            return
        report, canvas = plot.figures.report, plot.canvas
        sized = report.measure_at(self.size) if self.size else None
        found: list[tuple[int, int, float, float, float]] = []
        for number, series in enumerate(panel.series):
            for at, (_, row, line) in enumerate(series.cells.tolist()):
                if np.isfinite(series.values[at]) and not report.blocks[other].blank[row, line]:
                    size = _number(plot, sized, row, line) if sized is not None else 0.0
                    found.append((number, at, _number(plot, other, row, line), float(series.values[at]), abs(size)))
        if not found:
            return
        rights = np.array([each[2] for each in found])
        scale = scale_of(float(rights.min()), float(rights.max()), bool(plot.chart.zero))
        unit = unit_of(report, other, rights)
        span = plot.right - plot.left
        for tick in scale.ticks:
            x = plot.left + scale.share(tick) * span
            canvas.lines([[(x, plot.top), (x, plot.bottom)]], plot.inks.rule + "55")
            canvas.text(
                x,
                plot.bottom + 6,
                unit.text(tick, scale.step),
                size=SMALL,
                ink=plot.inks.muted,
                across="center",
                down="top",
            )
        canvas.text(
            plot.right,
            plot.bottom + 22,
            f"{report.measures[other].heading}{unit.said} →",
            size=SMALL,
            ink=plot.inks.muted,
            across="right",
            down="top",
        )
        most = max((each[4] for each in found), default=0.0) or 1.0
        taken: list[tuple[float, float, float, float]] = []
        for number, at, right, up, size in found:
            x, y = plot.left + scale.share(right) * span, plot.value(up)
            radius = 3 + (size / most) ** 0.5 * LARGEST if sized is not None else 4.5
            series = panel.series[number]
            canvas.dots([(x, y)], radius, plot.ink(series, number), hollow=plot.paper == "grey" and number % 2 == 1)
            plot.mark((x - radius - 2, y - radius - 2, x + radius + 2, y + radius + 2), series, number, at)
            taken.append((x - radius, y - radius, x + radius, y + radius))
        if len(found) <= NAMED:
            self._names(plot, found, taken)

    @staticmethod
    def _names(
        plot: Plot, found: list[tuple[int, int, float, float, float]], taken: list[tuple[float, float, float, float]]
    ) -> None:
        for (_, at, *_), (left, top, right, bottom) in zip(found, list(taken), strict=True):
            text = plot.canvas.fitted(plot.figures.labels[at], 130, SMALL)
            wide, middle = plot.canvas.width_of(text, SMALL), (top + bottom) / 2
            for x in (right + 4, left - 4 - wide):
                box = (x, middle - SMALL * 0.6, x + wide, middle + SMALL * 0.6)
                free = not any(
                    box[0] < each[2] and each[0] < box[2] and box[1] < each[3] and each[1] < box[3] for each in taken
                )
                if free and box[0] >= plot.left and box[2] <= plot.canvas.width - 4:
                    taken.append(box)
                    plot.canvas.text(x, middle, text, size=SMALL, ink=plot.inks.muted, across="left")
                    break


def _number(plot: Plot, measure: int, row: int, line: int) -> float:
    block = plot.figures.report.blocks[measure]
    return 0.0 if block.blank[row, line] else float(block.data[row, line]) / 10.0**block.scale
