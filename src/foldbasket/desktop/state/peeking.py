"""Records by their numbers, for views that show some of a table: those of a table that is not held are read a block at a time in the background."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.board import Board
from foldbasket.desktop.state.workers import Worker
from foldbasket.kept import Kept
from foldbasket.tables.sample import is_sampled, records_of
from foldbasket.tables.table import Table

BLOCK, MOST_KEPT = 500, 40


class Peeks(QObject):
    """`came` says that records which were asked for are there now; why they cannot be had is told on the desk."""

    came = pyqtSignal()

    def __init__(self, desk: Board, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._blocks: Kept[Table] = Kept(MOST_KEPT)
        self._wanted: tuple[int, int] | None = None
        self._unreadable: set[tuple[int, int]] = set()
        self._worker = Worker("peek", self)
        self._worker.finished.connect(lambda _: self.came.emit())
        self._worker.failed.connect(self._lost)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def at(self, table: Table, record: int) -> tuple[Table, int] | None:
        """Where a record can be looked at: a table and its number there; None while it is still to be read."""
        if not is_sampled(table):
            return table, record
        key = (table.serial, record // BLOCK)
        block = self._blocks.get(key)
        if block is not None:
            return block, record % BLOCK
        if key not in self._unreadable and (self._wanted != key or not self._worker.busy):
            self._wanted = key
            start = key[1] * BLOCK
            stop = min(table.count, start + BLOCK)

            def work(progress: Any) -> Table:
                return self._blocks.get_or(key, lambda: records_of(table, start, stop))

            self._worker.start(work)
        return None

    def _lost(self, error: object) -> None:
        if self._wanted is not None:  # asked for once only, or the same message would come at every turn
            self._unreadable.add(self._wanted)
        self._desk.failed.emit(error)
