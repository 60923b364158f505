"""The finder: a list to type into. Serves the + of the sentence, the list of every action, and the list of steps."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop import theme


@dataclass(frozen=True)
class Choice:
    """One line of the list: its text, a quiet remark at the right, and what is handed on when it is chosen."""

    text: str
    detail: str
    value: Any
    enabled: bool = True


class _Lines(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: Any) -> QSize:
        return QSize(100, 26)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Any) -> None:
        colours = theme.palette()
        choice: Choice = index.data(Qt.ItemDataRole.UserRole)
        area = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, QColor(colours.selection))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.muted))
        inner = area.adjusted(10, 0, -10, 0)
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, choice.detail)
        used = painter.fontMetrics().horizontalAdvance(choice.detail)
        painter.setFont(theme.font())
        painter.setPen(QColor(colours.ink if choice.enabled else colours.muted))
        room = inner.adjusted(0, 0, -used - 12, 0)
        text = painter.fontMetrics().elidedText(choice.text, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


class Finder(QFrame):
    """Opens at a point, narrows as one types, and calls `chosen` with the value. Escape closes it."""

    def __init__(self, parent: QWidget, prompt: str, choices: Sequence[Choice], chosen: Callable[[Any], None]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._choices = list(choices)
        self._chosen = chosen
        self._most_lines = 12
        self.line = QLineEdit(self)
        self.line.setPlaceholderText(prompt)
        self.line.setAccessibleName(prompt)
        self.list = QListWidget(self)
        self.list.setItemDelegate(_Lines(self.list))
        self.list.setUniformItemSizes(True)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName("Choices")
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(4)
        column.addWidget(self.line)
        column.addWidget(self.list)
        self.line.textChanged.connect(self._narrow)
        self.line.installEventFilter(self)
        self.list.itemClicked.connect(self._take)
        self._narrow("")

    def open_at(self, point: QPoint, width: int = 320, lines: int = 12) -> None:
        """Shows the list with its corner at a point of the screen, moved so that it fits."""
        self._most_lines = lines
        height = self._height()
        screen = self.screen().availableGeometry()
        left = max(screen.left(), min(point.x(), screen.right() - width))
        top = max(screen.top(), min(point.y(), screen.bottom() - height))
        self.setGeometry(left, top, width, height)
        self.show()
        self.line.setFocus()

    def _height(self) -> int:
        return 50 + 26 * max(1, min(self._most_lines, self.list.count()))

    def eventFilter(self, watched: Any, event: Any) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if self.list.currentItem() is not None:
                    self._take(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _narrow(self, typed: str) -> None:
        words = typed.casefold().split()
        self.list.clear()
        fitting = [
            choice
            for choice in self._choices
            if all(word in f"{choice.text} {choice.detail}".casefold() for word in words)
        ]
        first = words[0] if words else ""
        for choice in sorted(fitting, key=lambda choice: not choice.text.casefold().startswith(first)):
            item = QListWidgetItem(choice.text)
            item.setData(Qt.ItemDataRole.UserRole, choice)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.resize(self.width(), self._height())

    def _take(self, item: QListWidgetItem) -> None:
        choice: Choice = item.data(Qt.ItemDataRole.UserRole)
        if choice.enabled:
            self.close()
            self._chosen(choice.value)
