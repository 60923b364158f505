"""Which kind of chart shows some figures, with the reason; and why one would mislead."""

from __future__ import annotations

import msgspec

from foldbasket.charts.figures import Figures
from foldbasket.spec.chart import Chart, Drawn


class Choice(msgspec.Struct, frozen=True):
    """A kind as it would be drawn: why it fits, or why it is refused."""

    drawn: Drawn
    score: int
    reason: str
    refusal: str


def choices(figures: Figures) -> list[Choice]:
    """Every kind in its plain form, in the order in which they are offered."""
    found = []
    for kind in Drawn.kinds:
        plain = kind()
        score, reason = plain.fits(figures)
        found.append(Choice(plain, score, reason, plain.refusal(figures)))
    return found


def best(figures: Figures) -> Choice:
    """The kind that fits best; bars where none does."""
    return max((each for each in choices(figures) if not each.refusal), key=lambda each: each.score)


def chosen(figures: Figures, chart: Chart) -> Choice:
    """The kind that the chart says, or else the one that fits best."""
    if chart.drawn is None:
        return best(figures)
    score, reason = chart.drawn.fits(figures)
    return Choice(chart.drawn, score, reason, chart.drawn.refusal(figures))
