"""The section of a field's card on how its dates are written: common forms shown with a member of its own."""

from __future__ import annotations

from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.pattern import own_pattern
from foldbasket.desktop.desk import Desk
from foldbasket.folding.lines.axis import Head
from foldbasket.folding.members.domain import Domain
from foldbasket.spec.fold import Placed
from foldbasket.styling.dates import check_dates
from foldbasket.tables.types import FieldType

FORMS = {
    "year": ("y", "yy"),
    "half": (),
    "quarter": ("QQQ y", "y QQQ", "QQQQ y", "QQQ yy"),
    "month": ("MMM y", "MMMM y", "MM/y", "y-MM", "MMM yy"),
    "week": ("'W'ww Y", "d MMM y"),
    "day": ("d MMM y", "EEE d MMM", "dd.MM.y", "dd/MM/y", "y-MM-dd", "EEEE d MMMM y"),
    "month of year": ("MMMM", "MMM", "MM"),
    "fiscal month of year": ("MMMM", "MMM", "MM"),
    "quarter of year": ("QQQ", "QQQQ"),
    "weekday": ("EEEE", "EEE", "EEEEE"),
}
"""The common forms of each part of a date, the commonest first."""


def dates_section(desk: Desk, body: CardBody, placed: Placed) -> None:
    """Adds the section to the card of a field of dates."""
    report = desk.report
    heads = (*report.rows.heads, *report.columns.heads) if report is not None else ()
    head = next((each for each in heads if each.id == placed.id), None)
    if head is None or report is None or placed.groups is not None:
        return
    code = _sample(head)
    if code is None:
        return
    domain, locale = head.domain, report.locale

    def said(pattern: str) -> str:
        return domain.label_in(code, locale, pattern) if pattern else domain.label(code, locale)

    def become(pattern: str) -> None:
        desk.words.change(placed.id, "Change how dates are written", dates=pattern)

    body.section("Dates", said(placed.dates))
    part = domain.part.name if domain.part is not None else "day"
    forms = ["", *FORMS.get(part, FORMS["day"])]
    forms += [] if placed.dates in forms else [placed.dates]
    different = {said(each): each for each in reversed(forms)}  # of two that write alike the first
    body.choice("Form", [(pattern, text) for text, pattern in reversed(different.items())], placed.dates, become)
    own_pattern(body, placed.dates, "d MMM y", check_dates, said, become)


def _sample(head: Head) -> int | None:
    """The last member that is a date; None where the field has none."""
    domain: Domain = head.domain
    if domain.part is None and domain.dictionary.type not in (FieldType.DATE, FieldType.TIMESTAMP):
        return None
    return domain.blank - 1 if domain.blank and domain.day_of(domain.blank - 1) is not None else None
