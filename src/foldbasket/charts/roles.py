"""Which field of a fold plays which part in its chart, and the fold that its figures are taken from."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from foldbasket.folding.compare.sides import Time, time_of
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.folding.lines.axis import Axis, Head
from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Chart, Drawn
from foldbasket.spec.fold import Fold, Placed, Where
from foldbasket.spec.order import Rest

replace = msgspec.structs.replace
REPEATING = ("half of year", "quarter of year", "month of year", "fiscal quarter of year", "fiscal month of year")


class Roles(msgspec.Struct, frozen=True):
    """Words of a fold by their part: what the chart goes along, what there is a series for each of, what a small chart for each of; None for none."""

    along: str | None
    series: str | None
    each: str | None

    @property
    def words(self) -> tuple[str, ...]:
        """Every word that plays a part."""
        return tuple(each for each in (self.along, self.series, self.each) if each is not None)


def shown_words(fold: Fold) -> list[Placed]:
    """The words of both axes, rows first, but for those whose members are folded up under another."""
    found = []
    for words in (fold.rows, fold.columns):
        for word in words:
            found.append(word)
            if word.closed:
                break
    return found


def time_in(report: Report, word: str) -> Time | None:
    """How a placed field stands in time."""
    head = next((each for each in (*report.rows.heads, *report.columns.heads) if each.id == word), None)
    return time_of(head.domain.part, head.domain.dictionary.type) if head is not None else None


def roles_of(fold: Fold, chart: Chart, report: Report) -> Roles:
    """The parts of a fold's words, as the chart says or as fits best: along the finest period, else the innermost field of rows; a series for
    each member of the outermost field that is left."""
    words = [word.id for word in shown_words(fold)]

    def given(name: str) -> str | None:
        wanted = getattr(chart, name)
        return wanted if wanted in words else None

    kind = type(chart.drawn) if chart.drawn is not None else Drawn
    along = given("along")
    if along is None:
        free = [word for word in words if word not in (given("series"), given("each"))]
        timed = [
            (time.fineness, word)
            for word in free
            if (time := time_in(report, word)) is not None and (time.is_period or _is_cycle_of_years(report, word))
        ]
        members = [word.id for word in fold.rows if word.id in free] or free
        still = [word for word in members if time_in(report, word) is None]
        if not kind.in_time and still:
            along = still[-1]
        else:
            along = max(timed)[1] if timed else members[-1] if members else None
    over = _outside(report, along) if along is not None and _is_cycle_of_years(report, along) else None
    left = [word for word in words if word not in (along, given("each"), over)]
    series = given("series") if given("series") != along else None
    if series is None and chart.series is None and left and not kind.alone:
        series = left[0]
    each = given("each")
    return Roles(along, series, each if each not in (along, series) else None)


def is_within_years(head: Head, outer: Sequence[Head]) -> bool:
    """Whether a field repeats within the years that stand right outside it, such as the quarters of each year."""
    part = head.domain.part
    if part is None or not part.every or len(outer) != 1 or outer[0].domain.part is None:
        return False
    years = "fiscal year" if part.is_fiscal else "year"
    return outer[0].domain.part.name == years and part.name in REPEATING


def _is_cycle_of_years(report: Report, word: str) -> bool:
    for axis in (report.rows, report.columns):
        for at, head in enumerate(axis.heads):
            if head.id == word:
                return at > 0 and is_within_years(head, axis.heads[at - 1 : at])
    return False


def _outside(report: Report, word: str) -> str | None:
    for axis in (report.rows, report.columns):
        for at, head in enumerate(axis.heads):
            if head.id == word and at:
                return axis.heads[at - 1].id
    return None


def members_in(report: Report, word: str) -> int:
    """How many different members of a field the report shows."""
    for axis in (report.rows, report.columns):
        for at, head in enumerate(axis.heads):
            if head.id == word:
                codes = axis.codes[:, at]
                return len(set(codes[codes >= 0].tolist()))
    return 0


def fold_of_chart(fold: Fold, chart: Chart, report: Report) -> Fold:
    """The fold that the chart's figures are taken from: with every total, since a chart shows members of outer fields, and with members past the
    number that can be read gathered. Its numbers are those of the report."""
    roles = roles_of(fold, chart, report)
    measure = chart.measure if any(each.id == chart.measure for each in fold.measures) else None
    by = measure or next((each.id for each in fold.measures), None)

    most_along = (type(chart.drawn) if chart.drawn is not None else Drawn).most_along

    def told(word: Placed) -> Placed:
        made = replace(word, subtotal=Where.AFTER)
        is_time = time_in(report, word.id) is not None
        most = most_along if word.id == roles.along else chart.most
        if (
            word.id not in roles.words
            or word.keep is not None
            or by is None
            or is_time
            or members_in(report, word.id) <= most
        ):
            return made
        return replace(made, keep=Top(by, Rest.GATHERED, str(most)), empty=False)

    return replace(
        fold,
        rows=tuple(told(word) for word in fold.rows),
        columns=tuple(told(word) for word in fold.columns),
        row_total=Where.AFTER,
        column_total=Where.AFTER,
    )


def level_of(axis: Axis, words: tuple[str, ...]) -> int:
    """How many fields of an axis the lines of a chart name: up to the innermost that plays a part."""
    return max((at + 1 for at, head in enumerate(axis.heads) if head.id in words), default=0)
