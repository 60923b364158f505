"""Keeps what was read in the user's cache, in the background, and takes out what must not be there."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.desktop.state.workers import Worker
from foldbasket.opening.mending import may_be_kept
from foldbasket.tables.store import STORE, place_of


class Keeper(QObject):
    """Writes what readings put by, once it is told to."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._worker = Worker("keep", self, behind=True)

    def close(self) -> None:
        """Stops; what is not whole is not kept."""
        self._worker.close()

    def write(self) -> None:
        """Writes what was put by, unless that is under way."""
        if STORE.is_waiting and not self._worker.busy:
            self._worker.start(lambda progress: STORE.write(progress.look))

    @staticmethod
    def heed(before: Basket, basket: Basket) -> list[SourceSpec]:
        """Takes out what is kept of the files of a basket that is confidential now; the sources whose records may have been read from there."""
        if not basket.confidential or (before.confidential and before.sources == basket.sources):
            return []
        return [spec for spec in basket.sources if may_be_kept(spec) and STORE.drop(place_of(spec.path))]
