"""The part of a measure's card that compares it: with totals, with other members, with another measure, or along a field."""

from __future__ import annotations

import msgspec

from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.errors import FoldError
from foldbasket.spec.comparison import Comparison, is_form, offered
from foldbasket.spec.fold import Measure


def compare_section(body: CardBody, desk: Desk, measure: Measure) -> None:
    """Adds the section."""
    fold = desk.fold
    if fold is None:
        return
    body.section("Compare")
    now = measure.compare

    def set_to(compare: Comparison | None) -> None:
        said = f"Show as {compare.said}" if compare is not None else "Compare no more"
        # A pattern for euros says nothing of a share or a rank: such cells are written as their own kind asks.
        keeps = compare is None or compare.keeps_unit
        number = measure.number if keeps else msgspec.structs.replace(measure.number, pattern=None, scale="one")
        desk.words.change(measure.id, said, compare=compare, number=number)

    def choose(form: Comparison | None) -> None:
        if form is None:
            set_to(None)
            return
        try:
            set_to(
                form.started(fold, measure.id, lambda word: [key for key, _ in members_of(desk, word.field, word.part)])
            )
        except FoldError as error:
            desk.failed.emit(error)

    forms: list[tuple[Comparison | None, str]] = [(None, "not at all"), *offered()]
    body.choice("Show", forms, next((form for form, _ in forms if is_form(form, now)), None), choose)
    if now is not None:
        draw_parameters(body, desk, fold, now, set_to, measure.id)
