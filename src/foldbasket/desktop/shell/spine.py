"""The spine at the left: the basket's folds, its sources, and the fields by table, each with its distribution."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractItemModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.shell.spinelines import EXTRA, LINE, NAME, REF, FieldLines, FieldModel, ThingLines
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.plain import Label, tip
from foldbasket.sentence.phrases import label_of
from foldbasket.spec.field import FieldRef


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
        self.name = Label(self)
        self.name.setProperty("role", "title")
        self.place = Label(self)
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
        tree.setModel(FieldModel(self))
        tree.setItemDelegate(FieldLines(desk, tree))
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
        label = Label(title, line)
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
        view.setItemDelegate(ThingLines(self.desk, view))
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
                if report
                and fold.key == self.desk.view.fold_key
                and report.origin
                and report.origin.fold.key == fold.key
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
