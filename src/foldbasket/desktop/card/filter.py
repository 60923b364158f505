"""The card of a record filter: its kind, members to tick or values to compare with, alternatives, and whether it is offered."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable
from decimal import Decimal, InvalidOperation
from functools import partial
from typing import Any

import msgspec
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.controls import Chooser, Line
from foldbasket.desktop.card.formula import condition_card
from foldbasket.desktop.card.memberlist import MemberList
from foldbasket.desktop.card.offer import alternatives_section, picker_section
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.settings import as_of_choice
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.card.tick import member_model, why_no_list
from foldbasket.desktop.desk import Desk
from foldbasket.errors import FoldBasketError
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Unit, Window
from foldbasket.folding.filters.values import SIGNS, Between, Compare
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.sentence.phrases import field_phrase, filter_phrase
from foldbasket.spec.filter import Filter, OneField
from foldbasket.tables.column import Column
from foldbasket.tables.types import FieldType
from foldbasket.typed import number_typed

EXAMPLES = {
    FieldType.DATE: "2026-04-30",
    FieldType.TIMESTAMP: "2026-04-30 14:05",
    FieldType.TEXT: "text",
    FieldType.YESNO: "yes",
}


Become = Callable[[OneField, str], None]
"""Takes a filter as it is to be, and what was done in words."""


def filter_card(desk: Desk, whole: Filter, parent: QWidget) -> CardBody:
    """Builds the card; of a filter with alternatives it shows one of them, which the desk remembers."""
    fold = desk.fold
    rules = tuple(whole.alternatives())
    if isinstance(whole, Condition):
        return condition_card(desk, whole, parent)
    at = min(desk.view.alternative, len(rules) - 1)
    rule = rules[at]
    column = desk.column(rule.field)
    body = CardBody(
        f"Keep by {field_phrase(rule.field.field, rule.part)}",
        f"{rule.field.field} · {desk.basket.source_name(rule.field.table)} · picks records, before anything is summed",
        parent,
    )
    if column is None or fold is None:
        body.text(f"{rule.field.field} is no longer in {desk.basket.source_name(rule.field.table)}.", "warning")
        body.link("Take it out", lambda: desk.words.remove(whole.id))
        return body.end()

    def become(changed: OneField, done: str) -> None:
        new: Any = changed
        if isinstance(whole, Either):
            new = msgspec.structs.replace(whole, rules=(*rules[:at], new, *rules[at + 1 :]))
        desk.do(edits.Swap(fold.key, whole.id, msgspec.structs.replace(new, picker=whole.picker), done))

    if isinstance(whole, Either):
        body.section("Any one of these")
        said = [filter_phrase(each, desk.source, desk.basket.locale) for each in rules]
        body.choice("Show", list(enumerate(said)), at, desk.show_alternative)

    def switch(kind: type[OneField]) -> None:
        become(kind.started(rule.id, rule.field, rule.part), f"Filter {rule.field.field} by {kind.label.lower()}")

    if column.type.is_time:
        body.section("Part of the date")
        choices = [(None, "Whole date", "The date itself")] + [
            (part.name, part.label, "")
            for part in PARTS.values()
            if part.name != "day" and (not part.by_time or column.type is FieldType.TIMESTAMP)
        ]
        body.chips(
            choices,
            rule.part,
            lambda part: become(Members(rule.id, rule.field, part, exclude=True), f"Filter by {part or 'date'}"),
            "Part",
        )
    body.section("Keep by")
    fitting = [kind for kind in Filter.kinds if issubclass(kind, OneField) and kind.label and kind.fits(column.type)]
    body.chips([(kind, kind.label, kind.meaning) for kind in fitting], type(rule), switch, "Keep by")
    draw = CONTROLS.get(type(rule), _parameters)
    draw(desk, body, rule, column, become)
    alternatives_section(desk, body, whole, at)
    picker_section(desk, body, whole)
    body.section("Place")
    body.link("Take it out", lambda: desk.words.remove(whole.id))
    return body.end()


def _parameters(desk: Desk, body: CardBody, rule: OneField, column: Column, become: Become) -> None:
    """What can be set on a kind that needs no controls of its own."""
    assert desk.fold is not None
    draw_parameters(body, desk, desk.fold, rule, lambda new: become(new, f"{rule.label} of {rule.field.field}"))


def _range(desk: Desk, body: CardBody, rule: Between, column: Column, become: Become) -> None:
    """A range: drawn over the field's values where they are numbers, and typed."""
    done = f"Range of {rule.field.field}"
    profile = desk.profiles.get((desk.tables[rule.field.table].serial, rule.field.field))
    ends = [_number(each) for each in (profile.smallest, profile.largest)] if profile is not None else [None, None]
    if (
        column.type.is_number
        and profile is not None
        and ends[0] is not None
        and ends[1] is not None
        and float(ends[0]) < float(ends[1])
    ):

        def chosen(low: Decimal | None, high: Decimal | None) -> None:
            said = ["" if each is None else f"{each:f}" for each in (low, high)]
            become(msgspec.structs.replace(rule, low=said[0], high=said[1]), done)

        body.widget(
            partial(
                SpanDrawing, profile.shape, (float(ends[0]), float(ends[1])), (_number(rule.low), _number(rule.high)), column.type is FieldType.WHOLE, chosen
            )
        )  # fmt: skip

    def end(attribute: str, text: str) -> None:
        become(msgspec.structs.replace(rule, **{attribute: _typed(text, column)}), done)

    for label, attribute, hint in (("From", "low", "the smallest"), ("To", "high", "the largest")):
        body.entry(
            label,
            getattr(rule, attribute),
            hint,
            partial(end, attribute),
        )
    body.text("Both ends are in. A side without a value is open.", "quiet")


def _typed(text: str, column: Column) -> str:
    return number_typed(text) if column.type.is_number else text.strip()


def _number(text: str | None) -> Decimal | None:
    """Canonical text as the number it is; None where there is none, or none that can be drawn."""
    try:
        value = Decimal(text or "")
        return value if math.isfinite(float(value)) else None
    except (InvalidOperation, OverflowError):
        return None


def _compare(desk: Desk, body: CardBody, rule: Compare, column: Column, become: Become) -> None:
    """A sign and a value, in one line."""
    body.widget(lambda parent: _comparison(parent, rule, column, become))


def _comparison(parent: QWidget, rule: Compare, column: Column, become: Become) -> QWidget:
    holder = QWidget(parent)
    line = QHBoxLayout(holder)
    line.setContentsMargins(0, 0, 0, 0)
    sign = Chooser(holder)
    for each in SIGNS:
        sign.addItem(each, each)
    sign.setCurrentIndex(SIGNS.index(rule.sign))
    sign.setAccessibleName("Comparison")
    value = Line(rule.value, holder)
    value.setPlaceholderText(EXAMPLES.get(column.type, "0.00"))
    value.setAccessibleName("Value to compare with")
    sign.activated.connect(
        lambda at: become(msgspec.structs.replace(rule, sign=SIGNS[at]), f"Compare {rule.field.field}")
    )
    value.editingFinished.connect(
        lambda: (
            become(msgspec.structs.replace(rule, value=_typed(value.text(), column)), f"Compare {rule.field.field}")
            if value.isModified() and value.text() != rule.value
            else None
        )
    )
    line.addWidget(sign)
    line.addWidget(value, 1)
    return holder


def _relative(desk: Desk, body: CardBody, rule: Relative, column: Column, become: Become) -> None:
    """Periods counted from the as-of date, and that date."""
    done = f"Dates of {rule.field.field}"
    body.choice(
        "Keep",
        [(each, each.label) for each in Window],
        rule.how,
        lambda how: become(msgspec.structs.replace(rule, how=how), done),
    )
    if rule.how.counts:

        def many(text: str) -> None:
            if text.strip().isdigit() and int(text) > 0:
                become(msgspec.structs.replace(rule, count=int(text)), done)
            else:
                desk.sources.complain(f"“{text}” is not a number of {rule.unit}s.", "Type a number such as 4.")

        body.entry("How many", str(rule.count), "4", many)
    units = [(unit, f"{unit}s" if rule.how.counts else str(unit)) for unit in Unit]
    body.choice("Of", units, rule.unit, lambda unit: become(msgspec.structs.replace(rule, unit=unit), done))
    try:
        as_of = desk.engine.dates.as_of_at_hand(rule.field)  # a database is not asked while the window waits
        if as_of is not None:
            meant = rule.between(as_of, column.type, desk.source.fiscal)
            body.text(f"Now that is {meant.low[:10]} to {meant.high[:10]}.", "quiet")
    except FoldBasketError as error:
        body.text(str(error), "warning")
    as_of_choice(desk, body, lambda: desk.engine.dates.as_of_at_hand(rule.field) or datetime.date.today())


def _members(
    desk: Desk, body: CardBody, rule: Members, column: Column, become: Become, *, later: bool = True, done: str = "Keep"
) -> None:
    """The members to tick, and with `later` what becomes of those that come later. They are listed once their section is opened."""

    def draw() -> None:
        model = member_model(desk, rule, lambda new: become(new, f"{done} {rule.field.field}"), body)
        if model is None:
            body.text(why_no_list(desk, rule), "quiet")
        else:
            body.widget(lambda parent: MemberList(desk, model, become, parent, later=later))

    body.piece(draw)


CONTROLS: dict[type[OneField], Callable[..., None]] = {
    Members: _members,
    Compare: _compare,
    Between: _range,
    Relative: _relative,
}
"""Kinds for which their parameters alone do not serve."""


def picker_body(desk: Desk, rule: OneField, become: Become, parent: QWidget) -> CardBody:
    """What a reader sets of a filter that is offered: its value alone, under its name."""
    body = CardBody(field_phrase(rule.field.field, rule.part), "", parent)
    column = desk.column(rule.field)
    if column is None or desk.fold is None:
        body.text(f"{rule.field.field} is no longer in {desk.basket.source_name(rule.field.table)}.", "warning")
    elif isinstance(rule, Members):
        _members(desk, body, rule, column, become, later=False, done="Pick")
    else:
        CONTROLS.get(type(rule), _parameters)(desk, body, rule, column, become)
    return body.end()
