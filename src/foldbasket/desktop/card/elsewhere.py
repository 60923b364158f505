"""The part of an axis field's card that says which fields of unlinked tables mean the same, so that they can stand side by side."""

from __future__ import annotations

from foldbasket.baskets import edits
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.errors import FoldBasketError
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed


def elsewhere_section(body: CardBody, desk: Desk, placed: Placed) -> None:
    """Adds a line for each table that no link joins with the field's; nothing where there is none."""
    column = desk.column(placed.field)
    apart = [name for name in desk.source.tables if _is_apart(desk, placed.field.table, name)]
    if column is None or not apart:
        return
    body.section("The same in other tables")
    for name in apart:
        fields = [
            (FieldRef(name, field), field)
            for field, other in desk.source.tables[name].columns.items()
            if other.type is column.type or (other.type.is_time and column.type.is_time)
        ]
        if not fields:
            continue
        now = desk.source.stand_in(name, placed.field)

        def say(ref: FieldRef | None, name: str = name) -> None:
            done = f"{placed.field.field} in {desk.source.called(name)}"
            desk.do(edits.ShareField(placed.field, name, ref, done))

        body.choice(f"In {desk.source.called(name)}", [(None, "nothing"), *fields], now, say)
    body.text("Measures of such tables can stand side by side by this field.", "quiet")


def _is_apart(desk: Desk, one: str, other: str) -> bool:
    try:
        desk.source.base_for([one, other])
    except FoldBasketError:
        return True
    return False
