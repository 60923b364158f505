"""The first start: open data, see the demo, go on with a recent basket. Imports nothing heavy, so that it shows at once."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from foldbasket.desktop.widgets.plain import Label, tip
from foldbasket.desktop.widgets.working import Working


class StartView(QWidget):
    """What a newcomer sees. `open_wanted`, `demo_wanted` and `recent_wanted` say what was chosen."""

    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    recent_wanted = pyqtSignal(object)
    cancel_wanted = pyqtSignal()
    recover_wanted = pyqtSignal(object)

    def __init__(self, recent: Sequence[Path], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("start")
        outer = QHBoxLayout(self)
        outer.addStretch(2)
        column = QVBoxLayout()
        column.setSpacing(6)
        outer.addLayout(column, 3)
        outer.addStretch(2)
        column.addStretch(2)
        title = Label("Fold Basket", self)
        title.setProperty("role", "banner")
        column.addWidget(title)
        says = Label(
            "Pivot and crosstab reports from sales transactions. Say what you want to see in one sentence; every number can be traced to its records.",
            self,
        )
        says.setWordWrap(True)
        says.setProperty("role", "quiet")
        column.addWidget(says)
        column.addSpacing(18)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        self.open_button = QPushButton("Open data or a basket…", self)
        self.open_button.setProperty("role", "main")
        self.open_button.clicked.connect(self.open_wanted)
        self.demo_button = QPushButton("See the demo", self)
        self.demo_button.clicked.connect(self.demo_wanted)
        for button in (self.open_button, self.demo_button):
            button.setMinimumHeight(32)
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        hint = Label(
            "Or drop a file anywhere in this window: CSV, Parquet, Arrow, JSON, a workbook, SQLite, or a .basket.", self
        )
        hint.setProperty("role", "quiet")
        column.addWidget(hint)
        self.working = Working(self)
        self.working.cancel_wanted.connect(self.cancel_wanted)
        column.addSpacing(10)
        column.addWidget(self.working)
        self._unsaved = QVBoxLayout()
        column.addLayout(self._unsaved)
        if recent:
            column.addSpacing(16)
            line = QFrame(self)
            line.setProperty("role", "line")
            column.addWidget(line)
            label = Label("Recent baskets", self)
            label.setProperty("role", "section")
            column.addWidget(label)
            for path in recent:
                button = QPushButton(f"{path.stem}    {_home_relative(path.parent)}", self)
                button.setProperty("role", "row")
                button.setToolTip(tip(str(path)))
                button.setCursor(Qt.CursorShape.PointingHandCursor)
                button.clicked.connect(lambda _=False, path=path: self.recent_wanted.emit(path))
                column.addWidget(button)
        column.addStretch(3)

    def offer(self, left: Sequence[Any]) -> None:
        """Offers the unsaved work that a crash left."""
        for each in left:
            name = each.path.name if each.path else "never saved"
            button = QPushButton(f"Take up unsaved work: {each.basket.name} ({name})", self)
            button.clicked.connect(lambda _=False, each=each: self.recover_wanted.emit(each))
            self._unsaved.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)


def _home_relative(path: Path) -> str:
    try:
        return f"~/{path.relative_to(Path.home())}"
    except ValueError:
        return str(path)
