"""The members of a field or of a part of a date, as cards offer them to choose from."""

from __future__ import annotations

from foldbasket.desktop.desk import Desk
from foldbasket.folding.domain import Domain, part_of
from foldbasket.links.source import FieldRef
from foldbasket.tables.column import DeferredColumn

MOST = 200


def members_of(desk: Desk, ref: FieldRef, part: str | None) -> list[tuple[str, str]]:
    """Members by key and label, in label order; the first two hundred."""
    column = desk.column(ref)
    if column is None or isinstance(column, DeferredColumn):  # encoding it would make the window wait
        return []
    dictionary = column.coded().dictionary
    domain = part_of(dictionary, part, ref.field)[1] if part is not None else Domain(dictionary)
    order = domain.ranks[: domain.blank].argsort()[:MOST]
    return [(domain.key(int(code)), domain.label(int(code), desk.basket.locale)) for code in order]
