"""The sections of cards that say a look of part of a report: of a member, of a field, of a kind of line."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec

from foldbasket.baskets import edits
from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.spec.fold import Fold, Placed
from foldbasket.spec.look import Line, Look, Rule, Said
from foldbasket.styling.styles import Colour

WEIGHTS = ((None, "as around it"), (True, "bold"), (False, "plain"))
SLANTS = ((None, "as around it"), (True, "slanted"), (False, "upright"))


def member_looks_section(desk: Desk, body: CardBody, fold: Fold, placed: Placed) -> None:
    """Adds the section on the looks of the field's lines, or of one of its members."""
    own = [each for each in fold.look.said if each.word == placed.id]
    body.section("Look", f"{len(own)} said" if own else "as the style")
    members = members_of(desk, placed.field, placed.cut)
    labels = dict(members)
    chosen = desk.view.looked if desk.view.looked in labels else None
    offered: list[tuple[Any, str]] = [(None, "all its lines"), *members]
    body.choice("Of", offered, chosen, desk.show_look)
    now = next((each for each in own if each.member == chosen), Said(Look(), word=placed.id, member=chosen))
    of = labels[chosen] if chosen is not None else f"lines of {placed.field.field}"
    _properties(desk, body, fold, now, of)
    others = [each for each in own if each.member != chosen]
    for each in others:
        name = labels.get(each.member or "", each.member) if each.member else "all its lines"
        body.link(f"Look of {name}", partial(desk.show_look, each.member))


def lines_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds the section on the looks of kinds of lines: members, subtotals, the grand total, All others."""
    own = [each for each in fold.look.said if each.line is not None]
    body.section("Lines", f"{len(own)} said" if own else "as the style")
    kinds = list(Line)
    chosen = next((line for line in kinds if line == desk.view.line), Line.SUBTOTAL)
    body.chips([(line, line.label, "") for line in kinds], chosen, desk.show_line, "Lines")
    now = next((each for each in own if each.line == chosen and each.level is None), Said(Look(), line=chosen))
    _properties(desk, body, fold, now, chosen.label)


def _properties(desk: Desk, body: CardBody, fold: Fold, now: Said, of: str) -> None:
    """What a look can say, each with what it says now."""
    look = now.look

    def say(**changes: Any) -> None:
        said = msgspec.structs.replace(now, look=msgspec.structs.replace(look, **changes))
        desk.do(edits.SayLook(fold.key, said, f"Look of {of}"))

    colours: list[tuple[Any, str]] = [(None, "as around it"), *((str(each), each.label) for each in Colour)]
    body.choice("Ground", _with(colours, look.ground), look.ground, lambda value: say(ground=value))
    body.choice("Ink", _with(colours, look.ink), look.ink, lambda value: say(ink=value))
    body.choice("Weight", WEIGHTS, look.bold, lambda value: say(bold=value))
    body.choice("Slant", SLANTS, look.italic, lambda value: say(italic=value))
    rules = [(None, "as around it"), *Rule.choices()]
    body.choice("Rule above", rules, look.above, lambda value: say(above=value))
    body.choice("Rule below", rules, look.below, lambda value: say(below=value))
    body.entry("Empty cells", look.blank or "", "as around it", lambda text: say(blank=text.strip() or None))
    if look != Look():
        body.link("As the style again", lambda: desk.do(edits.SayLook(fold.key, msgspec.structs.replace(now, look=Look()), f"Look of {of}")))  # fmt: skip


def _with(choices: list[tuple[Any, str]], now: str | None) -> list[tuple[Any, str]]:
    """Choices, with the present one where it is none of them."""
    return choices if now in [value for value, _ in choices] else [*choices, (now, str(now) or "the paper's")]
