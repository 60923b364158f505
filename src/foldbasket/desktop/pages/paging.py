"""The pages of the fold in view, made ready in the background: where they end, and the chart on them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError


class Paging(QObject):
    """`made` brings the pages, or in words why there are none."""

    made = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self._worker = Worker("pages", self)
        self._worker.finished.connect(self.made)
        self._worker.failed.connect(lambda error: self.made.emit(str(error)))
        desk.add_work(self)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def make(self) -> None:
        """Makes the pages of the report as it stands."""
        report, fold = self.desk.report, self.desk.fold
        if report is None or fold is None or not report.height:
            self._worker.cancel()
            self.made.emit("There is no report to print yet.")
            return
        whole = report.of(fold, self.desk.file_name)

        def work(_: Any) -> Pages | str:
            try:
                return Pages(whole, fold.page).ready()
            except FoldBasketError as error:
                return str(error)

        self._worker.start(work)
