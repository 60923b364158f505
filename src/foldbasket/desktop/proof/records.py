"""The records behind the proved cell: put in order by a click on a heading, looked through, with chosen fields, copied, written to a file."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QAbstractTableModel, QEvent, QModelIndex, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop.card.menu import add, new_menu, submenu
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.figures import figures_of
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets.plain import Label, link, short
from foldbasket.folding.listed import Listed, Records, Wanted, all_fields, list_records
from foldbasket.folding.proof import Proof
from foldbasket.outputs.records import lines_of, save_records
from foldbasket.spec.field import FieldRef
from foldbasket.styling.words import number_of
from foldbasket.tables.progress import Progress

PAD, NARROWEST, WIDEST = 9, 50, 320
PAUSE = 250
"""Milliseconds after the last letter before the records are looked through."""


class RecordModel(QAbstractTableModel):
    """Records as canonical text."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.wanted, self.fields = Wanted(()), list[Listed]()

    def show(self, records: Records) -> None:
        """Lists other records."""
        self.beginResetModel()
        self.wanted, self.fields = records.wanted, records.fields
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.fields[0].at) if self.fields else 0

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.fields)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation != Qt.Orientation.Horizontal:
            return str(section + 1)
        ref, wanted = self.fields[section].ref, self.wanted
        return ref.field + ((" ↓" if wanted.descending else " ↑") if ref == wanted.by else "")

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        field = self.fields[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole and field.column.type.is_number:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return short(field.text(index.row())) if role == Qt.ItemDataRole.DisplayRole else None


class RecordsPane(QWidget):
    """The list, and over it what can be done with it."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk = desk
        self.proof: Proof | None = None
        self.records: Records | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(12)
        self.finding = QLineEdit(self)
        self.finding.setPlaceholderText("Find in these records")
        self.finding.setAccessibleName("Find in these records")
        self.finding.setMinimumWidth(80)
        self.finding.setMaximumWidth(260)
        line.addWidget(self.finding, 4)
        self.said = Label(self)
        self.said.setProperty("role", "quiet")
        line.addWidget(self.said)
        line.addStretch(1)
        self.links = {}
        for name, tip, act in (
            ("fields…", "Which fields are listed, those of linked tables too", self.choose_fields),
            ("copy", "The selected records, or all that are listed, with headings (Ctrl+C)", self.copy),
            ("write…", "All of these records to a file", self.write),
        ):
            self.links[name] = link(name, tip, act, self)
            line.addWidget(self.links[name])
        column.addLayout(line)
        self.table = QTableView(self)
        self.table.setAccessibleName("Records behind the cell")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.model = RecordModel(self)
        self.table.setModel(self.model)
        self.table.installEventFilter(self)
        down, across = self.table.verticalHeader(), self.table.horizontalHeader()
        assert down is not None
        assert across is not None
        down.setDefaultSectionSize(22)
        down.setVisible(False)
        across.setSectionsClickable(True)
        across.sectionClicked.connect(self.order)
        across.setToolTip("A click puts the records in this order.")
        column.addWidget(self.table, 1)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE)
        self._pause.timeout.connect(lambda: self._want(text=self.finding.text()))
        self.finding.textEdited.connect(lambda _: self._pause.start())
        self._worker = Worker("records", self)
        self._worker.finished.connect(lambda records: self._show(records))
        self._writer = Worker("write records", self)
        self._writer.finished.connect(desk.output.written)
        for worker in (self._worker, self._writer):
            worker.failed.connect(desk.not_done)
            desk.add_work(worker)

    def take(self, proof: Proof, records: Records) -> None:
        """Shows the records of another proof; chosen fields and their order stay where it is about the same table."""
        before = self.records.wanted if self.records is not None else None
        same = self.proof is not None and self.proof.base == proof.base
        self.proof = proof
        self._show(records)
        self.finding.clear()
        if before is not None and same and (before.fields, before.by) != (records.wanted.fields, None):
            self._want(fields=before.fields, by=before.by, descending=before.descending)

    def _want(self, **changes: Any) -> None:
        proof, records = self.proof, self.records
        if proof is not None and records is not None:
            wanted = msgspec.structs.replace(records.wanted, **changes)
            self._worker.start(lambda progress: list_records(proof, wanted, progress))

    def _show(self, records: Records) -> None:
        self.records = records
        self.model.show(records)
        self._fit(records)
        assert self.proof is not None
        # Of records that are not held only the first were brought, and can be looked through.
        many = records.many if records.wanted.text else self.proof.behind.many
        listed = self.model.rowCount()
        shown = f"the first {listed:,} of {many:,}" if many > listed else f"{many:,}"
        self.said.setText(f"{shown} found" if records.wanted.text else shown)

    def _fit(self, records: Records) -> None:
        """Makes each field as wide as its longest text, by the widths of letters: Qt asks for every one of its records, which for 300 fields takes a second."""
        names = figures_of(self.table.font()).names
        for at, longest in enumerate(records.longest):
            heading = self.model.headerData(at, Qt.Orientation.Horizontal)
            wide = max(names.wide(heading), names.wide(longest)) + 2 * PAD
            self.table.setColumnWidth(at, round(min(WIDEST, max(NARROWEST, wide))))

    def order(self, section: int) -> None:
        """Puts the records in the order of a field; once more the other way round; a third time as they stand in the source."""
        if self.records is None:
            return
        ref, now = self.records.fields[section].ref, self.records.wanted
        if now.by != ref:
            self._want(by=ref, descending=False)
        else:
            self._want(by=None if now.descending else ref, descending=not now.descending)

    def choose_fields(self) -> QMenu | None:
        """Offers every field that the records lead to, table by table."""
        if self.proof is None or self.records is None:
            return None
        menu, chosen = new_menu(self), self.records.wanted.fields
        tables: dict[str, QMenu] = {}
        for ref in all_fields(self.proof):
            if ref.table not in tables:
                tables[ref.table] = submenu(menu, self.desk.source.called(ref.table))
            add(tables[ref.table], ref.field, partial(self.turn_field, ref), chosen=ref in chosen)
        under = self.links["fields…"]
        menu.popup(under.mapToGlobal(QPoint(0, under.height())))
        return menu

    def turn_field(self, ref: FieldRef) -> None:
        """Lists a field, or lists it no longer."""
        if self.records is None:
            return
        chosen = self.records.wanted.fields
        fields = tuple(each for each in chosen if each != ref) if ref in chosen else (*chosen, ref)
        if fields:
            by = self.records.wanted.by
            self._want(fields=fields, by=by if by in fields else None)

    def copy(self) -> None:
        """Puts the selected records, else all that are listed, on the clipboard."""
        records, chosen = self.records, self.table.selectionModel()
        if records is None or chosen is None:
            return
        rows = sorted(index.row() for index in chosen.selectedRows())
        places = rows or list(range(len(records.fields[0].at)))
        said = f"{number_of(len(places), 'record')} copied to the clipboard."
        self.desk.output.copy(len(places) * len(records.fields), lambda: (lines_of(records, places), ""), said)

    def write(self) -> None:
        """Asks for a file and writes all of the records to it."""
        proof, records = self.proof, self.records
        if proof is None or records is None:
            return
        chosen, _ = QFileDialog.getSaveFileName(self, "Write the records", "records.csv", "Delimited text (*.csv)")
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen + ".csv")
        wanted: Wanted = records.wanted
        guard = self.desk.output.guard()

        def write(progress: Progress) -> Path:
            save_records(list_records(proof, wanted, progress, most=None), path, progress, guard)
            return path

        self._writer.start(write)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> Any:
        if isinstance(event, QKeyEvent) and event.matches(QKeySequence.StandardKey.Copy):
            if event.type() == QEvent.Type.KeyPress:
                self.copy()
            event.accept()
            return True
        return super().eventFilter(watched, event)
