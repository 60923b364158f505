"""The editor of formulas: completes fields, functions and members, colours what is typed, shows values and errors as one types."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QSyntaxHighlighter, QTextCharFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QLabel, QListWidget, QListWidgetItem, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import tip
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


class FormulaText(QPlainTextEdit):
    """The text itself, with a list of offers under the word that is typed. Enter takes an offer, or applies the formula."""

    applied = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Formula")
        self.setTabChangesFocus(True)
        self.setFixedHeight(92)
        self.offered: list[Offer] = []
        self.members_of: Callable[[str], list[str]] = lambda _: []
        self.wrong: FormulaError | None = None
        self.colours = Colours(self.document() or QTextDocument())
        self.list = QListWidget(self)
        self.list.setWindowFlags(Qt.WindowType.ToolTip)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setObjectName("offers")
        self.list.itemClicked.connect(lambda _: self.take())
        self._from = 0
        self.cursorPositionChanged.connect(self._mark)

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
        self.list.clear()
        for each in found:
            item = QListWidgetItem(each.shown, self.list)
            item.setData(Qt.ItemDataRole.UserRole, each)
            item.setToolTip(tip(each.meaning))
        if not found or not self.hasFocus():
            self.list.hide()
            return
        self.list.setCurrentRow(0)
        area = self.cursorRect()
        self.list.resize(
            max(210, self.list.sizeHintForColumn(0) + 24), min(9, len(found)) * max(18, self.list.sizeHintForRow(0)) + 6
        )
        window = self.window()
        edge = window.mapToGlobal(QPoint(window.width(), 0)).x() if window is not None else 1 << 30
        place = self.viewport().mapToGlobal(QPoint(area.left(), area.bottom() + 4))
        self.list.move(min(place.x(), edge - self.list.width() - 4), place.y())
        self.list.show()

    def current_offer(self) -> Offer | None:
        """The offer that Enter would take."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None and self.list.isVisible() else None

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

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, shown = event.key(), self.list.isVisible()
        if shown and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if key == Qt.Key.Key_Down else -1
            self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())
            return
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if shown:
                self.take()
            elif not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.applied.emit()
            else:
                super().keyPressEvent(event)
            return
        if shown and key == Qt.Key.Key_Tab:
            self.take()
            return
        if key == Qt.Key.Key_Escape and shown:
            self.list.hide()
            return
        if key == Qt.Key.Key_Space and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.offer(asked=True)
            return
        super().keyPressEvent(event)
        if event.text().strip() or key == Qt.Key.Key_Backspace:
            self.offer()
        else:
            self.list.hide()

    def focusOutEvent(self, event: Any) -> None:
        self.list.hide()
        super().focusOutEvent(event)

    def hideEvent(self, event: Any) -> None:
        self.list.hide()
        super().hideEvent(event)

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

    def show_error(self, error: FormulaError | None) -> None:
        """Underlines the word that is wrong."""
        self.wrong = error
        self._mark()

    def _mark(self) -> None:
        marks = []

        def mark(start: int, stop: int, look: QTextCharFormat) -> None:
            selection = QTextEdit.ExtraSelection()
            cursor = self.textCursor()
            most = len(self.toPlainText())
            cursor.setPosition(min(start, most))
            cursor.setPosition(min(stop, most), QTextCursor.MoveMode.KeepAnchor)
            selection.cursor, selection.format = cursor, look
            marks.append(selection)

        pair = brackets_at(self.toPlainText(), self.textCursor().position())
        for place in pair or ():
            look = QTextCharFormat()
            look.setBackground(QColor(theme.palette().selection))
            mark(place, place + 1, look)
        if self.wrong is not None:
            look = QTextCharFormat()
            look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            look.setUnderlineColor(QColor(theme.palette().columns))
            mark(self.wrong.start, self.wrong.stop, look)
        self.setExtraSelections(marks)


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
        label = QLabel("", self)
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
        self.text.show_error(error)
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
