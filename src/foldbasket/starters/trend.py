"""How it went: the leading amount along time, drawn."""

from __future__ import annotations

from fractions import Fraction

from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Beside, Chart
from foldbasket.spec.fold import Fold, Placed
from foldbasket.starters.ground import Ground
from foldbasket.starters.starter import Starter, members, starter

SPAN = 62
"""Days from which on months are shown, not days."""


@starter
class Trend(Starter):
    """The leading amount for each month, or for each day of a short time."""

    key = "trend"
    standing = 10

    def fold(self, ground: Ground) -> Fold | None:
        if ground.date is None or ground.days is None:
            return None
        span = (ground.days[1] - ground.days[0]).days
        if span < 2:
            return None
        part = "month" if span > SPAN else "day"
        chart = Chart(place=Beside.UNDER)
        return Fold("Over time", (ground.measure(),), (Placed("w2", ground.date, part),), chart=chart)

    def finding(self, report: Report, fold: Fold) -> str:
        in_part = {each.key for each in report.incomplete}
        found = [each for each in members(report) if each.value is not None]
        if len(found) < 2:
            return ""
        highest = max(found, key=lambda each: each.value or Fraction(0))
        most, said = highest.value or Fraction(0), f"Peak: {highest.label}"
        whole = [each.value or Fraction(0) for each in found if each.key not in in_part]
        average = sum(whole, Fraction(0)) / max(1, len(whole))
        return f"{said}, {float(most / average):.1f} times the average" if average > 0 and most > 0 else said
