"""The words and pluses of the sentence, as buttons that can be dragged. Their `bar` is the `view.SentenceBar` that they stand in."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QByteArray, QMimeData, QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QDrag, QFocusEvent, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QSizePolicy

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided, short
from foldbasket.sentence.phrases import LEADS, Word
from foldbasket.spec.field import FieldRef

FIELD_MIME = "application/x-fold-basket-field"


WORD_MIME = "application/x-fold-basket-word"


EMPTY_LEADS = {**LEADS, "measures": "show"}


PROMPTS = {
    "measures": "Add up, count or average…",
    "rows": "A row for each…",
    "columns": "A column for each…",
    "filters": "Keep only some…",
}


def field_mime(ref: FieldRef) -> QMimeData:
    """What a dragged field carries."""
    data = QMimeData()
    data.setData(FIELD_MIME, QByteArray(f"{ref.table}\n{ref.field}".encode()))
    data.setText(ref.field)
    return data


def dropped_field(data: QMimeData) -> FieldRef | None:
    """The field that a drop carries, if it is one."""
    if not data.hasFormat(FIELD_MIME):
        return None
    table, _, field = data.data(FIELD_MIME).data().decode().partition("\n")
    return FieldRef(table, field)


def dropped_word(data: QMimeData) -> str | None:
    """The id of the word that a drop carries, if it is one."""
    return data.data(WORD_MIME).data().decode() if data.hasFormat(WORD_MIME) else None


CHORD = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier


ONE_LINE = 62
"""Pixels that a sentence of one line takes."""


class WordButton(QAbstractButton):
    """One word, underlined in its strand's stroke."""

    def __init__(self, word: Word, index: int, bar: Any) -> None:
        super().__init__(bar)
        self.bar = bar
        self.say(word, index)
        self.setToolTip("Click for its card. Drag it, or move it with Alt and the arrow keys.")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._pressed_at: QPoint | None = None

    def say(self, word: Word, index: int) -> None:
        """Shows a word, the one so far along its strand."""
        self.word, self.index = word, index
        self.setText(word.text)
        self.setAccessibleName(f"{word.text}, on {word.strand}")
        self.updateGeometry()
        self.update()

    @staticmethod
    def _font() -> QFont:
        return theme.font(theme.LARGE, QFont.Weight.Normal)

    def sizeHint(self) -> QSize:
        metrics = QFontMetricsF(self._font())
        return QSize(round(metrics.horizontalAdvance(short(self.text()))) + 8, 32)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        colours = theme.palette()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect())
        text_area = area.adjusted(0, 2, 0, -6)
        if self.bar.desk.view.word == self.word.id:
            painter.fillRect(text_area, colours.tint(self.word.strand))
        painter.setFont(self._font())
        painter.setPen(QColor(colours.ink))
        shown = elided(painter.fontMetrics(), self.text(), self.width() - 4)
        painter.drawText(text_area.adjusted(2, 0, -2, 0), Qt.AlignmentFlag.AlignCenter, shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        y = area.bottom() - 5
        theme.draw_stroke(
            painter, self.word.strand, QPointF(2, y), QPointF(area.right() - 2, y), colours.strand(self.word.strand)
        )
        if self.hasFocus():
            theme.draw_focus(painter, text_area, colours)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.bar.word_seen.emit(self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed_at = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed_at is not None:
            moved = (event.position().toPoint() - self._pressed_at).manhattanLength()
            if moved >= QApplication.startDragDistance():
                self._pressed_at = None
                self.setDown(False)
                data = QMimeData()
                data.setData(WORD_MIME, QByteArray(self.word.id.encode()))
                drag = QDrag(self)
                drag.setMimeData(data)
                drag.setPixmap(self.grab())
                drag.exec(Qt.DropAction.MoveAction)
                return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pressed_at = None
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.bar.key_on_word(self, event):
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: Any) -> None:
        self.bar.menu_wanted.emit(self.word.id, event.globalPos())


class PlusButton(QAbstractButton):
    """The + behind a strand."""

    def __init__(self, strand: str, at: int, bar: Any) -> None:
        super().__init__(bar)
        self.bar, self.strand, self.at = bar, strand, at
        self.setAccessibleName(f"Add to {strand}")
        self.setToolTip(PROMPTS[strand])
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.lit = False

    def sizeHint(self) -> QSize:
        return QSize(18, 32)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        colours = theme.palette()
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 2, 0, -6)
        if self.lit:
            painter.fillRect(area, colours.tint(self.strand))
        painter.setPen(
            colours.strand(self.strand) if self.lit or self.underMouse() or self.hasFocus() else QColor(colours.rule)
        )
        painter.setFont(theme.font(16))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "+")
        if self.hasFocus():
            theme.draw_focus(painter, area, colours)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.bar.step(self, -1 if event.key() == Qt.Key.Key_Left else 1)
        elif event.text().isprintable() and event.text().strip() and not event.modifiers() & CHORD:
            if self.bar.is_empty:
                self.bar.typing_wanted.emit(event.text())
                return
            QApplication.sendEvent(
                self.bar.open_finder(self.strand).line, event
            )  # what is typed is the beginning of a name
        else:
            super().keyPressEvent(event)
