"""Looks for findings of whole records in the tables that are not held: one after the other in the background, when they were surveyed."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.surveying import Surveyor
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError
from foldbasket.tables.column import Column
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.findings.findings import NOT_LOOKED, not_looked
from foldbasket.tables.findings.inorder import each_in_order
from foldbasket.tables.findings.kept import as_bytes, from_bytes
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import stays_elsewhere
from foldbasket.tables.store import FOUND, STORE, WORTH
from foldbasket.tables.survey import Surveyed
from foldbasket.tables.table import Table
from foldbasket.tables.unread import is_made


class _Asked(NamedTuple):
    table: Table
    told: Mapping[str, Surveyed]

    @property
    def own(self) -> tuple[Column, ...]:
        """The fields that are looked at: a calculated one more changes nothing."""
        return tuple(column for column in self.table.columns.values() if not is_made(column))


class InOrder(QObject):
    """`came` says that a table was looked through, as far as that could be done."""

    came = pyqtSignal()
    told = pyqtSignal(str, float)
    rested = pyqtSignal()

    def __init__(self, surveyor: Surveyor, parent: QObject | None = None) -> None:
        """`surveyor` says which tables were surveyed, where what is found is kept, and when a look has to wait."""
        super().__init__(parent)
        self._surveyor = surveyor
        self._asked: list[_Asked] = []
        self._made: list[tuple[tuple[Column, ...], list[Finding]]] = []
        self._worker = Worker("in order", self, behind=True)
        self._at: tuple[Column, ...] = ()
        self._worker.finished.connect(self._has_looked)
        self._worker.failed.connect(self._not_looked)
        self._worker.told.connect(self.told)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def renew(self) -> None:
        """Looks through those tables that were surveyed; what is asked of others is given up."""
        self._asked = [
            _Asked(table, told) for table, told in self._surveyor.made if told and not stays_elsewhere(table)
        ]
        own = [each.own for each in self._asked]
        self._made = [made for made in self._made if any(_same(made[0], each) for each in own)]
        if self._worker.busy and not any(_same(self._at, each) for each in own):
            self._worker.cancel()
        self._next()

    def found(self, table: Table) -> list[Finding]:
        """The findings of whole records in a table; none where it was not looked through yet."""
        return self._findings(_Asked(table, {}).own) or []

    def is_at(self, table: Table) -> bool:
        """Whether a table is to be looked through, or is just being."""
        return any(each.table.serial == table.serial and self._findings(each.own) is None for each in self._asked)

    def _findings(self, own: tuple[Column, ...]) -> list[Finding] | None:
        return next((found for columns, found in self._made if _same(columns, own)), None)

    def _next(self) -> None:
        left = [each for each in self._asked if self._findings(each.own) is None]
        if left and not self._worker.busy:
            self._at = left[0].own
            name = self._surveyor.name_to_keep(left[0].table)
            self._worker.start(partial(_look, left[0], name, self._surveyor.wait))

    def _has_looked(self, found: list[Finding]) -> None:
        self._made.append((self._at, found))
        self.came.emit()
        self.rested.emit()
        self._next()

    def _not_looked(self, error: FoldBasketError) -> None:
        """A table that cannot be read to its end, or is gone by now, says so among its findings."""
        self._has_looked([not_looked(error, "whole records")])


def _look(asked: _Asked, name: str, wait: Callable[[Progress], None], progress: Progress) -> list[Finding]:
    table, told = asked
    kept = STORE.found(name, FOUND)
    known = from_bytes(kept, partial(each_in_order, table, told)) if kept is not None else None
    if known is not None:
        return known[1]
    began = time.monotonic()
    found = list(each_in_order(table, told, progress, partial(wait, progress)))
    if name and time.monotonic() - began > WORTH and not any(each.kind == NOT_LOOKED for each in found):
        STORE.keep_found(name, FOUND, as_bytes({}, found))
    return found


def _same(one: tuple[Column, ...], other: tuple[Column, ...]) -> bool:
    return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))
