"""The editor of formulas: completes fields, functions and members, colours what is typed, shows values and errors as one types."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor, QSyntaxHighlighter, QTextCharFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QLabel, QTextEdit, QVBoxLayout, QWidget

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.completing import CompletingText, Line
from foldbasket.desktop.widgets.plain import Label
from foldbasket.desktop.work.formulas import Judged
from foldbasket.errors import FormulaError
from foldbasket.formulas.help import Offer, brackets_at, inside_aggregate, matching, member_before, word_before
from foldbasket.formulas.language import KEYWORDS, function_names

WAIT = 150
"""Milliseconds after the last key until a formula is judged."""


class Colours(QSyntaxHighlighter):
    """Colours words of the language, text and numbers; all else is a name."""

    def __init__(self, document: QTextDocument) -> None:
        super().__init__(document)
        palette = theme.palette()
        words = "|".join([*function_names(), *KEYWORDS])
        self.rules = [
            (re.compile(rf"\b(?:{words})\b", re.IGNORECASE), palette.rows, True),
            (re.compile(r"\b\d[\w.]*"), palette.columns, False),
            (re.compile(r"'(?:[^']|'')*'?"), palette.measures, False),
            (re.compile(r"\"[^\"]*\"?"), palette.ink, False),
            (re.compile(r"«[^»]*»"), palette.muted, False),
        ]

    def highlightBlock(self, text: str | None) -> None:
        for expression, colour, bold in self.rules:
            look = QTextCharFormat()
            look.setForeground(QColor(colour))
            if bold:
                look.setFontWeight(600)
            for match in expression.finditer(text or ""):
                self.setFormat(match.start(), match.end() - match.start(), look)


class FormulaText(CompletingText):
    """The text itself, with a list of offers under the word that is typed. Enter takes an offer, or applies the formula."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Formula")
        self.setFixedHeight(92)
        self.offered: list[Offer] = []
        self.members_of: Callable[[str], list[str]] = lambda _: []
        self.colours = Colours(self.document() or QTextDocument())
        self._from = 0
        self.cursorPositionChanged.connect(self.mark)

    # --- completing ---------------------------------------------------------

    def offer(self, *, asked: bool = False) -> None:
        """Shows what the word at the cursor could become."""
        text, at = self.toPlainText(), self.textCursor().position()
        member = member_before(text, at)
        if member is not None:
            field, self._from, typed = member
            found = [
                Offer(each, each.replace("'", "''") + "'", f"a member of {field}")
                for each in self.members_of(field)
                if each.casefold().startswith(typed.casefold())
            ][:12]
        else:
            self._from, typed = word_before(text, at)
            summed = inside_aggregate(text, self._from)
            fitting = [each for each in self.offered if not (summed and each.is_measure)]
            found = matching(fitting, typed) if typed or not asked else fitting[:12]
            if len(found) == 1 and found[0].text.rstrip("(") == typed:
                found = []
        self.show_offers([Line(each.shown, each.meaning, each) for each in found])

    def take(self) -> None:
        """Writes the chosen offer in the place of the word that is typed."""
        offer = self.current_offer()
        if offer is None:
            return
        cursor = self.textCursor()
        at = cursor.position()
        cursor.setPosition(self._from)
        cursor.setPosition(at, QTextCursor.MoveMode.KeepAnchor)
        cursor.insertText(offer.text)
        if offer.text.endswith("("):
            cursor.insertText(")")
            cursor.movePosition(QTextCursor.MoveOperation.Left)
        self.setTextCursor(cursor)
        self.list.hide()

    def next_gap(self) -> bool:
        """Selects the next word of a pattern that is to be filled in; says whether there is one."""
        match = re.search(r"«[^»]*»", self.toPlainText())
        if match is None:
            return False
        cursor = self.textCursor()
        cursor.setPosition(match.start())
        cursor.setPosition(match.end(), QTextCursor.MoveMode.KeepAnchor)
        self.setTextCursor(cursor)
        return True

    # --- marking ------------------------------------------------------------

    def marks(self) -> list[QTextEdit.ExtraSelection]:
        """The pair of brackets at the cursor, and what is wrong."""
        look = QTextCharFormat()
        look.setBackground(QColor(theme.palette().selection))
        pair = brackets_at(self.toPlainText(), self.textCursor().position())
        return [*(self.marked(place, place + 1, look) for place in pair or ()), *super().marks()]


class FormulaEditor(QWidget):
    """The text and, under it, what it gives or what is wrong with it.

    `judge` says what a text gives: what kind of thing it is, and a way to work out values to show; it raises a FormulaError.
    `work_out` does that in the background and hands on what came of it, or the error. `apply` takes a sound formula.
    """

    def __init__(
        self,
        text: str,
        judge: Callable[[str], Judged],
        apply: Callable[[str], object],
        work_out: Callable[[Callable[[], str], Callable[[str | FormulaError], None]], None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.judge, self.apply, self.work_out, self.first = judge, apply, work_out, text
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.text = FormulaText(self)
        self.text.setPlainText(text)
        column.addWidget(self.text)
        self.said = self._label("quiet")
        self.values = self._label("values")
        self.error = self._label("warning")
        for label in (self.said, self.values, self.error):
            column.addWidget(label)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.setInterval(WAIT)
        self.timer.timeout.connect(self.renew)
        self.text.textChanged.connect(self.timer.start)
        self.text.applied.connect(self.commit)
        self.renew()

    def _label(self, role: str) -> QLabel:
        label = Label("", self)
        label.setProperty("role", role)
        label.setWordWrap(True)
        label.setTextFormat(Qt.TextFormat.PlainText)
        return label

    def renew(self) -> bool:
        """Judges the text and shows what it gives or what is wrong; says whether it is sound."""
        self.timer.stop()
        text = self.text.toPlainText()
        error: FormulaError | None = None
        said, values = "", None
        gaps = "«" in text
        if text.strip() and not gaps:
            try:
                said, values = self.judge(text)
            except FormulaError as found:
                error = found
        self._say(
            said="Fill in the words in «…»." if gaps else said, values="…" if values is not None else "", error=error
        )
        if values is not None:
            self.work_out(values, lambda came: self._came(text, said, came))
        return error is None and bool(text.strip()) and not gaps

    def _came(self, text: str, said: str, came: str | FormulaError) -> None:
        if text == self.text.toPlainText():
            wrong = isinstance(came, FormulaError)
            self._say(
                said=said, values="" if wrong else str(came), error=came if isinstance(came, FormulaError) else None
            )

    def _say(self, *, said: str, values: str, error: FormulaError | None) -> None:
        self.text.show_error((error.start, error.stop) if error is not None else None)
        self.said.setText(said if error is None else "")
        self.values.setText(values)
        told = str(error) if error is not None else ""
        self.error.setText(told[:1].upper() + told[1:])
        for label in (self.said, self.values, self.error):
            label.setVisible(bool(label.text()))

    def commit(self) -> None:
        """Applies a sound formula that differs from the first; goes to the next gap of a pattern."""
        if self.text.next_gap():
            return
        if self.renew() and self.text.toPlainText().strip() != self.first:
            self.apply(self.text.toPlainText().strip())

    def start_from(self, text: str) -> None:
        """Puts a pattern into the text and selects its first gap."""
        self.text.list.hide()
        self.text.setPlainText(text)
        self.text.setFocus()
        self.text.next_gap()
