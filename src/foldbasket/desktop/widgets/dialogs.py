"""Messages and questions in the window's own look: a few words, answers named by what they do, the keyboard first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QTextOption
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

WIDTH = 440
LONGEST = 220
"""Pixels that a text may be high before it scrolls."""


class Answer(NamedTuple):
    """An answer: what its button says, and what is handed on; the first one given is what Enter means."""

    label: str
    value: str


CANCEL = Answer("Cancel", "")
"""Closes the question; nothing is handed on."""


class Dialog(QDialog):
    """A question over the window, which goes on meanwhile. `then` gets the chosen answer's value; with a line to type into, what was typed
    instead. Escape cancels."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        text: str,
        answers: Sequence[Answer],
        then: Callable[[str], None],
        *,
        detail: str = "",
        line: str | None = None,
        secret: bool = False,
        listed: Sequence[str] = (),
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(title)
        self.setFixedWidth(WIDTH)
        self._then = then
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 16)
        column.setSpacing(8)
        column.addWidget(self._label(title, "title"))
        for said, role in ((text, ""), (detail, "quiet")):
            if said:
                column.addWidget(self._within(self._label(said, role)))
        if listed:
            column.addWidget(self._list(listed))
        self.line: QLineEdit | None = None
        if line is not None:
            self.line = QLineEdit(line, self)
            self.line.setAccessibleName(text or title)
            self.line.setEchoMode(QLineEdit.EchoMode.Password if secret else QLineEdit.EchoMode.Normal)
            self.line.selectAll()
            column.addWidget(self.line)
        column.addSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addStretch(1)
        self.buttons = {answer.label: self._button(answer) for answer in answers}
        for button in reversed(self.buttons.values()):  # what Enter means stands last, at the edge
            row.addWidget(button)
        column.addLayout(row)
        main = next(iter(self.buttons.values()))
        main.setProperty("role", "main")
        main.setDefault(True)
        (self.line or main).setFocus()
        self.ensurePolished()
        self.resize(WIDTH, column.totalHeightForWidth(WIDTH))

    def _within(self, label: QLabel) -> QWidget:
        """A label as it is, or in a frame that scrolls where it is long, so that the buttons stay on the screen."""
        width = WIDTH - 44
        if label.heightForWidth(width) <= LONGEST:
            return label
        frame = QScrollArea(self)
        frame.setWidget(label)
        frame.setWidgetResizable(True)
        frame.setFixedHeight(LONGEST)
        frame.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        frame.setAccessibleName(label.text()[:200])
        return frame

    def _list(self, listed: Sequence[str]) -> QPlainTextEdit:
        """Everything that the question is about, one below another, to be scrolled."""
        made = QPlainTextEdit("\n\n".join(listed), self)
        made.setReadOnly(True)
        made.setWordWrapMode(QTextOption.WrapMode.WrapAtWordBoundaryOrAnywhere)
        made.setTabChangesFocus(True)
        made.setAccessibleName(f"{len(listed)} places")
        made.setFixedHeight(min(LONGEST, 14 + made.fontMetrics().lineSpacing() * (made.document().lineCount() + 4)))
        return made

    def _label(self, text: str, role: str) -> QLabel:
        label = QLabel(text, self)
        label.setTextFormat(Qt.TextFormat.PlainText)  # it may hold names from files
        label.setWordWrap(True)
        label.setProperty("role", role)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        return label

    def _button(self, answer: Answer) -> QPushButton:
        button = QPushButton(answer.label, self)
        button.clicked.connect(lambda: self._chosen(answer))
        return button

    def _chosen(self, answer: Answer) -> None:
        said = self.line.text() if self.line is not None and answer.value else answer.value
        self.close()
        if answer.value:
            self._then(said)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        buttons = [*reversed(self.buttons.values())]
        focused = self.focusWidget()
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and focused in buttons:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            buttons[(buttons.index(focused) + step) % len(buttons)].setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(focused, QPushButton):
            focused.click()
        else:
            super().keyPressEvent(event)


def ask(
    parent: QWidget,
    title: str,
    text: str,
    answers: Sequence[Answer],
    then: Callable[[str], None],
    detail: str = "",
    listed: Sequence[str] = (),
) -> Dialog:
    """Asks, and hands the answer on when it is given. What is `listed` can be scrolled, so that however much it is the buttons are on the screen."""
    dialog = Dialog(parent, title, text, answers, then, detail=detail, listed=listed)
    dialog.open()
    return dialog


def ask_line(
    parent: QWidget, title: str, text: str, now: str, go: str, then: Callable[[str], None], *, secret: bool = False
) -> Dialog:
    """Asks for a line of text; `go` names what happens with it."""
    dialog = Dialog(parent, title, text, (Answer(go, "go"), CANCEL), then, line=now, secret=secret)
    dialog.open()
    return dialog


def tell(parent: QWidget, title: str, text: str, detail: str = "") -> Dialog:
    """Says something, until it was read."""
    return ask(parent, title, text, (Answer("Close", ""),), lambda _: None, detail)
