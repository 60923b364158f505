"""The spine at the left: the basket's folds, its sources, and the fields by table, each with its distribution."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractItemModel, QModelIndex, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from foldbasket.baskets.naming import label_of
from foldbasket.desktop.sentence.view import field_mime
from foldbasket.desktop.state.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import tip
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
    elif nature is Nature.PRICE:
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


class _Lines(QStyledItemDelegate):
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
        _mark_keyboard(painter, option, area, colours)
        inner = area.adjusted(14, 0, -14, 0)
        painter.setFont(theme.font(11.5, tabular=True))
        painter.setPen(QColor(colours.columns if extra.endswith("to mend") else colours.muted))
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, extra)
        room = inner.adjusted(0, 0, -painter.fontMetrics().horizontalAdvance(extra) - 8, 0)
        painter.setFont(theme.font(theme.BODY, QFont.Weight.DemiBold if current else QFont.Weight.Normal))
        painter.setPen(QColor(colours.ink))
        label = str(index.data(Qt.ItemDataRole.DisplayRole))
        shown = painter.fontMetrics().elidedText(label, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)


class _FieldLines(QStyledItemDelegate):
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
        _mark_keyboard(painter, option, area, colours)
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
            painter.fontMetrics().elidedText(ref.field, Qt.TextElideMode.ElideRight, int(room.width())),
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


def _mark_keyboard(painter: QPainter, option: QStyleOptionViewItem, area: QRectF, colours: theme.Palette) -> None:
    if option.state & QStyle.StateFlag.State_MouseOver:
        hover = QColor(colours.line)
        hover.setAlpha(110)
        painter.fillRect(area, hover)
    if option.state & QStyle.StateFlag.State_HasFocus:
        theme.draw_focus(painter, area.adjusted(4, 1, -4, -1), colours)


class _FieldModel(QStandardItemModel):
    def mimeTypes(self) -> list[str]:
        from foldbasket.desktop.sentence.view import FIELD_MIME

        return [FIELD_MIME]

    def mimeData(self, indexes: Any) -> Any:
        refs = [index.data(REF) for index in indexes if index.data(REF) is not None]
        return field_mime(refs[0]) if refs else None


class Spine(QFrame):
    """The panel at the left. `add_fold_wanted`, `add_source_wanted` and `field_chosen` say what the user asked for."""

    add_fold_wanted = pyqtSignal()
    add_source_wanted = pyqtSignal()
    rename_fold_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("spine")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        self.name = QLabel(self)
        self.name.setProperty("role", "title")
        self.place = QLabel(self)
        self.place.setProperty("role", "quiet")
        for label in (self.name, self.place):
            label.setContentsMargins(14, 0, 10, 0)
            column.addWidget(label)
        column.addSpacing(12)
        column.addWidget(self._section("Folds", "+", "Add a fold", self.add_fold_wanted.emit))
        self.folds = self._list("Folds")
        self.folds.clicked.connect(self._show_fold)
        self.folds.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.folds.customContextMenuRequested.connect(
            lambda point: self.rename_fold_wanted.emit(self.folds.indexAt(point).data(NAME) or "")
        )
        column.addWidget(self.folds)
        column.addSpacing(8)
        column.addWidget(self._section("Sources", "+", "Open more data", self.add_source_wanted.emit))
        self.sources = self._list("Sources")
        self.sources.clicked.connect(lambda index: desk.show_source(index.data(NAME)))
        for view in (self.folds, self.sources):
            view.installEventFilter(self)
        column.addWidget(self.sources)
        column.addSpacing(8)
        column.addWidget(self._section("Fields", "find…", "Find a field", lambda: self.search()))
        self.finding = QLineEdit(self)
        self.finding.setPlaceholderText("Part of a field's name")
        self.finding.setAccessibleName("Find a field")
        self.finding.hide()
        self.finding.textChanged.connect(lambda _: self._fill_fields())
        held = QHBoxLayout()
        held.setContentsMargins(12, 0, 12, 4)
        held.addWidget(self.finding)
        column.addLayout(held)
        self.fields = self._tree(desk)
        self.finding.installEventFilter(self)
        column.addWidget(self.fields, 1)
        desk.when(Part.DOCUMENT | Part.FOLD | Part.VIEW | Part.TABLES | Part.FINDINGS, self, self.renew)
        desk.when(Part.TABLES, self, self._fill_fields)
        desk.when(Part.PROFILES, self, self.fields.viewport().update)
        desk.when(Part.REPORT, self, self._fill_folds)
        desk.files.saved.connect(self.renew)
        self.renew()
        self._fill_fields()

    def _tree(self, desk: Desk) -> QTreeView:
        """The fields by their tables."""
        tree = QTreeView(self)
        tree.setModel(_FieldModel(self))
        tree.setItemDelegate(_FieldLines(desk, tree))
        tree.setHeaderHidden(True)
        tree.setIndentation(0)
        tree.setRootIsDecorated(False)
        tree.setUniformRowHeights(True)
        tree.setDragEnabled(True)
        tree.setEditTriggers(QTreeView.EditTrigger.NoEditTriggers)
        tree.setExpandsOnDoubleClick(False)
        tree.setAccessibleName("Fields")
        tree.setMouseTracking(True)
        tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        tree.clicked.connect(self._toggle)
        tree.doubleClicked.connect(self._place)
        tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        tree.customContextMenuRequested.connect(self._offer_strands)
        tree.installEventFilter(self)
        return tree

    def _section(self, title: str, sign: str, tip: str, act: Any) -> QWidget:
        line = QWidget(self)
        row = QHBoxLayout(line)
        row.setContentsMargins(14, 2, 10, 2)
        label = QLabel(title, line)
        label.setProperty("role", "section")
        button = QPushButton(sign, line)
        button.setProperty("role", "link")
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda: act())
        row.addWidget(label)
        row.addStretch(1)
        row.addWidget(button)
        return line

    def _list(self, name: str) -> QListView:
        view = QListView(self)
        view.setModel(QStandardItemModel(self))
        view.setItemDelegate(_Lines(self.desk, view))
        view.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        view.setAccessibleName(name)
        view.setMouseTracking(True)
        view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        return view

    # --- filling ------------------------------------------------------------

    def renew(self) -> None:
        """Says the basket's name, folds and sources anew."""
        desk = self.desk
        self.name.setText(desk.basket.name)
        file = desk.path.name if desk.path else "not saved yet"
        self.place.setText(f"{file} · changed" if desk.history.changed and desk.path else file)
        self._fill_folds()
        lines = []
        for source in desk.basket.sources:
            table = desk.tables.get(source.key)
            findings = sum(bool(finding.offers) for finding in desk.supply.findings(source.key))
            said = f"{findings} to mend" if findings else f"{table.count:,}" if table else ""
            lines.append((source.key, said))
        self._fill(self.sources, lines, folds=False)

    def _fill_folds(self) -> None:
        report = self.desk.report
        lines = []
        for fold in self.desk.basket.folds:
            size = (
                f"{report.height} × {report.width}"
                if report and fold.key == self.desk.view.fold_key and report.name == fold.name
                else ""
            )
            lines.append((fold.key, size))
        self._fill(self.folds, lines, folds=True)
        names = [fold.key for fold in self.desk.basket.folds]
        if self.desk.view.fold_key in names and not self.folds.hasFocus():
            self.folds.scrollTo(self.folds.model().index(names.index(self.desk.view.fold_key), 0))

    def _fill(self, view: QListView, lines: list[tuple[str, str]], folds: bool) -> None:
        desk, model = self.desk, view.model()
        assert isinstance(model, QStandardItemModel)
        focused = view.currentIndex().row()
        model.clear()
        for name, extra in lines:
            fold = desk.basket.fold(name) if folds else None
            label = label_of(fold, desk.source) if fold is not None else desk.basket.source_name(name)
            item = QStandardItem(label)
            item.setData(name, NAME)
            item.setToolTip(tip(label))
            item.setData(extra, EXTRA)
            item.setData(folds, Qt.ItemDataRole.UserRole + 3)
            model.appendRow(item)
        if 0 <= focused < len(lines):
            view.setCurrentIndex(model.index(focused, 0))
        view.setFixedHeight(LINE * min(7, max(1, len(lines))) + 2)

    def _fill_fields(self) -> None:
        model: QAbstractItemModel | None = self.fields.model()
        assert isinstance(model, QStandardItemModel)
        closed = {
            model.item(row).data(NAME)
            for row in range(model.rowCount())
            if not self.fields.isExpanded(model.index(row, 0))
        }
        model.clear()
        wanted = self.finding.text().casefold().split()
        for key, table in self.desk.source.tables.items():
            names = [name for name in table.columns if all(word in name.casefold() for word in wanted)]
            if not names:
                continue
            parent = QStandardItem(table.name)
            parent.setData(key, NAME)
            parent.setDragEnabled(False)
            for name in names:
                item = QStandardItem(name)
                item.setData(FieldRef(key, name), REF)
                said = f"{name}: {table.columns[name].type.value}. Double-click places it, or drag it into the report."
                item.setToolTip(tip(said))
                parent.appendRow(item)
            model.appendRow(parent)
            if key not in closed or wanted:
                self.fields.expand(parent.index())

    # --- acting -------------------------------------------------------------

    def search(self) -> None:
        """Opens the line that narrows the list of fields."""
        self.finding.show()
        self.finding.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def focus_fields(self) -> None:
        """Puts the keyboard on the list of fields."""
        self.fields.setFocus(Qt.FocusReason.ShortcutFocusReason)
        if not self.fields.currentIndex().isValid():
            self.fields.setCurrentIndex(self.fields.model().index(0, 0))

    def index_of(self, ref: FieldRef) -> QModelIndex:
        """The line of a field in the list."""
        model = self.fields.model()
        assert isinstance(model, QStandardItemModel)
        for row in range(model.rowCount()):
            parent = model.item(row)
            for child in range(parent.rowCount()):
                if parent.child(child).data(REF) == ref:
                    return parent.child(child).index()
        return QModelIndex()

    def _show_fold(self, index: QModelIndex) -> None:
        """Brings a fold into view; one that is in view shows its own card."""
        if index.data(NAME) == self.desk.view.fold_key and self.desk.view.source_key is None:
            self.desk.select_word(None)
        else:
            self.desk.show_fold(index.data(NAME))

    def _toggle(self, index: QModelIndex) -> None:
        if index.data(REF) is None:
            self.fields.setExpanded(index, not self.fields.isExpanded(index))

    def _place(self, index: QModelIndex) -> None:
        ref = index.data(REF)
        if ref is not None:
            self.desk.words.place(ref)

    def _offer_strands(self, point: Any) -> None:
        ref = self.fields.indexAt(point).data(REF)
        if ref is None:
            return
        menu = QMenu(self)
        for strand, says in (
            ("measures", "Place in the cells"),
            ("rows", "Place on rows"),
            ("columns", "Place on columns"),
            ("filters", "Filter by it"),
        ):
            menu.addAction(says, lambda strand=strand: self.desk.words.place(ref, strand))
        menu.exec(self.fields.viewport().mapToGlobal(point))

    def eventFilter(self, watched: Any, event: Any) -> bool:
        if event.type() == event.Type.KeyPress:
            enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if watched in (self.folds, self.sources) and enter and watched.currentIndex().isValid():
                watched.clicked.emit(watched.currentIndex())
                return True
            if watched is self.fields and enter:
                index = self.fields.currentIndex()
                self._place(index) if index.data(REF) is not None else self._toggle(index)
                return True
            if watched is self.finding and event.key() == Qt.Key.Key_Escape:
                self.finding.clear()
                self.finding.hide()
                self.fields.setFocus()
                return True
            if watched is self.finding and (enter or event.key() == Qt.Key.Key_Down):
                model = self.fields.model()
                self.fields.setFocus()
                self.fields.setCurrentIndex(model.index(0, 0, model.index(0, 0)))
                return True
        return super().eventFilter(watched, event)
