"""A whole chart: its title, its panels with their scales and texts, its names and notes; and what stands where in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from foldbasket.charts.canvas import Canvas
from foldbasket.charts.choosing import chosen
from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.kinds.lines import Areas, Lines, end_names
from foldbasket.charts.kinds.parts import Parts
from foldbasket.charts.kinds.points import Points
from foldbasket.charts.plot import SMALL, Mark, Plot
from foldbasket.charts.scale import Scale, Unit, even_periods, scale_of, unit_of
from foldbasket.errors import OutputError
from foldbasket.spec.chart import Chart, Drawn, Mean, Names
from foldbasket.styling.palette import HATCHES, others_ink, series_inks
from foldbasket.styling.styles import Paper

TITLE, LINE, PAD = 15.0, 18.0, 16.0
NARROWEST, LOWEST = 150.0, 90.0


class Picture(msgspec.Struct, frozen=True, eq=False):
    """A drawn chart: the canvas, the marks in it, what it says to who does not see it, and its title."""

    canvas: Canvas
    marks: tuple[Mark, ...]
    said: str
    title: str = ""

    def mark_at(self, x: float, y: float) -> Mark | None:
        """The mark under a point, the uppermost; of several near it the nearest."""
        inside = [mark for mark in self.marks if mark.box[0] <= x <= mark.box[2] and mark.box[1] <= y <= mark.box[3]]
        if not inside:
            return None
        return min(
            reversed(inside),
            key=lambda mark: abs((mark.box[0] + mark.box[2]) / 2 - x) + abs((mark.box[1] + mark.box[3]) / 2 - y),
        )


def picture_of(
    figures: Figures,
    chart: Chart,
    width: float,
    height: float,
    paper: Paper = "light",
    scale: float = 1.0,
    ground: str = "",
) -> Picture:
    """Draws a chart in so many pixels, on the style's paper or another `ground`. Raises OutputError, with what to take instead, where it would mislead."""
    choice = chosen(figures, chart)
    if choice.refusal:
        what, _, todo = choice.refusal.partition(": ")
        raise OutputError(
            f"{what[0].lower()}{what[1:]}.", todo=f"{todo[0].upper()}{todo[1:]}" if todo else "Choose another kind."
        )
    if len(figures.panels) * NARROWEST * LOWEST > width * height:
        raise OutputError(
            f"{len(figures.panels)} charts do not fit beside one another.",
            todo="Make the chart larger, or choose a field with fewer members.",
        )
    style = figures.report.style
    paper = "grey" if style.key == "newsprint" else paper
    inks = style.inks(paper)
    canvas = Canvas(width, height, msgspec.structs.replace(inks, paper=ground) if ground else inks, style.family, scale)
    return _Drawing(figures, chart, choice.drawn, canvas, paper).made()


def title_of(figures: Figures, chart: Chart) -> str:
    """The title: the chart's own, or the measure with its unit."""
    if chart.title is not None:
        return chart.title
    report = figures.report
    measures = list(dict.fromkeys(panel.measure for panel in figures.panels))
    first = figures.panels[0]
    if len(first.series) > 1 and figures.roles.series is None:
        names = [series.name for series in first.series]
        heading = ", ".join(names[:-1]) + f" and {names[-1]}"
    else:
        heading = report.measures[measures[0]].heading
    return f"{heading}{unit_of(report, first.measure, figures.all_values).said}"


class _Drawing:
    def __init__(self, figures: Figures, chart: Chart, drawn: Drawn, canvas: Canvas, paper: Paper) -> None:
        self.figures, self.chart, self.drawn, self.canvas, self.paper = figures, chart, drawn, canvas, paper
        self.kind: Any = drawn
        self.marks: list[Mark] = []
        self.inks = canvas.inks
        self.is_ring = isinstance(drawn, Parts)
        self.hundred = getattr(drawn, "hundred", False) or getattr(drawn, "stacked", "") == "hundred"
        self.hundred = self.hundred and figures.several
        self.upright = bool(self.kind.upright)

    def made(self) -> Picture:
        canvas, y = self.canvas, PAD
        title = title_of(self.figures, self.chart)
        if title:
            canvas.text(
                PAD, y + TITLE / 2, canvas.fitted(title, canvas.width - 2 * PAD, TITLE, True), size=TITLE, bold=True
            )
            y += TITLE + 9
        notes = [each for each in (self.chart.note, *self.figures.notes) if each]
        foot = len(notes) * LINE + (6 if notes else 0)
        top = y
        box = (PAD, top, canvas.width - PAD, canvas.height - PAD - foot)
        self._panels(box)
        for at, note in enumerate(notes):
            down = canvas.height - PAD - foot + 6 + (at + 0.5) * LINE
            own = at == 0 and bool(self.chart.note)
            canvas.text(
                PAD,
                down,
                canvas.fitted(note, canvas.width - 2 * PAD, 12),
                size=12,
                ink=self.inks.ink if own else self.inks.muted,
            )
        return Picture(canvas, tuple(self.marks), self._said(title), title)

    # --- panels ---------------------------------------------------------------

    def _panels(self, box: tuple[float, float, float, float]) -> None:
        left, top, right, bottom = box
        panels = self.figures.panels
        legend = self._wants_legend()
        if legend:
            top = self._legend(left, top, right)
        many = len(panels)
        across = _across(many, right - left, bottom - top)
        down = math.ceil(many / across)
        wide, tall = (right - left) / across, (bottom - top) / down
        by_measure: dict[int, tuple[Scale, Unit]] = {}
        for measure in dict.fromkeys(panel.measure for panel in panels):
            alike = [panel for panel in panels if panel.measure == measure]
            by_measure[measure] = self._scale(alike, tall if self.upright else wide)
        for number, panel in enumerate(panels):
            row, column = divmod(number, across)
            x, y = left + column * wide, top + row * tall
            named = 0.0
            if panel.name and many > 1:
                unit = by_measure[panel.measure][1]
                label = panel.name if self.figures.roles.each else f"{panel.name}{unit.said}"
                self.canvas.text(x, y + 7, self.canvas.fitted(label, wide - 12, 12, True), size=12, bold=True)
                named = 20.0
            gap = 14.0 if across > 1 else 0.0
            self._panel(
                panel,
                number,
                (x, y + named, x + wide - gap, y + tall - (8.0 if down > 1 else 0.0)),
                *by_measure[panel.measure],
                legend,
            )

    def _scale(self, panels: Sequence[Panel], length: float) -> tuple[Scale, Unit]:
        """One scale for all panels of a measure, so that they can be compared."""
        report, measure = self.figures.report, panels[0].measure
        ends = [self.kind.extent(panel) for panel in panels]
        low, high = min(low for low, _ in ends), max(high for _, high in ends)
        values = np.concatenate([panel.values for panel in panels])
        reference = self._reference(panels[0])
        if reference and not self.hundred:
            low, high = min(low, *reference), max(high, *reference)
        unit = Unit(1.0, "", True, "", report.locale) if self.hundred else unit_of(report, measure, values)
        from_zero = type(self.drawn).from_zero is not None or bool(self.chart.zero)
        return scale_of(low, high, from_zero, max(2, min(6, int(length / (46 if self.upright else 80))))), unit

    def _panel(
        self, panel: Panel, number: int, box: tuple[float, float, float, float], scale: Scale, unit: Unit, legend: bool
    ) -> None:
        canvas = self.canvas
        left, top, right, bottom = box
        if self.is_ring:
            self.drawn.draw(self._plot(box, panel, number, scale, unit), panel)
            return
        ticks = [unit.text(tick, scale.step) for tick in scale.ticks]
        widest = max(canvas.width_of(text, SMALL) for text in ticks)
        if self.upright:
            names = None
            inner = (left + widest + 10, top + 10, right - 6, bottom - (44 if isinstance(self.drawn, Points) else 26))
            if self._ends_named and not legend and len(panel.series) > 1:
                room = max(
                    (
                        canvas.width_of(f"{series.name} 999,999" if self.chart.values != "none" else series.name, SMALL)
                        for series in panel.series
                    ),
                    default=0.0,
                )
                # A small chart gives a larger part of itself, since a name of three letters says nothing.
                most = max((right - left) * 0.3, min(110.0, (right - left) * 0.46))
                inner = (inner[0], inner[1], right - min(room + 12, most), inner[3])
            plot = self._plot(inner, panel, number, scale, unit)
            self._value_lines(plot, ticks)
            if not isinstance(self.drawn, Points):
                self._names_below(plot)
            if self._ends_named and not legend and len(panel.series) > 1:
                names = end_names(plot, panel, isinstance(self.drawn, Areas), self.hundred)
            for y, text, ink in names or []:
                canvas.text(
                    inner[2] + 8, y, canvas.fitted(text, right - inner[2] - 8, SMALL), size=SMALL, ink=ink, bold=True
                )
        else:
            room = min(
                max((canvas.width_of(label, SMALL) for label in self.figures.labels), default=0.0), (right - left) * 0.4
            )
            over = 18 if self.chart.line.at is not Mean.NOTHING else 4
            plot = self._plot((left + room + 10, top + over, right - 40, bottom - 22), panel, number, scale, unit)
            self._value_lines(plot, ticks)
            self._names_beside(plot, left, room)
        self.drawn.draw(plot, panel)
        self._base_line(plot)
        self._draw_reference(plot, panel)

    def _plot(
        self, box: tuple[float, float, float, float], panel: Panel, number: int, scale: Scale, unit: Unit
    ) -> Plot:
        return Plot(
            self.canvas, box, self.figures, panel, number, scale, unit, self.chart, self.paper, self.upright, self.marks
        )

    # --- axes -----------------------------------------------------------------

    def _value_lines(self, plot: Plot, ticks: Sequence[str]) -> None:
        soft = self.inks.rule + "4D"
        for tick, text in zip(plot.scale.ticks, ticks, strict=True):
            at = plot.value(tick)
            if self.upright:
                self.canvas.lines([[(plot.left, at), (plot.right, at)]], soft)
                self.canvas.text(plot.left - 8, at, text, size=SMALL, ink=self.inks.muted, across="right")
            else:
                self.canvas.lines([[(at, plot.top), (at, plot.bottom)]], soft)
                self.canvas.text(
                    at, plot.bottom + 6, text, size=SMALL, ink=self.inks.muted, across="center", down="top"
                )

    def _base_line(self, plot: Plot) -> None:
        zero = min(max(0.0, plot.scale.low), plot.scale.high)
        at = plot.value(zero)
        line = [(plot.left, at), (plot.right, at)] if self.upright else [(at, plot.top), (at, plot.bottom)]
        self.canvas.lines([line], self.inks.muted, 1.2, 1)

    def _names_below(self, plot: Plot) -> None:
        """Names under the axis: of periods as many as fit; others cut to their room, or every so manieth."""
        labels, canvas = self.figures.labels, self.canvas
        widest = max((canvas.width_of(label, SMALL) for label in labels), default=0.0)
        step = 1
        if self.figures.is_time:
            step = even_periods(math.ceil((widest + 14) / max(plot.slot, 0.01)))
        elif plot.slot < 26:
            step = math.ceil(26 / max(plot.slot, 0.01))
        room = plot.slot * step - 6
        last = len(labels) - 1
        # Of a time both ends are said where there is room for no more.
        both = last > 0 and self.figures.is_time and self.figures.places[last] < step and plot.right - plot.left + 48 > 2 * widest  # fmt: skip
        for at, label in enumerate(labels):
            place = float(self.figures.places[at])
            if int(place) % step == 0 or (both and at == last):
                text = canvas.fitted(label, max(room, 20), SMALL)
                half = canvas.width_of(text, SMALL) / 2
                x = min(max(plot.place(place), plot.left - 30 + half), plot.right + 30 - half)
                if both:
                    x = plot.left - 30 + half if at < last else plot.right + 30 - half
                canvas.text(x, plot.bottom + 7, text, size=SMALL, ink=self.inks.muted, across="center", down="top")

    def _names_beside(self, plot: Plot, left: float, room: float) -> None:
        size = min(SMALL, max(9.0, plot.slot * 0.9))
        step = max(1, math.ceil(size * 1.05 / max(plot.slot, 0.01)))
        for at, label in enumerate(self.figures.labels):
            place = float(self.figures.places[at])
            if int(place) % step == 0:
                text = self.canvas.fitted(label, room, size)
                self.canvas.text(left + room, plot.place(place), text, size=size, across="right")

    # --- names of series ------------------------------------------------------

    @property
    def _ends_named(self) -> bool:
        """Whether series are named at their right ends."""
        return isinstance(self.drawn, (Lines, Areas)) and self.chart.names is Names.THERE

    def _wants_legend(self) -> bool:
        if not self.figures.several or self.chart.names is Names.NONE or self.is_ring:
            return False
        if not self._ends_named:
            return True
        room = (self.canvas.height - 2 * PAD) / max(1, math.ceil(len(self.figures.panels) / 3)) - 60
        return max(len(panel.series) for panel in self.figures.panels) * SMALL * 1.3 > room

    def _legend(self, left: float, top: float, right: float) -> float:
        """The names of the series in lines over the panels; returns where they end."""
        canvas, x, y = self.canvas, left, top + 7
        colours = series_inks(self.paper)
        listed = max(self.figures.panels, key=lambda panel: len(panel.series)).series
        for number, series in enumerate(listed):
            text = canvas.fitted(series.name, 180, SMALL)
            wide = 18 + canvas.width_of(text, SMALL)
            if x + wide > right and x > left:
                x, y = left, y + LINE
            if y > canvas.height / 3:
                break
            ink = others_ink(self.inks) if series.others else colours[number % len(colours)]
            canvas.box(x, y - 5, x + 11, y + 5, ink, HATCHES[number % len(HATCHES)] if self.paper == "grey" else "")
            canvas.text(x + 17, y, text, size=SMALL)
            x += wide + 16
        return y + LINE

    # --- the line to compare with ---------------------------------------------

    def _reference(self, panel: Panel) -> list[float]:
        """The values of the line across a panel; none where there is none."""
        line, report = self.chart.line, self.figures.report
        if line.at is Mean.NUMBER:
            try:
                return [
                    float(line.number.replace(",", ".").replace(" ", "").removesuffix("%"))
                    / (100 if line.number.strip().endswith("%") else 1)
                ]
            except ValueError:
                return []
        if line.at is Mean.AVERAGE and len(panel.values):
            return [float(panel.values.mean())]
        other = report.measure_at(line.measure) if line.at is Mean.MEASURE else None
        if other is None or not report.is_number(other):
            return []
        return [value for _, value in self._of_measure(panel, other)]

    def _of_measure(self, panel: Panel, measure: int) -> list[tuple[int, float]]:
        """Another measure in the places of a panel's first series."""
        block = self.figures.report.blocks[measure]
        found = []
        for at, (known, row, line) in enumerate(panel.series[0].cells.tolist()):
            if known >= 0 and not block.blank[row, line]:
                found.append((at, float(block.data[row, line]) / 10.0**block.scale))
        return found

    def _draw_reference(self, plot: Plot, panel: Panel) -> None:
        line, report = self.chart.line, self.figures.report
        values = [] if self.hundred or isinstance(self.drawn, Points) else self._reference(panel)
        if not values:
            return
        ink = self.inks.ink
        if line.at is Mean.MEASURE:
            other = report.measure_at(line.measure)
            assert other is not None
            for at, value in self._of_measure(panel, other):
                place, here = float(self.figures.places[at]), plot.value(value)
                one, two = plot.place(place - 0.42), plot.place(place + 0.42)
                self.canvas.line(
                    [(one, here), (two, here)] if self.upright else [(here, one), (here, two)], ink, 1.6, above=4
                )
            said = report.measures[other].heading
        else:
            here = plot.value(values[0])
            ends = [(plot.left, here), (plot.right, here)] if self.upright else [(here, plot.top), (here, plot.bottom)]
            self.canvas.line(ends, ink, 1.0, (4, 3), above=4)
            said = f"{'average' if line.at is Mean.AVERAGE else ''} {plot.written(values[0])}".strip()
        if self.upright:
            self.canvas.text(
                plot.right, plot.value(values[-1]) - 3, said, size=SMALL, ink=ink, across="right", down="bottom"
            )
        else:
            self.canvas.text(plot.value(values[0]) + 4, plot.top - 2, said, size=SMALL, ink=ink, down="bottom")

    # --- in words -------------------------------------------------------------

    def _said(self, title: str) -> str:
        """The chart for who does not see it: what it is of, its largest and smallest mark, and its notes."""
        figures, report = self.figures, self.figures.report
        known = [
            (float(series.values[at]), series, at, panel)
            for panel in figures.panels
            for series in panel.series
            for at in np.flatnonzero(np.isfinite(series.values)).tolist()
        ]
        parts = [f"{type(self.drawn).label.capitalize()}: {title}.", f"{report.sentence}."]
        if known:
            for word, pick in (("Largest", max), ("Smallest", min)):
                _, series, at, panel = pick(known, key=lambda each: each[0])
                measure, row, line = series.cells[at].tolist()
                named = ", ".join(each for each in (panel.name, series.name, figures.labels[at]) if each)
                parts.append(f"{word}: {named or 'everything'} {report.written(measure, row, line)}.")
        return " ".join([*parts, *figures.notes, *([self.chart.note] if self.chart.note else [])])


def _across(many: int, width: float, height: float) -> int:
    """How many of so many panels stand beside one another, so that each is about half as high as wide."""
    best = min(
        range(1, many + 1),
        key=lambda across: abs(math.log((width / across) / max(1.0, height / math.ceil(many / across)) / 1.7)),
    )
    return max(1, min(best, int(width // NARROWEST) or 1))
