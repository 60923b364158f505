"""The records that findings are about, looked for in the background when a view asks for them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.workers import Worker
from foldbasket.tables.findings.finding import Finding, Records
from foldbasket.tables.progress import Progress

Shown = Callable[[Records], object]


class Seeker(QObject):
    """`came` says that the records of a finding are known now; `failed` why those cannot be had that somebody waits for."""

    came = pyqtSignal()
    failed = pyqtSignal(object)
    told = pyqtSignal(str, float)
    rested = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: list[Finding] = []
        self._wanted: tuple[Finding, Shown] | None = None
        """What somebody waits for, and what is done with it."""
        self._lost: list[Finding] = []
        """Those whose records could not be had; they are not looked for again."""
        self._worker = Worker("seek", self, behind=True)
        self._worker.finished.connect(self._found)
        self._worker.failed.connect(self._not_found)
        self._worker.told.connect(self.told)

    def close(self) -> None:
        self._worker.close()

    def forget(self) -> None:
        """Looks for nothing any more."""
        self._worker.cancel()
        self._waiting, self._wanted, self._lost = [], None, []

    def known(self, finding: Finding) -> Records | None:
        """The records of a finding where they are known; they are looked for if not."""
        if finding.found is None and not _holds(self._lost, finding) and not _holds(self._waiting, finding):
            self._waiting.append(finding)
            self._next()
        return finding.found

    def bring(self, finding: Finding, show: Shown) -> None:
        """Calls with the records of a finding as soon as they are known: before others, and instead of what was asked for before."""
        if finding.found is not None:
            self._wanted = None
            show(finding.found)
            return
        self._wanted = finding, show
        self._waiting = [finding, *(each for each in self._waiting if each is not finding)]
        self._lost = [each for each in self._lost if each is not finding]
        if self._worker.busy:
            self._worker.cancel()
        self._next()

    def leave(self) -> None:
        """Nobody waits for the records of a finding any more."""
        if self._wanted is not None:
            gone, self._wanted = self._wanted[0], None
            self._waiting = [each for each in self._waiting if each is not gone]
            self._worker.cancel()
            self._next()

    def _next(self) -> None:
        if not self._waiting or self._worker.busy:
            return
        finding = self._waiting[0]

        def work(progress: Progress) -> Finding:
            finding.records(progress)
            return finding

        self._worker.start(work)

    def _found(self, finding: Finding) -> None:
        self._waiting = [each for each in self._waiting if each is not finding]
        if self._wanted is not None and self._wanted[0] is finding and finding.found is not None:
            (_, show), self._wanted = self._wanted, None
            show(finding.found)
        self.came.emit()
        self.rested.emit()
        self._next()

    def _not_found(self, error: object) -> None:
        gone = self._waiting.pop(0)
        self._lost.append(gone)
        if self._wanted is not None and self._wanted[0] is gone:
            self._wanted = None
            self.failed.emit(error)
        self.rested.emit()
        self._next()


def _holds(findings: list[Finding], finding: Finding) -> bool:
    return any(each is finding for each in findings)
