"""The pages of the fold in view, made ready in the background: where they end, and the chart on them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.drawing.book import Book, pages_of
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import Cancelled, FoldBasketError
from foldbasket.folding.report.report import Report
from foldbasket.spec.fold import Fold


class Paging(QObject):
    """`made` brings the pages, or in words why there are none."""

    made = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self._asked: tuple[Report, Fold, str] | None = None
        self._worker = Worker("pages", self)
        self._worker.finished.connect(self.made)
        self._worker.failed.connect(self._failed)
        desk.add_work(self)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def _failed(self, error: Exception) -> None:
        self.forget()
        self.made.emit(str(error))

    def forget(self) -> None:
        """Has the pages made anew when they are next asked for."""
        self._asked = None

    def make(self) -> bool:
        """Makes the pages of the report as it stands, unless those are made, or being made, already; whether `made` is still to come."""
        report, fold = self.desk.report, self.desk.fold
        if report is None or fold is None or not report.height:
            self._worker.cancel()
            self.forget()
            self.made.emit("There is no report to print yet.")
            return False
        asked = (report, fold, self.desk.file_name)
        if self._asked is not None and self._asked[0] is report and self._asked[1:] == asked[1:]:
            return self.busy
        self._asked = asked
        whole = report.of(fold, self.desk.file_name)

        def work(progress: Any) -> Pages | Book | str:
            try:
                return pages_of(whole, progress=progress).ready()
            except Cancelled:
                raise
            except FoldBasketError as error:
                return str(error)

        self._worker.start(work)
        return True
