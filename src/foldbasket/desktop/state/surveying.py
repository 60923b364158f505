"""Surveys of the tables that are not held, one after the other in the background: profiles of their fields, and members to list."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from functools import partial
from weakref import WeakKeyDictionary

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError
from foldbasket.tables.column import Column
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.findings.surveyed import findings_of_survey
from foldbasket.tables.mending.streamed import MendedStream
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import stream_behind
from foldbasket.tables.store import STORE, TOLD
from foldbasket.tables.survey import Surveyed, read_said, said, survey
from foldbasket.tables.table import Table
from foldbasket.tables.unread import is_made

PAUSE = 0.05
Surveys = dict[int, dict[str, Surveyed]]
Found = dict[int, list[Finding]]


class Surveyor(QObject):
    """`came` brings the surveys that are new, by the tables' serials; `failed` why one could not be made."""

    came = pyqtSignal(object)
    failed = pyqtSignal(object)
    told = pyqtSignal(str, float)
    rested = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._made: Surveys = {}
        self._by_column: WeakKeyDictionary[Column, Surveyed] = WeakKeyDictionary()
        """What is known of a column, which one more field in its table does not change."""
        self._asked: dict[int, Table] = {}
        self.findings: Found = {}
        """What was found in each, by the tables' serials."""
        self.keeps = True
        """Whether what is told is kept for the next opening; not of a confidential basket."""
        self.gives_way: Callable[[], bool] = lambda: False
        """Whether something waits that matters more; then a survey goes on behind it."""
        self._worker = Worker("survey", self, behind=True)
        self._worker.finished.connect(self._has_surveyed)
        self._worker.failed.connect(self._not_surveyed)
        self._worker.told.connect(self.told)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def is_at(self, table: Table) -> bool:
        """Whether a table's survey is still being made."""
        return self.busy and table.serial in self._asked and table.serial not in self._made

    def renew(self, tables: Iterable[Table]) -> None:
        """Surveys those of the tables in use that are not held; what is asked of others is given up."""
        asked = {table.serial: table for table in tables if stream_behind(table) is not None}
        if asked.keys() == self._asked.keys():
            return
        self._asked = asked
        for gone in self._made.keys() - asked.keys():
            del self._made[gone]
            self.findings.pop(gone, None)
        self._next()

    @property
    def made(self) -> list[tuple[Table, dict[str, Surveyed]]]:
        """The tables in use that were surveyed, with what their fields tell; nothing of one that could not be read."""
        return [(table, self._made[serial]) for serial, table in self._asked.items() if serial in self._made]

    def name_to_keep(self, table: Table) -> str:
        """What names that which is found in a table among what is kept; empty where nothing may be, and where it is mended as it comes and not as it was read."""
        return table.found_as if self.keeps and not isinstance(stream_behind(table), MendedStream) else ""

    def members(self, table: Table, field: str) -> Column | None:
        """A column with all members of a field; None where they are not known, or too many to list."""
        found = self.of_field(table, field)
        return found.members if found is not None else None

    def of_field(self, table: Table, field: str) -> Surveyed | None:
        """What a survey has told of a field by now."""
        return self._made.get(table.serial, {}).get(field)

    def _next(self) -> None:
        left = [table for serial, table in self._asked.items() if serial not in self._made]
        if not left:
            self._worker.cancel()
            return

        name = self.name_to_keep(left[0])

        def work(progress: Progress) -> tuple[Surveys, Found]:
            stream = stream_behind(left[0])
            assert stream is not None
            columns = left[0].columns
            known = {name: self._by_column[column] for name, column in columns.items() if column in self._by_column}
            kept = STORE.found(name, TOLD)
            if kept is not None:
                known |= {name: each for name, each in read_said(kept, left[0]).items() if not is_made(columns[name])}
            found = survey(
                left[0],
                stream,
                progress,
                [name for name in columns if name not in known],
                partial(self.wait, progress),
            )
            whole = known | found
            self._by_column.update({columns[name]: each for name, each in whole.items()})
            if name and found:
                own = {name: each for name, each in whole.items() if not is_made(columns[name])}
                STORE.keep_found(name, TOLD, said(own, left[0]))
            return {left[0].serial: whole}, {left[0].serial: findings_of_survey(left[0], whole, progress)}

        self._worker.start(work)

    def wait(self, progress: Progress) -> None:
        """Waits, in a worker's thread, while something matters more. Raises Cancelled."""
        while self.gives_way():
            progress.look()
            time.sleep(PAUSE)

    def _has_surveyed(self, told: tuple[Surveys, Found]) -> None:
        made, found = told
        self._made |= made
        self.findings |= found
        self.came.emit(made)
        self.rested.emit()
        self._next()

    def _not_surveyed(self, error: FoldBasketError) -> None:
        """A file that cannot be read to its end is told of once; its table is not asked for again."""
        serial = next(serial for serial in self._asked if serial not in self._made)
        self._made[serial] = {}
        self.failed.emit(error)
        self._next()
