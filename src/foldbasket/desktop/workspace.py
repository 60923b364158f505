"""The workspace: spine, head, middle and card in their places, for a fold or for a source."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from foldbasket.desktop.card.panel import CardPanel
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.facts import FactsLine
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.pickers import PickerBar
from foldbasket.desktop.plain import marked
from foldbasket.desktop.proof import ProofDrawer
from foldbasket.desktop.sentence import SentenceBar
from foldbasket.desktop.source.linkmap import LinkPanel
from foldbasket.desktop.source.view import SourceHead, SourceMiddle
from foldbasket.desktop.spine import Spine

LINKS_HEIGHT = 212


class Workspace(QWidget):
    """The frame that the fold view and the source view share."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.spine = Spine(desk, self)
        self.sentence = SentenceBar(desk, self)
        self.facts = FactsLine(desk, self)
        self.pickers = PickerBar(desk, self)
        self.grid = GridView(desk, self)
        self.source_head = SourceHead(desk, self)
        self.source = SourceMiddle(desk, self)
        self.card = CardPanel(desk, self.source.show_finding, self)
        self.links = self._links_frame()
        self.grid.heading_chosen.connect(desk.select_word)
        self.proof = ProofDrawer(desk, self)
        self.grid.proof_wanted.connect(self.proof.show_cell)
        self.grid.marked_cell.connect(
            lambda row, column: self.proof.show_cell(row, column) if self.proof.isVisible() else None
        )
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.spine)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.sentence)
        right.addWidget(self.source_head)
        below = QHBoxLayout()
        below.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.facts)
        middle.addWidget(self.pickers)
        self.middle = QStackedWidget(self)
        self.middle.addWidget(self.grid)
        self.middle.addWidget(self.source)
        middle.addWidget(self.middle, 1)
        middle.addWidget(self.proof)
        below.addLayout(middle, 1)
        below.addWidget(self.card)
        right.addLayout(below, 1)
        right.addWidget(self.links)
        across.addLayout(right, 1)
        for before, after in (
            (self.spine.fields, self.sentence),
            (self.sentence, self.grid),
            (self.grid, self.source.preview),
            (self.source.preview, self.card),
            (self.card, self.map),
        ):
            self.setTabOrder(before, after)
        desk.view_changed.connect(self.renew)
        self.renew()

    def _links_frame(self) -> QFrame:
        frame = QFrame(self)
        frame.setObjectName("links")
        frame.setFixedHeight(LINKS_HEIGHT)
        column = QVBoxLayout(frame)
        column.setContentsMargins(22, 8, 8, 4)
        column.setSpacing(2)
        title = QLabel(
            "<b>Links</b> · how a record finds its partners in other tables. Drag a field onto a table to link it.",
            frame,
        )
        marked(title)
        column.addWidget(title)
        panel = LinkPanel(self.desk, frame)
        self.map = panel.map
        column.addWidget(panel, 1)
        return frame

    def renew(self) -> None:
        """Shows the fold's widgets or the source's."""
        in_source = self.desk.source_name is not None
        self.sentence.setVisible(not in_source)
        self.source_head.setVisible(in_source)
        self.links.setVisible(in_source)
        self.middle.setCurrentWidget(self.source if in_source else self.grid)
