"""Hands on the headings of the grid: members are selected by mouse and keys, put in order, folded up; headings are carried to another place.

Their `view` is the `view.GridView` that they work on.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPainter
from PyQt6.QtWidgets import QApplication

from foldbasket.desktop.grid import carrying
from foldbasket.desktop.grid.carrying import Carried, Landing
from foldbasket.desktop.grid.chosen import Chosen, chosen_at
from foldbasket.desktop.grid.geometry import EDGE, TOP
from foldbasket.desktop.grid.onmeasure import OnMeasure, key_on_measure, on_measure
from foldbasket.desktop.work.members import Seen, counted, innermost, seen_at, tokens_of
from foldbasket.errors import BasketError
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report

SHIFT, CONTROL, ALT = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)
STEP = 30
"""So many pixels it scrolls by where a selection is drawn out beyond the edge."""


class Hands:
    """What is selected and carried among the headings of a grid. What is selected is carried by a drag; a drag from elsewhere selects."""

    def __init__(self, view: Any) -> None:
        self.view = view
        self.chosen: Chosen | None = None
        self.measure: OnMeasure | None = None
        """The name of a measure that the keyboard is on, while no member is selected."""
        self.carried: Carried | None = None
        self._draws_out = False

    @property
    def landing(self) -> Landing | None:
        """Where what is carried would go."""
        seen, carried = self.view.in_view, self.carried
        if seen is None or carried is None:
            return None
        return carrying.landing(self.view.desk, seen, self.view.room, carried)

    def renew(self, report: Report | None) -> None:
        """Keeps the selection where the report still has it."""
        self.carried = None
        if self.chosen is not None:
            self.chosen = self.chosen.renewed(report) if report is not None else None
        if self.measure is not None:
            self.measure = self.measure.renewed(report) if report is not None else None

    def forget(self) -> None:
        """Nothing is selected any more, since cells are."""
        self.chosen = self.measure = None

    def choose(self, chosen: Chosen | None) -> None:
        """Selects members in place of cells."""
        if chosen is None and self.chosen is None and self.measure is None:
            return
        self.chosen, self.measure = chosen, None
        if chosen is not None:
            self.view.forget_mark()
        self.view.tell_selection()

    def chosen_under(self, seen: Seen | None) -> Chosen | None:
        """The selected members where a member is one of them, else that member alone, which is selected then."""
        now, report = self.chosen, self.view.report
        if seen is None or report is None or (now is not None and now.word == seen.word and seen.path in now.paths):
            return now if seen is not None else None
        place = report.left.place_of(seen.word)
        on_rows = place is not None
        place = place if on_rows else report.top.place_of(seen.word)
        self.choose(chosen_at(report, on_rows, place, seen.at) if place is not None else None)
        return self.chosen

    # --- the mouse ----------------------------------------------------------

    def press(self, event: QMouseEvent) -> bool:
        """Takes a press on a heading; False where there is none."""
        point, report = event.position(), self.view.report
        under, word = self.view.margin_at(point), self.view.heading_at(point)
        if under is None or report is None or word is None:
            return False
        margin, at, place = under
        on_rows, now = margin is report.left, self.chosen
        seen = seen_at(margin, at, place) if at is not None else None
        if seen is None or at is None or seen.is_gathered:
            self.choose(None)
            is_measure = margin.places[place] == MEASURE
            self.measure = on_measure(report, on_rows, at) if is_measure and at is not None else None
            if self.view.desk.view.reading:
                return True
            self.carried = Carried(word, self.view.desk.words.said(word), on_rows, point, point, is_measure=is_measure)
        else:
            beside = now is not None and now.on_rows == on_rows and now.word == seen.word
            if now is not None and beside and event.modifiers() & SHIFT:
                self.choose(now.to(at))
            elif now is not None and beside and event.modifiers() & CONTROL:
                self.choose(now.toggled(seen, at))
            elif now is not None and beside and seen.path in now.paths and not self.view.desk.view.reading:
                self.carried = Carried(word, counted(now.members), on_rows, point, point, replace(now, at=at))
            else:
                self.choose(chosen_at(report, on_rows, place, at))
                self._draws_out = True
        self.view.forget_mark()
        self.view.heading_chosen.emit(word)
        return True

    def move(self, event: QMouseEvent) -> bool:
        """Draws the selection out, or carries what was taken up; False where neither is done."""
        if not event.buttons() & Qt.MouseButton.LeftButton:
            return False
        point = event.position()
        if self.carried is not None:
            far = (point - self.carried.begun).manhattanLength() >= QApplication.startDragDistance()
            self.carried.moving = self.carried.moving or far
            self.carried.at = point
            if self.carried.moving:
                self.view.hold(Qt.CursorShape.ClosedHandCursor)
            return True
        if self._draws_out and self.chosen is not None:
            at = self._along(point)
            if at is not None and at != self.chosen.at:
                self.choose(self.chosen.to(at))
        return self._draws_out

    def _along(self, point: QPointF) -> int | None:
        """The row or column that a point is beside; beyond the edge the view is scrolled."""
        seen, chosen, view = self.view.in_view, self.chosen, self.view
        if seen is None or chosen is None:
            return None
        bar = view.verticalScrollBar() if chosen.on_rows else view.horizontalScrollBar()
        here, first, last = (
            (point.y(), seen.at.head_height, seen.height)
            if chosen.on_rows
            else (point.x(), seen.at.heads_width, seen.width)
        )
        if bar is not None and not first <= here < last:
            bar.setValue(bar.value() + (STEP if here >= last else -STEP))
        here = max(first + 1, min(here, last - 1))
        if chosen.on_rows:
            lines = seen.at.lines_within(here - first + seen.y, here - first + seen.y + 0.5)
        else:
            lines = seen.at.columns_within(here - first + seen.x, here - first + seen.x + 0.5)
        return lines[0] if len(lines) else None

    def release(self) -> bool:
        """Lets go; False where nothing was held."""
        carried, to, drew = self.carried, self.landing, self._draws_out
        self.carried, self._draws_out = None, False
        self.view.hold(None)
        if carried is None:
            return drew
        if not carried.moving:
            if carried.chosen is not None:  # a click on one of several selects it alone
                at = carried.chosen
                self.choose(chosen_at(at.report, at.on_rows, at.place, at.at))
        elif to is not None:
            to.act()
        return True

    # --- the keyboard -------------------------------------------------------

    def enter(self, on_rows: bool, at: int) -> bool:
        """Goes from a cell to the heading beside it; False where that is the heading of a total."""
        report = self.view.report
        if report is None:
            return False
        margin = report.left if on_rows else report.top
        if margin.places[-1:] == (MEASURE,):
            return self.go_to(on_rows, len(margin.places) - 1, at)
        seen = innermost(margin, at)
        return seen is not None and self.go_to(on_rows, margin.place(seen.field), at)

    def go_to(self, on_rows: bool, place: int, at: int) -> bool:
        """Puts the keyboard on the heading of a row or column at a place; False where there is none."""
        report = self.view.report
        margin = report.left if on_rows else report.top
        if margin.places[place] == MEASURE:
            measure = on_measure(report, on_rows, at)
            if measure is not None:
                self.choose(None)
                self.view.forget_mark()
                self.measure = measure
                self.view.tell_selection()
                self.view.heading_chosen.emit(measure.word)
                self.view.bring(on_rows, at)
            return measure is not None
        chosen = chosen_at(report, on_rows, place, at)
        if chosen is not None:
            self.choose(chosen)
            self.view.heading_chosen.emit(chosen.word)
        return chosen is not None

    def level(self, on_rows: bool, place: int, at: int, step: int) -> None:
        """Goes from a heading to the one further out or in, and behind the innermost to the cells."""
        report = self.view.report
        places = (report.left if on_rows else report.top).places
        to = place + step
        while 0 <= to < len(places):
            if self.go_to(on_rows, to, at):
                return
            to += step
        if step > 0:
            self.view.show_cell(*((at, 0) if on_rows else (0, at)))

    def show_name(self, on_rows: bool, at: int, text: str) -> None:
        """Selects the innermost member of a row or column whose name holds a text, and brings it into view; else the cells of the line."""
        report = self.view.report
        if report is None:
            return
        margin, wanted = (report.left if on_rows else report.top), text.strip().casefold()
        for place in reversed(range(len(margin.places))):
            seen = seen_at(margin, at, place)
            if seen is not None and wanted in seen.label.casefold():
                self.choose(chosen_at(report, on_rows, place, at))
                self.view.bring(on_rows, at)
                return
        self.view.show_cell(*((at, 0) if on_rows else (0, at)))

    def key(self, event: QKeyEvent) -> bool:
        """Takes a key among the headings; False where it means nothing there."""
        if event.key() == Qt.Key.Key_Escape and self.carried is not None:
            self.carried = None
            self.view.hold(None)
            return True
        chosen, key = self.chosen, Qt.Key(event.key())
        if self.measure is not None:
            return key_on_measure(self, self.measure, event)
        if chosen is None:
            return False
        ways = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right)
        if not chosen.on_rows:
            ways = (ways[2], ways[3], ways[0], ways[1])
        if key in ways[:2]:
            self._step(chosen, 1 if key == ways[1] else -1, event.modifiers())
        elif key in ways[2:]:
            self.level(chosen.on_rows, chosen.place, chosen.at, 1 if key == ways[3] else -1)
        elif key == Qt.Key.Key_Escape:
            self.choose(None)
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.view.copy()
        else:
            return self._do(chosen, key, bool(event.modifiers() & CONTROL))
        return True

    def _do(self, chosen: Chosen, key: Qt.Key, control: bool) -> bool:
        """What keys do to the selected members."""
        work, current = self.view.desk.members, chosen.current
        if key == Qt.Key.Key_Space and control and current is not None:
            self.choose(chosen.toggled(current, chosen.at))
        elif key in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter) and current is not None:
            work.turn(current)
        elif key in (Qt.Key.Key_Minus, Qt.Key.Key_Plus) and not control:
            work.turn_several(chosen.members, key == Qt.Key.Key_Minus)
        elif key == Qt.Key.Key_Delete and not self.view.desk.view.reading:
            work.keep_several(chosen.word, chosen.tokens, only=False)
        else:
            return False
        return True

    def _step(self, chosen: Chosen, step: int, modifiers: Any) -> None:
        if modifiers & ALT and not self.view.desk.view.reading:
            self._put(chosen, step)
            return
        to = chosen.following(step)
        if to is None:
            return
        if modifiers & SHIFT:
            self.choose(chosen.to(to))
        elif modifiers & CONTROL:
            self.choose(replace(chosen, at=to))
        else:
            self.choose(chosen_at(chosen.report, chosen.on_rows, chosen.place, to))
        self.view.bring(chosen.on_rows, to)

    def _put(self, chosen: Chosen, step: int) -> None:
        """Moves the selected members one place along, by hand."""
        try:
            tokens, moved = tokens_of([each for each, _, _ in chosen.siblings]), chosen.tokens
        except BasketError as error:
            self.view.desk.failed.emit(error)
            return
        place_of = {token: place for place, token in enumerate(tokens)}
        places = [place_of[token] for token in moved if token in place_of]
        if not places:
            return
        at = max(places) + 2 if step > 0 else min(places) - 1
        if 0 <= at <= len(tokens):
            self.view.desk.members.put(chosen.word, tokens, moved, at)

    # --- drawing ------------------------------------------------------------

    def area(self) -> QRectF | None:
        """Where the heading stands that the keyboard is on."""
        chosen, seen = self.chosen or self.measure, self.view.in_view
        if chosen is None or seen is None:
            return None
        at = seen.at
        runs = chosen.margin.runs(chosen.place, range(chosen.at, chosen.at + 1))
        start, stop = runs[0] if runs else (chosen.at, chosen.at + 1)
        if chosen.on_rows:
            one = at.sheet.indented
            left = at.left + EDGE + (0 if one else sum(at.head_widths[: chosen.place])) - seen.drift
            top = max(float(at.line_tops[start]) - seen.y, 0.0)
            bottom = float(at.line_tops[stop - 1] + at.line_heights[stop - 1]) - seen.y
            wide = at.head_widths[0 if one else chosen.place]
            return QRectF(left, at.head_height + top, wide - EDGE, max(bottom - top, 4.0))
        left = max(float(at.column_edges[start]) - seen.x, 0.0)
        right = float(at.column_edges[stop]) - seen.x
        top = at.scaled(TOP) + sum(at.head_heights[: chosen.place])
        return QRectF(at.heads_width + left - seen.drift, top, max(right - left, 4.0), at.head_heights[chosen.place])

    def draw(self, painter: QPainter) -> None:
        """Draws what is carried, and where it would land."""
        if self.carried is not None and self.carried.moving:
            room = QRectF(self.view.room)
            carrying.draw(painter, self.carried, self.landing, self.view.edges(), room)
