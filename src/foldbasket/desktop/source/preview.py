"""The rows of a source as they are after the mends, a profile on the head of each field, and what was found marked on both.

Draws only what is in view, so a million rows scroll as ten do.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDrag, QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractScrollArea, QApplication, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.figures import figures_of
from foldbasket.desktop.sentence.word import field_mime
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import Column, DeferredColumn
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.nature import as_told
from foldbasket.tables.profile import Profile, summary
from foldbasket.tables.sample import in_view, is_sampled
from foldbasket.tables.table import Table

ROW = 22
HEAD = 78
PAD = 10
NARROWEST, WIDEST = 76, 240
SAMPLE = 60
MOST_MEASURED = 3_000
"""So many values, over all columns, are looked at for their widths."""


def cell_text(table: Table, record: int, name: str) -> str:
    """A cell of a table at hand as it is shown: values that do not fit the type as they were read."""
    column = table.columns[name]
    said = None if isinstance(column, DeferredColumn) else column.text(record)
    if said is None and name in table.texts:
        return table.texts[name].text(record) or ""
    if said is None:
        return column.peek(record) or "" if isinstance(column, DeferredColumn) else ""
    if not column.type.is_number:
        return said
    return as_told(column, said).replace("-", "−", 1)


class Preview(QAbstractScrollArea):
    """Shows the desk's source. `field_chosen` brings the name of a field whose head was chosen, empty for none."""

    field_chosen = pyqtSignal(str)
    shown_changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.table: Table | None = None
        self._is_sampled = False
        """Whether the table is not held, so that its records are read when they come into view."""
        self.shown: npt.NDArray[np.int64] | None = None
        """The numbers of the records shown; None shows all."""
        self._name: str | None = None
        self.lefts: list[float] = []
        self._widths: list[float] = []
        self._marked: dict[str, list[Finding]] = {}
        self.row_at = 0
        self._pressed: QPoint | None = None
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Rows of the source")
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            bar.valueChanged.connect(lambda _: self.viewport().update())
        shows = Part.VIEW | Part.TABLES | Part.SOURCES | Part.FINDINGS | Part.PROFILES
        desk.when(shows, self, self.renew)
        for came in (desk.peeks.came, desk.supply.looker.seeker.came):
            came.connect(lambda: self.viewport().update())
        self.renew()

    # --- what is shown ------------------------------------------------------

    def renew(self) -> None:
        """Takes the source in view; the place in it is kept while it is the same source."""
        spec = self.desk.spec
        table = self.desk.tables.get(spec.key) if spec else None
        if (spec.key if spec else None) != self._name or (
            table is not None and table is not self.table and self.shown is not None
        ):
            self.show_records(None)
        if (spec.key if spec else None) != self._name:
            self.horizontalScrollBar().setValue(0)
            self.verticalScrollBar().setValue(0)
            self.row_at = 0
        self._name, self.table = (spec.key if spec else None), table
        self._is_sampled = table is not None and is_sampled(table)
        self._marked = {}
        for finding in self.desk.supply.findings(spec.key) if spec else []:
            if finding.field:
                self._marked.setdefault(finding.field, []).append(finding)
        self._measure()
        self._set_ranges()
        self.viewport().update()

    def show_records(self, records: npt.NDArray[np.int64] | None) -> None:
        """Shows only some records, or all."""
        self.shown = records
        self.row_at = 0
        self.verticalScrollBar().setValue(0)
        self._set_ranges()
        self.viewport().update()
        self.shown_changed.emit()

    @property
    def count(self) -> int:
        """How many rows there are to scroll through."""
        if self.table is None:
            return 0
        return self.table.count if self.shown is None else len(self.shown)

    def record(self, row: int) -> int:
        """The number of the record on a row."""
        return row if self.shown is None else int(self.shown[row])

    def text(self, name: str, record: int) -> str:
        """A cell as it is shown: values that do not fit the type as they were read; of records that are still being read a mark."""
        assert self.table is not None
        found = self.desk.peeks.at(self.table, record) if self._is_sampled else (self.table, record)
        return cell_text(*found, name) if found is not None else "…"

    def _profile(self, name: str) -> Profile | None:
        assert self.table is not None
        return self.desk.profiles.get((self.table.serial, name))

    def _measure(self) -> None:
        """Widths that fit the heads and a sample of values."""
        self.lefts, self._widths = [], []
        if self.table is None:
            return
        plain, small = (figures_of(font).names for font in (theme.font(tabular=True), theme.font(theme.SMALL - 1)))
        number = plain.wide(f"{max(1, self.table.count):,}") + 2 * PAD
        left = 12 + max(34.0, number)
        sample = max(2, min(SAMPLE, MOST_MEASURED // max(1, len(self.table.columns))))
        viewed = in_view(self.table)
        records = np.unique(np.linspace(0, max(0, viewed.count - 1), min(sample, viewed.count)).astype(int))
        for name, column in self.table.columns.items():
            words = [summary(column, self._profile(name)), self._note(name, column)[0]]
            texts = [cell_text(viewed, int(record), name) for record in records]
            wide = max(
                plain.wide(name) + 4,
                *map(small.wide, words),
                *(plain.wide(text[:60]) for text in texts or [""]),
            )
            width = min(WIDEST, max(NARROWEST, wide + 2 * PAD))
            self.lefts.append(left)
            self._widths.append(width)
            left += width

    def _note(self, name: str, column: Column) -> tuple[str, bool]:
        """The last line of a head: what was found, or how many are blank; and whether it is a finding."""
        for finding in self._marked.get(name, []):
            if finding.kind != "no amount":
                return finding.brief, True
        profile = self._profile(name)
        if profile is None or profile.blanks is None:
            return "", False
        return ("none blank" if not profile.blanks else f"{profile.blanks:,} blank"), False

    def _set_ranges(self) -> None:
        height = self.viewport().height() - HEAD
        page = max(1, height // ROW)
        self.verticalScrollBar().setRange(0, max(0, self.count - page))
        self.verticalScrollBar().setPageStep(page)
        self.verticalScrollBar().setSingleStep(3)
        whole = (self.lefts[-1] + self._widths[-1] + 12) if self.lefts else 0
        self.horizontalScrollBar().setRange(0, max(0, int(whole - self.viewport().width())))
        self.horizontalScrollBar().setPageStep(self.viewport().width())
        self.horizontalScrollBar().setSingleStep(40)

    def resizeEvent(self, event: Any) -> None:
        self._set_ranges()

    # --- drawing ------------------------------------------------------------

    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self.viewport())
        colours = theme.palette()
        whole = QRectF(self.viewport().rect())
        painter.fillRect(whole, QColor(colours.paper))
        if self.table is None:
            painter.setPen(QColor(colours.muted))
            painter.setFont(theme.font())
            note = self.desk.supply.notes.get(self._name or "", "")
            said = f"Its records are not here: {note}" if note else "Reading…" if self.desk.busy else "No records yet."
            painter.drawText(whole.adjusted(24, 20, -24, -20), Qt.TextFlag.TextWordWrap, said)
            return
        first, shift = self.verticalScrollBar().value(), self.horizontalScrollBar().value()
        rows = range(first, min(self.count, first + int((whole.height() - HEAD) // ROW) + 1))
        records = np.array([self.record(row) for row in rows], np.int64)
        self._draw_numbers(painter, rows, records, shift, colours)
        for name, left, width in zip(self.table.columns, self.lefts, self._widths, strict=True):
            x = left - shift
            if x + width < 0 or x > whole.width():
                continue
            self._draw_cells(painter, name, QRectF(x, HEAD, width, ROW), rows, records, first, colours)
        painter.fillRect(QRectF(0, 0, whole.width(), HEAD), QColor(colours.paper))
        for name, left, width in zip(self.table.columns, self.lefts, self._widths, strict=True):
            self._draw_head(painter, name, QRectF(left - shift, 0, width, HEAD), colours)
        painter.setPen(QPen(QColor(colours.ink), 1))
        right = min(whole.width(), (self.lefts[-1] + self._widths[-1] - shift) if self.lefts else 0)
        painter.drawLine(QPointF(22 if not shift else 0, HEAD - 0.5), QPointF(right, HEAD - 0.5))

    def _draw_numbers(
        self, painter: QPainter, rows: range, records: npt.NDArray[np.int64], shift: int, colours: theme.Palette
    ) -> None:
        if not self.lefts:
            return
        painter.setFont(theme.font(11, tabular=True))
        for at, row in enumerate(rows):
            y = HEAD + (row - rows.start) * ROW
            if row == self.row_at and self.hasFocus():
                painter.fillRect(QRectF(0, y, self.viewport().width(), ROW), QColor(colours.selection))
            painter.setPen(QColor(colours.rule))
            area = QRectF(-shift, y, self.lefts[0] - PAD, ROW)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, f"{records[at] + 1:,}")

    def _draw_cells(
        self,
        painter: QPainter,
        name: str,
        cell: QRectF,
        rows: range,
        records: npt.NDArray[np.int64],
        first: int,
        colours: theme.Palette,
    ) -> None:
        assert self.table is not None
        column = self.table.columns[name]
        odd = np.zeros(len(records), np.bool_)
        seeker = self.desk.supply.looker.seeker
        for finding in self._marked.get(name, []):
            # Where each is looked for among records that have to be read, only those that somebody wanted to see are marked.
            found = finding.found if self._is_sampled else seeker.known(finding)
            if found is not None and len(found):
                at = np.minimum(np.searchsorted(found, records), len(found) - 1)
                odd |= found[at] == records
        painter.setFont(theme.font(tabular=True))
        metrics = painter.fontMetrics()
        right = column.type.is_number
        for number, (row, record) in enumerate(zip(rows, records, strict=True)):
            area = QRectF(cell.left(), HEAD + (row - first) * ROW, cell.width(), ROW)
            text = self.text(name, int(record))
            if odd[number]:
                painter.fillRect(area.adjusted(2, 0, -2, -1), QColor(colours.columns_tint))
                text = text[:-1] + "·" if text.endswith(" ") else text
                text = "·" + text[1:] if text.startswith(" ") else text
            painter.setPen(QColor(colours.ink))
            inner = area.adjusted(PAD, 0, -PAD, 0)
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            shown = elided(metrics, text, int(inner.width()) + 1)
            painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | side, shown)

    def _draw_head(self, painter: QPainter, name: str, area: QRectF, colours: theme.Palette) -> None:
        assert self.table is not None
        if area.right() < 0 or area.left() > self.viewport().width():
            return
        column = self.table.columns[name]
        profile = self._profile(name)
        if name == self.desk.view.field:
            painter.fillRect(area.adjusted(2, 4, -2, -2), QColor(colours.selection))
        inner = area.adjusted(PAD, 0, -PAD, 0)
        side = Qt.AlignmentFlag.AlignRight if column.type.is_number else Qt.AlignmentFlag.AlignLeft
        top = Qt.AlignmentFlag.AlignVCenter

        def line(y: float, text: str, font: QFont, colour: str) -> None:
            painter.setFont(font)
            painter.setPen(QColor(colour))
            place = QRectF(inner.left(), y, inner.width(), 16)
            painter.drawText(
                place,
                top | side,
                elided(painter.fontMetrics(), text, int(inner.width()) + 1),
            )

        line(6, name, theme.font(), colours.ink)
        line(22, summary(column, profile), theme.font(theme.SMALL - 1), colours.muted)
        if profile is not None and profile.shape:
            box = QRectF(inner.left(), 39, min(inner.width(), 84), 17)
            if side == Qt.AlignmentFlag.AlignRight:
                box.moveRight(inner.right())
            draw_shape(painter, profile.shape, box, column.type.is_time, colours)
        note, found = self._note(name, column)
        line(58, note, theme.font(theme.SMALL - 1), colours.columns if found else colours.muted)

    # --- mouse and keys -----------------------------------------------------

    def _field_at(self, point: QPoint) -> str:
        if self.table is not None:
            x = point.x() + self.horizontalScrollBar().value()
            for name, left, width in zip(self.table.columns, self.lefts, self._widths, strict=True):
                if left <= x < left + width:
                    return name
        return ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point = event.position().toPoint()
        self._pressed = point
        if point.y() < HEAD:
            self.field_chosen.emit(self._field_at(point))
        else:
            self.row_at = min(self.count - 1, self.verticalScrollBar().value() + (point.y() - HEAD) // ROW)
            self.viewport().update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point = event.position().toPoint()
        if self._pressed is None or self._pressed.y() >= HEAD or self._name is None:
            return
        if (point - self._pressed).manhattanLength() < QApplication.startDragDistance():
            return
        field = self._field_at(self._pressed)
        self._pressed = None
        if field:
            drag = QDrag(self)
            drag.setMimeData(field_mime(FieldRef(self._name, field)))
            drag.exec(Qt.DropAction.CopyAction)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        page = self.verticalScrollBar().pageStep()
        steps = {
            Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: page, Qt.Key.Key_PageUp: -page,
        }  # fmt: skip
        names = list(self.table.columns) if self.table else []
        if event.key() in steps and self.count:
            self._go(self.row_at + steps[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End) and self.count:
            self._go(0 if event.key() == Qt.Key.Key_Home else self.count - 1)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and names:
            here = names.index(self.desk.view.field) if self.desk.view.field in names else -1
            there = max(0, min(len(names) - 1, here + (1 if event.key() == Qt.Key.Key_Right else -1)))
            self.field_chosen.emit(names[there])
            self._bring(there)
        elif event.key() == Qt.Key.Key_Escape:
            self.show_records(None) if self.shown is not None else self.field_chosen.emit("")
        else:
            super().keyPressEvent(event)

    def _go(self, row: int) -> None:
        self.row_at = max(0, min(self.count - 1, row))
        bar = self.verticalScrollBar()
        if self.row_at < bar.value():
            bar.setValue(self.row_at)
        elif self.row_at >= bar.value() + bar.pageStep():
            bar.setValue(self.row_at - bar.pageStep() + 1)
        self.viewport().update()

    def _bring(self, at: int) -> None:
        bar = self.horizontalScrollBar()
        if self.lefts[at] - bar.value() < 0:
            bar.setValue(int(self.lefts[at] - 12))
        elif self.lefts[at] + self._widths[at] - bar.value() > self.viewport().width():
            bar.setValue(int(self.lefts[at] + self._widths[at] - self.viewport().width()))


def draw_shape(
    painter: QPainter, shape: tuple[float, ...], area: QRectF, over_time: bool, colours: theme.Palette
) -> None:
    """A small drawing of a distribution: a line over time, bars over values."""
    painter.save()
    if over_time and len(shape) > 1:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(colours.muted), 1))
        step = area.width() / (len(shape) - 1)
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(area.left() + at * step, area.bottom() - tall * area.height())
                    for at, tall in enumerate(shape)
                ]
            )
        )
    else:
        step = min(12.0, area.width() / max(4, len(shape)))
        start = area.left()
        for at, tall in enumerate(shape):
            height = max(1.0, tall * area.height())
            painter.fillRect(
                QRectF(start + at * step, area.bottom() - height, max(1.5, step - 1.5), height), QColor(colours.rule)
            )
    painter.restore()
