"""How lines of the spine are drawn: folds, sources, tables and their fields."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF, QStandardItemModel
from PyQt6.QtWidgets import (
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeView,
    QWidget,
)

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.sentence.word import field_mime
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided
from foldbasket.spec.field import FieldRef
from foldbasket.tables.nature import Nature, nature_of

NAME, REF, EXTRA = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1, Qt.ItemDataRole.UserRole + 2
LINE = 24


def draw_nature(painter: QPainter, nature: Nature, area: QRectF, colour: QColor) -> None:
    """The small sign of a field's nature, in strokes of our own."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.2))
    middle, x, y = area.center(), area.center().x(), area.center().y()
    if nature is Nature.DATE:
        painter.drawEllipse(middle, 4.5, 4.5)
        painter.drawPolyline(QPolygonF([QPointF(x, y - 3), middle, QPointF(x + 2.2, y + 1)]))
    elif nature is Nature.QUANTITY:
        for at, height in enumerate((4, 8, 6)):
            painter.drawLine(QPointF(x - 3.5 + at * 3.5, y + 4), QPointF(x - 3.5 + at * 3.5, y + 4 - height))
    elif nature is Nature.AMOUNT:
        painter.drawEllipse(middle, 3, 3)
        for dx, dy in ((-1, -1), (1, -1), (-1, 1), (1, 1)):
            painter.drawLine(QPointF(x + dx * 2.2, y + dy * 2.2), QPointF(x + dx * 4.4, y + dy * 4.4))
    elif nature.is_rate:
        painter.drawLine(QPointF(x - 3.5, y + 4), QPointF(x + 3.5, y - 4))
        painter.drawEllipse(QPointF(x - 2.6, y - 2.6), 1.4, 1.4)
        painter.drawEllipse(QPointF(x + 2.6, y + 2.6), 1.4, 1.4)
    elif nature is Nature.IDENTIFIER:
        painter.drawRect(QRectF(x - 4.5, y - 3, 9, 6))
        painter.drawLine(QPointF(x - 2, y), QPointF(x + 2, y))
    else:
        for row in (-3, 0, 3):
            painter.drawLine(QPointF(x - 4, y + row), QPointF(x + (4 if row < 3 else 1), y + row))
    painter.restore()


class ThingLines(QStyledItemDelegate):
    """Draws a line of a list: name, quiet remark, and the bar at the left of the one in view."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk = desk

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(100, LINE)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        colours = theme.palette()
        area = QRectF(option.rect)
        name, extra = str(index.data(NAME)), str(index.data(EXTRA) or "")
        in_source = self.desk.view.source_key
        is_fold = bool(index.data(Qt.ItemDataRole.UserRole + 3))
        current = name == (self.desk.view.fold_key if is_fold and in_source is None else None if is_fold else in_source)
        if current:
            painter.fillRect(area, QColor(colours.page))
            painter.fillRect(QRectF(area.left(), area.top(), 3, area.height()), QColor(colours.ink))
        mark_keyboard(painter, option, area, colours)
        inner = area.adjusted(14, 0, -14, 0)
        painter.setFont(theme.font(11.5, tabular=True))
        painter.setPen(QColor(colours.columns if extra.endswith("to mend") else colours.muted))
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, extra)
        room = inner.adjusted(0, 0, -painter.fontMetrics().horizontalAdvance(extra) - 8, 0)
        painter.setFont(theme.font(theme.BODY, QFont.Weight.DemiBold if current else QFont.Weight.Normal))
        painter.setPen(QColor(colours.ink))
        label = str(index.data(Qt.ItemDataRole.DisplayRole))
        shown = elided(painter.fontMetrics(), label, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)


class FieldLines(QStyledItemDelegate):
    """Draws a table's name, or a field with the sign of its nature and its distribution."""

    def __init__(self, desk: Desk, parent: QTreeView) -> None:
        super().__init__(parent)
        self.desk, self.tree = desk, parent

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(100, 22)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        colours = theme.palette()
        area = QRectF(option.rect)
        area.setLeft(0)
        mark_keyboard(painter, option, area, colours)
        ref: FieldRef | None = index.data(REF)
        painter.setPen(QColor(colours.ink))
        if ref is None:
            painter.setFont(theme.font(12.5, QFont.Weight.DemiBold))
            opener = "⌄" if self.tree.isExpanded(index) else "›"
            painter.drawText(
                area.adjusted(12, 0, 0, 0),
                Qt.AlignmentFlag.AlignVCenter,
                f"{opener} {index.data(Qt.ItemDataRole.DisplayRole)}",
            )
            return
        column = self.desk.column(ref)
        if column is None:
            return
        nature = nature_of(column)
        draw_nature(painter, nature, QRectF(24, area.top() + 3, 14, 16), QColor(colours.muted))
        profile = self.desk.profiles.get((self.desk.tables[ref.table].serial, ref.field))
        shape_area = QRectF(area.right() - 58, area.top() + 4, 46, area.height() - 8)
        if profile is not None and len(profile.shape) > 1 and nature not in (Nature.IDENTIFIER, Nature.TEXT):
            self._draw_shape(painter, profile.shape, shape_area, nature is Nature.DATE)
        painter.setFont(theme.font(12.5))
        painter.setPen(QColor(colours.ink))
        room = QRectF(43, area.top(), shape_area.left() - 49, area.height())
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter,
            elided(painter.fontMetrics(), ref.field, int(room.width())),
        )

    @staticmethod
    def _draw_shape(painter: QPainter, shape: tuple[float, ...], area: QRectF, as_line: bool) -> None:
        colours = theme.palette()
        step = area.width() / len(shape)
        if as_line:
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(QColor(colours.muted), 1.1))
            painter.drawPolyline(
                QPolygonF(
                    [
                        QPointF(area.left() + (at + 0.5) * step, area.bottom() - height * area.height())
                        for at, height in enumerate(shape)
                    ]
                )
            )
            painter.restore()
            return
        step = min(step, 7.0)
        for at, height in enumerate(shape):
            tall = max(1.0, height * area.height())
            painter.fillRect(
                QRectF(area.left() + at * step, area.bottom() - tall, max(1.5, step - 1.5), tall), QColor(colours.rule)
            )


def mark_keyboard(painter: QPainter, option: QStyleOptionViewItem, area: QRectF, colours: theme.Palette) -> None:
    if option.state & QStyle.StateFlag.State_MouseOver:
        hover = QColor(colours.line)
        hover.setAlpha(110)
        painter.fillRect(area, hover)
    if option.state & QStyle.StateFlag.State_HasFocus:
        theme.draw_focus(painter, area.adjusted(4, 1, -4, -1), colours)


class FieldModel(QStandardItemModel):
    def mimeTypes(self) -> list[str]:
        from foldbasket.desktop.sentence.word import FIELD_MIME

        return [FIELD_MIME]

    def mimeData(self, indexes: Any) -> Any:
        refs = [index.data(REF) for index in indexes if index.data(REF) is not None]
        return field_mime(refs[0]) if refs else None
