"""The head of a report that is read and not edited: its title, what it says in words, and the other reports of the basket."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import Label, link, set_on


class ReaderHead(QFrame):
    """Title, sentence, and a line of the basket's reports where there are several."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("readerHead")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 10, 22, 8)
        column.setSpacing(6)
        upper = QHBoxLayout()
        self.title = Label(self)
        self.title.setTextFormat(Qt.TextFormat.PlainText)
        self.title.setProperty("role", "large")
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        upper.addWidget(self.title, 1)
        tip = "Shows the sentence, the cards and the data again (Ctrl+4)"
        self.edit = link("Edit the report", tip, lambda: desk.notify(desk.view.read(False)), self)
        upper.addWidget(self.edit)
        column.addLayout(upper)
        self.sentence = Label(self)
        self.sentence.setTextFormat(Qt.TextFormat.PlainText)
        self.sentence.setProperty("role", "quiet")
        self.sentence.setWordWrap(True)
        column.addWidget(self.sentence)
        self._reports = QWidget(self)
        self._flow = FlowLayout(self._reports, gap=14, line_gap=2)
        self._flow.setContentsMargins(0, 0, 0, 0)
        policy = self._reports.sizePolicy()
        policy.setHeightForWidth(True)
        self._reports.setSizePolicy(policy)
        column.addWidget(self._reports)
        self.links: dict[str, QPushButton] = {}
        desk.when(Part.FOLDS | Part.FOLD | Part.LOOK | Part.REPORT, self, self.renew)
        self.renew()

    def renew(self) -> None:
        """Says what is read."""
        fold, report, folds = self.desk.fold, self.desk.report, self.desk.basket.folds
        self.title.setText(report.title if report is not None else fold.name if fold is not None else "")
        self.sentence.setText(report.subtitle if report is not None else "")
        names = {each.key: each.name for each in folds}
        if {key: each.text() for key, each in self.links.items()} != names:
            for each in self.links.values():
                self._flow.removeWidget(each)
                let_go(each)
            self.links = {}
            for key, name in names.items():
                self.links[key] = link(name, "", partial(self.desk.show_fold, key), self._reports)
                self._flow.addWidget(self.links[key])
        self._reports.setVisible(len(names) > 1)
        for key, each in self.links.items():
            set_on(each, fold is not None and key == fold.key)
