"""Help: the guide, the keys, what the numbers mean and how formulas are written, in a window beside the report."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QButtonGroup, QDialog, QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

import foldbasket
from foldbasket.desktop.actions.action import ACTIONS, MENUS

PAGES = {
    "Guide": "guide.md",
    "Keys": "",
    "What the numbers mean": "numbers.md",
    "Formulas": "formulas.md",
    "The sentence": "sentence.md",
}
ELSEWHERE = """
| where | key | does |
|---|---|---|
| a word of the sentence | ← → | steps to the next |
| | Alt+← Alt+→ | moves it along |
| | Alt+↑ Alt+↓ | moves it to the other axis |
| | Delete | takes it out |
| a + | Enter, or any letter | opens the list of fields |
| the report | Enter | Proof of the cell |
| | + and − | open a folded member and fold one up |
| | Shift with the arrows, Ctrl+A | selects cells |
| the card | Enter | presses what has the keyboard |
| everywhere | Escape | one step back: from the card to its word, from a word to the whole report |
"""


def page_text(page: str) -> str:
    """A page's Markdown. The keys are made of the actions themselves; the others are the project's own documents."""
    if page == "Keys":
        lines = ["# Keys", ""]
        for menu in MENUS:
            keyed = [action for action in ACTIONS if action.menu == menu and action.key]
            if keyed:
                lines += [f"## {menu}", "", "| key | does |", "|---|---|"]
                lines += [f"| {QKeySequence(action.key).toString()} | {action.name} |" for action in keyed] + [""]
        return "\n".join(lines) + "\n## In their places\n" + ELSEWHERE
    folder = folder_of_docs()
    if folder is None:
        return f"# {page}\n\nThis page was not installed. It comes with the program's sources, in the folder *docs*."
    return (folder / PAGES[page]).read_text("utf-8")


def folder_of_docs() -> Path | None:
    """Where the documents are: with the sources, or where installing puts them."""
    for folder in (Path(foldbasket.__file__).parents[2] / "docs", Path(sys.prefix) / "share" / "doc" / "fold-basket"):
        if (folder / "guide.md").is_file():
            return folder
    return None


class HelpWindow(QDialog):
    """One window for all pages; it stays open while one works on."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self.resize(820, 680)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        row = QHBoxLayout()
        row.setSpacing(6)
        group = QButtonGroup(self)
        self.chips: dict[str, QPushButton] = {}
        for page in PAGES:
            chip = QPushButton(page, self)
            chip.setCheckable(True)
            chip.setAutoDefault(False)
            chip.clicked.connect(lambda _=False, page=page: self.show_page(page))
            group.addButton(chip)
            row.addWidget(chip)
            self.chips[page] = chip
        row.addStretch(1)
        column.addLayout(row)
        self.text = QTextBrowser(self)
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        self.text.setAccessibleName("Help")
        column.addWidget(self.text, 1)

    def show_page(self, page: str) -> None:
        """Shows one of the pages from its beginning."""
        self.chips[page].setChecked(True)
        # The pictures are for who reads without the program; here the window itself stands beside.
        text = re.sub(r"!\[[^\]]*\]\([^)]*\)\n*", "", page_text(page))
        self.text.setMarkdown(text)
        self.text.moveCursor(self.text.textCursor().MoveOperation.Start)
        self.show()
        self.raise_()
        self.text.setFocus()

    def _follow(self, link: QUrl) -> None:
        name = Path(link.path()).name
        for page, file in PAGES.items():
            if file and file == name:
                self.show_page(page)
