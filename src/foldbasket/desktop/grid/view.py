"""The grid's view: scrolls, selects with mouse and keys, copies, and takes fields dropped on its edges."""

from __future__ import annotations

from math import inf
from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QAbstractScrollArea, QToolTip, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid import edges, sorting
from foldbasket.desktop.grid.copying import copy_cells, put_on_clipboard, put_picture
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.hands import Hands
from foldbasket.desktop.grid.keys import key_in_cells
from foldbasket.desktop.grid.painter import GridPainter
from foldbasket.desktop.grid.receiving import Receiving
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.grid.selection import Cells, Marked, Selection
from foldbasket.desktop.grid.tips import tip_of
from foldbasket.desktop.grid.told import told
from foldbasket.desktop.grid.widths import Held, edge_at, fit, set_width
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.work.members import Seen, seen_at
from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.folding.report.report import Report

NO_MEASURE = "Rows and columns are there; now place a number to fill the cells."


class GridView(Receiving):
    """Shows the desk's report, or says what is missing. `heading_chosen` brings the id of a heading's word, `proof_wanted` a cell
    whose proof is asked for, `marked_cell` the one that the mark went to; `selected` tells that other cells or members are."""

    heading_chosen = pyqtSignal(str)
    proof_wanted = pyqtSignal(int, int)
    marked_cell = pyqtSignal(int, int)
    menu_wanted = pyqtSignal(QPointF, QPoint)
    rename_wanted = pyqtSignal()
    selected = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(desk, parent)
        self.zoom = 1.0
        self.geometry_of: Geometry | None = None
        self.marked: Marked | None = None
        self.hands = Hands(self)
        self._held: Held | None = None
        self._over: sorting.Ordering | None = None
        desk.output.copied.connect(put_on_clipboard)
        desk.output.pictured.connect(lambda image: put_picture(desk, image))
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName("Report")
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            bar.valueChanged.connect(lambda _: self.viewport().update())
        desk.when(Part.REPORT | Part.LOOK, self, self.renew)

    # --- the report ---------------------------------------------------------

    def renew(self) -> None:
        """Takes the desk's report; the selection stays where the new report still has cells."""
        report = self.desk.report
        self.geometry_of = None if report is None else Geometry(report, self.zoom, paper=theme.paper(), folds=True)
        if (
            report is None
            or not report.width
            or not report.height
            or (self.marked is not None and (self.marked.bottom >= report.height or self.marked.right >= report.width))
        ):
            self.marked = None
        self.setAccessibleDescription(report.sentence if report else "")
        self.hands.renew(report)
        self._set_ranges()
        self.tell_selection()

    def set_zoom(self, zoom: float) -> None:
        """Sets the zoom, from a half to double."""
        self.zoom = max(0.5, min(2.0, zoom))
        self.renew()

    @property
    def report(self) -> Report | None:
        return self.geometry_of.report if self.geometry_of else None

    def wanted(self) -> QSizeF:
        """The room in which the whole report would be in view, bars for scrolling included; endless while there is none."""
        at = self.geometry_of
        if at is None:
            return QSizeF(inf, inf)
        bar = self.horizontalScrollBar().sizeHint().height()
        wide, high = at.heads_width + at.size[0] + at.left, at.head_height + at.size[1] + at.foot_height + at.left
        return QSizeF(wide + bar, high + bar)

    def _set_ranges(self) -> None:
        at = self.geometry_of
        across, down = self.horizontalScrollBar(), self.verticalScrollBar()
        if at is None:
            across.setRange(0, 0)
            down.setRange(0, 0)
            return
        room_x = self.viewport().width() - at.heads_width
        room_y = self.viewport().height() - at.head_height
        across.setRange(0, max(0, int(at.size[0] - room_x + at.left)))
        down.setRange(0, max(0, int(at.size[1] + at.foot_height - room_y + at.left)))
        across.setPageStep(max(1, int(room_x)))
        down.setPageStep(max(1, int(room_y)))
        across.setSingleStep(40)
        down.setSingleStep(int(at.row_height))

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._set_ranges()

    # --- painting -----------------------------------------------------------

    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self.viewport())
        size = self.viewport().size()
        seen = self.in_view
        if seen is not None and self.report is not None and self.report.height:
            painter.save()
            painter.translate(-seen.drift, 0)
            held = Selection(self.marked, self.hands.chosen)
            GridPainter(seen.at).paint(painter, size.width() + seen.drift, size.height(), seen.x, seen.y, held)
            painter.restore()
            sorting.draw(painter, seen, self._over)
            area = self.hands.area() if self.hasFocus() else None
            if area is not None:
                theme.draw_focus(painter, area, theme.palette())
            if not self.report.measures:
                edges.say(painter, self.viewport().rect(), NO_MEASURE, top=True)
        else:
            painter.fillRect(self.viewport().rect(), QColor(theme.palette().paper))
            edges.absence(painter, self.viewport().rect(), self.desk, self.report, self.edges())
        if self._held is not None and seen is not None:
            painter.setPen(QColor(theme.palette().rows))
            x = int(self._held.left + self._held.now - seen.drift)
            painter.drawLine(x, 0, x, size.height())
        self.light(painter)
        self.hands.draw(painter)

    @property
    def room(self) -> QRect:
        """The part of the widget that the report is drawn in."""
        return self.viewport().rect()

    @property
    def in_view(self) -> View | None:
        """What of the report is in view."""
        at, size = self.geometry_of, self.viewport().size()
        if at is None:
            return None
        x, y = self.horizontalScrollBar().value(), self.verticalScrollBar().value()
        return View(at, size.width(), size.height(), x, y)

    def margin_at(self, point: QPointF) -> tuple[Margin, int | None, int] | None:
        """The margin under a point, which of its rows or columns, None on a field's own heading, and the place there."""
        seen = self.in_view
        return seen.margin_at(point) if seen is not None else None

    # --- selecting ----------------------------------------------------------

    def cell_at(self, point: QPointF) -> tuple[int, int] | None:
        """Row and column of the cell under a point of the viewport, or None."""
        seen = self.in_view
        return seen.cell_at(point) if seen is not None else None

    def cell_area(self, row: int, column: int) -> QRectF:
        """Where a cell stands in the viewport."""
        seen = self.in_view
        assert seen is not None
        return seen.area_of(row, column)

    def heading_at(self, point: QPointF) -> str | None:
        """The id of the word whose heading or members lie under a point, or None."""
        under = self.margin_at(point)
        if under is None or self.report is None:
            return None
        margin, at, place = under
        field = margin.places[place]
        if field != MEASURE:
            return margin.axis.heads[field].id
        return self.report.measures[int(margin.measure[at])].id if at is not None else None

    def member_at(self, point: QPointF) -> Seen | None:
        """The member whose name stands under a point of the margins, or None."""
        under = self.margin_at(point)
        return seen_at(under[0], under[1], under[2]) if under is not None and under[1] is not None else None

    @told
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._held = self._edge_at(event.position())
        if self._held is not None:
            return
        order = self._order_at(event.position())
        if order is not None:
            sorting.act(self.desk, order)
            return
        cell = self.cell_at(event.position())
        if cell is None:
            if not self.hands.press(event):
                self.mark(None)
                self.desk.select_word(None)
            return
        self._mark_to(*cell, extend=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            seen = self.in_view
            self._held.now = event.position().x() + (seen.drift if seen is not None else 0.0) - self._held.left
            self.viewport().update()
            return
        if self.hands.move(event):
            self.viewport().update()
            return
        if self._edge_at(event.position()) is not None:
            self.viewport().setCursor(Qt.CursorShape.SplitHCursor)
            return
        if event.buttons() & Qt.MouseButton.LeftButton and self.marked is not None:
            cell = self.cell_at(event.position())
            if cell is not None:
                self._mark_to(*cell, extend=True)
        over, order = self.heading_at(event.position()) is not None, self._order_at(event.position())
        if order != self._over:
            self._over = order
            self.viewport().update()
        self.viewport().setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    @told
    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        if self.hands.release():
            self.viewport().update()
        if held is not None and abs(held.now - held.was) > 1:
            set_width(self.desk, held, self.zoom)

    def _order_at(self, point: QPointF) -> sorting.Ordering | None:
        return sorting.order_at(self.in_view, point) if self.in_view is not None and self.report is not None else None

    def _edge_at(self, point: QPointF) -> Held | None:
        seen = self.in_view
        return edge_at(seen.at, seen.on_report(point), seen.x) if seen is not None else None

    def mark(self, marked: Marked | None) -> None:
        """Selects a block of cells, in place of members."""
        self.marked = marked
        self.hands.forget()
        self.tell_selection()
        if marked is not None:
            self.marked_cell.emit(marked.row, marked.column)

    def forget_mark(self) -> None:
        """Selects no cells; members may be selected."""
        self.marked = None
        self.viewport().update()

    def tell_selection(self) -> None:
        """Tells that other cells or members are selected."""
        self.viewport().update()
        self.selected.emit()

    def selection(self) -> Cells | None:
        """The rows and columns of the cells that are selected, or of the selected members; None for none."""
        if self.hands.chosen is not None:
            return self.hands.chosen.cells()
        at = self.marked
        return (range(at.top, at.bottom + 1), range(at.left, at.right + 1)) if at is not None else None

    def _mark_to(self, row: int, column: int, extend: bool) -> None:
        """Marks a cell, or the block between it and the cell that the block began with."""
        if extend and self.marked is not None:
            a, b = self.marked.begun, (row, column)
            top, bottom = sorted((a[0], b[0]))
            left, right = sorted((a[1], b[1]))
            self.mark(Marked(top, left, bottom, right, row, column, a))
        else:
            self.mark(Marked(row, column, row, column, row, column, (row, column)))

    def hold(self, cursor: Qt.CursorShape | None) -> None:
        """Shows what the hand does; None as usual."""
        self.viewport().setCursor(cursor or Qt.CursorShape.ArrowCursor)
        self.viewport().update()

    def mark_for_menu(self, row: int, column: int) -> None:
        """Marks a cell that a menu opens over, unless it lies within what is marked."""
        now = self.marked
        if now is None or not (now.top <= row <= now.bottom and now.left <= column <= now.right):
            self._mark_to(row, column, extend=False)

    def focusInEvent(self, event: Any) -> None:
        super().focusInEvent(event)
        if event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason):
            self.take_keyboard()

    def take_keyboard(self) -> None:
        """Puts the keyboard on the report, and the mark on its first cell if there is none, so that its place is seen."""
        self.setFocus()
        if self.marked is None and self.report is not None and self.report.width and self.report.height:
            self._mark_to(0, 0, extend=False)

    def select_all(self) -> None:
        report = self.report
        if report is not None and report.width and report.height:
            self.mark(Marked(0, 0, report.height - 1, report.width - 1, 0, 0, (0, 0)))

    @property
    def lines_a_page(self) -> int:
        """So many rows the keys for a page go on by."""
        height = self.geometry_of.row_height if self.geometry_of else 1
        return max(1, int(self.verticalScrollBar().pageStep() // height) - 1)

    @told
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        report = self.report
        has_cells = report is not None and report.width and report.height
        if not has_cells or report is None or not (self.hands.key(event) or key_in_cells(self, report, event)):
            super().keyPressEvent(event)

    def show_cell(self, row: int, column: int, *, extend: bool = False) -> None:
        """Marks a cell, or all from the one that the block began with to it, and brings it into view."""
        self._mark_to(row, column, extend=extend)
        self._bring(row, column)

    def _bring(self, row: int, column: int) -> None:
        seen = self.in_view
        assert seen is not None
        across, down = seen.bringing(row, column)
        self.horizontalScrollBar().setValue(across)
        self.verticalScrollBar().setValue(down)

    def bring(self, on_rows: bool, at: int) -> None:
        """Brings a row or a column into view."""
        seen = self.in_view
        if seen is not None:
            across, down = seen.bringing(at if on_rows else 0, 0 if on_rows else at)
            bar, to = (self.verticalScrollBar(), down) if on_rows else (self.horizontalScrollBar(), across)
            bar.setValue(to)

    def copy(self) -> None:
        """Copies the selected cells, those of the selected members, or the whole report, as text with tabs and as an HTML table."""
        if self.report is not None:
            copy_cells(self.desk, self.report, self.selection())

    def event(self, event: Any) -> bool:
        if event.type() == event.Type.ToolTip and self.geometry_of is not None:
            point = QPointF(event.pos())
            said = tip_of(self.desk, self.geometry_of, self.cell_at(point), self.member_at(point))
            QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)

    def wheelEvent(self, event: Any) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.set_zoom(self.zoom * (1.1 if event.angleDelta().y() > 0 else 1 / 1.1))
        else:
            super().wheelEvent(event)

    def contextMenuEvent(self, event: Any) -> None:
        point = QPointF(event.pos())
        if event.reason() == event.Reason.Keyboard and self.marked is not None:  # of the marked cell
            area = self.cell_area(self.marked.row, self.marked.column)
            point = area.center()
        self.menu_wanted.emit(point, self.viewport().mapToGlobal(point.toPoint()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        edge = self._edge_at(event.position())
        if edge is not None:
            fit(self.desk, edge.word)
            return
        seen, cell = self.member_at(event.position()), self.cell_at(event.position())
        if seen is not None:
            self.desk.members.turn(seen)
        elif cell is None and self.heading_at(event.position()) is not None and not self.desk.view.reading:
            self.rename_wanted.emit()
        elif cell is not None:
            self.proof_wanted.emit(*cell)
