"""The parts of a filter's card that widen it: other conditions that are enough, and offering it to the reader as a picker."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec
from PyQt6.QtWidgets import QCheckBox, QWidget

from foldbasket.baskets import edits, placing
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.values import Compare
from foldbasket.sentence.phrases import field_phrase
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, OneField


def alternatives_section(desk: Desk, body: CardBody, whole: Filter, at: int) -> None:
    """Adds the section that makes other conditions enough, too."""
    fold = desk.fold
    assert fold is not None
    rules = tuple(whole.alternatives())
    body.section("Or else")
    offered = placing.fields_for(desk.source, fold, "filters")
    fields = [(ref, f"{ref.field} · {desk.basket.source_name(ref.table)}") for ref, _, fits in offered if fits]

    def add(ref: FieldRef | None) -> None:
        column = desk.column(ref) if ref is not None else None
        if ref is None or column is None:
            return
        other = placing.word_for("filters", ref, column, fold)
        if column.type.is_number:
            other = Compare(other.id, ref, None, "≥", "0")
        assert isinstance(other, OneField)
        first: tuple[Any, ...] = tuple(each.as_word(each.id, "") for each in rules)
        desk.view.alternative = len(rules)
        either = Either(whole.id, (*first, other), picker=whole.picker)
        desk.do(edits.Swap(fold.key, whole.id, either, f"Or by {ref.field}"))

    body.choice("Keep also by", [(None, "choose a field"), *fields], None, add)
    if not isinstance(whole, Either):
        return

    def drop() -> None:
        rest = rules[:at] + rules[at + 1 :]
        desk.view.alternative = 0
        left: Filter = (
            msgspec.structs.replace(whole, rules=rest) if len(rest) > 1 else rest[0].as_word(whole.id, whole.picker)
        )
        desk.do(edits.Swap(fold.key, whole.id, left, "Take an alternative out"))

    body.link("Take this alternative out", drop)


def picker_section(desk: Desk, body: CardBody, whole: Filter) -> None:
    """Adds the section that offers the filter to the reader beside the report, in one fold or in several."""
    fold = desk.fold
    assert fold is not None
    body.section("Picker")
    sharing = [
        each.key
        for each in desk.basket.folds
        if whole.picker and any(rule.picker == whole.picker for rule in each.filters)
    ]
    said = field_phrase(whole.field.field, whole.part)

    def offer(name: str, on: bool) -> None:
        folds = [each for each in sharing if each != name] + ([name] if on else [])
        desk.do(edits.OfferPicker(fold.key, whole.id, tuple(folds), said))

    others = [each.key for each in desk.basket.folds if each.key != fold.key] if whole.picker else []

    def box(name: str, parent: QWidget) -> QWidget:
        own = name == fold.key
        made = QCheckBox("Offer it beside the report" if own else f"also in “{desk.basket.fold_name(name)}”", parent)
        made.setProperty("role", "quiet")
        made.setChecked(name in sharing)
        made.setToolTip("" if own else "What is picked in one report is picked in all that share it.")
        made.clicked.connect(partial(offer, name))
        return made

    for name in (fold.key, *others):
        body.widget(partial(box, name))
