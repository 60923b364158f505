"""The chart as it is seen and touched: a mark under the hand says its value, a click marks its cell, a drag keeps the members under it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from foldbasket.charts.cells import cell_in, cell_of
from foldbasket.charts.plot import Mark
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.work.charts import DrawnChart

WAIT = 60
"""Milliseconds after the last change of size until it is drawn anew; until then the picture is stretched."""
FAR = 6
"""Pixels past which a press is a drag."""


class ChartView(QWidget):
    """`cell_chosen` brings the row and column of the report that a mark stands for, `proof_wanted` the same to be proved; `menu_wanted` the
    mark that was asked about and where."""

    cell_chosen = pyqtSignal(int, int)
    proof_wanted = pyqtSignal(int, int)
    menu_wanted = pyqtSignal(object, QPoint)
    chosen = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.shown: DrawnChart | None = None
        self.marked: Mark | None = None
        self.under: Mark | None = None
        self._image: QImage | None = None
        self._press: QPointF | None = None
        self._band: QRectF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Chart")
        self.setMinimumSize(160, 110)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(WAIT)
        self._later.timeout.connect(self.draw)
        desk.charts.drawn.connect(self._take)
        desk.charts.copied.connect(_to_clipboard)
        desk.when(Part.REPORT | Part.LOOK, self, self.draw)

    def sizeHint(self) -> QSize:
        return QSize(480, 300)

    # --- drawing --------------------------------------------------------------

    def draw(self) -> None:
        """Has the chart drawn as large as it is here."""
        self._later.stop()
        if self.isVisible():
            self.desk.charts.draw(self.width(), self.height(), theme.paper(), self.devicePixelRatioF())

    def _take(self, made: DrawnChart) -> None:
        self.shown, self.under = made, None
        if made.picture is not None:
            pixels, wide, tall = made.pixels
            image = QImage(pixels, wide, tall, QImage.Format.Format_RGBA8888).copy()
            image.setDevicePixelRatio(self.devicePixelRatioF())
            self._image = image
            self.setAccessibleDescription(made.picture.said)
        else:
            self._image = None
            self.setAccessibleDescription(str(made.problem))
        self.marked = self._like(self.marked)
        self.update()

    def _like(self, mark: Mark | None) -> Mark | None:
        """The mark of the chart as it is now for the same cell."""
        if mark is None or self.shown is None or self.shown.picture is None:
            return None
        return next((each for each in self.shown.picture.marks if each.cell == mark.cell), None)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.draw()

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._later.start()

    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self)
        colours = theme.palette()
        painter.fillRect(self.rect(), QColor(colours.paper))
        if self._image is not None:
            painter.drawImage(QRectF(self.rect()), self._image)
        elif self.shown is not None and self.shown.problem is not None:
            self._say(painter, str(self.shown.problem))
        for mark, colour, thick in ((self.under, colours.muted, 1.0), (self.marked, colours.rows, 2.0)):
            if mark is not None:
                self._ring(painter, mark, QPen(QColor(colour), thick))
        if self._band is not None:
            fill = QColor(colours.rows)
            fill.setAlpha(40)
            painter.fillRect(self._band, fill)
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.rows), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    @staticmethod
    def _ring(painter: QPainter, mark: Mark, pen: QPen) -> None:
        """Rings a mark: a point by a circle of the paper's colour, a bar by a frame."""
        left, top, right, bottom = mark.box
        area = QRectF(left, top, right - left, bottom - top)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen)
        if abs(area.width() - area.height()) < 0.5 and area.width() <= 16:
            painter.setBrush(QColor(theme.palette().paper))
            painter.drawEllipse(area.center(), 5, 5)
        else:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area.adjusted(-2, -2, 2, 2), 2, 2)

    def _say(self, painter: QPainter, what: str) -> None:
        painter.setPen(QColor(theme.palette().muted))
        painter.setFont(theme.font())
        area = QRectF(self.rect()).adjusted(24, 24, -24, -24)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, what)

    # --- the hand -------------------------------------------------------------

    def mark_at(self, point: QPointF) -> Mark | None:
        """The mark under a point."""
        if self.shown is None or self.shown.picture is None:
            return None
        found: Mark | None = self.shown.picture.mark_at(point.x(), point.y())
        return found

    def words_of(self, mark: Mark) -> str:
        """What a mark stands for: its members, and its value as the report writes it."""
        assert self.shown is not None
        assert self.shown.figures is not None
        figures = self.shown.figures
        panel = figures.panels[mark.panel]
        named = [panel.name, panel.series[mark.series].name, figures.labels[mark.place]]
        value = figures.report.written(*mark.cell)
        return f"{', '.join(each for each in named if each)}\n{value}"

    def cell_of(self, mark: Mark) -> tuple[int, int] | None:
        """The row and column of the report in view that a mark stands for; None where the report does not show them."""
        report = self.desk.report
        if report is None or self.shown is None or self.shown.figures is None:
            return None
        return cell_in(report, self.shown.figures.report, mark.cell)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position()
            self.setFocus(Qt.FocusReason.MouseFocusReason)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self._press is not None:
            if self._band is not None or (at - self._press).manhattanLength() > FAR:
                self._band = QRectF(self._press, at).normalized()
                self.update()
            return
        mark = self.mark_at(at)
        if mark is not self.under:
            self.under = mark
            if mark is not None:
                QToolTip.showText(event.globalPosition().toPoint(), self.words_of(mark), self)
            else:
                QToolTip.hideText()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        band, self._band, press, self._press = self._band, None, self._press, None
        if press is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if band is not None:
            self.keep(self._within(band))
            self.update()
            return
        mark = self.mark_at(event.position())
        if mark is None:
            self.chosen.emit()
        self.choose(mark)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        mark = self.mark_at(event.position())
        self.choose(mark)
        self._prove(mark)

    def leaveEvent(self, event: Any) -> None:
        self.under = None
        self.update()

    def contextMenuEvent(self, event: Any) -> None:
        by_key = event.reason() == event.Reason.Keyboard
        mark = self.marked if by_key else self.mark_at(QPointF(event.pos()))
        self.menu_wanted.emit(mark, event.globalPos())

    # --- the keys -------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Down: (0, 1), Qt.Key.Key_Up: (0, -1)}
        if Qt.Key(event.key()) in steps:
            self._go(*steps[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._prove(self.marked)
        elif event.key() == Qt.Key.Key_Space and self.marked is not None:
            self.keep([self.marked])
        else:
            super().keyPressEvent(event)

    def _go(self, along: int, aside: int) -> None:
        """Marks the next mark along the axis, or of the next series."""
        marks = self.shown.picture.marks if self.shown is not None and self.shown.picture is not None else ()
        if not marks:
            return
        order = sorted(
            marks,
            key=lambda mark: (mark.panel, mark.series, mark.place) if along else (mark.panel, mark.place, mark.series),
        )
        at = order.index(self.marked) + along + aside if self.marked in order else 0
        self.choose(order[max(0, min(len(order) - 1, at))])

    # --- what is done ---------------------------------------------------------

    def choose(self, mark: Mark | None) -> None:
        """Marks a mark, and its cell in the report."""
        self.marked = mark
        if mark is not None:
            cell = self.cell_of(mark)
            if cell is not None:
                self.cell_chosen.emit(*cell)
            self.setAccessibleDescription(self.words_of(mark).replace("\n", ": "))
        self.update()

    def follow(self, row: int, column: int) -> None:
        """Marks what stands for a cell of the report."""
        report, shown = self.desk.report, self.shown
        if report is None or shown is None or shown.picture is None or shown.figures is None:
            return
        cell = cell_of(shown.figures.report, report, row, column)
        self.marked = next((mark for mark in shown.picture.marks if mark.cell == cell), None)
        self.update()

    def _prove(self, mark: Mark | None) -> None:
        if mark is None:
            return
        cell = self.cell_of(mark)
        if cell is not None:
            self.proof_wanted.emit(*cell)
        else:
            self.desk.news.emit("The report does not show this total. Show its totals to prove it.")

    def _within(self, band: QRectF) -> list[Mark]:
        marks = self.shown.picture.marks if self.shown is not None and self.shown.picture is not None else ()
        return [
            mark
            for mark in marks
            if band.intersects(QRectF(mark.box[0], mark.box[1], mark.box[2] - mark.box[0], mark.box[3] - mark.box[1]))
        ]

    def keep(self, marks: list[Mark], *, only: bool = True) -> None:
        """Keeps only the members that marks stand for, or leaves them out."""
        if self.shown is None or self.shown.figures is None or not marks:
            return
        figures = self.shown.figures
        tokens = list(dict.fromkeys(figures.tokens[mark.place] for mark in sorted(marks, key=lambda mark: mark.place)))
        if figures.roles.along is not None and (only is False or len(tokens) < len(figures.tokens)):
            self.desk.members.keep_several(figures.roles.along, tokens, only=only)


def _to_clipboard(pixels: bytes, wide: int, tall: int) -> None:
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setImage(QImage(pixels, wide, tall, QImage.Format.Format_RGBA8888).copy())
