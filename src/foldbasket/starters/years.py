"""How it compares with the year before, over the months that both years have."""

from __future__ import annotations

import calendar
import datetime

import msgspec

from foldbasket.folding.compare.against import Against, How, Other
from foldbasket.folding.filters.members import Members
from foldbasket.folding.report.report import Report
from foldbasket.spec.fold import Fold, Placed, Where
from foldbasket.starters.ground import Ground
from foldbasket.starters.starter import Starter, counted, grand, members, number, sentence, starter
from foldbasket.styling.dates import month_name
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import change_text, plural

replace = msgspec.structs.replace


def whole_months(first: datetime.date, last: datetime.date) -> tuple[int, int, int] | None:
    """The last year of some days, and the months, from and up to, of which it and the year before have every day that they can; None where they share
    none. Records before the first day and after the last are taken to be missing, not zero."""
    year = last.year
    until = last.month if last.day == calendar.monthrange(year, last.month)[1] else last.month - 1
    since = 1
    if first.year == year or first > datetime.date(year - 1, 12, 1):
        return None
    if first.year == year - 1:
        since = first.month if first.day == 1 else first.month + 1
    return (year, since, until) if since <= until else None


@starter
class Years(Starter):
    """The last two years side by side for each member of a field, and the change."""

    key = "years"
    standing = 40

    def fold(self, ground: Ground) -> Fold | None:
        if ground.date is None or ground.days is None or not ground.kinds:
            return None
        shared = whole_months(*ground.days)
        if shared is None:
            return None
        year, since, until = shared
        net = ground.measure("w1")
        change = replace(
            net,
            number=NumberStyle(),
            id="w2",
            compare=Against("w4", Other.PREVIOUS, None, How.CHANGE),
            heading="Change",
        )
        field = ground.kinds[1] if len(ground.kinds) > 1 else ground.kinds[0]
        filters: tuple[Members, ...] = (Members("w5", ground.date, "year", (str(year - 1), str(year))),)
        if (since, until) != (1, 12):
            months = tuple(f"{month:02d}" for month in range(since, until + 1))
            filters = (*filters, Members("w6", ground.date, "month of year", months))
        return Fold(
            f"{year} vs {year - 1}",
            (net, change),
            (Placed("w3", field),),
            (Placed("w4", ground.date, "year"),),
            filters,
            column_total=Where.OFF,
        )

    def finding(self, report: Report, fold: Fold) -> str:
        last = report.width - 1
        named = members(report, last)
        own = [each.value for each in named if each.value is not None]
        if not own:
            return ""
        heading = report.rows.heads[0].heading
        grown, of = sum(value > 0 for value in own), plural(heading)
        said = f"{counted(grown)} of {counted(len(named))} {of} grew" if grown else f"no {heading.lower()} grew"
        lacking = {
            "new": [each for each in named if each.value is None and _has(report, each.line, last - 1)],
            "gone": [each for each in named if each.value is None and not _has(report, each.line, last - 1)],
        }
        said += "".join(
            f", {counted(len(found))} {'is' if len(found) == 1 else 'are'} {what}"
            for what, found in lacking.items()
            if found
        )
        whole = grand(report, last)
        all_said = f"; overall {change_text(whole)}" if whole is not None else ""
        months = next((rule for rule in fold.filters if getattr(rule, "part", "") == "month of year"), None)
        listed: tuple[str, ...] = getattr(months, "members", ())
        over = (
            f", over {month_name(int(listed[0]), report.locale)} to {month_name(int(listed[-1]), report.locale)} of both years"
            if len(listed) > 1
            else ""
        )
        return sentence(f"{said}{all_said}{over}")


def _has(report: Report, line: int, column: int) -> bool:
    return number(report.value(line, column)) is not None
