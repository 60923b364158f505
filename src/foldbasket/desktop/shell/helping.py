"""Help: the guide, the keys, what the numbers mean and how formulas are written, in a window beside the report."""

from __future__ import annotations

import re
import sys
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QKeySequence, QTextCursor
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
| its names | Alt with the arrows | puts members and measures in order |
| | Space | folds a member up, and opens it |
| | F2, Delete | renames; leaves out |
| the card | Enter | presses what has the keyboard |
| | ↑ ↓ on the line of a section | steps to the next |
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


SECTIONS = {
    "Compare": "Compare",
    "Order": "Order, and show only some",
    "Show": "Order, and show only some",
    "Bands": "Bands, groups, fiscal years",
    "Groups": "Bands, groups, fiscal years",
    "Part of the date": "Bands, groups, fiscal years",
    "Fold up": "Fold up and drill",
    "Drill": "Fold up and drill",
    "The same in other tables": "Two tables side by side",
    "Measures": "Where measures stand",
    "Grand totals": "Totals",
    "Totals": "Totals",
    "Keep by": "Keep only some records",
    "Or else": "Keep only some records",
    "Picker": "Pickers, and reading without editing",
    "What next": "What next",
}
"""Sections of cards, and what the guide says of them."""


def place_for(workspace: Any, focused: QWidget | None) -> tuple[str, str]:
    """The page and the heading that help with what has the keyboard, or with what is in view; `workspace` is the `workspace.Workspace`."""
    view = workspace.desk.view
    names: list[str] = []
    widget = focused
    while widget is not None:
        names.append(type(widget).__name__)
        widget = widget.parentWidget()
    if "TypedSentence" in names:
        return "The sentence", "Short forms"
    if "FormulaText" in names or (view.drafted is not None and view.source_key is None):
        return "Formulas", ""
    for name, heading in (
        ("ProofDrawer", "Prove a number"),
        ("LinksPane", "Link tables"),
        ("ChartView", "Draw a chart"),
        ("PickerPanel", "Pickers, and reading without editing"),
        ("FindLine", "Hands on the report"),
    ):
        if name in names:
            return "Guide", heading
    if view.source_key is not None:
        return "Guide", "See what is wrong, and mend it"
    if view.paged:
        return "Guide", "Pages"
    body = workspace.card.body
    opened = next((each.title for each in body.sections if each.head.isChecked()), "") if body is not None else ""
    if "CardPanel" in names and opened in SECTIONS:
        return "Guide", SECTIONS[opened]
    if "CardPanel" in names:
        return "Guide", "How it looks" if view.word is None else "Edit the sentence"
    if "GridView" in names:
        return "Guide", "Hands on the report"
    if "WordButton" in names or "PlusButton" in names:
        return "Guide", "Edit the sentence"
    return "Guide", ""


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

    def show_page(self, page: str, heading: str = "") -> None:
        """Shows one of the pages, from a heading on or from its beginning."""
        self.chips[page].setChecked(True)
        # The pictures are for who reads without the program; here the window itself stands beside.
        text = re.sub(r"!\[[^\]]*\]\([^)]*\)\n*", "", page_text(page))
        self.text.setMarkdown(text)
        self.text.moveCursor(self.text.textCursor().MoveOperation.Start)
        self._go_to(heading)
        self.show()
        self.raise_()
        self.text.setFocus()

    def _go_to(self, heading: str) -> None:
        document = self.text.document()
        block = document.begin() if document is not None else None
        while block is not None and heading and block.isValid():
            if block.blockFormat().headingLevel() and block.text() == heading:
                self.text.setTextCursor(QTextCursor(block))
                bar, layout = self.text.verticalScrollBar(), document.documentLayout() if document is not None else None
                if bar is not None and layout is not None:
                    bar.setValue(int(layout.blockBoundingRect(block).top()))
                return
            block = block.next()

    def _follow(self, link: QUrl) -> None:
        name = Path(link.path()).name
        for page, file in PAGES.items():
            if file and file == name:
                self.show_page(page)
