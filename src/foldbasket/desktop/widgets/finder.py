"""The finder: a list to type into. Serves the + of the sentence, the list of every action, and the list of steps."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter
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

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided, short
from foldbasket.typed import fitting


@dataclass(frozen=True)
class Choice:
    """One line of the list: its text, a quiet remark at the right, and what is handed on when it is chosen. `called` is the name it is
    found by, where that is not its text; `also` are other words for it."""

    text: str
    detail: str
    value: Any
    enabled: bool = True
    called: str = ""
    also: str = ""


NOTHING = Choice("nothing found", "", None, enabled=False)
NARROWEST, WIDEST = 320, 560
MOST_LISTED = 500
"""So many lines are listed; typing finds the others."""


class _Lines(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: Any) -> QSize:
        return QSize(100, 26)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: Any) -> None:
        assert painter is not None
        colours = theme.palette()
        choice: Choice = index.data(Qt.ItemDataRole.UserRole)
        area = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, QColor(colours.selection))
        inner = area.adjusted(10, 0, -10, 0)
        # The name comes first: what is said of it takes the room that is left.
        painter.setFont(theme.font())
        painter.setPen(QColor(colours.ink if choice.enabled else colours.muted))
        text = elided(painter.fontMetrics(), choice.text, inner.width())
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        room = inner.adjusted(painter.fontMetrics().horizontalAdvance(text) + 14, 0, 0, 0)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.muted))
        detail = elided(painter.fontMetrics(), choice.detail, room.width())
        if room.width() > 24:
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, detail)


class Finder(QFrame):
    """Opens at a point, narrows as one types, and calls `chosen` with the value; `typed` tells what was typed, for whoever offers more. Escape closes it."""

    typed = pyqtSignal(str)

    def __init__(self, parent: QWidget, prompt: str, choices: Sequence[Choice], chosen: Callable[[Any], None]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.choices = list(choices)
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
        self._read: tuple[str, list[Choice]] = ("", [])
        self._entered: str | None = None
        self.line.textChanged.connect(self._narrow)
        self.line.textChanged.connect(self.typed)
        self.line.installEventFilter(self)
        self.list.itemClicked.connect(self._take)
        self._narrow("")

    def open_at(self, point: QPoint, lines: int = 12) -> None:
        """Shows the list with its corner at a point of the screen, moved so that it fits; as wide as what it holds asks for."""
        self._most_lines = lines
        name, remark = QFontMetricsF(theme.font()), QFontMetricsF(theme.font(theme.SMALL))
        longest = sorted(self.choices, key=lambda each: len(each.text) + len(each.detail))[-40:]
        asked = [
            name.horizontalAdvance(short(each.text)) + remark.horizontalAdvance(short(each.detail)) for each in longest
        ]
        width = round(min(WIDEST, max([NARROWEST, *(each + 66 for each in asked)])))
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
                self._take(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def offer_also(self, typed: str, choices: Sequence[Choice]) -> None:
        """Lists choices that were made of what is typed, as long as it is typed: first, but for a choice of that very name."""
        if typed == self.line.text():
            self._read = (typed, list(choices))
            self._narrow(typed)
            if typed == self._entered:
                self._take(self.list.item(0))

    def _narrow(self, typed: str) -> None:
        self.list.clear()
        found = fitting(
            typed, self.choices, lambda each: each.called or each.text, lambda each: f"{each.detail} {each.also}"
        )
        if self._read[0] == typed:
            # Who types the whole name of a choice means that, not what else can be made of the word.
            at = 1 if found and found[0].text.casefold() == typed.strip().casefold() else 0
            found = [*found[:at], *self._read[1], *found[at:]]
        for choice in (found or [NOTHING])[:MOST_LISTED]:
            item = QListWidgetItem(choice.text)
            item.setData(Qt.ItemDataRole.UserRole, choice)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.resize(self.width(), self._height())

    def _take(self, item: QListWidgetItem | None) -> None:
        choice: Choice | None = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        self._entered = None
        if choice is NOTHING:  # it may still be read: who types fast ends before that
            self._entered = self.line.text()
        elif choice is not None and choice.enabled:
            self.close()
            self._chosen(choice.value)
