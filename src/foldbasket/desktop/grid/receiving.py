"""The grid as a place that fields and words are dropped on: the edge that would receive one lights up in its strand."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid import edges
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.sentence.word import dropped_field, dropped_word


class Receiving(QAbstractScrollArea):
    """Base of the grid's view, whose report stands where `geometry_of` says; None while there is none."""

    geometry_of: Geometry | None

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self._lit: str | None = None
        self.setAcceptDrops(True)
        self.viewport().setAcceptDrops(True)

    def light(self, painter: QPainter) -> None:
        """Lights the edge up that would receive what is over it."""
        if self._lit:
            edges.light(painter, self.edges(), self._lit)

    def edges(self) -> dict[str, QRectF]:
        """The parts of the view that take a dropped field, by the strand that receives it."""
        return edges.areas(self.viewport().rect(), self.geometry_of)

    def dragEnterEvent(self, event: Any) -> None:
        if dropped_field(event.mimeData()) or dropped_word(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: Any) -> None:
        self._lit = edges.strand_at(self.edges(), event.position())
        self.viewport().update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: Any) -> None:
        self._lit = None
        self.viewport().update()

    def dropEvent(self, event: Any) -> None:
        self._lit = None
        self.viewport().update()
        strand = edges.strand_at(self.edges(), event.position())
        ref, word = dropped_field(event.mimeData()), dropped_word(event.mimeData())
        event.acceptProposedAction()
        if ref is not None:
            self.desk.words.place(ref, strand)
        elif word is not None:
            self.desk.words.move(word, strand)
