"""The card of a record filter: its kind, members to tick or values to compare with, alternatives, and whether it is offered."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable
from decimal import Decimal, InvalidOperation

import msgspec
from PyQt6.QtCore import QSortFilterProxyModel, Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QListView, QPushButton, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.formula import condition_card
from foldbasket.desktop.card.offer import alternatives_section, picker_section
from foldbasket.desktop.card.parts import CardBody, Chooser, Line
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.card.tick import member_model, why_no_list
from foldbasket.desktop.desk import Desk
from foldbasket.errors import FoldBasketError
from foldbasket.folding.filters import (
    SIGNS,
    Between,
    Blank,
    Compare,
    Condition,
    Either,
    Filter,
    Members,
    Relative,
    Simple,
    TextRule,
)
from foldbasket.folding.parts import PARTS
from foldbasket.folding.sentence import field_phrase, filter_phrase
from foldbasket.formulas.evaluation import latest_day
from foldbasket.tables.column import Column
from foldbasket.tables.types import FieldType

KINDS = (
    (Members, "Members", "Tick the members to keep."),
    (Compare, "Compare", "Keep what is above, below or equal to a value."),
    (Between, "Range", "Keep what lies between two values, both ends in."),
    (TextRule, "Text", "Keep text that contains, starts with, ends with or matches something."),
    (Relative, "Relative", "Keep the last quarters, this month, the year to date."),
    (Blank, "Blank", "Keep records without a value, or with one."),
)
HOWS = (
    ("contains", "contains"),
    ("starts", "starts with"),
    ("ends", "ends with"),
    ("matches", "matches (regular expression)"),
)
WINDOWS = (("last", "the last"), ("this", "this"), ("to date", "this, to date"), ("next", "the next"))
UNITS = ("year", "quarter", "month", "week", "day")
EXAMPLES = {
    FieldType.DATE: "2026-04-30",
    FieldType.TIMESTAMP: "2026-04-30 14:05",
    FieldType.TEXT: "text",
    FieldType.YESNO: "yes",
}


def filter_card(desk: Desk, whole: Filter, parent: QWidget) -> CardBody:
    """Builds the card; of a filter with alternatives it shows one of them, which the desk remembers."""
    if isinstance(whole, Condition):
        return condition_card(desk, whole, parent)
    fold = desk.fold
    rules = whole.rules if isinstance(whole, Either) else (whole,)
    at = min(desk.alternative, len(rules) - 1)
    rule = rules[at]
    column = desk.column(rule.field)
    body = CardBody(
        f"Keep by {field_phrase(rule.field.field, rule.part)}",
        f"{rule.field.field} · {rule.field.table} · picks records, before anything is summed",
        parent,
    )
    if column is None or fold is None:
        body.text(f"{rule.field.field} is no longer in {rule.field.table}.", "warning")
        body.link("Take it out", lambda: desk.remove(whole.id))
        return body.end()

    def become(new: Simple, done: str) -> None:
        if isinstance(whole, Either):
            new = msgspec.structs.replace(whole, rules=(*rules[:at], new, *rules[at + 1 :]))
        desk.do(edits.Swap(fold.name, whole.id, msgspec.structs.replace(new, picker=whole.picker), done))

    if isinstance(whole, Either):
        body.section("Any one of these")
        said = [filter_phrase(each, desk.source, desk.basket.locale) for each in rules]
        body.choice("Show", list(enumerate(said)), at, desk.show_alternative)

    def switch(kind: type[Simple]) -> None:
        # Nothing is filtered before a value is given. Relative dates are about the date itself, whatever part was chosen.
        part = None if kind is Relative else rule.part
        first = Members(rule.id, rule.field, part, exclude=True) if kind is Members else kind(rule.id, rule.field, part)
        if isinstance(first, Compare):
            first = msgspec.structs.replace(first, sign="≥")
        name = next(name for each, name, _ in KINDS if each is kind)
        become(first, f"Filter {rule.field.field} by {name.lower()}")

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
    is_text = column.type is FieldType.TEXT
    fitting = [
        each
        for each in KINDS
        if not (each[0] is TextRule and not is_text) and not (each[0] is Relative and not column.type.is_time)
    ]
    body.chips(fitting, type(rule), switch, "Keep by")

    if isinstance(rule, Members):
        _members(desk, body, rule, become)
    elif isinstance(rule, Compare):
        _compare(body, rule, column.type, become)
    elif isinstance(rule, TextRule):
        _text(body, rule, become)
    elif isinstance(rule, Relative):
        _relative(desk, body, rule, become)
    elif isinstance(rule, Between):
        _range(desk, body, rule, column, become)
    else:
        body.chips(
            (
                (False, "without a value", "Blank, or no partner found over a link."),
                (True, "with a value", "Everything that is not blank."),
            ),
            rule.exclude,
            lambda value: become(msgspec.structs.replace(rule, exclude=value), f"Blanks of {rule.field.field}"),
            "Keep records",
        )
    alternatives_section(desk, body, whole, at)
    picker_section(desk, body, whole)
    body.section("Place")
    body.link("Take it out", lambda: desk.remove(whole.id))
    return body.end()


def _range(desk: Desk, body: CardBody, rule: Between, column: Column, become: Callable[[Simple, str], None]) -> None:
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

        body.column.addWidget(
            SpanDrawing(
                profile.shape, (float(ends[0]), float(ends[1])), (_number(rule.low), _number(rule.high)), column.type is FieldType.WHOLE, chosen, body
            )
        )  # fmt: skip
    for label, attribute, hint in (("From", "low", "the smallest"), ("To", "high", "the largest")):
        body.entry(
            label,
            getattr(rule, attribute),
            hint,
            lambda text, attribute=attribute: become(msgspec.structs.replace(rule, **{attribute: text.strip()}), done),
        )
    body.text("Both ends are in. A side without a value is open.", "quiet")


def _number(text: str | None) -> Decimal | None:
    """Canonical text as the number it is; None where there is none, or none that can be drawn."""
    try:
        value = Decimal(text or "")
        return value if math.isfinite(float(value)) else None
    except (InvalidOperation, OverflowError):
        return None


def _compare(body: CardBody, rule: Compare, kind: FieldType, become: Callable[[Simple, str], None]) -> None:
    holder = QWidget(body)
    line = QHBoxLayout(holder)
    line.setContentsMargins(0, 0, 0, 0)
    sign = Chooser(holder)
    for each in SIGNS:
        sign.addItem(each, each)
    sign.setCurrentIndex(SIGNS.index(rule.sign))
    sign.setAccessibleName("Comparison")
    value = Line(rule.value, holder)
    value.setPlaceholderText(EXAMPLES.get(kind, "0.00"))
    value.setAccessibleName("Value to compare with")
    sign.activated.connect(
        lambda at: become(msgspec.structs.replace(rule, sign=SIGNS[at]), f"Compare {rule.field.field}")
    )
    value.editingFinished.connect(
        lambda: (
            become(msgspec.structs.replace(rule, value=value.text().strip()), f"Compare {rule.field.field}")
            if value.isModified() and value.text() != rule.value
            else None
        )
    )
    line.addWidget(sign)
    line.addWidget(value, 1)
    body.column.addWidget(holder)


def _text(body: CardBody, rule: TextRule, become: Callable[[Simple, str], None]) -> None:
    done = f"Text of {rule.field.field}"
    body.choice("It", HOWS, rule.how, lambda how: become(msgspec.structs.replace(rule, how=how), done))
    body.entry("Text", rule.text, "case counts", lambda text: become(msgspec.structs.replace(rule, text=text), done))
    body.chips(
        ((False, "keep these", "Records whose text does."), (True, "leave these out", "Records whose text does not.")),
        rule.exclude,
        lambda value: become(msgspec.structs.replace(rule, exclude=value), done),
        "Keep records",
    )


def _relative(desk: Desk, body: CardBody, rule: Relative, become: Callable[[Simple, str], None]) -> None:
    done = f"Dates of {rule.field.field}"
    body.choice("Keep", WINDOWS, rule.how, lambda how: become(msgspec.structs.replace(rule, how=how), done))
    if rule.how in ("last", "next"):

        def many(text: str) -> None:
            if text.strip().isdigit() and int(text) > 0:
                become(msgspec.structs.replace(rule, count=int(text)), done)
            else:
                desk.sources.complain(f"“{text}” is not a number of {rule.unit}s.", "Type a number such as 4.")

        body.entry("How many", str(rule.count), "4", many)
    units = [(unit, f"{unit}s" if rule.how in ("last", "next") else unit) for unit in UNITS]
    body.choice("Of", units, rule.unit, lambda unit: become(msgspec.structs.replace(rule, unit=unit), done))
    try:
        kind = desk.source.column(rule.field).type
        meant = rule.between(desk.engine.as_of_date(rule.field), kind, desk.source.fiscal)
        body.text(f"Now that is {meant.low[:10]} to {meant.high[:10]}.", "quiet")
    except FoldBasketError as error:
        body.text(str(error), "warning")
    shown = desk.basket.as_of if desk.basket.as_of in ("latest", "today") else "date"

    def as_of(value: str) -> None:
        day = value
        if value == "date":
            day = (latest_day(desk.source.column(rule.field)) or datetime.date.today()).isoformat()
        desk.do(edits.ChangeBasket({"as_of": day}, "Change the as-of date"))

    body.choice("As of", (("latest", "the latest date"), ("today", "today"), ("date", "a date")), shown, as_of)
    if shown == "date":
        body.entry("Date", desk.basket.as_of, "2026-09-30", lambda text: desk.do(edits.ChangeBasket({"as_of": text.strip()}, "Change the as-of date")))  # fmt: skip


def _members(desk: Desk, body: CardBody, rule: Members, become: Callable[[Simple, str], None]) -> None:
    model = member_model(desk, rule, lambda new: become(new, f"Keep {rule.field.field}"), body)
    if model is None:
        body.text(why_no_list(desk, rule), "quiet")
        return
    narrowed = QSortFilterProxyModel(body)
    narrowed.setSourceModel(model)
    narrowed.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    search = Line(body)
    search.setPlaceholderText(f"Find among {len(model.keys):,}")
    search.setAccessibleName("Find a member")
    search.textChanged.connect(narrowed.setFilterFixedString)
    body.column.addWidget(search)
    holder = QWidget(body)
    line = QHBoxLayout(holder)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(10)

    def shown() -> list[int]:
        return [narrowed.mapToSource(narrowed.index(row, 0)).row() for row in range(narrowed.rowCount())]

    for label, keep in (("keep all", True), ("keep none", False)):
        button = QPushButton(label, holder)
        button.setProperty("role", "link")
        button.setToolTip("Of the members listed below")
        button.clicked.connect(lambda _=False, keep=keep: model.toggle(shown(), keep))
        line.addWidget(button)
    line.addStretch(1)
    body.column.addWidget(holder)
    view = QListView(body)
    view.setObjectName("members")
    view.setModel(narrowed)
    view.setUniformItemSizes(True)
    view.setAccessibleName(f"Members of {rule.field.field}; ticked ones are kept")
    view.setFixedHeight(min(300, 25 * max(3, model.rowCount()) + 4))
    body.column.addWidget(view)
    later = QCheckBox("Keep members that come later", body)
    later.setProperty("role", "quiet")
    later.setToolTip("When new records bring new members: ticked keeps them, unticked leaves them out.")
    later.setChecked(rule.exclude)

    def turn_round(keep_new: bool) -> None:
        listed = set(rule.members)
        flipped = tuple(key for key in model.keys if key not in listed)
        turned = {flag: not getattr(rule, flag) for flag in model.extra}
        become(msgspec.structs.replace(rule, exclude=keep_new, members=flipped, **turned), "Members that come later")

    later.clicked.connect(turn_round)
    body.column.addWidget(later)
