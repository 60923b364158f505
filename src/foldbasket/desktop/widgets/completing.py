"""A text that is completed as one types: a list of offers under the cursor, and a wave under what is wrong. Formulas and sentences are typed into one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QTextCharFormat
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QPlainTextEdit, QTextEdit, QWidget

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import short, tip

SHOWN = 9
MOST, LONGEST = 100, 200
"""So many offers are listed, each with so many letters at the most: Qt measures all that it is given."""


@dataclass(frozen=True)
class Line:
    """One offer as the list shows it, what it means, and what is handed on when it is taken."""

    shown: str
    meaning: str
    value: Any


class CompletingText(QPlainTextEdit):
    """The text itself. `applied` tells that Enter was pressed where no offer stood; what offers there are, and what taking one does, is for those made
    of it."""

    applied = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setTabChangesFocus(True)
        self.wrong: tuple[int, int] | None = None
        self.list = QListWidget(self)
        self.list.setWindowFlags(Qt.WindowType.ToolTip)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setObjectName("offers")
        self.list.itemClicked.connect(lambda _: self.take())

    def offer(self, *, asked: bool = False) -> None:
        """Looks for what the word at the cursor could become; `asked` for even where nothing is typed yet."""
        raise NotImplementedError

    def take(self) -> None:
        """Writes the chosen offer in the place of what is typed."""
        raise NotImplementedError

    def show_offers(self, found: Sequence[Line]) -> None:
        """Lists offers under the cursor; none hides the list."""
        self.list.clear()
        for each in found[:MOST]:
            item = QListWidgetItem(short(each.shown, LONGEST), self.list)
            item.setData(Qt.ItemDataRole.UserRole, each.value)
            item.setToolTip(tip(short(each.meaning)))
        if not found or not self.hasFocus():
            self.list.hide()
            return
        self.list.setCurrentRow(0)
        area = self.cursorRect()
        self.list.resize(
            max(210, self.list.sizeHintForColumn(0) + 24),
            min(SHOWN, self.list.count()) * max(18, self.list.sizeHintForRow(0)) + 6,
        )
        window, viewport = self.window(), self.viewport()
        assert viewport is not None
        edge = window.mapToGlobal(QPoint(window.width(), 0)).x() if window is not None else 1 << 30
        place = viewport.mapToGlobal(QPoint(area.left(), area.bottom() + 4))
        self.list.move(min(place.x(), edge - self.list.width() - 4), place.y())
        self.list.show()

    def current_offer(self) -> Any:
        """What Enter would take; None where nothing is offered."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None and self.list.isVisible() else None

    def enters(self) -> bool:
        """Whether Enter takes the offer that is chosen rather than ending the text."""
        return self.list.isVisible()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, shown = event.key(), self.list.isVisible()
        if shown and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if key == Qt.Key.Key_Down else -1
            self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())
            return
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.enters():
                self.take()
            elif not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.applied.emit()
            else:
                super().keyPressEvent(event)
            return
        if shown and key == Qt.Key.Key_Tab:
            self.take()
            return
        if key == Qt.Key.Key_Escape and shown:
            self.list.hide()
            return
        if key == Qt.Key.Key_Space and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.offer(asked=True)
            return
        super().keyPressEvent(event)
        if event.text().strip() or key == Qt.Key.Key_Backspace:
            self.offer()
        else:
            self.list.hide()

    def focusOutEvent(self, event: Any) -> None:
        self.list.hide()
        super().focusOutEvent(event)

    def hideEvent(self, event: Any) -> None:
        self.list.hide()
        super().hideEvent(event)

    # --- marking ------------------------------------------------------------

    def show_error(self, place: tuple[int, int] | None) -> None:
        """Underlines what is wrong, from one place to below another."""
        self.wrong = place
        self.mark()

    def marks(self) -> list[QTextEdit.ExtraSelection]:
        """What is marked in the text."""
        if self.wrong is None:
            return []
        look = QTextCharFormat()
        look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        look.setUnderlineColor(QColor(theme.palette().columns))
        return [self.marked(*self.wrong, look)]

    def marked(self, start: int, stop: int, look: QTextCharFormat) -> QTextEdit.ExtraSelection:
        """A part of the text in a look."""
        selection = QTextEdit.ExtraSelection()
        cursor = self.textCursor()
        most = len(self.toPlainText())
        cursor.setPosition(min(start, most))
        cursor.setPosition(min(stop, most), cursor.MoveMode.KeepAnchor)
        selection.cursor, selection.format = cursor, look
        return selection

    def mark(self) -> None:
        """Marks anew."""
        self.setExtraSelections(self.marks())
