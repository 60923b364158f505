"""The grid's view: scrolls, selects with mouse and keys, copies, and takes fields dropped on its edges."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence, QMouseEvent, QPainter
from PyQt6.QtWidgets import QAbstractScrollArea, QToolTip, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid import edges
from foldbasket.desktop.grid.copying import copy_cells, put_on_clipboard
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import GridPainter, Marked
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.grid.tips import tip_of
from foldbasket.desktop.grid.widths import Held, edge_at, fit, set_width
from foldbasket.desktop.sentence.word import dropped_field, dropped_word
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.work.members import Seen, seen_at
from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.folding.report.report import Report

NO_MEASURE = "Rows and columns are there; now place a number to fill the cells."


class GridView(QAbstractScrollArea):
    """Shows the desk's report, or says what is missing. `heading_chosen` brings the id of a heading's word, `proof_wanted` a cell
    whose proof is asked for, `marked_cell` the one that the mark went to."""

    heading_chosen = pyqtSignal(str)
    proof_wanted = pyqtSignal(int, int)
    marked_cell = pyqtSignal(int, int)
    menu_wanted = pyqtSignal(QPointF, QPoint)
    rename_wanted = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.zoom = 1.0
        self.geometry_of: Geometry | None = None
        self.marked: Marked | None = None
        self._lit: str | None = None
        self._held: Held | None = None
        desk.output.copied.connect(put_on_clipboard)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.viewport().setAcceptDrops(True)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName("Report")
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            bar.valueChanged.connect(lambda _: self.viewport().update())
        desk.when(Part.REPORT | Part.LOOK, self, self.renew)

    # --- the report ---------------------------------------------------------

    def renew(self) -> None:
        """Takes the desk's report; the selection stays where the new report still has cells."""
        report = self.desk.report
        self.geometry_of = None if report is None else Geometry(report, self.zoom, paper=theme.paper())
        if (
            report is None
            or not report.width
            or not report.height
            or (self.marked is not None and (self.marked.bottom >= report.height or self.marked.right >= report.width))
        ):
            self.marked = None
        self.setAccessibleDescription(report.sentence if report else "")
        self._set_ranges()
        self.viewport().update()

    def set_zoom(self, zoom: float) -> None:
        """Sets the zoom, from a half to double."""
        self.zoom = max(0.5, min(2.0, zoom))
        self.renew()

    @property
    def report(self) -> Report | None:
        return self.geometry_of.report if self.geometry_of else None

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
        seen = self._seen
        if seen is not None and self.report is not None and self.report.height:
            painter.save()
            painter.translate(-seen.drift, 0)
            GridPainter(seen.at).paint(painter, size.width() + seen.drift, size.height(), seen.x, seen.y, self.marked)
            painter.restore()
            if not self.report.measures:
                edges.say(painter, self.viewport().rect(), NO_MEASURE, top=True)
        else:
            painter.fillRect(self.viewport().rect(), QColor(theme.palette().paper))
            edges.absence(painter, self.viewport().rect(), self.desk, self.report, self.edges())
        if self._held is not None and seen is not None:
            painter.setPen(QColor(theme.palette().rows))
            x = int(self._held.left + self._held.now - seen.drift)
            painter.drawLine(x, 0, x, size.height())
        if self._lit:
            edges.light(painter, self.edges(), self._lit)

    def edges(self) -> dict[str, QRectF]:
        """The parts of the view that take a dropped field, by the strand that receives it."""
        return edges.areas(self.viewport().rect(), self.geometry_of)

    # --- dropping -----------------------------------------------------------

    def dragEnterEvent(self, event: Any) -> None:
        if dropped_field(event.mimeData()) or dropped_word(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: Any) -> None:
        self._lit = edges.strand_at(self.edges(), event.position())
        self.viewport().update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: Any) -> None:
        self._lit = None
        self.viewport().update()

    def dropEvent(self, event: Any) -> None:
        self._lit = None
        self.viewport().update()
        strand = edges.strand_at(self.edges(), event.position())
        ref, word = dropped_field(event.mimeData()), dropped_word(event.mimeData())
        event.acceptProposedAction()
        if ref is not None:
            self.desk.words.place(ref, strand)
        elif word is not None:
            self.desk.words.move(word, strand)

    @property
    def _seen(self) -> View | None:
        """What of the report is in view."""
        at, size = self.geometry_of, self.viewport().size()
        if at is None:
            return None
        x, y = self.horizontalScrollBar().value(), self.verticalScrollBar().value()
        return View(at, size.width(), size.height(), x, y)

    def _margin_at(self, point: QPointF) -> tuple[Margin, int | None, int] | None:
        seen = self._seen
        return seen.margin_at(point) if seen is not None else None

    # --- selecting ----------------------------------------------------------

    def cell_at(self, point: QPointF) -> tuple[int, int] | None:
        """Row and column of the cell under a point of the viewport, or None."""
        seen = self._seen
        return seen.cell_at(point) if seen is not None else None

    def cell_area(self, row: int, column: int) -> QRectF:
        """Where a cell stands in the viewport."""
        seen = self._seen
        assert seen is not None
        return seen.area_of(row, column)

    def heading_at(self, point: QPointF) -> str | None:
        """The id of the word whose heading or members lie under a point, or None."""
        under = self._margin_at(point)
        if under is None or self.report is None:
            return None
        margin, at, place = under
        field = margin.places[place]
        if field != MEASURE:
            return margin.axis.heads[field].id
        return self.report.measures[int(margin.measure[at])].id if at is not None else None

    def member_at(self, point: QPointF) -> Seen | None:
        """The member whose name stands under a point of the margins, or None."""
        under = self._margin_at(point)
        return seen_at(under[0], under[1], under[2]) if under is not None and under[1] is not None else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._held = self._edge_at(event.position())
        if self._held is not None:
            return
        cell = self.cell_at(event.position())
        if cell is None:
            heading = self.heading_at(event.position())
            if heading is not None:
                self.heading_chosen.emit(heading)
            else:
                self.mark(None)
                self.desk.select_word(None)
            return
        self._mark_to(*cell, extend=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            seen = self._seen
            self._held.now = event.position().x() + (seen.drift if seen is not None else 0.0) - self._held.left
            self.viewport().update()
            return
        if self._edge_at(event.position()) is not None:
            self.viewport().setCursor(Qt.CursorShape.SplitHCursor)
            return
        if event.buttons() & Qt.MouseButton.LeftButton and self.marked is not None:
            cell = self.cell_at(event.position())
            if cell is not None:
                self._mark_to(*cell, extend=True)
        over = self.heading_at(event.position()) is not None
        self.viewport().setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        if held is not None and abs(held.now - held.was) > 1:
            set_width(self.desk, held, self.zoom)

    def _edge_at(self, point: QPointF) -> Held | None:
        seen = self._seen
        return edge_at(seen.at, seen.on_report(point), seen.x) if seen is not None else None

    def mark(self, marked: Marked | None) -> None:
        """Selects a block of cells."""
        self.marked = marked
        self.viewport().update()
        if marked is not None:
            self.marked_cell.emit(marked.row, marked.column)

    def _mark_to(self, row: int, column: int, extend: bool) -> None:
        if extend and self.marked is not None:
            m = self.marked
            self.mark(
                Marked(min(m.row, row), min(m.column, column), max(m.row, row), max(m.column, column), m.row, m.column)
            )
        else:
            self.mark(Marked(row, column, row, column, row, column))

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
            self.mark(Marked(0, 0, report.height - 1, report.width - 1, 0, 0))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        report = self.report
        if report is None or not report.width or not report.height:
            super().keyPressEvent(event)
            return
        at = self.marked
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        page = max(
            1, int(self.verticalScrollBar().pageStep() // (self.geometry_of.row_height if self.geometry_of else 1)) - 1
        )
        steps |= {Qt.Key.Key_PageUp: (-page, 0), Qt.Key.Key_PageDown: (page, 0)}
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() in steps:
            row, column = (at.row, at.column) if at else (0, 0)
            if at is not None:
                down, across = steps[Qt.Key(event.key())]
                if control:
                    down, across = down * report.height, across * report.width
                row = max(0, min(report.height - 1, row + down))
                column = max(0, min(report.width - 1, column + across))
            self.show_cell(row, column)
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            last = event.key() == Qt.Key.Key_End
            row = (report.height - 1 if last else 0) if control or at is None else at.row
            self.show_cell(row, report.width - 1 if last else 0)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and at is not None:
            self.proof_wanted.emit(at.row, at.column)
        elif event.key() in (Qt.Key.Key_Minus, Qt.Key.Key_Plus) and at is not None and not control:
            work = self.desk.members
            (work.fold_up if event.key() == Qt.Key.Key_Minus else work.open)(report.left, at.row)
        elif event.matches(QKeySequence.StandardKey.SelectAll):
            self.select_all()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.key() == Qt.Key.Key_Escape and self.marked is not None:
            self.mark(None)
        else:
            super().keyPressEvent(event)

    def show_cell(self, row: int, column: int) -> None:
        """Marks a cell and brings it into view."""
        self._mark_to(row, column, extend=False)
        seen = self._seen
        assert seen is not None
        across, down = seen.bringing(row, column)
        self.horizontalScrollBar().setValue(across)
        self.verticalScrollBar().setValue(down)

    def copy(self) -> None:
        """Copies the selected cells, or the whole report, as text with tabs and as an HTML table."""
        if self.report is not None:
            copy_cells(self.desk, self.report, self.marked)

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
        elif cell is None and self.heading_at(event.position()) is not None:
            self.rename_wanted.emit()
        elif cell is not None:
            self.proof_wanted.emit(*cell)
