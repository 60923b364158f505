"""The members of a field, as it is or cut into parts, bands or groups, as cards offer them to choose from."""

from __future__ import annotations

from foldbasket.desktop.desk import Desk
from foldbasket.errors import FoldError
from foldbasket.spec.cut import Cut
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import DeferredColumn

MOST = 200


def members_of(desk: Desk, ref: FieldRef, cut: Cut | None) -> list[tuple[str, str]]:
    """Members by key and label, in label order; the first two hundred."""
    column = desk.listed_column(ref)
    if column is None or isinstance(column, DeferredColumn):  # encoding it would make the window wait
        return []
    try:
        members = desk.listings.of(column, cut, desk.source.fiscal, desk.basket.locale)
    except FoldError:  # bands or parts that do not fit; the report says so
        return []
    return list(zip(members.keys[:MOST], members.labels[:MOST], strict=True)) if members is not None else []
