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
import traceback
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication, QFileDialog

from foldbasket import faults
from foldbasket.desktop.shell.app import made
from foldbasket.desktop.shell.boundary import let_frames_go
from foldbasket.desktop.widgets.collecting import look_through
from foldbasket.errors import FoldBasketError
from foldbasket.turns import go_first
from tests.desktop.gestures import Gestures
from tests.desktop.overlaps import overlapping
from tests.desktop.watch import Watch

PATIENCE = 40
NOTE = faults.note


class Walker:
    """One walk through one window."""

    def __init__(self, seed: int, paths: list[Path]) -> None:
        from foldbasket.desktop.shell.window import MainWindow

        self.rng = random.Random(seed)
        self.app: Any = QApplication.instance()
        self.watch = Watch()
        self.faults: list[str] = []
        sys.excepthook, faults.note = self._escaped, self._noted
        _no_dialogs()
        go_first()
        self.window = MainWindow()
        self.gestures = Gestures(self.window, self.rng, self.watch.next)
        self.window.say_error = lambda error: None  # type: ignore[method-assign]
        self.window.close = lambda: False  # type: ignore[method-assign] # a walk goes on although it came upon the end
        self.window.leaving = lambda go_on: go_on()  # type: ignore[method-assign]
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_paths(paths)
        self.settle(10.0)
        self.window.desk.failed.disconnect()
        for _ in range(20):
            self.app.processEvents()
        self.first = self.window.desk.basket
        self.watch.holds.clear()

    def _escaped(self, kind: type, error: BaseException, trace: Any) -> None:
        told = "".join(traceback.format_exception(kind, error, trace, limit=-12))
        self.faults.append(f"after {self.gestures.done[-3:]}: {told}")
        let_frames_go()

    def _noted(self, error: BaseException) -> FoldBasketError:
        """What is only written to the log would be missed otherwise: work that nobody waits for fails without a word."""
        self._escaped(type(error), error, error.__traceback__)
        return NOTE(error)

    def settle(self, seconds: float = 3.0) -> None:
        """Lets the event loop run until nothing is under way."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.once()
            if not self.window.desk.busy:
                self.once()
                return
            time.sleep(0.002)

    def once(self) -> None:
        """One round of the event loop."""
        with self.watch.over(lambda: f"events after {self.gestures.done[-1:]}"):
            self.app.processEvents()

    def walk(self, gestures: int) -> None:
        """So many gestures."""
        for number in range(gestures):
            faulthandler.dump_traceback_later(PATIENCE, exit=True)  # a gesture that never ends says where it stands
            try:
                with self.watch.over(lambda: f"gesture {self.gestures.done[-1:]}"):
                    self.gestures.one()
            except Exception as error:  # raised into the gesture itself, as by a method called directly
                self._escaped(type(error), error, error.__traceback__)
            if self.rng.random() < 0.3:
                self.settle()
                for _ in range(
                    3
                ):  # layouts within layouts ask for their room one after the other, all before anything is painted
                    self.once()
                self._look()
            else:
                self.once()
            # Without a loop that runs, nothing else deletes what is to go.
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            if number % 20 == 19:
                self._back()
        self.settle()
        faulthandler.dump_traceback_later(PATIENCE, exit=True)

    def _back(self) -> None:
        """Back to a report, or the walk would spend itself among sources and pages, where most gestures lead nowhere."""
        desk = self.window.desk
        if not (desk.basket.sources and desk.basket.folds):
            desk.go_to_step(0)
        elif desk.view.reading and self.rng.random() < 0.5:
            desk.notify(desk.view.read(False))
        elif not self.window.workspace.grid.isVisible() and self.rng.random() < 0.7:
            desk.show_fold(self.rng.choice(desk.basket.folds).key)
            if desk.view.paged:
                desk.show_pages(False)

    def _look(self) -> None:
        """What a look at the sentence finds, and now and then at all of the window."""
        at = self.window if self.rng.random() < 0.1 else self.window.workspace.sentence
        for each in overlapping(at):
            self.faults.append(f"{each} lie over one another after {self.gestures.done[-1:]}")

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
        self.watch.close()
        go_first(wanted=False)
        sys.excepthook, faults.note = sys.__excepthook__, NOTE
        self.window.close_now()
        self.window.deleteLater()
        for name in ("close", "leaving", "say_error"):
            del self.window.__dict__[name]
        self.gestures.window = self.window = None
        for _ in range(8):  # what goes lets others go in turn, such as what its signals were connected to
            self.app.processEvents()
            QApplication.sendPostedEvents(
                None, QEvent.Type.DeferredDelete
            )  # without a loop that runs, nothing else does
            gc.collect()
        look_through()  # as a window does that was closed


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
            for hold in sorted(held, reverse=True)[:3]:
                if hold.took > 0.2:
                    print(f"    {hold.took:.2f} s: {hold.what} | {hold.where}", flush=True)
    long = [each for each in holds if each.is_long]
    for hold in sorted(long, reverse=True)[:20]:
        print(f"{hold.took:.2f} s: {hold.what} | {hold.where}")
    others = sum(each.took > 0.2 for each in holds) - len(long)
    print(
        f"{len(wrong)} faults, {len(long)} holds over 0.2 s in {options.gestures} gestures, {others} more while the machine had no processor for it; memory {before} MB after the first walk, {memory} MB after the last"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
