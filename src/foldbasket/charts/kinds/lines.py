"""Lines and areas: how values go on along an axis."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np

from foldbasket.charts.figures import Figures, Panel, Series
from foldbasket.charts.plot import SMALL, Plot, runs_of, spread
from foldbasket.kinds import entered, set_by
from foldbasket.spec.chart import DrawnStruct, Values


@entered
class Lines(DrawnStruct, frozen=True, tag="lines"):
    """A line for each series; a place without a value is a gap."""

    standing: ClassVar[int] = 30
    label: ClassVar[str] = "lines"
    meaning: ClassVar[str] = "How values go on, above all in time."
    per_member: ClassVar[str] = "A line for each"
    from_zero: ClassVar[bool | None] = None

    def fits(self, figures: Figures) -> tuple[int, str]:
        many = max((len(panel.series) for panel in figures.panels), default=0)
        if figures.is_time and len(figures.labels) > 1:
            return 80, f"Fits best: a time axis and {_said(many)}. Parts would hide the change."
        return 15, ""

    def refusal(self, figures: Figures) -> str:
        if len(figures.labels) < 2:
            return "A line needs two places or more: draw bars."
        return ""

    def extent(self, panel: Panel) -> tuple[float, float]:
        values = panel.values
        return (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)

    def draw(self, plot: Plot, panel: Panel) -> None:
        few = plot.slots <= 40
        for number, series in enumerate(panel.series):
            ink = plot.ink(series, number)
            for run in runs_of(series.values, plot.figures.places):
                points = [plot.point(float(plot.figures.places[at]), float(series.values[at])) for at in run]
                if len(points) > 1:
                    plot.canvas.line(points, ink, 2.0, plot.dashes(number))
                else:
                    plot.canvas.dots(points, 3.0, ink)
            for at in np.flatnonzero(np.isfinite(series.values)).tolist():
                x, y = plot.point(float(plot.figures.places[at]), float(series.values[at]))
                reach = 7 if few else 3
                plot.mark((x - reach, y - reach, x + reach, y + reach), series, number, at)
        if plot.chart.values is Values.ALL and plot.slots * len(panel.series) <= 60:
            self._values(plot, panel)

    @staticmethod
    def _values(plot: Plot, panel: Panel) -> None:
        taken: list[tuple[float, float, float, float]] = []
        for series in panel.series:
            for at in np.flatnonzero(np.isfinite(series.values)).tolist():
                x, y = plot.point(float(plot.figures.places[at]), float(series.values[at]))
                text = plot.written(float(series.values[at]))
                half = plot.canvas.width_of(text, SMALL) / 2
                for down in (-5 - SMALL * 1.2, 5):
                    box = (x - half, y + down, x + half, y + down + SMALL * 1.2)
                    if not any(_meet(box, each) for each in taken) and box[1] >= plot.top - 14:
                        taken.append(box)
                        plot.canvas.text(x, box[1], text, size=SMALL, across="center", down="top")
                        break


@entered
class Areas(DrawnStruct, frozen=True, tag="areas"):
    """The series one on another, filled: how a whole goes on, and what it is made of."""

    standing: ClassVar[int] = 40
    label: ClassVar[str] = "areas"
    meaning: ClassVar[str] = "How a whole goes on, and what it is made of."
    per_member: ClassVar[str] = "An area for each"
    hundred: Annotated[bool, set_by("Drawn", yes_no=("as 100 %", "as amounts"))] = False

    def fits(self, figures: Figures) -> tuple[int, str]:
        return (30 if figures.is_time and figures.several else 10), ""

    def refusal(self, figures: Figures) -> str:
        if len(figures.labels) < 2:
            return "An area needs two places or more: draw bars."
        if figures.several and not figures.adds_up():
            return "Its parts do not add up to a whole, so they cannot lie on one another: draw lines."
        if (figures.several or self.hundred) and (figures.all_values < 0).any():
            return "Some of its parts are negative, so they cannot lie on one another: draw lines."
        return ""

    def extent(self, panel: Panel) -> tuple[float, float]:
        if self.hundred:
            return 0.0, 1.0
        every = np.array([np.nan_to_num(each.values) for each in panel.series])
        total = every.sum(axis=0)
        return float(total.min(initial=0)), float(total.max(initial=0))

    def draw(self, plot: Plot, panel: Panel) -> None:
        every = np.array([each.values for each in panel.series])
        known = np.nan_to_num(every)
        there = np.isfinite(every).any(axis=0)
        whole = known.sum(axis=0)
        divisor = np.where(whole == 0, 1, whole) if self.hundred else np.ones(len(whole))
        base = np.zeros(len(whole))
        for number, series in enumerate(panel.series):
            top = base + known[number] / divisor
            for run in runs_of(np.where(there, 0.0, np.nan), plot.figures.places):
                upper = [plot.point(float(plot.figures.places[at]), float(top[at])) for at in run]
                lower = [plot.point(float(plot.figures.places[at]), float(base[at])) for at in run]
                plot.canvas.area([*upper, *reversed(lower)], plot.ink(series, number), plot.hatch(number))
            for at in np.flatnonzero(np.isfinite(series.values)).tolist():
                x, high = plot.point(float(plot.figures.places[at]), float(top[at]))
                low = plot.value(float(base[at]))
                plot.mark((x - plot.slot / 2, min(high, low), x + plot.slot / 2, max(high, low)), series, number, at)
            base = top


def _said(many: int) -> str:
    words = {1: "one line", 2: "two lines", 3: "three lines", 4: "four lines", 5: "five lines", 6: "six lines"}
    return words.get(many, f"{many} lines")


def _meet(one: tuple[float, float, float, float], two: tuple[float, float, float, float]) -> bool:
    return one[0] < two[2] and two[0] < one[2] and one[1] < two[3] and two[1] < one[3]


def end_names(plot: Plot, panel: Panel, stacked: bool, hundred: bool) -> list[tuple[float, str, str]] | None:
    """The names of series for the right edge: where each stands, its text and ink; None where they do not fit beside one another."""
    found: list[tuple[float, Series, int, float]] = []
    every = np.array([np.nan_to_num(each.values) for each in panel.series])
    whole = every.sum(axis=0)
    for number, series in enumerate(panel.series):
        known = np.flatnonzero(np.isfinite(series.values))
        if not len(known):
            continue
        last = int(known[-1])
        value = float(series.values[last])
        if stacked:
            divisor = whole[last] if hundred and whole[last] else 1.0
            middle = (every[:number, last].sum() + every[number, last] / 2) / divisor
            found.append((plot.value(float(middle)), series, number, value))
        else:
            found.append((plot.value(value), series, number, value))
    places = spread([each[0] for each in found], SMALL * 1.3, plot.top, plot.bottom)
    if places is None:
        return None
    says = plot.chart.values is Values.ENDS and not stacked
    return [
        (
            place,
            f"{series.name} {plot.written(value)}" if says else series.name,
            plot.ink(series, number) if plot.paper != "grey" else plot.inks.ink,
        )
        for place, (_, series, number, value) in zip(places, found, strict=True)
    ]
