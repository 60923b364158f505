"""Rings: the parts of a whole."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np

from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.plot import SMALL, Plot, spread
from foldbasket.kinds import entered
from foldbasket.spec.chart import DrawnStruct
from foldbasket.styling.palette import others_ink
from foldbasket.styling.words import share_text

MOST_PARTS, MOST_RINGS = 12, 4


@entered
class Parts(DrawnStruct, frozen=True, tag="parts"):
    """A ring for each series, with a piece for each member: only of what adds up, and is nowhere negative."""

    standing: ClassVar[int] = 50
    label: ClassVar[str] = "parts"
    meaning: ClassVar[str] = "A ring: what a whole is made of."
    alone: ClassVar[bool] = True
    most_along: ClassVar[int] = 8
    in_time: ClassVar[bool] = False
    per_member: ClassVar[str] = "A ring for each"

    def fits(self, figures: Figures) -> tuple[int, str]:
        return (25 if 2 <= len(figures.labels) <= 6 and not figures.is_time else 5), ""

    def refusal(self, figures: Figures) -> str:
        if not figures.adds_up():
            return "Its values do not add up to a whole, so they have no parts: draw bars."
        if (figures.all_values < 0).any():
            return "Some of its values are negative, so they are no parts of a whole: draw bars."
        if len(figures.labels) > MOST_PARTS:
            return f"{len(figures.labels)} parts cannot be told apart in a ring: draw bars, or keep fewer members."
        if not (figures.all_values > 0).any():
            return "There is nothing to divide: draw bars."
        if max(len(panel.series) for panel in figures.panels) > MOST_RINGS:
            return f"Rings for more than {MOST_RINGS} are too small to be read: draw stacked bars."
        return ""

    def draw(self, plot: Plot, panel: Panel) -> None:
        many = len(panel.series)
        wide = (plot.right - plot.left) / many
        for number, series in enumerate(panel.series):
            left = plot.left + number * wide
            self._ring(
                plot,
                series,
                number,
                (left + wide / 2, (plot.top + plot.bottom) / 2 + (8 if many > 1 else 0)),
                wide,
                many > 1,
            )

    def _ring(
        self, plot: Plot, series: object, number: int, centre: tuple[float, float], wide: float, named: bool
    ) -> None:
        from foldbasket.charts.figures import Series

        assert isinstance(series, Series)
        canvas = plot.canvas
        radius = max(18.0, min(wide / 2 - 96, (plot.bottom - plot.top) / 2 - 22, 190))
        inner = radius * 0.58
        known = np.flatnonzero(np.isfinite(series.values) & (series.values > 0)).tolist()
        total = float(series.values[known].sum())
        if named:
            canvas.text(
                centre[0],
                centre[1] - radius - 16,
                canvas.fitted(series.name, wide - 8, SMALL, True),
                size=SMALL,
                bold=True,
                across="center",
            )
        if total:
            canvas.text(centre[0], centre[1], plot.written(total), size=14, bold=True, across="center")
        start = 0.0
        sides: dict[bool, list[tuple[float, str, float]]] = {True: [], False: []}
        for order, at in enumerate(known):
            share = float(series.values[at]) / total
            ink = (
                others_ink(plot.inks)
                if plot.figures.others[at]
                else plot.ink(series, order)
                if not series.others
                else plot.inks.muted
            )
            canvas.wedge(centre, radius, inner, start * 360, (start + share) * 360, ink, plot.hatch(order))
            middle = (start + share / 2) * 2 * math.pi
            x, y = centre[0] + math.sin(middle) * radius, centre[1] - math.cos(middle) * radius
            half = (radius - inner) / 2
            ring = (radius + inner) / 2
            mx, my = centre[0] + math.sin(middle) * ring, centre[1] - math.cos(middle) * ring
            plot.mark((mx - half, my - half, mx + half, my + half), series, number, at)
            sides[math.sin(middle) >= 0].append((y, f"{plot.figures.labels[at]} {share_text(share)}", x))
            start += share
        for right, listed in sides.items():
            places = spread([y for y, _, _ in listed], SMALL * 1.35, plot.top + (16 if named else 0), plot.bottom)
            if places is None:
                continue
            room = wide / 2 - radius - 16
            for place, (y, text, x) in zip(places, listed, strict=True):
                edge = centre[0] + (radius + 12) * (1 if right else -1)
                canvas.line([(x, y), (edge - (3 if right else -3), place)], plot.inks.rule, 0.8, above=1)
                canvas.text(
                    edge, place, canvas.fitted(text, room, SMALL), size=SMALL, across="left" if right else "right"
                )
