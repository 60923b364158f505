"""The sentence typed as a whole: the text in place of the words, with completion, and the report following while one types.

What is typed is read on a worker. Whenever it can be read, the fold becomes it; until then the last one stands. All of it is one step of the list.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import count
from typing import Any

from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QPainter, QPaintEvent, QTextCursor
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.completing import CompletingText, Line
from foldbasket.desktop.widgets.plain import Label
from foldbasket.errors import FoldBasketError, SentenceError, bare
from foldbasket.sentence.completing import Completion, completed, completions
from foldbasket.sentence.reading import readings
from foldbasket.sentence.strands import strands_in
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from foldbasket.spec.fold import Fold

WAIT = 80
"""Milliseconds after the last key until what is typed is read."""
MOST_LINES = 6
PROMPT = "Say what to show: net by region and month, trade only"
_gestures = count(1)


@dataclass(frozen=True)
class Read:
    """What became of a text: the folds that it may ask for, each in full, or why it cannot be read; and what could come at the cursor."""

    text: str
    at: int
    folds: tuple[Fold, ...] = ()
    said: tuple[str, ...] = ()
    error: FoldBasketError | None = None
    offers: tuple[Completion, ...] = ()
    strands: tuple[tuple[int, int, str], ...] = ()
    """Its names, each from where to below where, and the strand that it stands on."""


def read_typed(text: str, at: int, words: Vocabulary, *, completing: bool) -> Read:
    """Reads a text as it stands, the cursor behind so many of its signs."""
    offers = tuple(completions(text[:at], words)) if completing else ()
    try:
        folds = tuple(readings(text, words))
    except FoldBasketError as error:
        return Read(text, at, error=bare(error), offers=offers)
    said = tuple(written(each, words) for each in folds)
    return Read(text, at, folds, said, offers=offers, strands=strands_in(text, folds[0], words))


@dataclass(frozen=True)
class Reading:
    """The reading of what is typed, as work of the desk: also that which waits for the next key."""

    is_busy: Callable[[], bool]
    close: Callable[[], None]

    @property
    def busy(self) -> bool:
        """Whether something is yet to be read."""
        return self.is_busy()


class SentenceText(CompletingText):
    """The text itself, as large as the sentence, as high as what stands in it."""

    left = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("typed")
        self.setAccessibleName("The report as a sentence, typed")
        self.setPlaceholderText(PROMPT)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.asked: Callable[[bool], None] = lambda _: None
        self.is_chosen = False
        self._strands: tuple[str, tuple[tuple[int, int, str], ...]] = ("", ())
        self.textChanged.connect(self.fit)

    def fit(self) -> None:
        """Takes the room of its lines."""
        self.setFont(theme.font(theme.LARGE))
        document = self.document()
        assert document is not None
        lines = min(MOST_LINES, max(1, round(document.size().height())))
        self.setFixedHeight(round(self.fontMetrics().lineSpacing() * lines) + 14)

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self.fit()

    def show_strands(self, text: str, strands: tuple[tuple[int, int, str], ...]) -> None:
        """Underlines the names of a text as the words of a sentence are; those behind what is typed further are no longer underlined."""
        self._strands = (text, strands)
        self.viewport().update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        text, strands = self._strands
        painter, colours, now = QPainter(self.viewport()), theme.palette(), self.toPlainText()
        for start, stop, strand in strands:
            if now[:stop] != text[:stop]:
                break
            for left, right, y in self._stretches(start, stop):
                theme.draw_stroke(painter, strand, QPointF(left, y), QPointF(right, y), colours.strand(strand))

    def _stretches(self, start: int, stop: int) -> Iterator[tuple[float, float, float]]:
        """Under a part of the text, for each line it reaches over: from where to where, and how far down."""
        document = self.document()
        assert document is not None
        block = document.findBlock(start)
        layout, at, end = block.layout(), start - block.position(), stop - block.position()
        corner = self.blockBoundingGeometry(block).translated(self.contentOffset()).topLeft()
        while layout is not None and at < end:
            line = layout.lineForTextPosition(at)
            if not line.isValid():
                return
            behind = min(end, line.textStart() + line.textLength())
            left, right = line.cursorToX(at)[0], line.cursorToX(behind)[0]
            yield corner.x() + left, corner.x() + right, corner.y() + line.y() + line.ascent() + 3
            at = max(behind, at + 1)

    def offer(self, *, asked: bool = False) -> None:
        self.asked(asked)

    def list_offers(self, offers: tuple[Completion, ...]) -> None:
        """Lists what could come next; Enter takes one only once it was gone to, so that it can end a sentence that is whole."""
        self.is_chosen = False
        self.show_offers([Line(f"{each.text}    {each.detail}".rstrip(), each.detail, each) for each in offers])

    def enters(self) -> bool:
        return self.list.isVisible() and self.is_chosen

    def take(self) -> None:
        offer = self.current_offer()
        if offer is None:
            return
        text, at = self.toPlainText(), self.textCursor().position()
        before = offer.text if offer.start < 0 else completed(text[:at], offer)
        behind = "" if offer.start < 0 else text[at:].lstrip()
        self.setPlainText(before + behind)
        cursor = self.textCursor()
        cursor.setPosition(len(before))
        self.setTextCursor(cursor)
        self.list.hide()
        self.asked(False)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and not self.list.isVisible():
            self.left.emit()
            return
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.list.isVisible() and not self.is_chosen:
            self.is_chosen = True  # the first is chosen by going to the list
            if event.key() == Qt.Key.Key_Down:
                return
        super().keyPressEvent(event)


class TypedSentence(QFrame):
    """The text, and under it how it is understood or what is wrong. `done` tells that it is left."""

    done = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("sentence")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 20, 8)
        column.setSpacing(0)
        self.text = SentenceText(self)
        column.addWidget(self.text)
        self.said = Label("", self)
        self.said.setProperty("role", "quiet")
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setContentsMargins(4, 0, 0, 2)
        column.addWidget(self.said)
        self._words: Vocabulary | None = None
        self._is_blank = False
        self._worker = Worker("sentence", self)
        self._worker.finished.connect(self._came)
        self._worker.failed.connect(self._failed)
        desk.add_work(Reading(lambda: self._timer.isActive() or self._worker.busy, self._worker.close))
        self._copier = Worker("copy", self)
        self._copier.finished.connect(self._copied)
        desk.add_work(self._copier)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT)
        self._timer.timeout.connect(self._read)
        self.text.textChanged.connect(self._timer.start)
        self.text.applied.connect(self.finish)
        self.text.left.connect(self.put_back)
        self.text.asked = self._ask
        self._fold = ""
        self._gesture = ""
        self._start = 0
        self._asked = False
        self._read_last: Read | None = None
        self._ends = False
        desk.when(Part.DOCUMENT, self, self._leave_behind)
        desk.when(Part.TABLES, self, self._forget)
        self.hide()

    # --- beginning and ending ---------------------------------------------------

    def begin(self, typed: str = "") -> None:
        """Takes the place of the words; with `typed` a new sentence begins so, else the whole of it stands there, chosen."""
        fold = self.desk.ensure_fold()
        self._fold, self._gesture = fold.key, f"typed sentence {next(_gestures)}"
        self._start = self.desk.history.position
        self._read_last, self._ends = None, False
        self.said.setText("")
        self.text.show_error(None)
        self.text.show_strands("", ())
        self.text.setPlainText(typed)
        self.text.setEnabled(True)
        self.show()
        self.text.moveCursor(QTextCursor.MoveOperation.End)
        self.text.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self._is_blank = not typed
        self._take_words(fold)

    def _take_words(self, fold: Fold) -> None:
        """Takes the names that can be said now, and where nothing was typed yet, what the fold says; nothing is read until they are there."""
        self._words, is_blank = None, self._is_blank
        source, locale = self.desk.source, self.desk.basket.locale

        def work(_: Any) -> Any:
            words = Vocabulary(source, fold, locale)
            _ = words.known  # so that nothing is looked up for the first time while one types
            return words, written(fold, words) if is_blank else ""

        self._worker.start(work)

    def copy_whole(self) -> None:
        """Puts the sentence of the fold in view on the clipboard, written in full, so that it reads back wherever it is pasted."""
        fold, source, locale = self.desk.fold, self.desk.source, self.desk.basket.locale
        if fold is not None:
            self._copier.start(lambda _: written(fold, Vocabulary(source, None, locale)))

    def _copied(self, said: str) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(said)
        self.desk.news.emit("The sentence is on the clipboard, in full.")

    def _leave_behind(self) -> None:
        """Whoever undoes more than what was typed here has left it; to read it again would do anew what was undone."""
        if self.isVisible() and self.desk.history.position < self._start:
            self._leave()

    def _forget(self) -> None:
        """Other tables have other names."""
        fold = self.desk.fold
        if self.isVisible() and fold is not None:
            self._take_words(fold)

    def finish(self) -> None:
        """Leaves what is typed as the fold, if it can be read; else stays and says why."""
        last = self._read_last
        if last is None or last.text != self.text.toPlainText():
            self._ends = True  # as soon as it is read
            self._read()
        elif (last.error is None and len(last.folds) == 1) or not self.text.toPlainText().strip():
            self._leave()
        else:
            self._ends = False

    def put_back(self) -> None:
        """Gives up what was typed: the fold is as it was before."""
        if self.desk.history.position > self._start and self.desk.history.steps[-1].gesture == self._gesture:
            self.desk.go_to_step(self._start)
        self._leave()

    def _leave(self) -> None:
        self._timer.stop()
        self._worker.cancel()
        self._words = None  # which know all tables
        self.text.list.hide()
        if self.isVisible():
            self.hide()
            self.done.emit()

    # --- reading -----------------------------------------------------------------

    def _ask(self, asked: bool) -> None:
        self._asked = True
        self._timer.start()

    def _read(self) -> None:
        words = self._words
        self._timer.stop()
        if words is None or not self.isVisible():
            return
        text, at, completing = self.text.toPlainText(), self.text.textCursor().position(), self._asked
        self._worker.start(lambda _: read_typed(text, at, words, completing=completing))

    def _came(self, came: Any) -> None:
        if isinstance(came, Read):
            self._show(came)
            return
        (self._words, said), self._is_blank = came, False
        if said and not self.text.toPlainText():
            self.text.setPlainText(said)
            self.text.selectAll()
        self._read()

    def _failed(self, error: FoldBasketError) -> None:
        self.said.setText(str(error))

    def _show(self, read: Read) -> None:
        if read.text != self.text.toPlainText() or not self.isVisible():
            return
        self._read_last = read
        error = read.error
        if (
            isinstance(error, SentenceError)
            and error.stop >= len(read.text)
            and read.text[-1:].strip()
            and not self._ends
        ):
            error = None  # the last word may be half written
        self.text.show_error((error.start, error.stop) if isinstance(error, SentenceError) else None)
        several = tuple(Completion(each, "read so", -1) for each in read.said) if len(read.said) > 1 else ()
        if self._asked or several:
            self.text.list_offers(several or read.offers)
            self._asked = False
        self.said.setText(self._remark(read, error))
        if len(read.folds) == 1:
            self.text.show_strands(read.text, read.strands)
        fold = self.desk.fold
        if len(read.folds) == 1 and fold is not None and fold.key == self._fold:
            self.desk.do(edits.SayFold(self._fold, read.folds[0], gesture=self._gesture))
        if self._ends:
            self._ends = False
            self.finish()

    def _remark(self, read: Read, error: FoldBasketError | None) -> str:
        if error is not None:
            said = str(error)
            return said[:1].upper() + said[1:]
        if len(read.said) > 1:
            return "This can be understood in more than one way: choose one of these."
        return (
            f"Read as: {read.said[0]}" if read.said and read.said[0].casefold() != read.text.strip().casefold() else ""
        )
