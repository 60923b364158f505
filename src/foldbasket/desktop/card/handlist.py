"""A short list whose lines are put in order by hand: dragged, or moved by keys."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QModelIndex, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QSizePolicy, QWidget

STEPS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


class HandList(QListWidget):
    """Lines of words. Enter or a double-click opens one, Delete takes it out, Alt with an arrow moves it."""

    moved = pyqtSignal(int, int)
    opened = pyqtSignal(int)
    gone = pyqtSignal(int)

    def __init__(self, lines: Sequence[str], name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("hand")
        self.setAccessibleName(name)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        for line in lines:
            item = QListWidgetItem(line, self)
            item.setToolTip(f"{line}. Drag it, or move it with Alt and an arrow.")
        self.setCurrentRow(0)
        self.itemActivated.connect(lambda item: self.opened.emit(self.row(item)))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        model = self.model()
        assert model is not None
        model.rowsMoved.connect(self._dropped)

    def sizeHint(self) -> QSize:
        """As high as its lines, eight at most."""
        self.ensurePolished()
        return QSize(200, min(self.count(), 8) * max(self.sizeHintForRow(0), 20) + 2 * self.frameWidth() + 4)

    def minimumSizeHint(self) -> QSize:
        return QSize(80, self.sizeHint().height())

    def _dropped(self, _: QModelIndex, start: int, end: int, __: QModelIndex, row: int) -> None:
        to = row if row <= start else row - (end - start + 1)
        QTimer.singleShot(0, lambda: self.moved.emit(start, to))  # the list is drawn anew for it, so not while it drops

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        at, key = self.currentRow(), Qt.Key(event.key())
        step: Any = STEPS.get(key) if event.modifiers() & Qt.KeyboardModifier.AltModifier else None
        if step is not None:
            if 0 <= at + step < self.count():
                self.moved.emit(at, at + step)
        elif key == Qt.Key.Key_Delete:
            self.gone.emit(at)
        else:
            super().keyPressEvent(event)
