"""The card of a field on rows or columns: part of a date, order, totals, name, and where else it could stand."""

from __future__ import annotations

import msgspec
from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.cut import cut_section
from foldbasket.desktop.card.dates import dates_section
from foldbasket.desktop.card.depth import drill_section, fold_section
from foldbasket.desktop.card.elsewhere import elsewhere_section
from foldbasket.desktop.card.looks import member_looks_section
from foldbasket.desktop.card.order import keep_section, order_section
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Placed, Where
from foldbasket.styling.words import lower_first, ordinal


def axis_card(desk: Desk, placed: Placed, strand: str, parent: QWidget) -> CardBody:
    """Builds the card."""
    fold = desk.fold
    assert fold is not None
    column = desk.column(placed.field)
    kind = column.type.value if column is not None else "no longer there"
    body = CardBody(
        placed_heading(placed), f"{placed.field.field} · {desk.basket.source_name(placed.field.table)} · {kind}", parent
    )

    if column is not None:
        cut_section(body, desk, placed, column)

    is_text = column is not None and not column.type.is_time and not column.type.is_number and placed.part is None
    dates_section(desk, body, placed)
    order_section(body, desk, placed, strand, is_text)
    keep_section(body, desk, placed)

    words = getattr(fold, strand)
    index = [word.id for word in words].index(placed.id)
    if index + 1 < len(words):
        fold_section(body, desk, placed, placed_heading(placed))
    drill_section(body, desk, placed)
    elsewhere_section(body, desk, placed)

    body.section("Totals")
    if index + 1 < len(words):
        of_each = f"Of each {lower_first(placed_heading(placed))}"
        body.choice(
            of_each if len(of_each) < 24 else "Of each",
            Where.choices(),
            placed.subtotal,
            lambda value: desk.words.change(placed.id, f"Totals of {placed.field.field}", subtotal=value),
        )
    attribute = "row_total" if strand == "rows" else "column_total"
    body.choice(
        "Everything",
        Where.choices(),
        getattr(fold, attribute),
        lambda value: desk.do(edits.ChangeFold(fold.key, {attribute: value}, f"Grand total of {strand}")),
    )

    member_looks_section(desk, body, fold, placed)
    default = placed_heading(msgspec.structs.replace(placed, heading=None))
    body.renaming(placed.heading, default, lambda text: desk.words.change(placed.id, f"Rename {default}", heading=text))
    body.section("Place", f"{ordinal(index + 1)} of {strand}")
    other = "columns" if strand == "rows" else "rows"
    body.link(f"Move it to {other}", lambda: desk.words.move(placed.id, other))
    body.link("Keep only some of them", lambda: desk.words.place(placed.field, "filters"))
    body.link("Take it out", lambda: desk.words.remove(placed.id))
    return body.end()
