"""A random walker: gestures with mouse and keys over demo and hostile data, in a real event loop.

Holds that nothing escapes, that no event holds the window's thread for long, that undoing everything gives the first document again,
and that memory stays level. `make walker` runs many gestures with fixed seeds, the test suite a few.
"""

from __future__ import annotations

import argparse
import faulthandler
import gc
import os
import random
import resource
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QWidget,
)

from foldbasket import faults
from foldbasket.desktop.shell.app import made
from foldbasket.errors import FoldBasketError
from tests.desktop.overlaps import overlapping
from tests.desktop.watch import Watch

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


PATIENCE = 40


class Walker:
    """One walk through one window."""

    def __init__(self, seed: int, paths: list[Path]) -> None:
        from foldbasket.desktop.shell.window import MainWindow

        self.rng = random.Random(seed)
        self.app: Any = QApplication.instance()
        self.watch = Watch()
        self.faults: list[str] = []
        self.done: list[str] = []
        sys.excepthook = self._escaped
        _no_dialogs()
        self.window = MainWindow()
        self.window.say_error = self._said  # type: ignore[method-assign]
        self.window.close = lambda: False  # type: ignore[method-assign] # a walk goes on although it came upon the end
        self.window.leaving = lambda go_on: go_on()  # type: ignore[method-assign]
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_paths(paths)
        self.settle(10.0)
        self.window.desk.failed.disconnect()
        self.window.desk.failed.connect(self._said)
        for _ in range(20):
            self.app.processEvents()
        self.first = self.window.desk.basket
        self.watch.holds.clear()

    def _escaped(self, kind: type, error: BaseException, trace: Any) -> None:
        import traceback

        told = "".join(traceback.format_exception(kind, error, trace, limit=-5))
        self.faults.append(f"after {self.done[-3:]}: {told}")

    def _said(self, error: FoldBasketError) -> None:
        if "something went wrong that should not" in str(error):
            self.faults.append(f"after {self.done[-3:]}: {error}\n{faults.log_file().read_text('utf-8')[-1500:]}")

    def settle(self, seconds: float = 3.0) -> None:
        """Lets the event loop run until nothing is under way."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self._round()
            if not self.window.desk.busy:
                self._round()
                return
            time.sleep(0.002)

    def _round(self) -> None:
        """One round of the event loop."""
        with self.watch.over(lambda: f"events after {self.done[-1:]}"):
            self.app.processEvents()

    def walk(self, gestures: int) -> None:
        """So many gestures."""
        for number in range(gestures):
            faulthandler.dump_traceback_later(PATIENCE, exit=True)  # a gesture that never ends says where it stands
            try:
                with self.watch.over(lambda: f"gesture {self.done[-1:]}"):
                    self.gesture()
            except Exception as error:  # raised into the gesture itself, as by a method called directly
                self._escaped(type(error), error, error.__traceback__)
            if self.rng.random() < 0.3:
                self.settle()
                self._look()
            else:
                self._round()
            # Without a loop that runs, nothing else deletes what is to go.
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            if number % 50 == 49 and not (self.window.desk.basket.sources and self.window.desk.basket.folds):
                self.window.desk.go_to_step(0)
        self.settle()
        faulthandler.dump_traceback_later(PATIENCE, exit=True)

    def _look(self) -> None:
        """What a look at the sentence finds, and now and then at all of the window."""
        at = self.window if self.rng.random() < 0.1 else self.window.workspace.sentence
        for each in overlapping(at):
            self.faults.append(f"{each} lie over one another after {self.done[-1:]}")

    def gesture(self) -> None:
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
            ]
        )
        act()
        return None

    def _widgets(self, kind: type | tuple[type, ...] = QWidget) -> list[Any]:
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
        return QPoint(self.rng.randrange(widget.width()), self.rng.randrange(widget.height()))

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
        QTest.mouseClick(target, Qt.MouseButton.LeftButton, pos=point)
        QTest.mouseDClick(target, Qt.MouseButton.LeftButton, pos=point)

    def _right(self) -> None:
        target = self.window.workspace.grid.viewport()
        self._note("right click", target)
        QTest.mouseClick(target, Qt.MouseButton.RightButton, pos=self._point(target))

    def _key(self) -> None:
        target = QApplication.focusWidget() or self.window
        key = self.rng.choice(KEYS)
        self._note(f"key {key.name}", target)
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
        QTest.keyClick(QApplication.focusWidget() or self.window, key, Qt.KeyboardModifier.ControlModifier)

    def _type(self) -> None:
        line = self._some((QLineEdit, QPlainTextEdit))
        if line is not None:
            text = self.rng.choice(TEXTS)
            self._note(f"type {text[:12]!r} into", line)
            line.setFocus()
            line.selectAll()
            QTest.keyClicks(line, text)
            QTest.keyClick(line, Qt.Key.Key_Return)

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
            QTest.keyClick(typed.text, sign)
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
                QTest.keyClicks(line, self.rng.choice(["reg", "net", "date", "turn", "zzz", "count"]))
                QTest.keyClick(line, self.rng.choice([Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Down]))
            else:
                popup.close()

    def undo_all(self) -> str | None:
        """What is wrong when everything is undone again, or None."""
        desk = self.window.desk
        desk.go_to_step(0)
        self.settle()
        return (
            None
            if desk.basket == self.first or desk.history.steps[0].basket == desk.basket
            else "undoing everything gives another document"
        )

    def close(self) -> None:
        self.window.close_now()
        self.window.deleteLater()
        for _ in range(5):
            self.app.processEvents()
        # Without a loop that runs, nothing else deletes what is to go.
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()


def _no_dialogs() -> None:
    """No dialog may wait for a person."""
    QFileDialog.getOpenFileName = QFileDialog.getSaveFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[assignment, method-assign]
    QFileDialog.open = lambda *_: None  # type: ignore[assignment, method-assign]
    QFileDialog.getExistingDirectory = staticmethod(lambda *_, **__: "")  # type: ignore[assignment, method-assign]


def hostile(folder: Path) -> Path:
    """A file with whatever makes windows stumble."""
    path = folder / "hostile.csv"
    rng = random.Random(3)
    names = ["Net", "<b>Bold</b>", "Day", "Huge", "Inf", "Long " + "x" * 200, "Blank", "Same", "Net ", "日付", "Mixed"]
    lines = [",".join(f'"{name}"' for name in names)]
    for n in range(400):
        cells = [f"{rng.randint(-9999, 9999) / 100}", rng.choice(["<i>a</i>", "&amp;", "(blank)", "", "=1+1"]), f"{rng.choice([1, 1900, 2026, 9999]):04d}-01-{n % 28 + 1:02d}",
                 str(rng.choice([0, 9 * 10**17, -9 * 10**17])), rng.choice(["1e308", "-1e308", "1e-300", "5"]), "y" * rng.randint(0, 400), "", "same", str(n), rng.choice("あいう"), rng.choice(["1", "x", "2026-01-01"])]  # fmt: skip
        lines.append(",".join(f'"{cell}"' for cell in cells))
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


def walked(seed: int, gestures: int, paths: list[Path]) -> tuple[list[str], list[Any]]:
    """What went wrong in one walk, and which events held the window's thread."""
    faulthandler.dump_traceback_later(PATIENCE, exit=True)
    walker = Walker(seed, paths)
    try:
        walker.walk(gestures)
        wrong = list(walker.faults)
        undone = walker.undo_all()
        if undone is not None:
            wrong.append(undone)
        return wrong + walker.faults[len(wrong) :], list(walker.watch.holds)
    finally:
        walker.close()
        faulthandler.cancel_dump_traceback_later()
        sys.excepthook = sys.__excepthook__


def main() -> int:
    from foldbasket.demo.scenario import write_demo

    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--gestures", type=int, default=20_000)
    parser.add_argument("--each", type=int, default=500, help="gestures in one window")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    made()
    wrong, holds, before = [], [], 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for variable in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
            os.environ[variable] = str(folder / variable)
        demo, odd = write_demo(folder / "demo", lines=3_000), hostile(folder)
        for number in range(-(-options.gestures // options.each)):
            paths = [demo] if number % 2 == 0 else [odd]
            found, held = walked(options.seed + number, options.each, paths)
            wrong += [f"walk {options.seed + number}: {each}" for each in found]
            holds += held
            for each in found:
                print(f"walk {options.seed + number}: {each}", flush=True)
            memory = int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() >> 20
            before = before or memory
            print(
                f"walk {options.seed + number}: {options.each} gestures, {len(found)} wrong, longest hold {max((each[0] for each in held), default=0):.2f} s, {memory} MB",
                flush=True,
            )
            for took, what, where in sorted(held, reverse=True)[:3]:
                if took > 0.2:
                    print(f"    {took:.2f} s: {what} | {where}", flush=True)
    long = [each for each in holds if each[0] > 0.2]
    for took, what, where in sorted(long, reverse=True)[:20]:
        print(f"{took:.2f} s: {what} | {where}")
    print(
        f"{len(wrong)} faults, {len(long)} holds over 0.2 s in {options.gestures} gestures; memory {before} MB after the first walk, {memory} MB after the last"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
