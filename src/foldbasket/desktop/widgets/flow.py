"""A layout that sets widgets like words: from left to right, on new lines as the width asks."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget

NARROW = 160


class FlowLayout(QLayout):
    """Items keep their size hint; lines are aligned on the items' vertical middle."""

    def __init__(self, parent: QWidget | None = None, gap: int = 6, line_gap: int = 6) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._gap, self._line_gap = gap, line_gap

    def addItem(self, item: QLayoutItem | None) -> None:
        assert item is not None
        self._items.append(item)
        # Showing one item sets those before it, so each that follows has to ask anew.
        self.invalidate()

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        self.invalidate()
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, area: QRect) -> None:
        super().setGeometry(area)
        self._arrange(area, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        margins = self.contentsMargins()
        # An item wider than the line is cut to it, so that a long name does not keep the window from being made small.
        widest = min(NARROW, max((item.minimumSize().width() for item in self._items), default=0))
        tallest = max((item.minimumSize().height() for item in self._items), default=0)
        return QSize(widest + margins.left() + margins.right(), tallest + margins.top() + margins.bottom())

    def _arrange(self, area: QRect, move: bool) -> int:
        margins = self.contentsMargins()
        left, right = area.x() + margins.left(), area.right() - margins.right()
        x, y = left, area.y() + margins.top()
        line: list[tuple[QLayoutItem, QRect]] = []
        height = 0

        def set_line() -> None:
            for item, place in line:
                if move:
                    place.moveTop(place.top() + (height - place.height()) // 2)
                    item.setGeometry(place)

        for item in self._items:
            size = item.sizeHint()
            if line and x + size.width() > right + 1:
                set_line()
                x, y, height, line = left, y + height + self._line_gap, 0, []
            line.append((item, QRect(QPoint(x, y), QSize(min(size.width(), max(1, right - left + 1)), size.height()))))
            x += size.width() + self._gap
            height = max(height, size.height())
        set_line()
        return y + height - area.y() + margins.bottom()
