"""The counts of the pickers and filters in view, made in the background once the report is there, and kept."""

from __future__ import annotations

import contextlib

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError
from foldbasket.folding.answering import Counts, answering, counts_of
from foldbasket.folding.engine import Engine
from foldbasket.kept import Kept
from foldbasket.spec.fold import Fold
from foldbasket.tables.progress import Progress


class Answers(QObject):
    """Counts by the fold that gives them. `ready` says that some which were not at hand are now."""

    ready = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._kept: Kept[Counts] = Kept(40)
        self._engine: Engine | None = None
        self._wanted: list[Fold] = []
        self._worker = Worker("answer", self, behind=True)
        self._worker.finished.connect(self._made)

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def of(self, engine: Engine, fold: Fold, word: str) -> Counts | None:
        """The counts of a filter's members in a fold; None while they are being made, and where there are none."""
        asked = answering(fold, word)
        if asked is None:
            return None
        if engine is not self._engine:
            self._engine = engine
            self._kept = Kept(40)
            self._wanted = []
        found = self._kept.get(asked)
        if found is not None:
            return found
        if asked not in self._wanted:
            self._wanted.append(asked)
        if not self._worker.busy:
            self._begin()
        return None

    def _begin(self) -> None:
        engine, wanted = self._engine, tuple(self._wanted)
        if engine is None or not wanted:
            return

        def count(progress: Progress) -> tuple[Engine, dict[Fold, Counts]]:
            made: dict[Fold, Counts] = {}
            for fold in wanted:
                made[fold] = Counts({})  # what cannot be counted, as a formula that does not hold here, has no counts
                with contextlib.suppress(FoldBasketError):
                    made[fold] = counts_of(engine.fold(fold, progress))
            return engine, made

        self._worker.start(count)

    def _made(self, found: tuple[Engine, dict[Fold, Counts]]) -> None:
        engine, made = found
        if engine is self._engine:
            for fold, counts in made.items():
                self._kept.get_or(fold, lambda counts=counts: counts)  # type: ignore[misc]
            self._wanted = [fold for fold in self._wanted if fold not in made]
            self.ready.emit()
        self._begin()
