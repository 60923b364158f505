"""Text from files and databases is shown as it is, never drawn as marks.

Labels are plain by the style sheet, but for those that we mark ourselves and whose text from elsewhere is escaped. Tool tips have no
such setting, so text that Qt would take for marks is escaped for them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetrics, QFontMetricsF
from PyQt6.QtWidgets import QLabel, QPushButton, QWidget

STYLE = """
    QLabel { qproperty-textFormat: PlainText; }
    QLabel[marked="true"] { qproperty-textFormat: RichText; }
"""


MOST_SIGNS = 1_000
"""More of a text than this is drawn nowhere."""


def short(text: str, most: int = MOST_SIGNS) -> str:
    """The first signs of a text on one line, which is what is drawn of it at most. Qt shapes all of what it is given before it shortens it: a note of 100,000 signs took 40 ms, at each look at it."""
    shown = text if len(text) <= most else text[:most] + "…"
    return shown if shown.isprintable() else " ".join(shown.splitlines())


class Label(QLabel):
    """A label of text that may come from data. Of a very long one only the start is given to Qt, which shapes all of it at each question for its size."""

    def __init__(self, text: str | QWidget | None = "", parent: QWidget | None = None) -> None:
        super().__init__(text if isinstance(text, QWidget) else parent)
        if isinstance(text, str):
            self.setText(text)

    def setText(self, text: str | None) -> None:
        is_long = text is not None and len(text) > MOST_SIGNS and not self.property("marked")
        super().setText(short(text) if is_long else text)  # type: ignore[arg-type]


def elided(
    metrics: QFontMetrics | QFontMetricsF,
    text: str,
    width: float,
    mode: Qt.TextElideMode = Qt.TextElideMode.ElideRight,
) -> str:
    """A text, shortened where it is wider than so many pixels."""
    if isinstance(metrics, QFontMetricsF):
        return metrics.elidedText(short(text), mode, width)
    return metrics.elidedText(short(text), mode, int(width))


def marked(label: QLabel) -> QLabel:
    """Lets a label draw marks; whoever sets its text escapes what comes from elsewhere."""
    label.setProperty("marked", True)
    label.setTextFormat(Qt.TextFormat.RichText)
    return label


def link(text: str, tip: str, act: Callable[[], object], parent: QWidget) -> QPushButton:
    """A quiet action in words."""
    button = QPushButton(text, parent)
    button.setProperty("role", "link")
    button.setToolTip(tip)
    button.clicked.connect(lambda: act())
    return button


def set_on(button: QPushButton, on: bool) -> None:
    """Shows by its weight whether a link is the one that holds."""
    if button.property("on") != on:
        button.setProperty("on", on)
        button.setStyleSheet("font-weight: 600" if on else "")


def say_what_fits(label: QLabel, texts: Sequence[str], width: int) -> None:
    """Sets the first of some texts, the fullest first, that needs no more than a width; the last where none does."""
    for text in texts:
        label.setText(short(text, width) if len(text) > width else text)  # no letter is less than a pixel wide
        if label.sizeHint().width() <= width:
            return


def minus(text: str) -> str:
    """A number with the sign that printers set."""
    return text.replace("-", "−", 1) if text.startswith("-") else text


def tip(text: str) -> str:
    """Text for a tool tip that may hold names from elsewhere."""
    return f"<qt>{escape(text)}</qt>".replace("\n", "<br>") if Qt.mightBeRichText(text) else text  # type: ignore[attr-defined] # the stubs leave it out
