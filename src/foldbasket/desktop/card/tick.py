"""The members of a field as a list to tick, for the card of a filter and for pickers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt
from PyQt6.QtWidgets import QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.listing import MOST_MEMBERS, Listed
from foldbasket.folding.answering import Counts
from foldbasket.folding.filters.members import Members
from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.links.link import Match
from foldbasket.tables.column import DeferredColumn

COUNT = Qt.ItemDataRole.UserRole + 1
"""The role of the records of a line's member."""
FLAGS = {"blank": BLANK, "no_match": NO_MATCH}


class MemberModel(QAbstractListModel):
    """The members of a field in label order, each ticked when it is kept.

    A line is a member's key, or the name of the filter's flag for blank or unmatched records, which stand last.
    """

    def __init__(
        self,
        members: Listed,
        rule: Members,
        flags: tuple[str, ...],
        act: Callable[[Members], None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.keys = list(members.keys)
        self.extra = flags
        self._labels = [*members.labels, *(FLAGS[flag] for flag in flags)]
        self.rule, self._act = rule, act
        self._listed = set(rule.members)
        self._counts: Counts | None = None

    def take(self, rule: Members) -> None:
        """Takes the filter as it is now, after a tick changed it."""
        self.rule, self._listed = rule, set(rule.members)
        self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, 0))

    def count(self, counts: Counts | None) -> None:
        """Takes the records of each member that all other filters keep; None where they are not known."""
        if counts is not self._counts:
            self._counts = counts
            self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, 0))

    def records(self, row: int) -> int | None:
        """How many records of a line's member all other filters keep; None where that is not known."""
        if self._counts is None:
            return None
        if row < len(self.keys):
            return self._counts.members.get(self.keys[row], 0)
        return self._counts.blank if self.extra[row - len(self.keys)] == "blank" else self._counts.no_match

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self._labels)

    def kept(self, row: int) -> bool:
        """Whether the filter keeps the member of a line."""
        is_member = row < len(self.keys)
        listed = self.keys[row] in self._listed if is_member else getattr(self.rule, self.extra[row - len(self.keys)])
        return bool(listed != self.rule.exclude)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self._labels[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole:
            return Qt.CheckState.Checked if self.kept(index.row()) else Qt.CheckState.Unchecked
        return self.records(index.row()) if role == COUNT else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self.toggle([index.row()], Qt.CheckState(value) == Qt.CheckState.Checked)
        return True

    def only(self, rows: list[int], *, but: bool = False) -> None:
        """Keeps the members of some lines and no others, as one step; with `but` all others."""
        picked = set(rows)
        keys = tuple(key for row, key in enumerate(self.keys) if row in picked)
        flags = {flag: at + len(self.keys) in picked for at, flag in enumerate(self.extra)}
        self._act(msgspec.structs.replace(self.rule, members=keys, exclude=but, **flags))

    def rows_named(self, names: list[str]) -> tuple[list[int], list[str]]:
        """The lines of members by what they are called, whatever the case, or by their keys; and the names that no member has."""
        places = {key.casefold(): row for row, key in enumerate(self.keys)}
        places |= {label.casefold(): row for row, label in enumerate(self._labels)}
        found = [places.get(name.casefold()) for name in names]
        return [row for row in found if row is not None], [
            name for name, row in zip(names, found, strict=True) if row is None
        ]

    def toggle(self, rows: list[int], keep: bool) -> None:
        """Keeps or leaves out the members of some lines, as one step."""
        if not keep and len(rows) == self.rowCount():  # none: what is ticked from now on is what the sentence says
            none = dict.fromkeys(self.extra, False)
            self._act(msgspec.structs.replace(self.rule, members=(), exclude=False, **none))
            return
        listed = keep != self.rule.exclude
        members = set(self.rule.members)
        flags = {}
        for row in rows:
            if row >= len(self.keys):
                flags[self.extra[row - len(self.keys)]] = listed
            elif listed:
                members.add(self.keys[row])
            else:
                members.discard(self.keys[row])
        known = set(self.keys)
        gone = [key for key in self.rule.members if key not in known]  # listed, but no record has it at present
        ordered = [key for key in self.keys if key in members]
        self._act(msgspec.structs.replace(self.rule, members=tuple(ordered + gone), **flags))


def why_no_list(desk: Desk, rule: Members) -> str:
    """Why a filter's members cannot be listed; empty when they can."""
    table, known = desk.tables.get(rule.field.table), desk.column(rule.field)
    if table is None or known is None:
        return f"{rule.field.field} is no longer in {desk.basket.source_name(rule.field.table)}."
    if known.type.is_number and rule.part is None and table.count > 200_000:
        return "This field has many different numbers. Compare with a value, or give a range."
    if isinstance(known, DeferredColumn):  # listing them would encode it, and the window would wait
        return "Nearly every record has a value of its own here. Compare with a value, or give a range."
    column = desk.listed_column(rule.field)
    if column is None and not desk.supply.looker.surveyor.is_at(table):
        return "This field has too many members to list. Compare with a value, or give a range."
    members = (
        desk.listings.of(column, rule.part, desk.source.fiscal, desk.basket.locale) if column is not None else None
    )
    if members is None:
        return "Its members are being listed…"
    if members.count > MOST_MEMBERS:
        return f"This field has {members.count:,} members. Compare with a value, or give a range."
    return ""


def member_model(desk: Desk, rule: Members, act: Callable[[Members], None], parent: QWidget) -> MemberModel | None:
    """The members of a filter's field to tick; None where they cannot be listed."""
    column = desk.listed_column(rule.field)
    if column is None or why_no_list(desk, rule):
        return None
    members = desk.listings.of(column, rule.part, desk.source.fiscal, desk.basket.locale)
    assert members is not None
    flags = tuple(
        flag
        for flag, possible in (("blank", column.blank_count > 0), ("no_match", _can_miss(desk, rule)))
        if possible or getattr(rule, flag)
    )
    return MemberModel(members, rule, flags, act, parent)


def _can_miss(desk: Desk, rule: Members) -> bool:
    """Whether a record of the fold finds no partner on the way to the filter's field, as far as that is known."""
    if desk.report is None:
        return True
    matches = [
        desk.supply.looker.matches.get(link) for link in desk.source.path(desk.report.base, rule.field.table) or ()
    ]
    return any(not isinstance(each, Match) or each.not_found + each.blank > 0 for each in matches)
