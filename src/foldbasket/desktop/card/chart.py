"""The card of a fold's chart: its kind and why it fits, what goes along it, its names and values, a line to compare with."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.charts.choosing import Choice
from foldbasket.charts.roles import Roles, roles_of, shown_words
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.report.report import Report
from foldbasket.sentence.phrases import measure_heading, placed_heading
from foldbasket.spec.chart import Beside, Chart, Drawn, Mean, Names, Reference, Values
from foldbasket.spec.fold import Fold

MOST = (4, 6, 8, 12, 20)
HEIGHTS = ((0.3, "a third of a page"), (0.5, "half a page"), (0.9, "a page of its own"))


def chart_card(desk: Desk, fold: Fold, chart: Chart, parent: QWidget) -> CardBody:
    """Builds the card."""
    body = CardBody("Chart", "Of what the report shows: its filters, order and folded groups.", parent)

    def become(done: str) -> Callable[..., None]:
        return lambda **changes: desk.change_chart(done, **changes)

    made = desk.charts.last
    now = made if made is not None and made.chart == chart else None
    # What fits stays as it was while only looks change, so that the card does not jump while it is drawn anew.
    fits = (
        made.offered
        if made is not None and _of(made.report) == fold.key and _shows(made.chart) == _shows(chart)
        else ()
    )
    offered: dict[type[Drawn], Choice] = {type(each.drawn): each for each in fits}
    best = max((each for each in offered.values() if not each.refusal), key=lambda each: each.score, default=None)
    kind = type(chart.drawn) if chart.drawn is not None else type(best.drawn) if best is not None else None
    _kind(body, desk, fold, chart, kind, offered, best, str(now.problem) if now is not None and now.problem else "")
    if desk.report is not None:
        _parts(body, desk, fold, chart, kind or Drawn, roles_of(fold, chart, desk.report))
    body.section("Names and values")
    body.choice("Names", Names.choices(), chart.names, lambda value: become("Where names stand")(names=value))
    body.choice(
        "Values", Values.choices(), chart.values, lambda value: become("Which values are written")(values=value)
    )
    if kind is not None and kind.from_zero is None:
        zero = ((True, "yes"), (False, "no"))
        body.choice("From zero", zero, bool(chart.zero), lambda value: become("Where values start")(zero=value))
    most = [(each, f"{each} are gathered") for each in sorted({*MOST, chart.most})]
    body.choice("More than", most, chart.most, lambda value: become("How many are drawn")(most=value))
    _title(body, chart, become)
    _line(body, fold, chart, become)
    body.section("Place", chart.place.label)
    body.choice("It stands", Beside.choices(), chart.place, lambda value: become("Move the chart")(place=value))
    body.choice("On paper", HEIGHTS, chart.height, lambda value: become("Size of the chart on paper")(height=value))
    body.section("Elsewhere", "")
    body.link("Copy it as a picture", lambda: desk.charts.copy())
    body.link("Take it out", lambda: desk.do(edits.ChangeFold(fold.key, {"chart": None}, "Take the chart out")))
    return body.end()


def _shows(chart: Chart) -> tuple[object, ...]:
    """What the chart is of, whichever way it is drawn."""
    return chart.along, chart.series, chart.each, chart.measure


def _of(report: Report) -> str:
    """The fold that a report is of."""
    return report.origin.fold.key if report.origin is not None else ""


def _kind(
    body: CardBody, desk: Desk, fold: Fold, chart: Chart, kind: type[Drawn] | None, offered: dict[type[Drawn], Choice], best: Choice | None,
    problem: str,
) -> None:  # fmt: skip
    """The kinds, and why the one that is drawn fits, or is refused."""
    body.section("Drawn as", kind.label if kind is not None else "")
    chips = [
        (each, each.label, offered[each].refusal if each in offered and offered[each].refusal else each.meaning)
        for each in Drawn.kinds
    ]

    def take(chosen: type[Drawn]) -> None:
        made: Any = chosen
        desk.change_chart(f"Draw {chosen.label}", drawn=made())

    body.chips(chips, kind, take, "Drawn as")
    if problem:
        body.text(problem, "warning")
    elif best is not None and kind is type(best.drawn):
        body.text(best.reason or kind.meaning, "quiet")
    elif best is not None and kind is not None:
        body.text(kind.meaning, "quiet")
        body.link(
            f"Draw what fits best: {type(best.drawn).label}",
            lambda: desk.change_chart("Draw what fits best", drawn=None),
        )
    if chart.drawn is not None:
        draw_parameters(
            body,
            desk,
            fold,
            chart.drawn,
            lambda drawn: desk.change_chart("Change the chart", drawn=drawn),
            chart.measure or "",
        )


def _parts(body: CardBody, desk: Desk, fold: Fold, chart: Chart, kind: type[Drawn], roles: Roles) -> None:
    """Which field plays which part, and which measure is drawn."""
    body.section("What it shows")
    words = [(word.id, placed_heading(word)) for word in shown_words(fold)]

    def change(done: str, name: str) -> Callable[[Any], None]:
        def take(value: Any) -> None:
            # What plays another part now no longer plays its own.
            others = {
                part: None for part in ("along", "series", "each") if part != name and getattr(chart, part) == value
            }
            desk.change_chart(done, **{**(others if value else {}), name: value})

        return take

    if words:
        none = ("", "—")
        rest = [none, *(word for word in words if word[0] != roles.along)]
        body.choice("Along", words, roles.along, change("What the chart goes along", "along"))
        body.choice(kind.per_member, rest, roles.series or "", change("What there is a series for", "series"))
        body.choice("A chart for each", rest, roles.each or "", change("Small charts", "each"))
    measures = [(each.id, measure_heading(each)) for each in fold.measures]
    if len(measures) > 1:
        listed = [
            (None, "those in one unit" if roles.series is None and not kind.alone else f"{measures[0][1]}, the first"),
            *measures,
        ]
        body.choice("Measure", listed, chart.measure, change("Which measure is drawn", "measure"))


def _title(body: CardBody, chart: Chart, become: Callable[[str], Callable[..., None]]) -> None:
    body.section("Title", chart.title if chart.title is not None else "by its measure")
    body.entry(
        "Title",
        chart.title or "",
        "by its measure",
        lambda text: become("Title of the chart")(title=text.strip() or None),
    )
    body.entry("Note", chart.note, "a note of yours", lambda text: become("Note under the chart")(note=text.strip()))


def _line(body: CardBody, fold: Fold, chart: Chart, become: Callable[[str], Callable[..., None]]) -> None:
    """The line to compare with."""
    line = chart.line
    body.section("Line at", line.at.label)
    put = become("Line to compare with")
    body.choice(
        "Line at",
        Mean.choices(),
        line.at,
        lambda at: put(line=Reference(at, line.number, line.measure or _first_other(fold, chart))),
    )
    if line.at is Mean.NUMBER:
        body.entry(
            "Number", line.number, "250000", lambda text: put(line=Reference(line.at, text.strip(), line.measure))
        )
    if line.at is Mean.MEASURE:
        measures = [(each.id, measure_heading(each)) for each in fold.measures]
        body.choice(
            "Measure", measures, line.measure, lambda measure: put(line=Reference(line.at, line.number, measure))
        )


def _first_other(fold: Fold, chart: Chart) -> str:
    drawn = chart.measure or (fold.measures[0].id if fold.measures else "")
    return next((each.id for each in fold.measures if each.id != drawn), drawn)
