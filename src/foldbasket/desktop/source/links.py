"""The pane of links: what it is for, the suggested ones to take at once, and the map in a frame that scrolls."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.source.linkmap import LinkMap
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.plain import Label, marked


class LinksPane(QFrame):
    """The pane; `map` is its drawing."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("links")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 8, 8, 4)
        column.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(14)
        title = Label(
            "<b>Links</b> · how a record finds its partners in other tables. Drag a field onto a table to link it.",
            self,
        )
        marked(title)
        head.addWidget(title)
        self.take = QPushButton(self)
        self.take.setProperty("role", "link")
        self.take.setCursor(Qt.CursorShape.PointingHandCursor)
        self.take.clicked.connect(lambda: desk.sources.accept_links())
        head.addWidget(self.take)
        head.addStretch(1)
        column.addLayout(head)
        scrolled = QScrollArea(self)
        self.map = LinkMap(desk, scrolled)
        scrolled.setWidget(self.map)
        scrolled.setWidgetResizable(True)
        column.addWidget(scrolled, 1)
        desk.when(Part.TABLES | Part.SOURCES | Part.FINDINGS | Part.DOCUMENT, self, self._offer)
        self._offer()

    def _offer(self) -> None:
        """Says how many links are suggested, if there are any."""
        many = len(self.desk.supply.looker.suggestions)
        self.take.setText("Take the suggested link" if many == 1 else f"Take the {many} suggested links")
        self.take.setVisible(many > 0)
