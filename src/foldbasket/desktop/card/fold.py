"""The card of the fold itself, shown when no word is selected."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.first import first_sections, is_first
from foldbasket.desktop.card.highlights import all_highlights_section
from foldbasket.desktop.card.looks import lines_section
from foldbasket.desktop.card.next import next_section
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.settings import settings_section
from foldbasket.desktop.card.style import layout_section, style_section, titles_section
from foldbasket.desktop.desk import Desk
from foldbasket.sentence.phrases import is_unnamed, label_of, placed_heading
from foldbasket.sentence.steps import steps_of
from foldbasket.spec.fold import Fold, MeasuresOn, Where


def fold_card(desk: Desk, parent: QWidget) -> CardBody:
    """Builds the card."""
    fold = desk.fold
    if fold is None:
        body = CardBody("No fold yet", "Open some data, then place a field.", parent)
        return body.end()
    nothing_placed = is_first(desk)
    about = (
        "Nothing is placed yet. Double-click a field, drag it into the middle, or type what to show."
        if nothing_placed
        else "The whole report. Select a word of the sentence for its own card."
    )
    body = CardBody(label_of(fold, desk.source), about, parent)
    if nothing_placed:
        first_sections(desk, body)
    else:
        next_section(desk, body, fold)
    body.section("Name")
    body.entry(
        "Fold",
        "" if is_unnamed(fold) else fold.name,
        "its name",
        lambda text: desk.do(edits.RenameFold(fold.key, text.strip())),
    )
    if not nothing_placed:
        _report_sections(desk, body, fold)
    settings_section(desk, body)
    if not fold.is_empty:
        body.section("How it is worked out", "")
        for number, step in enumerate(steps_of(fold, desk.source, desk.basket.locale), 1):
            body.text(f"{number}. {step}", "quiet")
    body.section("Fold", "")
    body.link("Turn rows into columns", desk.words.turn)
    body.link("Copy this fold as a new one", lambda: desk.do(edits.AddFold(fold)))
    body.link("Take this fold out", lambda: desk.do(edits.RemoveFold(fold.key)))
    return body.end()


def _report_sections(desk: Desk, body: CardBody, fold: Fold) -> None:
    """What holds for the whole report: totals, the place of its measures, and how it looks."""
    body.section("Grand totals")
    for label, attribute in (("Under rows", "row_total"), ("Beside columns", "column_total")):
        body.choice(
            label,
            Where.choices(),
            getattr(fold, attribute),
            partial(_total, desk, fold, attribute),
        )
    body.text("Every total is computed from the records beneath it, never from the cells shown.", "quiet")
    body.section("Measures")
    body.chips(
        [(each, each.label, each.meaning) for each in MeasuresOn],
        fold.measures_on,
        lambda value: desk.do(edits.ChangeFold(fold.key, {"measures_on": value}, f"Measures along {value}")),
        "Measures",
    )
    words = fold.rows if fold.measures_on == "rows" else fold.columns
    if words and len(fold.measures) > 1:
        names = [placed_heading(word) for word in words]
        places: list[tuple[int | None, str]] = [(None, f"inside {names[-1]}")]
        places += [(at, f"outside {names[at]}") for at in reversed(range(len(words)))]
        body.choice(
            "Their place",
            places,
            fold.measures_at if fold.measures_at is not None and fold.measures_at < len(words) else None,
            lambda at: desk.do(edits.ChangeFold(fold.key, {"measures_at": at}, "Move the measures")),
        )
    style_section(desk, body, fold)
    lines_section(desk, body, fold)
    all_highlights_section(desk, body, fold)
    layout_section(desk, body, fold)
    titles_section(desk, body, fold)


def _total(desk: Desk, fold: Fold, attribute: str, where: str) -> None:
    """Puts a grand total elsewhere, or away."""
    desk.do(edits.ChangeFold(fold.key, {attribute: where}, "Change the grand totals"))
