"""Highlights as an OpenDocument sheet's own conditional styles, where it can express them: they go on when numbers in the sheet change.

Of several conditional styles of a cell only the first that holds is worn (OpenDocument 1.2, part 1, 16.3), where ours lie over one another. So a measure
gets them only if a single highlight can mark its cells; all others are fixed formats.
"""

from __future__ import annotations

from typing import Any

from foldbasket.folding.dress.conditions.thresholds import InRange
from foldbasket.folding.dress.forms.graded import Bar
from foldbasket.folding.dress.judged import parsed
from foldbasket.folding.report.report import Report
from foldbasket.outputs.conditional import CRITERIA, live_highlights
from foldbasket.spec.look import Highlight
from foldbasket.styling.styles import Inks
from foldbasket.tables.types import FieldType


def conditional_styles(report: Report) -> dict[int, Highlight]:
    """For each measure that has one the highlight that its cells of members wear by themselves."""
    found = {}
    for each in live_highlights(report):
        at = report.measure_at(each.measure)
        others = [one for one in report.look.highlights if one.line or one.measure == each.measure]
        if at is not None and others == [each] and not isinstance(each.form, Bar):
            found[at] = each
    return found


def condition_of(highlight: Highlight) -> str:
    """When it holds, as OpenDocument says it of a cell."""
    when = highlight.when
    if isinstance(when, InRange):
        return f"cell-content-is-between({_number(when.low)},{_number(when.high)})"
    return f"cell-content(){CRITERIA[type(when)]}{_number(when.value)}"  # type: ignore[attr-defined, index]


def _number(text: str) -> str:
    return f"{parsed(text, FieldType.DECIMAL):f}"


def worn_style(name: str, highlight: Highlight, inks: Inks) -> Any:
    """The style that a cell wears while it holds: what of its looks the highlight changes."""
    from odf.style import Style, TableCellProperties, TextProperties

    look, made = highlight.form.look(1.0, inks), Style(name=name, family="table-cell")
    if look.ground:
        box = {"backgroundcolor": look.ground, "borderleft": f"2.5pt solid {highlight.form.edge(inks)}"}
        made.addElement(TableCellProperties(**box))
    letters = {"color": look.ink} if look.ink else {}
    if look.bold:
        letters["fontweight"] = "bold"
    if letters:
        made.addElement(TextProperties(**letters))
    return made
