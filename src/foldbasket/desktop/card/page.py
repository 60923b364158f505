"""The card of a fold's pages: paper, how the report stands on it, head and foot, where new pages begin, and the chart's place."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.listing import listing_section
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.style import style_section
from foldbasket.desktop.desk import Desk
from foldbasket.errors import OutputError
from foldbasket.paging.lines import check_line
from foldbasket.sentence.phrases import field_phrase, placed_heading
from foldbasket.spec.cut import Bands
from foldbasket.spec.filter import OneField
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import FIELDS, ChartOn, Each, Fit, Order, Page, Paper, Way

SIDES = ("left", "middle", "right")
MARGINS = (5.0, 8.0, 12.0, 18.0, 25.0)


def page_card(desk: Desk, fold: Fold, parent: QWidget) -> CardBody:
    """Builds the card."""
    page = fold.page
    body = CardBody("Page", "What prints: the report as it is shown, on paper.", parent)

    def change(done: str, **changes: Any) -> None:
        desk.do(edits.ChangePage(fold.key, changes, done))

    body.section("Paper", page.paper.label)
    body.chips(
        [(each, each.label, "") for each in Paper],
        page.paper,
        lambda paper: change("Change the paper", paper=paper),
        "Paper",
    )
    body.chips(
        [(each, each.label, "") for each in Way], page.way, lambda way: change("Turn the paper", way=way), "It lies"
    )
    margins = [(each, f"{each:g} mm") for each in sorted({*MARGINS, page.margin})]
    body.choice("Margins", margins, page.margin, lambda margin: change("Change the margins", margin=margin))
    body.section("Fit", page.fit.label)
    body.choice("Fit", Fit.choices(), page.fit, lambda fit: change("Fit the report to paper", fit=fit))
    if page.fit is Fit.PAGES:
        body.entry("Pages", str(page.pages), "1", lambda text: _pages(desk, text, change))
    else:
        body.choice("Next page", Order.choices(), page.order, lambda order: change("Order of pages", order=order))
    body.section("Breaks", _word(fold, page.breaks))
    words = [(None, "—"), *((word.id, placed_heading(word)) for word in fold.rows)]
    body.choice("New page for each", words, page.breaks, lambda word: change("Break pages", breaks=word))
    _each(desk, body, fold, change)
    listing_section(desk, body, fold, change)
    if fold.chart is not None:
        body.section("Chart", page.chart.label)
        body.choice(
            "Chart", ChartOn.choices(), page.chart, lambda chart: change("Place of the chart on paper", chart=chart)
        )
    _lines(desk, body, page, change)
    style_section(desk, body, fold)
    return body.end()


def _each(desk: Desk, body: CardBody, fold: Fold, change: Callable[..., None]) -> None:
    """The field for each member of which the report stands on pages of its own: one of those in the fold, pickers first."""
    each = fold.page.each
    fields = [
        Each(rule.field, rule.part)
        for rule in sorted(fold.filters, key=lambda rule: not rule.picker)
        if isinstance(rule, OneField)
    ]
    fields += [Each(word.field, word.part) for word in (*fold.rows, *fold.columns) if not isinstance(word.cut, Bands)]
    fields += [each] if each is not None else []
    said = {one: field_phrase(one.field.field, one.part) for one in fields}
    body.section("Reports", f"one for each {said[each]}" if each is not None else "one of all")
    body.choice(
        "A report for each",
        [(None, "— one of all"), *said.items()],
        each,
        lambda one: change("A report for each member" if one is not None else "One report of all", each=one),
    )
    body.text("Each has its own totals and title, behind one another in one file.", "quiet")


def _word(fold: Fold, word: str | None) -> str:
    return next((f"each {placed_heading(each)}" for each in fold.rows if each.id == word), "as they fall")


def _pages(desk: Desk, text: str, change: Callable[..., None]) -> None:
    if text.strip().isdigit() and int(text) > 0:
        change("Fit the report to paper", pages=min(int(text), 9_999))
    else:
        desk.sources.complain(f"“{text}” is no number of pages.", "Type a number such as 2.")


def _lines(desk: Desk, body: CardBody, page: Page, change: Callable[..., None]) -> None:
    """The lines at head and foot."""
    for name, title in (("head", "Head"), ("foot", "Foot")):
        texts: tuple[str, str, str] = getattr(page, name)
        body.section(title, " · ".join(each for each in texts if each) or "none")

        def put(at: int, name: str, texts: tuple[str, str, str], text: str) -> None:
            try:
                check_line(text)
            except OutputError as error:
                desk.failed.emit(error)
                return
            made = tuple(text.strip() if each == at else was for each, was in enumerate(texts))
            change(f"Change the {name} of pages", **{name: made})

        for at, side in enumerate(SIDES):
            body.entry(side.capitalize(), texts[at], "", partial(put, at, name, texts))
    body.text("Fields: " + ", ".join("{" + each + "}" for each in FIELDS) + ".", "quiet")
