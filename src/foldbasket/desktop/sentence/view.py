"""The sentence: the report in words, and the place where it is edited.

Each placed field is a word that can be selected, stepped through, moved and dragged; a + behind each strand takes a
dropped field or opens the list to type into.
"""

from __future__ import annotations

import itertools
from typing import Any

from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QFrame, QLabel, QPushButton, QScrollArea, QSizePolicy, QWidget

from foldbasket.baskets.placing import fields_for
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.sentence.gaps import Gaps
from foldbasket.desktop.sentence.word import (
    EMPTY_LEADS,
    ONE_LINE,
    PROMPTS,
    PlusButton,
    WordButton,
    dropped_field,
    dropped_word,
)
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.finder import Choice, Finder
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import Label
from foldbasket.sentence.phrases import STRANDS, Word, sentence_of, words_of
from foldbasket.spec.field import FieldRef
from foldbasket.tables.nature import nature_of


class SentenceRoom(QScrollArea):
    """Holds the sentence, and scrolls it where it would take more than its share of a small window."""

    MOST = 0.4
    """Of the height of the window."""

    def __init__(self, sentence: SentenceBar, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sentence = sentence
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(sentence)
        sentence.grown.connect(self.fit)
        sentence.word_seen.connect(self.ensureWidgetVisible)
        self.fit()

    def fit(self) -> None:
        """Takes the room that the sentence needs, if there is so much."""
        window = self.window()
        most = round(self.MOST * window.height()) if window is not None else 0
        self.setFixedHeight(max(ONE_LINE, min(self._sentence.height(), most)))


class SentenceBar(QFrame):
    """The bar across the top. Redrawn from the fold in view whenever the basket changes."""

    menu_wanted = pyqtSignal(str, QPoint)
    card_wanted = pyqtSignal()
    typing_wanted = pyqtSignal(str)
    grown = pyqtSignal()
    word_seen = pyqtSignal(QWidget)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("sentence")
        self.setAcceptDrops(True)
        self.setAccessibleName("The report as a sentence")
        self._flow = FlowLayout(self, gap=4, line_gap=0)
        self._flow.setContentsMargins(20, 12, 20, 10)
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        policy.setVerticalPolicy(QSizePolicy.Policy.Minimum)
        self.setSizePolicy(policy)
        self._said: Any = None
        self._labels: list[QLabel] = []
        self.words: list[WordButton] = []
        self.pluses: dict[str, PlusButton] = {}
        self._caret: tuple[QRectF, str] | None = None
        self._gaps = Gaps(desk, self)
        self._type_it = QPushButton("type it…", self)
        self._type_it.setProperty("role", "link")
        self._type_it.setAccessibleName("Type the sentence")
        self._type_it.setToolTip(
            "Type the sentence as a whole, such as: net by region and month, trade only (Ctrl+L twice)"
        )
        self._type_it.clicked.connect(lambda: self.typing_wanted.emit(""))
        self._type_it.hide()
        desk.when(Part.FOLD | Part.TABLES | Part.SETTINGS, self, self.renew)
        desk.when(Part.WORD, self, self._repaint_words)
        self.renew()

    def renew(self) -> None:
        """Sets the words anew where they differ, keeping the focus on the word it was on."""
        fold = self.desk.fold
        words = words_of(fold, self.desk.source, self.desk.basket.locale) if fold is not None else []
        said = (fold is None, tuple(words))
        if said == self._said:
            return
        self._said = said
        focused = self.focusWidget()
        focused_word = focused.word.id if isinstance(focused, WordButton) and focused.hasFocus() else None
        while self._flow.takeAt(0) is not None:
            pass
        # Widgets are used again: making one costs more than all that is said on it.
        labels, buttons, pluses = self._labels, self.words, self.pluses
        self._labels, self.words, self.pluses = [], [], {}
        if fold is None:
            self._add_label("Open some data to begin.", labels)
        else:
            for strand in STRANDS:
                self._say_strand(strand, [word for word in words if word.strand == strand], labels, buttons, pluses)
            self._place(self._type_it)
        for widget in (*labels, *buttons, *pluses.values()):
            let_go(widget)
        if fold is not None:
            self.setAccessibleDescription(sentence_of(fold, self.desk.source, self.desk.basket.locale))
        for button in self.words:
            if button.word.id == (focused_word or ""):
                button.setFocus()
        self._order_keys()
        self._fit()

    def _say_strand(
        self,
        strand: str,
        words: list[Word],
        labels: list[QLabel],
        buttons: list[WordButton],
        pluses: dict[str, PlusButton],
    ) -> None:
        """Sets the words of one strand and the + behind them, from widgets that were there before where there are any."""
        if not words:
            self._add_label(EMPTY_LEADS[strand], labels)
        for index, word in enumerate(words):
            if word.lead:
                self._add_label(word.lead, labels)
            button = buttons.pop(0) if buttons else self._new_word(word, index)
            button.say(word, index)
            self._place(button)
            self.words.append(button)
        plus = pluses.pop(strand, None) or self._new_plus(strand)
        plus.at = len(words)
        self._place(plus)
        self.pluses[strand] = plus

    def _order_keys(self) -> None:
        """Tab goes through the sentence as it is read, whatever came first to the screen."""
        stops = [
            widget
            for index in range(self._flow.count())
            if (widget := self._flow.itemAt(index).widget()) is not None and not isinstance(widget, QLabel)
        ]
        for one, other in itertools.pairwise(stops):
            self.setTabOrder(one, other)

    def _place(self, widget: QWidget) -> None:
        self._flow.addWidget(widget)
        widget.show()

    def _new_word(self, word: Word, index: int) -> WordButton:
        button = WordButton(word, index, self)
        button.clicked.connect(lambda: self.desk.select_word(button.word.id))
        return button

    def _new_plus(self, strand: str) -> PlusButton:
        plus = PlusButton(strand, 0, self)
        plus.clicked.connect(lambda: self.open_finder(strand))
        return plus

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        self._flow.activate()
        self.setFixedHeight(max(ONE_LINE, self._flow.heightForWidth(self.width())))
        self.grown.emit()

    def _add_label(self, text: str, spare: list[QLabel]) -> None:
        label = spare.pop(0) if spare else Label(self)
        label.setProperty("role", "lead")
        label.setText(text)
        self._labels.append(label)
        self._place(label)

    def _repaint_words(self) -> None:
        for button in self.words:
            button.update()

    @property
    def is_empty(self) -> bool:
        """Whether no word stands in it, so that whatever is typed begins it."""
        return not self.words

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.typing_wanted.emit("")  # on a free place: the whole of it

    def focus_words(self) -> None:
        """Puts the keyboard on the selected word, or the first, or the first +."""
        target = next((button for button in self.words if button.word.id == self.desk.view.word), None)
        target = target or (self.words[0] if self.words else None)
        widget = target or self.pluses.get("measures")
        if widget is not None:
            widget.setFocus(Qt.FocusReason.ShortcutFocusReason)

    # --- keys ---------------------------------------------------------------

    def key_on_word(self, button: WordButton, event: QKeyEvent) -> bool:
        """Keys on a word: arrows step, with Alt they move the word; Delete takes it out; Enter opens its card."""
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        key, word = event.key(), button.word
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = -1 if key == Qt.Key.Key_Left else 1
            if alt:
                at = button.index - 1 if step < 0 else button.index + 2
                if at >= 0:
                    self.desk.words.move(word.id, word.strand, at)
                    self._focus_word(word.id)
            elif button in self.words:  # else a press that was on its way as the sentence was written anew
                self.words[(self.words.index(button) + step) % len(self.words)].setFocus(Qt.FocusReason.TabFocusReason)
            return True
        if alt and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            other = {"rows": "columns", "columns": "rows"}.get(word.strand)
            if other:
                self.desk.words.move(word.id, other)
                self._focus_word(word.id)
            return True
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            if button not in self.words:  # it is about to go
                return False
            at = self.words.index(button)
            self.desk.words.remove(word.id)
            if self.words:
                self.words[min(at, len(self.words) - 1)].setFocus()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.desk.select_word(word.id)
            self.card_wanted.emit()
            return True
        return False

    def step(self, here: QWidget, step: int) -> None:
        """Puts the keyboard on what stands before or behind a +."""
        items = [self._flow.itemAt(at) for at in range(self._flow.count())]
        stops = [each.widget() for each in items if each is not None and isinstance(each.widget(), QAbstractButton)]
        if here in stops:
            target = stops[(stops.index(here) + step) % len(stops)]
            assert target is not None
            target.setFocus(Qt.FocusReason.TabFocusReason)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.desk.select_word(None)  # a free place stands for the whole report
        super().mousePressEvent(event)

    def _focus_word(self, word: str) -> None:
        for button in self.words:
            if button.word.id == word:
                button.setFocus()

    # --- the list to type into ----------------------------------------------

    def open_finder(self, strand: str) -> Finder:
        """The list of fields for a strand; choosing one places it there."""
        choices = [
            Choice(ref.field, f"{self.desk.source.called(ref.table)} · {'not linked to this fold’s records' if not fits else nature_of(column).value}", ref)
            for ref, column, fits in fields_for(self.desk.source, self.desk.fold, strand)
        ]  # fmt: skip
        if strand == "measures":
            choices.insert(0, Choice("Records, counted", "count", None))

        def chosen(ref: FieldRef | tuple[Any, str] | None) -> None:
            if isinstance(ref, tuple):
                self.desk.words.place_read(ref[0], strand, ref[1])
            elif ref is None:
                self.desk.words.place_count()
            else:
                self.desk.words.place(ref, strand)
            self._focus_word(self.desk.view.word or "")

        finder = Finder(self, PROMPTS[strand], choices, chosen)
        self._gaps.read_for(finder, strand)
        plus = self.pluses[strand]
        finder.open_at(plus.mapToGlobal(QPoint(0, plus.height())))
        return finder

    # --- dropping -----------------------------------------------------------

    def dragEnterEvent(self, event: Any) -> None:
        if dropped_field(event.mimeData()) or dropped_word(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: Any) -> None:
        strand, _, caret = self.target_at(event.position().toPoint())
        for plus in self.pluses.values():
            plus.lit = plus.strand == strand
            plus.update()
        self._caret = (caret, strand)
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: Any) -> None:
        self._put_out()

    def dropEvent(self, event: Any) -> None:
        strand, at, _ = self.target_at(event.position().toPoint())
        self._put_out()
        ref, word = dropped_field(event.mimeData()), dropped_word(event.mimeData())
        event.acceptProposedAction()
        if ref is not None:
            self.desk.words.place(ref, strand, at)
        elif word is not None:
            self.desk.words.move(word, strand, at)

    def _put_out(self) -> None:
        self._caret = None
        for plus in self.pluses.values():
            plus.lit = False
            plus.update()
        self.update()

    def target_at(self, point: QPoint) -> tuple[str, int, QRectF]:
        """Where a drop at a point would go: strand, position on it, and where the caret is drawn."""
        spots: list[tuple[float, str, int, QRectF]] = []
        spotted: list[WordButton | PlusButton] = [*self.words, *self.pluses.values()]
        for widget in spotted:
            area = widget.geometry()
            far_line = abs(area.center().y() - point.y()) * 4
            if isinstance(widget, WordButton):
                for side, x in ((0, area.left() - 3), (1, area.right() + 3)):
                    spots.append(
                        (
                            far_line + abs(x - point.x()),
                            widget.word.strand,
                            widget.index + side,
                            QRectF(x - 1, area.top() + 2, 2, 24),
                        )
                    )
            else:
                x = area.center().x()
                spots.append(
                    (far_line + abs(x - point.x()), widget.strand, widget.at, QRectF(x - 1, area.top() + 2, 2, 24))
                )
        if not spots:
            return "rows", 0, QRectF()
        _, strand, at, caret = min(spots, key=lambda spot: spot[0])
        return strand, at, caret

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._caret is not None:
            painter = QPainter(self)
            painter.fillRect(self._caret[0], theme.palette().strand(self._caret[1]))
