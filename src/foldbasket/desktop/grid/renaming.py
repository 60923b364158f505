"""Headings renamed where they stand: a line to type into over the heading of a field or a measure."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QRectF, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.geometry import EDGE, TOP
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.folding.report.margins import MEASURE
from foldbasket.sentence.phrases import measure_heading, placed_heading
from foldbasket.spec.fold import Measure, Placed

NARROWEST = 90


def heading_area(seen: View, word: str) -> QRectF | None:
    """Where the heading of a word stands in the view; None where none does."""
    at, report = seen.at, seen.at.report
    left = at.left + EDGE - seen.drift
    for place, wide in enumerate(at.head_widths):
        field = report.left.places[place] if place < len(report.left.places) else MEASURE
        if field != MEASURE and report.rows.heads[field].id == word and not at.sheet.indented:
            high = at.head_heights[-1]
            return QRectF(left, at.head_height - high, wide, high)
        left += wide
    number = report.measure_at(word)
    if number is None or MEASURE not in report.top.places:
        return None
    place = report.top.place(MEASURE)
    for column in at.columns_within(seen.x, seen.x + seen.width - at.heads_width):
        start = at.heads_width + float(at.column_edges[column]) - seen.x - seen.drift
        if int(report.top.measure[column]) == number and start >= at.heads_width - seen.drift - 1:
            wide = float(at.column_edges[column + 1] - at.column_edges[column])
            return QRectF(start, at.scaled(TOP) + sum(at.head_heights[:place]), wide, at.head_heights[place])
    return None


class HeadingLine(QLineEdit):
    """Takes the new heading: Enter or leaving keeps it, Escape does not; an empty one goes back to the usual."""

    def __init__(self, desk: Desk, grid: GridView, word: Measure | Placed, area: QRectF) -> None:
        super().__init__(grid.viewport())
        self._desk, self._grid, self._word = desk, grid, word
        self.usual = placed_heading(word) if isinstance(word, Placed) else measure_heading(word)
        self.setObjectName("inPlace")
        self.setText(self.usual)
        self.setAccessibleName(f"New heading of {self.usual}")
        room = grid.viewport().rect()
        wide = max(NARROWEST, int(area.width()))
        left = max(0, min(int(area.left()), room.width() - wide))
        self.setGeometry(left, int(area.top()), wide, max(22, int(area.height())))
        self.selectAll()
        self.show()
        self.setFocus()
        self.installEventFilter(self)
        self._is_done = False

    def finish(self, *, keep: bool) -> None:
        """Ends it; with `keep` the heading is what was typed."""
        if self._is_done:
            return
        self._is_done = True
        text = self.text().strip()
        self._grid.setFocus()
        let_go(self)
        fold, word = self._desk.fold, self._word.id
        words: list[Measure | Placed] = [*fold.measures, *fold.rows, *fold.columns] if fold is not None else []
        stands = any(each.id == word for each in words)
        if keep and stands and text != self.usual:  # it may have gone from the axes meanwhile, to the filters for one
            self._desk.words.change(self._word.id, f"Rename {self.usual}", heading=text or None)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
                self.finish(keep=event.key() != Qt.Key.Key_Escape)
                return True
        elif event.type() == QEvent.Type.FocusOut:
            self.finish(keep=True)
        return super().eventFilter(watched, event)


def rename_here(desk: Desk, grid: GridView) -> HeadingLine | None:
    """Lets the heading of the selected word be typed where it stands; None where it does not stand in the grid."""
    fold, seen, word = desk.fold, grid.in_view, desk.view.word
    words: list[Measure | Placed] = [*fold.measures, *fold.rows] if fold is not None else []
    found = next((each for each in words if each.id == word), None)
    area = heading_area(seen, found.id) if seen is not None and found is not None and grid.isVisible() else None
    return HeadingLine(desk, grid, found, area) if found is not None and area is not None else None
