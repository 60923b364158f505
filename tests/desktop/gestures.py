"""Gestures of a random walk: with mouse and keys, on whatever is on the screen."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QWidget,
)

KEYS = [
    Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete,
    Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Space, Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_PageDown, Qt.Key.Key_F2,
]  # fmt: skip
CHORDS = [
    Qt.Key.Key_T,
    Qt.Key.Key_Z,
    Qt.Key.Key_Y,
    Qt.Key.Key_J,
    Qt.Key.Key_K,
    Qt.Key.Key_L,
    Qt.Key.Key_R,
    Qt.Key.Key_M,
    Qt.Key.Key_A,
    Qt.Key.Key_C,
    Qt.Key.Key_D,
    Qt.Key.Key_F,
    Qt.Key.Key_E,
    Qt.Key.Key_G,
    Qt.Key.Key_1,
    Qt.Key.Key_2,
    Qt.Key.Key_3,
    Qt.Key.Key_4,
]
HEADING_KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete, Qt.Key.Key_F2, Qt.Key.Key_Space, Qt.Key.Key_Return,
    Qt.Key.Key_Minus, Qt.Key.Key_Plus, Qt.Key.Key_Menu, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Escape,
]  # fmt: skip
HOLDING = [
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier,
]
TEXTS = [
    "4",
    "99999",
    "0",
    "-1",
    "1e400",
    "x",
    "",
    "Oak",
    "2026-01-01",
    "Trade: a, b",
    "0, 10, 20",
    "SUM(Net) / 0",
    "'",
    '"',
    "((",
    "9" * 40,
    "=1+1",
    "<b>",
    "#,##0.00",
    "0.0.0",
]
SENTENCES = [
    "net by region by month, trade only",
    "top 3 channels by net",
    "Net, summed, as running total for each Channel across Quarter of Order date",
    "records by day",
    "net 2026 vs 2025",
    "net by",
    "nett for each ((",
    "",
]
LEAVES = {"Quit", "Save", "Save as…", "Save with the data inside…", "Open…", "Open a folder of like files…", "Open a database…", "Full screen", "Write the report…", "Write cells as records…", "Begin anew", "New", "See the demo", "New basket", "About Fold Basket"}  # fmt: skip


class Gestures:
    """Does one gesture after another in a window, chosen by `rng`, and keeps in `done` what each was."""

    def __init__(self, window: Any, rng: random.Random, between: Callable[[], None] = lambda: None) -> None:
        """`between` is called before each single event of a gesture."""
        self.window = window
        self.between = between
        self.rng = rng
        self.done: list[str] = []

    def one(self) -> None:
        """One gesture, chosen at random among what is on the screen."""
        popup = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if popup is not None and self.rng.random() < 0.7:
            return self._at_popup(popup)
        act = self.rng.choice(
            [
                self._click,
                self._click,
                self._click,
                self._double,
                self._right,
                self._key,
                self._key,
                self._chord,
                self._type,
                self._choose,
                self._drag,
                self._action,
                self._scroll,
                self._word,
                self._sentence,
                self._heading,
                self._heading,
                self._heading_key,
                self._carry,
                self._pull,
                self._find,
            ]
        )
        act()
        return None

    def _widgets(self, kind: type | tuple[type, ...] = QWidget) -> list[Any]:
        space = self.window.workspace if self.window.is_begun else None
        if space is not None:
            space.card.at_once()  # it is built before a hand can be on it
        found = self.window.findChildren(QWidget)
        return [
            each
            for each in found
            if isinstance(each, kind)
            and each.isVisible()
            and each.isEnabled()
            and each.width() > 4
            and each.height() > 4
        ]

    def _some(self, kind: type | tuple[type, ...] = QWidget) -> Any:
        found = self._widgets(kind)
        return self.rng.choice(found) if found else None

    def _point(self, widget: QWidget) -> QPoint:
        return QPoint(self.rng.randrange(max(1, widget.width())), self.rng.randrange(max(1, widget.height())))

    def _note(self, what: str, widget: QWidget) -> None:
        self.done.append(
            f"{what} {type(widget).__name__} {widget.accessibleName() or widget.property('text') or ''!r}"[:110]
        )

    def _harmless(self, widget: QWidget) -> bool:
        return not (
            isinstance(widget, QAbstractButton)
            and widget.text().strip("… ") in {"Read another file in its place", "Open some data"}
        )

    def _click(self) -> None:
        widget = self._some((QAbstractButton, QAbstractItemView, QWidget))
        if widget is not None and self._harmless(widget):
            self._note("click", widget)
            target = widget.viewport() if isinstance(widget, QAbstractItemView) else widget
            self.between()
            QTest.mouseClick(
                target,
                Qt.MouseButton.LeftButton,
                pos=self._point(target) if target.width() and target.height() else QPoint(),
            )

    def _double(self) -> None:
        view = self._some(QAbstractItemView)
        target = (
            view.viewport() if view is not None and self.rng.random() < 0.6 else self.window.workspace.grid.viewport()
        )
        self._note("double click", target)
        point = self._point(target)
        self.between()
        QTest.mouseClick(target, Qt.MouseButton.LeftButton, pos=point)
        self.between()
        QTest.mouseDClick(target, Qt.MouseButton.LeftButton, pos=point)

    def _right(self) -> None:
        target = self.window.workspace.grid.viewport()
        self._note("right click", target)
        self.between()
        QTest.mouseClick(target, Qt.MouseButton.RightButton, pos=self._point(target))

    def _key(self) -> None:
        target = QApplication.focusWidget() or self.window
        key = self.rng.choice(KEYS)
        self._note(f"key {key.name}", target)
        self.between()
        QTest.keyClick(
            target,
            key,
            self.rng.choice(
                [
                    Qt.KeyboardModifier.NoModifier,
                    Qt.KeyboardModifier.NoModifier,
                    Qt.KeyboardModifier.ShiftModifier,
                    Qt.KeyboardModifier.AltModifier,
                ]
            ),
        )

    def _chord(self) -> None:
        key = self.rng.choice(CHORDS)
        self._note(f"chord {key.name}", self.window)
        self.between()
        QTest.keyClick(QApplication.focusWidget() or self.window, key, Qt.KeyboardModifier.ControlModifier)

    def _type(self) -> None:
        line = self._some((QLineEdit, QPlainTextEdit))
        if line is not None:
            text = self.rng.choice(TEXTS)
            self._note(f"type {text[:12]!r} into", line)
            line.setFocus()
            line.selectAll()
            self._keys(line, text)
            self.between()
            QTest.keyClick(line, Qt.Key.Key_Return)

    def _keys(self, line: QWidget, text: str) -> None:
        for sign in text:
            self.between()
            QTest.keyClick(line, sign)

    def _sentence(self) -> None:
        """A sentence typed, whole or in pieces, and ended or given up."""
        workspace = self.window.workspace
        text = self.rng.choice(SENTENCES)
        self._note(f"sentence {text[:16]!r}", workspace)
        workspace.type_sentence(text[: self.rng.randrange(len(text) + 1)])
        typed = workspace.__dict__.get("typed")
        if typed is None or not typed.isVisible():
            return
        for sign in text[: self.rng.randrange(8)]:
            self.between()
            QTest.keyClick(typed.text, sign)
        self.between()
        QTest.keyClick(
            typed.text, self.rng.choice([Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape, Qt.Key.Key_Down])
        )

    def _choose(self) -> None:
        box = self._some((QComboBox, QCheckBox))
        if isinstance(box, QComboBox) and box.count():
            at = self.rng.randrange(box.count())
            self._note(f"choose {box.itemText(at)!r} of", box)
            box.setCurrentIndex(at)
            box.activated.emit(at)
        elif isinstance(box, QCheckBox):
            self._note("tick", box)
            box.click()

    def _word(self) -> None:
        words = self.window.workspace.sentence.words
        if words:
            word = self.rng.choice(words)
            self._note("click", word)
            self.between()
            QTest.mouseClick(word, Qt.MouseButton.LeftButton)

    def _drag(self) -> None:
        fields = self.window.workspace.spine.fields
        tables = self.window.desk.source.tables
        if not tables or not fields.isVisible():
            return
        table = self.rng.choice(list(tables.values()))
        from foldbasket.spec.field import FieldRef

        name = self.rng.choice(list(table.columns)[:60] or [""])
        strand = self.rng.choice(["rows", "columns", "measures", "filters", None])
        self.done.append(f"place {name!r} on {strand}")
        self.window.desk.words.place(FieldRef(table.name, name), strand)

    def _on_heading(self) -> QPoint:
        """A point over the headings of the report in view: those of its lines, or those of its columns."""
        view, at = self.window.workspace.grid.viewport(), self.window.workspace.grid.geometry_of
        wide, high = (int(at.heads_width), int(at.head_height)) if at is not None else (0, 0)
        if self.rng.random() < 0.5:
            return QPoint(self.rng.randrange(max(view.width(), 1)), self.rng.randrange(max(high, 1)))
        return QPoint(self.rng.randrange(max(wide, 1)), self.rng.randrange(max(view.height(), 1)))

    def _heading(self) -> None:
        view = self.window.workspace.grid.viewport()
        held = self.rng.choice(HOLDING)
        self.done.append(f"click a heading with {held.name}")
        self.between()
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, held, self._on_heading())

    def _heading_key(self) -> None:
        key, held = self.rng.choice(HEADING_KEYS), self.rng.choice(HOLDING)
        self.done.append(f"key {key.name} with {held.name} on the report")
        self.window.workspace.grid.setFocus()
        self.between()
        QTest.keyClick(self.window.workspace.grid, key, held)

    def _carry(self) -> None:
        """Takes up a heading, or a cell, and lets it go somewhere over the report, at its edges or outside."""
        view = self.window.workspace.grid.viewport()
        start = self._on_heading() if self.rng.random() < 0.8 else self._point(view)
        near = start + QPoint(self.rng.randint(-90, 90), self.rng.randint(-90, 90))
        end = self.rng.choice([near, self._point(view), self._on_heading(), QPoint(-30, 20), QPoint(40, -25)])
        self.done.append(f"carry from {start.x()}, {start.y()} to {end.x()}, {end.y()}")
        self._dragged(view, start, end, self.rng.choice(HOLDING[:3]))
        if self.rng.random() < 0.1:
            self.between()
            QTest.keyClick(view, Qt.Key.Key_Escape)

    def _pull(self) -> None:
        """Pulls at anything: edges of panels, a drawing of values, a chart."""
        widget = self._some()
        if widget is not None and self._harmless(widget):
            self._note("pull", widget)
            self._dragged(widget, self._point(widget), self._point(widget), Qt.KeyboardModifier.NoModifier)

    def _dragged(self, view: QWidget, start: QPoint, end: QPoint, held: Qt.KeyboardModifier) -> None:
        self.between()
        QTest.mousePress(view, Qt.MouseButton.LeftButton, held, start)
        for part in range(1, 5):
            point = QPointF(start + (end - start) * part / 4)
            # QTest's own moves tell of no button that is down.
            moved = QMouseEvent(QEvent.Type.MouseMove, point, view.mapToGlobal(point), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, held)  # fmt: skip
            self.between()
            QApplication.sendEvent(view, moved)
        self.between()
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, held, end)

    def _find(self) -> None:
        """Asks for something in the report, and for the next places of it."""
        self.window.workspace.grid.setFocus()
        self.between()
        QTest.keyClick(self.window.workspace.grid, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        line = QApplication.focusWidget()
        if isinstance(line, QLineEdit):
            text = self.rng.choice([*TEXTS, "o", "1", "total", "Q1"])
            self._note(f"find {text[:12]!r} by", line)
            self._keys(line, text)
            for _ in range(self.rng.randrange(4)):
                self.between()
                QTest.keyClick(line, Qt.Key.Key_Return, self.rng.choice(HOLDING[:2]))
            if self.rng.random() < 0.5:
                self.between()
                QTest.keyClick(line, Qt.Key.Key_Escape)

    def _action(self) -> None:
        name = self.rng.choice([each for each in self.window.actions_by_name if each not in LEAVES])
        action = self.window.actions_by_name[name]
        if action.isEnabled():
            self.done.append(f"action {name}")
            action.trigger()

    def _scroll(self) -> None:
        bar = self._some(QAbstractSlider)
        if bar is not None:
            self._note("scroll", bar)
            bar.setValue(self.rng.randint(bar.minimum(), bar.maximum()))

    def _at_popup(self, popup: QWidget) -> None:
        self._note("at popup", popup)
        if isinstance(popup, QMenu):
            chosen = [
                each
                for each in popup.actions()
                if each.isEnabled() and each.text() not in LEAVES and not each.text().startswith("Open")
            ]
            if chosen and self.rng.random() < 0.6:
                action = self.rng.choice(chosen)
                popup.close()
                action.trigger()
            else:
                popup.close()
        elif isinstance(popup, QDialog):
            popup.reject()
        else:
            line = popup.findChild(QLineEdit)
            if line is not None and self.rng.random() < 0.6:
                self._keys(line, self.rng.choice(["reg", "net", "date", "turn", "zzz", "count"]))
                self.between()
                QTest.keyClick(line, self.rng.choice([Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Down]))
            else:
                popup.close()
