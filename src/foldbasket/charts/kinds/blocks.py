"""Bars and columns: side by side, stacked, or as parts of a hundred percent."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np

from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.plot import SMALL, Plot
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.spec.chart import DrawnStruct
from foldbasket.styling.words import share_text

FILLED = 0.76
"""How much of a place its bars take."""


class Stacked(Choice):
    """How the series of one member stand to one another."""

    BESIDE = "beside", "side by side"
    STACKED = "stacked", "stacked"
    HUNDRED = "hundred", "as 100 %"


class Blocks(DrawnStruct, frozen=True):
    """Base of bars and columns."""

    stacked: Annotated[Stacked, set_by("Several", "How the series of one member stand to one another.")] = (
        Stacked.BESIDE
    )

    def refusal(self, figures: Figures) -> str:
        if self.stacked is Stacked.BESIDE or not figures.several:
            return ""
        if not figures.adds_up():
            return "Its parts do not add up to a whole, so they cannot be stacked: draw them side by side."
        if self.stacked is Stacked.HUNDRED and (figures.all_values < 0).any():
            return "Some of its parts are negative, so they are no parts of 100 %: draw them side by side."
        return ""

    def extent(self, panel: Panel) -> tuple[float, float]:
        if self.stacked is Stacked.HUNDRED and len(panel.series) > 1:
            return 0.0, 1.0
        if self.stacked is Stacked.STACKED:
            every = np.array([np.nan_to_num(each.values) for each in panel.series])
            return float(np.where(every < 0, every, 0).sum(axis=0).min(initial=0)), float(
                np.where(every > 0, every, 0).sum(axis=0).max(initial=0)
            )
        return float(panel.values.min(initial=0)), float(panel.values.max(initial=0))

    def draw(self, plot: Plot, panel: Panel) -> None:
        if self.stacked is Stacked.BESIDE or len(panel.series) == 1:
            self._beside(plot, panel)
        else:
            self._stacked(plot, panel)

    def _beside(self, plot: Plot, panel: Panel) -> None:
        there = np.isfinite(np.array([each.values for each in panel.series]))
        many = (
            len(panel.series) if (there.sum(axis=0) > 1).any() else 1
        )  # where each member has one bar, they need no lanes
        start, wide = (1 - FILLED) / 2, FILLED / many
        gap = 0.06 * wide if many > 1 and wide * plot.slot > 6 else 0.0
        for number, series in enumerate(panel.series):
            low = start + (number * wide if many > 1 else 0.0)
            for place in np.flatnonzero(np.isfinite(series.values)).tolist():
                value = float(series.values[place])
                plot.bar(series, number, place, 0.0, value, low + gap, low + wide - gap)
                if plot.says(place, len(series.values)):
                    self._say(plot, place, value, low + wide / 2, wide)

    def _say(self, plot: Plot, place: int, value: float, lane: float, wide: float) -> None:
        text = plot.written(value)
        along = plot.place(float(plot.figures.places[place]) - 0.5 + lane)
        end = plot.value(value)
        if self.upright:
            if plot.canvas.width_of(text, SMALL) <= max(plot.slot * wide * 1.3, 14):
                plot.canvas.text(
                    along,
                    end + (3 if value < 0 else -3),
                    text,
                    size=SMALL,
                    across="center",
                    down="top" if value < 0 else "bottom",
                )
        elif plot.slot * wide >= SMALL * 1.1:
            plot.canvas.text(
                end + (-4 if value < 0 else 4), along, text, size=SMALL, across="right" if value < 0 else "left"
            )

    def _stacked(self, plot: Plot, panel: Panel) -> None:
        every = np.array([each.values for each in panel.series])
        known = np.nan_to_num(every)
        whole = known.sum(axis=0) if self.stacked is Stacked.HUNDRED else np.ones(every.shape[1])
        above, below = np.zeros(every.shape[1]), np.zeros(every.shape[1])
        for number, series in enumerate(panel.series):
            for place in np.flatnonzero(np.isfinite(series.values) & (whole != 0)).tolist():
                value = float(known[number, place] / whole[place])
                reached = above if value >= 0 else below
                start = float(reached[place])
                reached[place] = start + value
                plot.bar(series, number, place, start, start + value, (1 - FILLED) / 2, (1 + FILLED) / 2)
                if plot.says(place, every.shape[1]) and plot.marks:
                    said = (
                        share_text(value)
                        if self.stacked is Stacked.HUNDRED
                        else plot.written(float(known[number, place]))
                    )
                    plot.name_inside(said, plot.marks[-1].box, plot.ink(series, number))


@entered
class Bars(Blocks, frozen=True, tag="bars"):
    """Bars to the right, members below one another: for names of any length, and for comparing sizes."""

    standing: ClassVar[int] = 10
    label: ClassVar[str] = "bars"
    meaning: ClassVar[str] = "Members below one another, each as long as its value."
    per_member: ClassVar[str] = "A bar for each"
    upright: ClassVar[bool] = False

    def fits(self, figures: Figures) -> tuple[int, str]:
        if figures.is_time:
            return 20, "Bars compare members; here they would hide how time goes."
        many = len(figures.labels)
        return (
            70 if many > 6 or not figures.several else 50
        ), f"Fits best: {many} member{'s' if many != 1 else ''} to compare, whose names stand in full."


@entered
class Columns(Blocks, frozen=True, tag="columns"):
    """Columns that rise, members beside one another: for few members, and for periods."""

    standing: ClassVar[int] = 20
    label: ClassVar[str] = "columns"
    meaning: ClassVar[str] = "Members beside one another, each as high as its value."
    per_member: ClassVar[str] = "A column for each"

    def fits(self, figures: Figures) -> tuple[int, str]:
        many = len(figures.labels)
        if figures.is_time:
            return (60 if many <= 3 else 40), "Fits best: few periods, to be compared one by one."
        return (60 if many <= 6 and figures.several else 40), "Fits best: few members, each with several values."
