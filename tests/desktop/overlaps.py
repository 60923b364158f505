"""What a careful eye would find on any screen: widgets that lie over one another, and words that are cut."""

from __future__ import annotations

import re

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QLabel, QWidget

from foldbasket.desktop.card.controls import LinkButton
from foldbasket.desktop.sentence.word import WordButton

SHORTEN = (WordButton, LinkButton)
"""Those that end in an ellipsis where there is no room for all their words."""

MARKS = re.compile(r"^<b>|<span style=|<a href=|<tr>")
"""What we write ourselves; a name from a file may hold any other, and is drawn as it is."""


def overlapping(window: QWidget) -> list[str]:
    """Pairs of neighbours, set by one layout and both to be seen, that cover some of one another."""
    found = []
    for parent in [window, *window.findChildren(QWidget)]:
        layout = parent.layout()
        if layout is None or not parent.isVisible():
            continue
        mine = [
            each
            for each in parent.children()
            if isinstance(each, QWidget) and each.isVisible() and not each.isWindow() and layout.indexOf(each) >= 0
        ]
        for index, one in enumerate(mine):
            for other in mine[index + 1 :]:
                common = one.geometry() & other.geometry()
                if common.width() > 1 and common.height() > 1:
                    found.append(f"{_said(one)} and {_said(other)} in {type(parent).__name__}")
    return found


def cut(window: QWidget) -> list[str]:
    """Labels and buttons whose words need more room than they have, or that reach out of what holds them."""
    found = []
    for each in window.findChildren(QWidget):
        if not isinstance(each, QLabel | QAbstractButton) or not each.isVisible() or not each.text():
            continue
        if isinstance(each, QLabel) and each.wordWrap():
            needs = each.heightForWidth(each.width())
            if needs > each.height() + 1:
                found.append(f"{_said(each)} needs {needs} px of height and has {each.height()}")
        elif each.sizeHint().width() > each.width() + 1 and not isinstance(each, SHORTEN):
            found.append(f"{_said(each)} needs {each.sizeHint().width()} px and has {each.width()}")
        parent = each.parentWidget()
        if parent is not None and not QRect(0, 0, parent.width() + 1, parent.height() + 1).contains(each.geometry()):
            found.append(f"{_said(each)} reaches out of {type(parent).__name__}")
    return found


def marks_told(window: QWidget) -> list[str]:
    """Labels that show marks meant for drawing, such as <b>, as text."""
    return [
        _said(each)
        for each in window.findChildren(QLabel)
        if each.textFormat() == Qt.TextFormat.PlainText and MARKS.search(each.text())
    ]


def _said(widget: QWidget) -> str:
    text = widget.text() if isinstance(widget, QLabel | QAbstractButton) else ""
    return f"{type(widget).__name__} {(text or widget.accessibleName())[:40]!r} at {widget.geometry().getRect()}"
