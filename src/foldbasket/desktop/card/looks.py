"""The sections of cards that say a look of part of a report: of a member, of a field, of a kind of line."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec

from foldbasket.baskets import edits
from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.number import forms_of
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Fold, Placed
from foldbasket.spec.look import Line, Look, Rule, Said, Side
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
    level = desk.view.level
    deepest = max(len(fold.rows), len(fold.columns))
    if deepest > 1 and chosen is not Line.GRAND:
        levels = [(at, f"{_ordinal(at)}, {_fields_at(fold, at - 1)}") for at in range(1, deepest + 1)]
        body.choice("Level", [(None, "every one"), *levels], level, lambda at: desk.show_line(chosen, at))
    else:
        level = None
    now = next(
        (each for each in own if (each.line, each.level) == (chosen, level)), Said(Look(), line=chosen, level=level)
    )
    _properties(desk, body, fold, now, chosen.label if level is None else f"{chosen.label} at level {level}")


def _ordinal(at: int) -> str:
    return {1: "the outermost", 2: "the second", 3: "the third"}.get(at, f"number {at}")


def _fields_at(fold: Fold, at: int) -> str:
    """The fields that stand at a level: of rows, and of columns."""
    return " and ".join(placed_heading(axis[at]) for axis in (fold.rows, fold.columns) if at < len(axis))


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
    body.choice("Stands", [(None, "as around it"), *Side.choices()], look.side, lambda value: say(side=value))
    if desk.report is not None and any(desk.report.is_number(at) for at in range(len(desk.report.measures))):
        forms = [(None, "as its measure"), *((form, said) for form, said in forms_of(desk.report))]
        if look.number is not None and look.number not in [form for form, _ in forms]:
            forms.append((look.number, look.number.pattern or "another"))
        body.choice("Numbers", forms, look.number, lambda value: say(number=value))
    rules = [(None, "as around it"), *Rule.choices()]
    body.choice("Rule above", rules, look.above, lambda value: say(above=value))
    body.choice("Rule below", rules, look.below, lambda value: say(below=value))
    body.entry("Empty cells", look.blank or "", "as around it", lambda text: say(blank=text.strip() or None))
    if look != Look():
        body.link("As the style again", lambda: desk.do(edits.SayLook(fold.key, msgspec.structs.replace(now, look=Look()), f"Look of {of}")))  # fmt: skip


def _with(choices: list[tuple[Any, str]], now: str | None) -> list[tuple[Any, str]]:
    """Choices, with the present one where it is none of them."""
    return choices if now in [value for value, _ in choices] else [*choices, (now, str(now) or "the paper's")]
