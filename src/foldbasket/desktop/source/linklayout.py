"""Where tables stand on the map of links, and which key is most like another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from foldbasket.links.link import Link
from foldbasket.links.suggest import words

LINE = 20


MOST_FIELDS = 14


@dataclass
class Box:
    """A table on the map."""

    key: str
    area: QRectF


def near_side(box: Box) -> QPointF:
    """Where the lines of a table leave its box."""
    return QPointF(box.area.right(), box.area.center().y())


def columns_of(names: Sequence[str], links: Sequence[Link]) -> dict[str, int]:
    """For each table how far right it stands: one further than every table that is linked to it."""
    column = dict.fromkeys(names, 0)
    for _ in names:
        for link in links:
            column[link.to_table] = max(column[link.to_table], min(len(names), column[link.from_table] + 1))
    return column


def likeliest(field: str, others: Sequence[str]) -> str | None:
    """The field whose name is most like another's."""
    wanted = set(words(field))
    return max(
        others, key=lambda other: (other.casefold() == field.casefold(), len(wanted & set(words(other)))), default=None
    )


def distance(point: QPointF, start: QPointF, stop: QPointF) -> float:
    """How far a point is from an upright or level line."""
    x = min(max(point.x(), min(start.x(), stop.x())), max(start.x(), stop.x()))
    y = min(max(point.y(), min(start.y(), stop.y())), max(start.y(), stop.y()))
    return abs(point.x() - x) + abs(point.y() - y)
