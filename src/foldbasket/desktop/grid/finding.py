"""Finding in the report: a line to type into over the grid, and the places found, one after the other."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets.plain import Label, link
from foldbasket.folding.report.report import Report
from foldbasket.folding.report.search import HEAD, MOST_CELLS, MOST_FOUND, Spot, find

WIDE, HIGH, PAUSE = 330, 38, 150
"""Its size in pixels, and how long it waits for the next letter, in ms."""


class FindLine(QFrame):
    """Stands at the foot of the grid while one looks for something. Enter goes on, Shift+Enter back, Escape ends it."""

    def __init__(self, desk: Desk, grid: GridView) -> None:
        super().__init__(grid)
        self.desk, self.grid = desk, grid
        self.setObjectName("finder")
        self.spots: list[Spot] = []
        self.at = -1
        self._looked: tuple[Report, str] | None = None
        across = QHBoxLayout(self)
        across.setContentsMargins(8, 5, 6, 5)
        across.setSpacing(4)
        self.line = QLineEdit(self)
        self.line.setPlaceholderText("Find in the report")
        self.line.setAccessibleName("Find in the report")
        self.line.installEventFilter(self)
        self.said = Label("", self)
        self.said.setProperty("role", "quiet")
        across.addWidget(self.line, 1)
        across.addWidget(self.said)
        for sign, name, act in (
            ("↑", "The one before (Shift+Enter)", self.back),
            ("↓", "The next (Enter)", self.on),
            ("×", "Close (Escape)", self.end),
        ):
            button = link(sign, name, act, self)
            button.setAccessibleName(name)
            across.addWidget(button)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self._look)
        self.line.textChanged.connect(lambda _: self._pause.start(PAUSE))
        self._worker = Worker("find", self)
        self._worker.finished.connect(self._found)
        desk.add_work(self._worker)
        grid.installEventFilter(self)
        desk.when(Part.REPORT, self, lambda: self._pause.start(PAUSE) if self.isVisible() else None)
        self.hide()

    def begin(self) -> None:
        """Opens it, with what was looked for before."""
        self._place()
        self.show()
        self.raise_()
        self.line.setFocus()
        self.line.selectAll()
        self._look()

    def end(self) -> None:
        """Closes it; the keyboard goes back to the report."""
        self._worker.cancel()
        self.hide()
        self.grid.setFocus()

    def on(self) -> None:
        """Goes to the next place."""
        self._go(1)

    def back(self) -> None:
        """Goes to the place before."""
        self._go(-1)

    def _look(self) -> None:
        report, text = self.grid.report, self.line.text()
        self._pause.stop()
        if report is None or not text.strip():
            self.spots, self.at, self._looked = [], -1, None
            self.said.setText("")
        elif self._looked is None or self._looked[0] is not report or self._looked[1] != text:
            self._looked = (report, text)
            self.spots, self.at = [], -1  # those of another report, or text, lead nowhere
            self.said.setText("…")
            self._worker.start(lambda progress: find(report, text, lambda share: progress.step("Finding", share)))

    def _found(self, spots: Any) -> None:
        self.spots, self.at = spots, -1
        self._go(1)

    def _go(self, step: int) -> None:
        if self._pause.isActive():  # Enter came before the pause was over
            self._look()
            return
        if self._worker.busy:
            return
        report = self.grid.report
        if not self.spots or report is None or self._looked is None or self._looked[0] is not report:
            self.said.setText("nothing found" if self.line.text().strip() else "")
            self.setToolTip(
                ""
                if report is None or report.height * report.width <= MOST_CELLS
                else "Names alone were looked through."
            )
            return
        self.at = (self.at + step) % len(self.spots) if self.at >= 0 or step > 0 else len(self.spots) - 1
        many = f"{len(self.spots):,}" + ("+" if len(self.spots) == MOST_FOUND else "")
        self.said.setText(f"{self.at + 1:,} of {many}")
        spot = self.spots[self.at]
        if HEAD in spot:
            self.grid.hands.show_name(
                spot.column == HEAD, spot.row if spot.column == HEAD else spot.column, self.line.text()
            )
        else:
            self.grid.show_cell(*spot)

    def _place(self) -> None:
        room = self.grid.viewport().geometry()
        wide = min(WIDE, room.width() - 8)
        self.setGeometry(room.right() - wide - 6, room.bottom() - HIGH - 6, wide, HIGH)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        if watched is self.grid and event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        if watched is self.line and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            back = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            acts = {
                Qt.Key.Key_Escape: self.end,
                Qt.Key.Key_Return: self.back if back else self.on,
                Qt.Key.Key_Enter: self.on,
                Qt.Key.Key_Down: self.on,
                Qt.Key.Key_Up: self.back,
            }
            act = acts.get(Qt.Key(event.key()))
            if act is not None:
                act()
                return True
        return super().eventFilter(watched, event)
