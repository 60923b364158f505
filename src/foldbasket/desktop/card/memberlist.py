"""A list of members to tick, with their counts: found by typing, ticked by mouse and keys, all but one or none but one, or pasted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import QEvent, QModelIndex, QObject, QPoint, QRect, QSortFilterProxyModel, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QHBoxLayout,
    QListView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop.card.controls import Line
from foldbasket.desktop.card.menu import add, new_menu
from foldbasket.desktop.card.tick import COUNT, MemberModel
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import link
from foldbasket.folding.filters.members import Members

LINE, MOST_HIGH, FEW = 20, 300, 9
"""Pixels of a line at least and of the list at most; a list of so few lines is not searched."""


class CountedLines(QStyledItemDelegate):
    """A line with its records at the right; one without any is said quietly."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        records = index.data(COUNT)
        if records is None:
            super().paint(painter, option, index)
            return
        colours, text = theme.palette(), f"{records:,}"
        font = theme.font(theme.SMALL)
        painter.setFont(font)
        wide = painter.fontMetrics().horizontalAdvance(text) + 12
        room = QRect(option.rect)
        option.rect.setRight(room.right() - wide)
        super().paint(painter, option, index)
        painter.setFont(font)
        painter.setPen(QColor(colours.muted if records else colours.rule))
        painter.drawText(room.adjusted(0, 0, -6, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)


class MemberList(QWidget):
    """The members of a filter. With `later` it also asks what becomes of members that come later."""

    def __init__(
        self, desk: Desk, model: MemberModel, become: Callable[[Members, str], None], parent: QWidget, *, later: bool
    ) -> None:
        super().__init__(parent)
        self.desk, self.model, self._become = desk, model, become
        rule = model.rule
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.shown = QSortFilterProxyModel(self)
        self.shown.setSourceModel(model)
        self.shown.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.search = Line(self)
        self.search.setPlaceholderText(f"Find among {len(model.keys):,}")
        self.search.setAccessibleName("Find a member")
        self.search.textChanged.connect(self.shown.setFilterFixedString)
        self.search.setVisible(later or model.rowCount() > FEW)
        column.addWidget(self.search)
        column.addLayout(self._links())
        self.list = QListView(self)
        self.list.setObjectName("members")
        self.list.setModel(self.shown)
        self.list.setItemDelegate(CountedLines(self.list))
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName(f"Members of {rule.field.field}; ticked ones are kept")
        self.list.setToolTip("Space ticks one, Enter keeps only it; a right click offers more.")
        self.list.ensurePolished()
        line = max(LINE, self.list.sizeHintForRow(0))
        self.list.setFixedHeight(min(MOST_HIGH, line * max(3, model.rowCount()) + 6))
        self.list.installEventFilter(self)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self.menu)
        column.addWidget(self.list)
        if later:
            column.addWidget(self._later(rule))
        desk.folding.answers.ready.connect(self._count)
        desk.when(Part.REPORT, self, self._count)
        self._count()

    def _count(self) -> None:
        """Shows the counts that the other filters leave, once they are known."""
        fold = self.desk.fold
        if (
            fold is not None
            and self.desk.report is not None
            and any(each.id == self.model.rule.id for each in fold.filters)
        ):
            self.model.count(self.desk.folding.answers.of(self.desk.engine, fold, self.model.rule.id))

    def take(self, rule: Members) -> None:
        """Takes the filter as it is now, and the counts that go with the others."""
        self.model.take(rule)
        self._count()

    def _links(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(10)
        for label, tip, act in (
            ("keep all", "Of the members listed below", lambda: self.model.toggle(self._rows(), True)),
            ("keep none", "Of the members listed below", lambda: self.model.toggle(self._rows(), False)),
            ("paste a list", "Keeps the members that are on the clipboard, one on each line", self.paste),
        ):
            line.addWidget(link(label, tip, act, self))
        line.addStretch(1)
        return line

    def _later(self, rule: Members) -> QCheckBox:
        box = QCheckBox("Keep members that come later", self)
        box.setProperty("role", "quiet")
        box.setToolTip("When new records bring new members: ticked keeps them, unticked leaves them out.")
        box.setChecked(rule.exclude)

        def turn_round(keep_new: bool) -> None:
            listed = set(rule.members)
            flipped = tuple(key for key in self.model.keys if key not in listed)
            turned = {flag: not getattr(rule, flag) for flag in self.model.extra}
            changed = msgspec.structs.replace(rule, exclude=keep_new, members=flipped, **turned)
            self._become(changed, "Members that come later")

        box.clicked.connect(turn_round)
        return box

    def _rows(self) -> list[int]:
        """The lines of the model that are listed at present."""
        return [self.shown.mapToSource(self.shown.index(row, 0)).row() for row in range(self.shown.rowCount())]

    def only(self, *, but: bool = False) -> None:
        """Keeps the current member and no other; with `but` all others."""
        index = self.list.currentIndex()
        if index.isValid():
            self.model.only([self.shown.mapToSource(index).row()], but=but)

    def paste(self) -> None:
        """Keeps the members that the clipboard lists; says which are none."""
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        lines = [each.strip() for line in text.splitlines() for each in line.split("\t")]
        names = [line for line in lines if line]
        rows, unknown = self.model.rows_named(names)
        if not rows:
            what = (
                f"“{unknown[0]}” is not a member of {self.model.rule.field.field}."
                if unknown
                else "the clipboard holds no text."
            )
            self.desk.sources.complain(what, "Copy members as the report names them, one on each line.")
            return
        self.model.only(rows)
        if unknown:
            more = f" and {len(unknown) - 1:,} more" if len(unknown) > 1 else ""
            self.desk.news.emit(f"{len(rows):,} members are kept; no member is called “{unknown[0]}”{more}.")

    def menu(self, at: QPoint) -> QMenu:
        """Offers what can be done with the member under a point."""
        menu = new_menu(self)
        add(menu, "Only this", self.only)
        add(menu, "All but this", lambda: self.only(but=True))
        menu.addSeparator()
        add(menu, "Paste a list", self.paste)
        viewport = self.list.viewport()
        assert viewport is not None
        menu.popup(viewport.mapToGlobal(at))
        return menu

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> Any:
        pressed = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        if isinstance(event, QKeyEvent) and pressed and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.only(but=bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
            return True
        return super().eventFilter(watched, event)
