"""The parts of an axis field's card that order its members and that show only some of them, both by a measure if wanted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from foldbasket.baskets import edits
from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.kinds import parameters
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.fold import Covers, Placed
from foldbasket.spec.order import ByValue, Keep

replace: Callable[..., Any] = msgspec.structs.replace


def order_section(body: CardBody, desk: Desk, placed: Placed, strand: str, is_text: bool) -> None:
    """Adds the section on order."""
    fold = desk.fold
    assert fold is not None
    body.section("Order")
    name = placed.field.field
    by_value = placed.by is not None
    up, down = (
        ("smallest first", "largest first") if by_value else ("A to Z", "Z to A") if is_text else ("rising", "falling")
    )
    body.chips(
        (
            (False, up, "By value." if by_value else "By label; numbers within names count as numbers."),
            (True, down, "The other way round."),
        ),
        placed.descending,
        lambda value: desk.words.change(placed.id, f"Order {name}", descending=value),
        "Order",
    )
    measures = [(measure.id, measure_heading(measure)) for measure in fold.measures]

    def by(measure: str | None) -> None:
        order = ByValue(measure) if measure is not None else None
        desk.words.change(
            placed.id,
            f"Order {name} by {dict(measures).get(measure or '', 'label')}",
            by=order,
            descending=order is not None,
        )

    body.choice("By", [(None, "label"), *measures], placed.by.measure if placed.by else None, by)
    across = fold.columns if strand == "rows" else fold.rows
    if placed.by is not None and across:
        order = placed.by
        choices = [
            ((), "the total"),
            *(((key,), label) for key, label in members_of(desk, across[0].field, across[0].cut)),
        ]
        body.choice("In", choices, order.among, lambda among: desk.words.change(placed.id, f"Order {name}", by=msgspec.structs.replace(order, among=among)))  # fmt: skip
    labels = dict(members_of(desk, placed.field, placed.cut))

    def first(text: str) -> None:
        keys = {label.casefold(): key for key, label in labels.items()}
        wanted = [each.strip() for each in text.split(",") if each.strip()]
        unknown = [each for each in wanted if each.casefold() not in keys]
        if unknown:
            desk.sources.complain(f"“{unknown[0]}” is not a member of {name}.", "Write members as the report does, with commas between.")  # fmt: skip
            return
        desk.words.change(
            placed.id, f"Put members of {name} first", first=tuple(keys[each.casefold()] for each in wanted)
        )

    body.entry("First", ", ".join(labels.get(key, key) for key in placed.first), "members, by hand", first)
    body.text("Blank and unmatched records stand last either way.", "quiet")


def keep_section(body: CardBody, desk: Desk, placed: Placed) -> None:
    """Adds the section that shows only some members, picked by a measure after it is summed up."""
    fold = desk.fold
    assert fold is not None
    body.section("Show", placed.keep.said if placed.keep is not None else "all")
    measures = [(measure.id, measure_heading(measure)) for measure in fold.measures]
    name, now = placed.field.field, placed.keep

    def set_to(keep: Keep | None) -> None:
        desk.words.change(
            placed.id, f"Show {keep.said} of {name}" if keep is not None else f"Show all of {name}", keep=keep
        )

    def become(kind: type[Keep] | None) -> None:
        if kind is None:
            set_to(None)
        elif not measures:
            desk.sources.complain("there is no measure to pick by.", "Place one first.")
        else:
            made: Any = kind
            set_to(made(now.measure if now else measures[0][0]))

    offered = [(kind, kind.label) for kind in Keep.kinds]
    body.choice("Members", [(None, "all of them"), *offered], type(now) if now else None, become)
    if now is None:
        return
    body.choice("By", measures, now.measure, lambda each: set_to(replace(now, measure=each)))
    # What becomes of the rest is declared first, with what all kinds have, and asked last.
    own = sorted(parameters(type(now)), key=lambda each: each.name == "rest")
    draw_parameters(body, desk, fold, now, set_to, of=own)
    body.text("This picks members after summing up; a filter picks records before.", "quiet")
    if now.rest == "gone":
        body.choice(
            "Totals cover",
            Covers.choices(),
            fold.totals_cover,
            lambda covers: desk.do(edits.ChangeFold(fold.key, {"totals_cover": covers}, "Change what totals cover")),
        )
