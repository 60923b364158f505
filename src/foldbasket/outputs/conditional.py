"""Highlights as a workbook's own conditional formats, where it can express them: they go on when numbers in the workbook change."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.folding.dress.conditions.others import Always
from foldbasket.folding.dress.conditions.thresholds import Above, AtLeast, AtMost, Below, Equal, InRange
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.graded import Bar
from foldbasket.folding.dress.forms.marks import Ground, Ink, Weight
from foldbasket.folding.dress.judged import parsed
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.report.report import Report
from foldbasket.later import xlsxwriting
from foldbasket.spec.look import Highlight, Scope
from foldbasket.styling.styles import Inks
from foldbasket.tables.types import FieldType

CRITERIA = {AtLeast: ">=", AtMost: "<=", Above: ">", Below: "<", Equal: "="}
MOST_RANGES = 60


def live_highlights(report: Report) -> list[Highlight]:
    """The highlights that a workbook can express by itself, on numbers: thresholds with a ground, ink or weight, and bars. They are not in
    the fixed formats, so that they go on when numbers in the workbook change. They lie over fixed formats there, so that none is among them
    that a later one of the fixed formats would have lain over."""
    found: list[Highlight] = []
    covered: set[tuple[str, str]] = set()
    inks = Dressed(report).inks
    for each in reversed(report.look.highlights):
        if _is_live(report, each) and not covered & _says(each, inks, [each.measure]):
            found.append(each)
        else:
            covered |= _says(each, inks, [head.id for head in report.measures] if each.line else [each.measure])
    return found[::-1]


def _says(highlight: Highlight, inks: Inks, measures: Sequence[str]) -> set[tuple[str, str]]:
    """What a highlight says of the looks of the cells of some measures."""
    look = highlight.form.look(1.0, inks)
    said = [name for name in ("ground", "ink", "bold", "italic") if getattr(look, name)]
    return {(measure, name) for measure in measures for name in (*said, *(["bar"] if highlight.form.bars else []))}


def _is_live(report: Report, highlight: Highlight) -> bool:
    at = report.measure_at(highlight.measure)
    if at is None or highlight.line or highlight.totals or highlight.within is not Scope.CELLS:
        return False
    simple = type(highlight.when) in (*CRITERIA, InRange) and type(highlight.form) in (Ground, Ink, Weight)
    barred = isinstance(highlight.form, Bar) and isinstance(highlight.when, Always)
    return report.is_number(at) and (simple or barred) and len(_ranges(report, at, 0, 0)) <= MOST_RANGES


def _ranges(report: Report, measure: int, first: int, left: int) -> list[tuple[int, int, int, int]]:
    """The blocks of cells of members that hold a measure: first row and column, last row and column."""
    on_rows = report.measures_on == "rows"
    rows, columns = members_of(report.left), members_of(report.top)
    if on_rows:
        rows = rows & (report.left.measure == measure)
    else:
        columns = columns & (report.top.measure == measure)
    return [
        (first + top, left + start, first + bottom - 1, left + stop - 1)
        for top, bottom in _runs(rows)
        for start, stop in _runs(columns)
    ]


def members_of(margin: Margin) -> npt.NDArray[np.bool_]:
    """Which rows or columns have cells of members: all but the totals of fields."""
    return ~margin.is_total if margin.axis.depth else np.ones(len(margin), np.bool_)


def _runs(kept: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], kept.astype(np.int8), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def conditional(
    report: Report, highlight: Highlight, inks: Inks, book: Any, page: Any, corner: tuple[int, int]
) -> None:
    """Writes a highlight as the workbook's own conditional format; `corner` is the place of the report's first cell."""
    measure = next(at for at, head in enumerate(report.measures) if head.id == highlight.measure)
    ranges = _ranges(report, measure, *corner)
    if not ranges:
        return
    multi = " ".join(xlsxwriting.xl_range(*each) for each in ranges)
    form, when = highlight.form, highlight.when
    if isinstance(form, Bar):
        how: dict[str, Any] = {
            "type": "data_bar",
            "bar_color": form.edge(inks),
            "bar_solid": True,
            "data_bar_2010": True,
        }
    else:
        look = form.look(1.0, inks)
        made: dict[str, Any] = {}
        if look.ground:
            made |= {"bg_color": look.ground, "left": 1, "left_color": form.edge(inks)}
        if look.ink:
            made["font_color"] = look.ink
        if look.bold:
            made["bold"] = True
        how = {"type": "cell", "format": book.add_format(made)}
        if isinstance(when, InRange):
            low, high = (float(parsed(text, FieldType.DECIMAL)) for text in (when.low, when.high))
            how |= {"criteria": "between", "minimum": low, "maximum": high}
        else:
            value = float(parsed(when.value, FieldType.DECIMAL))  # type: ignore[attr-defined]
            how |= {"criteria": CRITERIA[type(when)], "value": value}  # type: ignore[index]
    page.conditional_format(*ranges[0], {**how, "multi_range": multi})
