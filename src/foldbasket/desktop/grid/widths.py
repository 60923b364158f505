"""Widths of columns set by hand: dragged at the right edge of a heading, fitted by a double-click there."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF

from foldbasket.baskets import edits
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.geometry import EDGE, Geometry
from foldbasket.spec.look import Width

REACH = 4
"""So many pixels beside an edge still hold it."""
LEAST = 30


@dataclass
class Held:
    """An edge that is held: whose columns it bounds, where their left edge stands, and how wide they were and are, in pixels."""

    word: str
    left: float
    was: float
    now: float


def edge_at(at: Geometry, point: QPointF, scrolled: float) -> Held | None:
    """The edge of a column under a point of the headings; None where there is none."""
    if not 0 <= point.y() < at.head_height:
        return None
    report, left = at.report, at.left + EDGE
    for place, width in enumerate(at.head_widths):
        if (
            abs(left + width - point.x()) <= REACH
            and place < len(report.left.places)
            and report.left.places[place] >= 0
        ):
            return Held(report.rows.heads[report.left.places[place]].id, left, width, width)
        left += width
    if report.measures_on == "rows" or not report.measures:
        return None
    x = point.x() - at.heads_width + scrolled
    columns = at.columns_within(x - REACH, x + REACH)
    for column in columns:
        start, stop = float(at.column_edges[column]), float(at.column_edges[column + 1])
        if abs(stop - x) <= REACH:
            word = report.measures[int(report.top.measure[column])].id
            return Held(word, start + at.heads_width - scrolled, stop - start, stop - start)
    return None


def set_width(desk: Desk, held: Held, zoom: float) -> None:
    """Keeps the width to which an edge was dragged, for every column of its measure or row field."""
    _put(desk, held.word, round(max(LEAST, held.now) / zoom))


def fit(desk: Desk, word: str) -> None:
    """Lets columns be as wide as they need again."""
    _put(desk, word, 0)


def _put(desk: Desk, word: str, points: int) -> None:
    fold = desk.fold
    if fold is None:
        return
    widths = tuple(each for each in fold.look.widths if each.word != word)
    if points:
        widths = (*widths, Width(word, points))
    done = "Set the width of columns" if points else "Fit the width of columns"
    desk.do(edits.ChangeLook(fold.key, {"widths": widths}, done))
