"""What leaves the window: reports written to files, cells and records copied."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from foldbasket.baskets.consent import NOWHERE
from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.desktop.state.board import Board
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import OutputError
from foldbasket.outputs.formats import save_report
from foldbasket.outputs.index import save_index
from foldbasket.paging.each import for_each
from foldbasket.rendering import Written, free_path
from foldbasket.spec.field import FieldRef
from foldbasket.spec.page import Each

COPIED_AT_ONCE = 1_000
"""So many cells are made for the clipboard before a frame is over; more in the background."""


class Output(QObject):
    """`written` brings the file, `copied` what goes to the clipboard: plain text and HTML; `pictured` a picture that goes there."""

    written = pyqtSignal(object)
    copied = pyqtSignal(str, str)
    pictured = pyqtSignal(object)

    def __init__(self, desk: Board, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self._writer = Worker("write", self)
        self._copier = Worker("copy", self)
        self._writer.finished.connect(self._written)
        self._copier.finished.connect(self._copied)
        for worker in (self._writer, self._copier):
            worker.told.connect(desk.told)
            worker.failed.connect(desk.not_done)

    @property
    def busy(self) -> bool:
        return self._writer.busy or self._copier.busy

    def close(self) -> None:
        self._writer.close()
        self._copier.close()

    def cancel(self) -> None:
        """Gives up what is being copied."""
        self._copier.cancel()

    def copy(self, cells: int, make: Callable[[], tuple[str, str]], said: str = "") -> None:
        """Makes what goes to the clipboard, of so many cells: at once, or in the background if many; what is said once it is there."""

        def work(progress: Any) -> tuple[str, str, str]:
            progress.step("Copying", 0.0)
            return (*make(), said)

        if cells > COPIED_AT_ONCE:
            self._copier.start(work)
        else:
            self._copied((*make(), said))

    def draw(self, make: Callable[[], QImage]) -> None:
        """Draws a picture for the clipboard in the background: one of many cells takes a second."""

        def work(progress: Any) -> QImage:
            progress.step("Drawing", 0.0)
            return make()

        self._copier.start(work)

    def _copied(self, made: tuple[str, str, str] | QImage) -> None:
        if isinstance(made, tuple):
            plain, as_html, said = made
            self.copied.emit(plain, as_html)
        else:
            self.pictured.emit(made)
            said = ""
        self.desk.rested.emit()
        if said:
            self.desk.news.emit(said)

    def guard(self) -> OutputGuard:
        """What no file that leaves the window may take the place of, or join."""
        return OutputGuard(self.desk.basket, self.desk.path, NOWHERE)

    def write_report(self, path: Path, shape: str = "table") -> None:
        """Writes the report in view to a file in the background; it appears whole or not at all."""
        report, fold = self.desk.report, self.desk.fold
        if report is None:
            return
        if fold is not None:
            report = report.of(fold, self.desk.path.name if self.desk.path is not None else "")
        guard = self.guard()

        def write(progress: Any) -> Path:
            progress.step(f"Writing {path.name}", 0.0)
            save_report(report, path, shape, guard=guard, progress=progress)
            return path

        self._writer.start(write)

    def write_each(self, field: FieldRef, pattern: str) -> None:
        """Writes a file for each member of a field, named by a pattern with {member}, and an index of them; in the background."""
        fold, engine, basket = self.desk.fold, self.desk.engine, self.desk.basket
        if fold is None:
            return
        guard = self.guard()
        file = self.desk.path.name if self.desk.path is not None else ""

        def write(progress: Any) -> Path:
            progress.step("Finding members", 0.0)
            wanted, done, taken = list(for_each(fold, engine.fold, Each(field))), [], set[str]()
            if not wanted:
                raise OutputError(f"no record has a value of “{field.field}”.", todo="Choose another field.")
            for at, (one, member) in enumerate(wanted):
                progress.step(f"Writing {member}", at / len(wanted))
                report = basket.worn(engine.fold(one), one).of(one, file)
                path = free_path(pattern, fold.name, member, taken)
                save_report(report, path, guard=guard)
                done.append(Written(report, path, member).entry)
            index = Path(pattern).parent / "index.html"
            save_index(done, index, report.name, guard)
            return index

        self._writer.start(write)

    def _written(self, path: Path) -> None:
        self.desk.rested.emit()
        self.written.emit(path)
