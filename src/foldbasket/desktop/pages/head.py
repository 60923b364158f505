"""The line over the pages: what they are of, and the ways out: back to the fold, printing, PDF."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import Label
from foldbasket.sentence.phrases import label_of


class PagesHead(QFrame):
    """`print_wanted` and `pdf_wanted` tell what was pressed."""

    print_wanted = pyqtSignal()
    pdf_wanted = pyqtSignal()
    other_wanted = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("pagesHead")
        self.setFixedHeight(50)
        line = QHBoxLayout(self)
        line.setContentsMargins(22, 0, 22, 0)
        line.setSpacing(6)
        self.title = Label(self)
        self.title.setFont(theme.font(18))
        self.title.setMinimumWidth(60)
        self.place = Label(self)
        self.place.setProperty("role", "quiet")
        line.addWidget(self.title)
        line.addSpacing(10)
        line.addWidget(self.place)
        line.addStretch(1)
        for text, tip, act in (
            ("Back to the fold", "The report as a grid (Ctrl+1)", lambda: desk.show_pages(False)),
            ("Print…", "On a printer (Ctrl+P)", self.print_wanted.emit),
            ("Write PDF…", "Into a file, as it is shown here", self.pdf_wanted.emit),
            ("Other formats…", "As a workbook, a page for the web, … (Ctrl+E)", self.other_wanted.emit),
        ):
            button = QPushButton(text, self)
            button.setToolTip(tip)
            button.clicked.connect(act)
            line.addWidget(button)
        desk.when(Part.FOLDS | Part.FOLD | Part.VIEW | Part.LOOK, self, self.renew)
        self.renew()

    def renew(self) -> None:
        """Says what the pages are of."""
        fold = self.desk.fold
        self.title.setText(f"{label_of(fold, self.desk.source)} — pages" if fold is not None else "Pages")

    def say(self, number: int, count: int) -> None:
        """Says which page is in view."""
        self.place.setText(f"{number + 1:,} of {count:,}" if count else "")
