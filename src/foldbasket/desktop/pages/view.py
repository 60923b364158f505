"""The pages as they print: small ones to choose from at the left, the chosen ones at the size that the room has."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QAbstractScrollArea, QHBoxLayout, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.drawing.book import Book
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.pages.paging import Paging
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided
from foldbasket.errors import OutputError

GAP, SMALL_WIDTH, SMALL_GAP, KEPT = 22, 84, 30, 48
GROUND = {"light": "#E7E2D6", "dark": "#171614"}


class PagesView(QWidget):
    """`turned` brings the number of the page in view."""

    turned = pyqtSignal(int)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.pages: Pages | Book | None = None
        self.problem = ""
        self._waiting: Callable[[Pages | Book], object] | None = None
        self.number = 0
        self.zoom = 0.0
        """How large pages are shown; 0 for as wide as the room."""
        self.small = _Small(self)
        self.large = _Large(self)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        line.addWidget(self.small)
        line.addWidget(self.large, 1)
        self.setFocusProxy(self.large)
        self._paging = Paging(desk, self)
        self._paging.made.connect(self._take)
        desk.when(Part.REPORT | Part.LOOK | Part.VIEW | Part.SETTINGS, self, self.renew)
        self.renew()

    def renew(self) -> None:
        """Has the pages of the report in view made, where they are shown at all; those before stay until then."""
        if self.desk.view.paged:
            self._paging.make()
        else:
            self.pages = None
            self._paging.forget()

    def when_made(self, act: Callable[[Pages | Book], object]) -> None:
        """Calls with the pages of the report in view once they are made; what is wrong with them is told instead."""
        self._waiting = act
        if not self._paging.make():
            self._answer()

    def _answer(self) -> None:
        act, self._waiting = self._waiting, None
        if act is not None and self.pages is not None:
            act(self.pages)
        elif act is not None:
            self.desk.failed.emit(OutputError(self.problem))

    def _take(self, made: Pages | Book | str) -> None:
        self.pages, self.problem = (None, made) if isinstance(made, str) else (made, "")
        self._answer()
        self.number = min(self.number, max(0, self.count - 1))
        for each in (self.small, self.large):
            each.forget()
        self.setAccessibleDescription(self.problem or f"{self.count} pages")
        self.turned.emit(self.number)

    @property
    def count(self) -> int:
        """How many pages there are."""
        return len(self.pages) if self.pages is not None else 0

    def turn_to(self, number: int) -> None:
        """Brings a page into view."""
        wanted = max(0, min(self.count - 1, number))
        self.large.bring(wanted)  # which may stop short of it, at the end
        self.number = wanted
        self.small.bring(wanted)
        self.turned.emit(self.number)

    def set_zoom(self, zoom: float) -> None:
        """Shows pages so large; 0 for as wide as the room."""
        self.zoom = zoom if not zoom else max(0.2, min(3.0, zoom))
        self.large.forget()
        self.large.bring(self.number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}
        key = Qt.Key(event.key())
        if key in steps:
            self.turn_to(self.number + steps[key])
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.turn_to(0 if key == Qt.Key.Key_Home else self.count - 1)
        else:
            super().keyPressEvent(event)


class _Stack(QAbstractScrollArea):
    """Pages below one another. Those in view are drawn when they come into view, one at a time, and some are kept."""

    def __init__(self, view: PagesView) -> None:
        super().__init__(view)
        self.view = view
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._kept: OrderedDict[int, QPixmap] = OrderedDict()
        self._next = QTimer(self)  # a page of many columns takes some frames, and a dozen small ones are in view
        self._next.setSingleShot(True)
        self._next.timeout.connect(lambda: self.viewport().update())

    # What differs between the small and the large ones.

    def page_width(self) -> float:
        raise NotImplementedError

    gap = GAP

    @property
    def scale(self) -> float:
        pages = self.view.pages
        return self.page_width() / pages.size.width() if pages is not None else 1.0

    @property
    def page_height(self) -> float:
        pages = self.view.pages
        return pages.size.height() * self.scale if pages is not None else 1.0

    @property
    def step(self) -> float:
        return self.page_height + self.gap

    def forget(self) -> None:
        """Draws everything anew."""
        self._kept.clear()
        self._set_range()
        self.viewport().update()

    def _set_range(self) -> None:
        whole = self.view.count * self.step + self.gap
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, int(whole - self.viewport().height())))
        bar.setPageStep(max(1, self.viewport().height()))
        bar.setSingleStep(60)

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self.forget()

    def area(self, number: int) -> QRectF:
        """Where a page stands in the viewport."""
        left = max(float(self.gap) / 2, (self.viewport().width() - self.page_width()) / 2)
        return QRectF(
            left, self.gap + number * self.step - self.verticalScrollBar().value(), self.page_width(), self.page_height
        )

    def page_at(self, point: QPoint) -> int | None:
        """The page under a point."""
        number = int((point.y() + self.verticalScrollBar().value() - self.gap / 2) // self.step)
        return number if 0 <= number < self.view.count else None

    def bring(self, number: int) -> None:
        """Scrolls a page into view."""
        bar, top = self.verticalScrollBar(), int(number * self.step)
        if self.view.count and not bar.value() <= top <= bar.value() + max(0, self.viewport().height() - self.step):
            bar.setValue(top)
        self.viewport().update()

    def picture(self, number: int) -> QPixmap:
        """A page as it is shown, drawn once."""
        found = self._kept.get(number)
        if found is None:
            pages, ratio = self.view.pages, self.devicePixelRatioF()
            assert pages is not None
            found = QPixmap(QSize(max(1, int(self.page_width() * ratio)), max(1, int(self.page_height * ratio))))
            found.fill(QColor("#FFFFFF"))
            painter = QPainter(found)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.scale(self.scale * ratio, self.scale * ratio)
            pages.draw(painter, number)
            painter.end()
            found.setDevicePixelRatio(ratio)
            self._kept[number] = found
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        return found

    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self.viewport())
        painter.fillRect(self.viewport().rect(), QColor(GROUND[theme.paper()]))
        if self.view.pages is None:
            self.say_nothing(painter)
            return
        start = self.verticalScrollBar().value()
        first = max(0, int((start - self.gap) // self.step))
        last = min(self.view.count, int((start + self.viewport().height()) // self.step) + 1)
        drawn = False
        for number in range(first, last):
            area = self.area(number)
            if drawn and number not in self._kept:
                painter.fillRect(area, QColor("#FFFFFF"))
                self._next.start(0)
            else:
                drawn = drawn or number not in self._kept
                painter.drawPixmap(area.topLeft(), self.picture(number))
            painter.setPen(QPen(QColor(theme.palette().line), 1))
            painter.drawRect(area)
            self.mark(painter, area, number)

    def say_nothing(self, painter: QPainter) -> None:
        """What stands where there are no pages."""

    def mark(self, painter: QPainter, area: QRectF, number: int) -> None:
        """What is drawn over a page."""


class _Small(_Stack):
    gap = SMALL_GAP

    def __init__(self, view: PagesView) -> None:
        super().__init__(view)
        self.setFixedWidth(SMALL_WIDTH + 44)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("Pages, small")

    def page_width(self) -> float:
        return SMALL_WIDTH

    def mark(self, painter: QPainter, area: QRectF, number: int) -> None:
        pages, colours = self.view.pages, theme.palette()
        assert pages is not None
        if number == self.view.number:
            painter.setPen(QPen(QColor(colours.ink), 2))
            painter.drawRect(area.adjusted(-1, -1, 1, 1))
        group = pages.group(number)
        said = f"{number + 1}" + (f" · {group}" if group else "")
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.muted))
        room = QRectF(2, area.bottom() + 3, self.viewport().width() - 4, 18)
        shown = elided(painter.fontMetrics(), said, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, shown)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        number = self.page_at(event.position().toPoint())
        if number is not None:
            self.view.turn_to(number)


class _Large(_Stack):
    def __init__(self, view: PagesView) -> None:
        super().__init__(view)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pages")
        self.verticalScrollBar().valueChanged.connect(self._scrolled)

    def page_width(self) -> float:
        pages = self.view.pages
        if pages is None:
            return 1.0
        if self.view.zoom:
            return pages.size.width() * self.view.zoom
        room = max(120.0, self.viewport().width() - 2.0 * GAP)
        return min(room, pages.size.width() * 1.6)

    def _scrolled(self) -> None:
        number = max(
            0,
            min(
                self.view.count - 1, int((self.verticalScrollBar().value() + self.viewport().height() / 3) // self.step)
            ),
        )
        if number != self.view.number and self.view.count:
            self.view.number = number
            self.view.small.bring(number)
            self.view.turned.emit(number)
        self.viewport().update()

    def say_nothing(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme.palette().muted))
        painter.setFont(theme.font())
        area = QRectF(self.viewport().rect()).adjusted(40, 40, -40, -40)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.view.problem)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        self.view.keyPressEvent(event)
