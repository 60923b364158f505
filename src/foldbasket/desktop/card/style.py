"""The sections of the fold's card on how the whole report looks: its style, headings and layout."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec

from foldbasket.baskets import edits
from foldbasket.desktop import memory
from foldbasket.desktop.card.ownstyle import make_own, own_style, put
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.sentence.phrases import label_of
from foldbasket.spec.fold import Fold, Where
from foldbasket.styling.styles import STYLES, style_named


def style_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds the section on the report's style."""
    basket = desk.basket
    now = style_named(fold.look.style or basket.style, basket.styles)
    body.section("Report's style", now.label)
    offered = [(style.key, style.label, "") for style in (*STYLES.values(), *basket.styles)]
    body.chips(offered, now.key, lambda key: _change(desk, fold, f"Style {style_named(key, basket.styles).label}", style=key), "Style")  # fmt: skip
    for kept in memory.styles():
        if kept.key not in {key for key, *_ in offered}:
            body.link(f"Take “{kept.label}”", partial(put, desk, fold, kept, f"Style {kept.label}"))
    if now in basket.styles:
        own_style(desk, body, fold, now)
    body.link(f"A style of my own from {now.label}", partial(make_own, desk, fold, now))
    if fold.look.style and fold.look.style != basket.style:

        def for_all() -> None:
            desk.do(edits.ChangeBasket({"style": fold.look.style}, f"Style {now.label} for all folds"))

        body.link("Wear it in every fold that has no style of its own", for_all)


def titles_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds the section on title, subtitle and notes of pages and files."""
    look, label = fold.look, label_of(fold, desk.source)
    body.section("Title and notes", look.title if look.title is not None else label)
    body.wide_entry("Title", look.title or "", label, lambda text: _change(desk, fold, "Change the title", title=text.strip() or None))  # fmt: skip
    body.wide_entry("Subtitle", look.subtitle or "", "the sentence", lambda text: _change(desk, fold, "Change the subtitle", subtitle=text.strip() or None))  # fmt: skip
    for at, note in enumerate((*look.notes, "")):

        def change(text: str, at: int = at) -> None:
            notes = [*look.notes[:at], text.strip(), *look.notes[at + 1 :]]
            _change(desk, fold, "Change a note", notes=tuple(each for each in notes if each))

        body.wide_entry(f"Note {at + 1}", note, "a note under the report", change)


def layout_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds the section on how the report is laid out."""
    layout = fold.look.layout

    def lay(done: str, **changes: Any) -> None:
        _change(desk, fold, done, layout=msgspec.structs.replace(layout, **changes))

    def indent(value: bool) -> None:
        """Names in one column want the line of each group before its members."""
        look = msgspec.structs.replace(fold.look, layout=msgspec.structs.replace(layout, indented=value))
        where = Where.BEFORE if value else Where.AFTER
        rows = tuple(
            msgspec.structs.replace(word, subtotal=where) if word.subtotal is not Where.OFF or value else word
            for word in fold.rows
        )
        done = "Indent the row names" if value else "A column for each level"
        desk.do(edits.ChangeFold(fold.key, {"look": look, "rows": rows}, done))

    body.section("Layout", "indented" if layout.indented else "a column for each level")
    if len(fold.rows) > 1:
        body.choice("Row names", ((False, "a column for each level"), (True, "indented in one")), layout.indented, indent)  # fmt: skip
        body.choice("Said", ((False, "once a group"), (True, "on every line")), layout.repeat, lambda value: lay("Say names once or always", repeat=value))  # fmt: skip
        body.choice("Between groups", ((True, "a gap"), (False, "nothing")), layout.gap, lambda value: lay("Change the gap between groups", gap=value))  # fmt: skip
    if len(fold.measures) == 1:
        body.choice("Its heading", ((False, "not shown"), (True, "shown")), layout.alone, lambda value: lay("Show the measure's heading", alone=value))  # fmt: skip
    body.choice("Long names", ((False, "on one line"), (True, "over several lines")), layout.wrap, lambda value: lay("Wrap long names", wrap=value))  # fmt: skip
    body.choice("Headings", ((True, "stay while scrolling"), (False, "scroll with the cells")), layout.frozen, lambda value: lay("Keep headings in place", frozen=value))  # fmt: skip
    if fold.look.highlights:
        body.choice("Legend", ((True, "under the report"), (False, "not shown")), layout.legend, lambda value: lay("Show the legend", legend=value))  # fmt: skip


def _change(desk: Desk, fold: Fold, done: str, **changes: Any) -> None:
    desk.do(edits.ChangeLook(fold.key, changes, done))
