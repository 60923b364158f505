"""The workspace: spine, sentence, facts, grid and card in their places."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from foldbasket.desktop.card.panel import CardPanel
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.facts import FactsLine
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.sentence import SentenceBar
from foldbasket.desktop.spine import Spine


class Workspace(QWidget):
    """The fold view's frame."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.spine = Spine(desk, self)
        self.sentence = SentenceBar(desk, self)
        self.facts = FactsLine(desk, self)
        self.grid = GridView(desk, self)
        self.card = CardPanel(desk, self)
        self.grid.heading_chosen.connect(desk.select_word)
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.spine)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.sentence)
        below = QHBoxLayout()
        below.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.facts)
        middle.addWidget(self.grid, 1)
        below.addLayout(middle, 1)
        below.addWidget(self.card)
        right.addLayout(below, 1)
        across.addLayout(right, 1)
        for before, after in ((self.spine.fields, self.sentence), (self.sentence, self.grid), (self.grid, self.card)):
            self.setTabOrder(before, after)
