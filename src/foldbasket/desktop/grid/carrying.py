"""What is carried over the grid by hand, a heading or members, and where it would land: before another member, at another level, on the other axis, out of the report."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QLineF, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from foldbasket.baskets import edits
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid import edges
from foldbasket.desktop.grid.chosen import Chosen
from foldbasket.desktop.grid.geometry import EDGE, TOP
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.work.members import tokens_of
from foldbasket.errors import BasketError
from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.folding.report.margins import MEASURE
from foldbasket.spec.fold import MeasuresOn

PAD, HIGH = 7, 22


@dataclass(frozen=True)
class Landing:
    """Where it would go: what that does in words, a line where it would stand or an edge that takes it, and the doing."""

    said: str
    act: Callable[[], object]
    line: QLineF | None = None
    strand: str = ""


@dataclass
class Carried:
    """A word by one of its headings, or members that are selected. `begun` is where it was taken up, `at` where it is."""

    word: str
    label: str
    on_rows: bool
    begun: QPointF
    at: QPointF
    chosen: Chosen | None = None
    is_measure: bool = False
    moving: bool = False


def landing(desk: Desk, seen: View, room: QRect, carried: Carried) -> Landing | None:
    """Where what is carried would go if it were let go; None where nothing would come of it."""
    point = carried.at
    if not room.contains(point.toPoint()):
        return Landing(
            f"Take {desk.words.said(carried.word) or carried.label} out", lambda: desk.words.remove(carried.word)
        )
    under = seen.margin_at(point)
    if under is not None and (under[0] is seen.at.report.left) == carried.on_rows:
        return _along_own(desk, seen, carried, under[1], under[2])
    strand = edges.strand_at(edges.areas(room, seen.at), point)
    own = "rows" if carried.on_rows else "columns"
    if strand == "measures" or strand == own:
        return None
    if carried.is_measure:
        return Landing(f"Measures along {strand}", lambda: _measures_on(desk, strand), strand=strand)
    return Landing(
        f"{desk.words.said(carried.word)} on {strand}", lambda: desk.words.move(carried.word, strand), strand=strand
    )


def _measures_on(desk: Desk, strand: str) -> None:
    fold = desk.fold
    if fold is not None:
        changes = {"measures_on": MeasuresOn(strand), "measures_at": None}
        desk.do(edits.ChangeFold(fold.key, changes, f"Measures along {strand}"))


def _along_own(desk: Desk, seen: View, carried: Carried, at: int | None, place: int) -> Landing | None:
    """Over the headings of its own axis: among its siblings, or at the place of another field."""
    margin = seen.at.report.left if carried.on_rows else seen.at.report.top
    if carried.is_measure:
        return _among_measures(desk, seen, carried, at) if at is not None and margin.places[place] == MEASURE else None
    own = margin.place_of(carried.word)
    if own is None or margin.places[place] == MEASURE:
        return None
    if place != own:
        return _nested(desk, seen, carried, place)
    return _among_members(desk, seen, carried, at) if carried.chosen is not None and at is not None else None


def _among_members(desk: Desk, seen: View, carried: Carried, at: int) -> Landing | None:
    chosen = carried.chosen
    assert chosen is not None
    try:
        every = chosen.siblings
    except BasketError as error:
        failed = error
        return Landing("Too many to be put in order by hand", lambda: desk.failed.emit(failed))
    pairs = zip(every, tokens_of([each for each, _, _ in every]), strict=True)
    named = [(each, token) for each, token in pairs if token not in (BLANK, NO_MATCH)]
    siblings, tokens = [each for each, _ in named], [token for _, token in named]
    moved = chosen.tokens
    over = next((k for k, (_, start, stop) in enumerate(siblings) if start <= at < stop), None)
    if over is None:
        return None
    beside, start, stop = siblings[over]
    first, last = _stretch(seen, carried.on_rows, start, stop)
    here = _along(seen, carried)
    behind = here > (first + last) / 2
    to = over + behind
    line = _across(seen, carried.on_rows, chosen.place, last if behind else first)
    labels = f"{carried.label} {'after' if behind else 'before'} {beside.label}"
    return Landing(labels, lambda: desk.members.put(carried.word, tokens, moved, to), line)


def _among_measures(desk: Desk, seen: View, carried: Carried, at: int) -> Landing | None:
    report = seen.at.report
    margin = report.left if carried.on_rows else report.top
    number = int(margin.measure[at])
    if number < 0:
        return None
    first, last = _stretch(seen, carried.on_rows, at, at + 1)
    behind = _along(seen, carried) > (first + last) / 2
    place = margin.place(MEASURE) if MEASURE in margin.places else 0
    line = _across(seen, carried.on_rows, place, last if behind else first)
    said = f"{carried.label} {'after' if behind else 'before'} {report.measures[number].heading}"
    return Landing(said, lambda: desk.words.move(carried.word, "measures", number + behind), line)


def _nested(desk: Desk, seen: View, carried: Carried, place: int) -> Landing:
    """At the place of another field of its axis: outside it or inside it, by the half that it is over."""
    at, report = seen.at, seen.at.report
    margin = report.left if carried.on_rows else report.top
    sizes = at.head_widths if carried.on_rows else at.head_heights
    start = (at.left + EDGE if carried.on_rows else at.scaled(TOP)) + sum(sizes[:place])
    here = seen.on_report(carried.at).x() if carried.on_rows else carried.at.y()
    inside = here > start + sizes[place] / 2
    field = margin.places[place]
    edge = start + sizes[place] * inside - (seen.drift if carried.on_rows else 0)
    line = QLineF(edge, 0, edge, seen.height) if carried.on_rows else QLineF(0, edge, seen.width, edge)
    strand = "rows" if carried.on_rows else "columns"
    said = f"{desk.words.said(carried.word)} {'inside' if inside else 'outside'} {margin.axis.heads[field].heading}"
    return Landing(said, lambda: desk.words.move(carried.word, strand, field + inside), line)


def _along(seen: View, carried: Carried) -> float:
    return carried.at.y() if carried.on_rows else seen.on_report(carried.at).x()


def _stretch(seen: View, on_rows: bool, start: int, stop: int) -> tuple[float, float]:
    """Where some rows or columns begin and end in the view."""
    at = seen.at
    if on_rows:
        first, last = float(at.line_tops[start]), float(at.line_tops[stop - 1] + at.line_heights[stop - 1])
        return first + at.head_height - seen.y, last + at.head_height - seen.y
    first, last = float(at.column_edges[start]), float(at.column_edges[stop])
    return first + at.heads_width - seen.x, last + at.heads_width - seen.x


def _across(seen: View, on_rows: bool, place: int, where: float) -> QLineF:
    """A line across the headings of a place and the cells beside them."""
    at = seen.at
    if on_rows:
        start = at.left + (0 if at.sheet.indented else sum(at.head_widths[:place])) - seen.drift
        return QLineF(start, where, seen.width, where)
    return QLineF(where - seen.drift, at.scaled(TOP) + sum(at.head_heights[:place]), where - seen.drift, seen.height)


def draw(painter: QPainter, carried: Carried, to: Landing | None, areas: Any, room: QRectF) -> None:
    """Draws where it would land, and beside the pointer what letting go does."""
    colours = theme.palette()
    strand = "measures" if carried.is_measure else "rows" if carried.on_rows else "columns"
    if to is not None and to.strand:
        edges.light(painter, areas, to.strand)
    if to is not None and to.line is not None:
        painter.setPen(QPen(QColor(colours.strand(strand)), 2))
        painter.drawLine(to.line)
    said = to.said if to is not None else f"{carried.label}: let go here and nothing changes"
    painter.setFont(theme.font())
    wide = painter.fontMetrics().horizontalAdvance(said) + 2 * PAD
    left = max(2.0, min(carried.at.x() + 14, room.right() - wide - 2))
    top = max(2.0, min(carried.at.y() + 14, room.bottom() - HIGH - 2))
    tag = QRectF(left, top, wide, HIGH)
    painter.fillRect(tag, QColor(colours.panel))
    painter.setPen(QPen(QColor(colours.strand(strand) if to is not None else colours.rule), 1))
    painter.drawRect(tag)
    painter.setPen(QColor(colours.ink if to is not None else colours.muted))
    painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, said)
