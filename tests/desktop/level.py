"""Memory and open files of one process over many windows, baskets, and steps undone and redone: level after the first tenth.

`make level` runs 30 windows, 200 baskets and 5,000 undo and redo, and fails where one of them grows by more than 5%; the test suite runs a few.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication

from foldbasket.baskets.edits import ChangeFold
from foldbasket.demo.scenario import write_demo
from foldbasket.desktop.shell.app import made
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.desktop.widgets.collecting import look_through

GROWTH = 0.05
"""By so much the last tenth may be above the second."""
STEPS = 20
"""Gestures that are undone and redone again and again."""
PATIENCE = 20.0


class State(NamedTuple):
    """What a process takes: memory in MB, and files that are open."""

    memory: float
    handles: int


def state() -> State:
    """What this process takes once all that is garbage is collected."""
    look_through()
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return State(pages * os.sysconf("SC_PAGE_SIZE") / 1e6, len(os.listdir("/proc/self/fd")))


def settle(window: MainWindow) -> None:
    """Wait until nothing is read or calculated any more."""
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        for _ in range(5):
            QApplication.processEvents()
        if not window.desk.busy:
            return
        time.sleep(0.002)


def opened(path: Path) -> MainWindow:
    """A window with a basket and its first report."""
    window: Any = MainWindow()
    window.leaving = lambda go_on: go_on()
    window.resize(1280, 800)
    window.show()
    show(window, path, 0)
    made_window: MainWindow = window
    return made_window


def show(window: MainWindow, path: Path, at: int) -> None:
    """Open a basket in a window, and one of its reports."""
    window.open_paths([path])
    settle(window)
    folds = window.desk.basket.folds
    window.desk.show_fold(folds[at % len(folds)].key)
    settle(window)


def close(window: MainWindow) -> None:
    """Close a window for good."""
    window.close_now()
    for _ in range(3):
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()


def of_windows(paths: list[Path], times: int) -> Iterator[None]:
    for at in range(times):
        close(opened(paths[at % len(paths)]))
        yield


def of_baskets(paths: list[Path], times: int) -> Iterator[None]:
    window = opened(paths[0])
    for at in range(times):
        show(window, paths[at % len(paths)], at)
        yield
    close(window)


def of_undo(paths: list[Path], times: int) -> Iterator[None]:
    window = opened(paths[0])
    desk, fold = window.desk, window.desk.fold
    assert fold is not None
    for at in range(STEPS):
        swapped = (fold.columns, fold.rows) if at % 2 == 0 else (fold.rows, fold.columns)
        desk.do(ChangeFold(fold.key, {"rows": swapped[0], "columns": swapped[1]}, "Swap rows and columns"))
        settle(window)
    for at in range(times):
        (desk.undo if at // STEPS % 2 == 0 else desk.redo)()
        settle(window)
        yield
    close(window)


WAYS: dict[str, tuple[Callable[[list[Path], int], Iterator[None]], int]] = {
    "windows": (of_windows, 30),
    "baskets": (of_baskets, 200),
    "undo": (of_undo, 5_000),
}


def measured(way: str, paths: list[Path], times: int, say: Callable[[str], object] = lambda _: None) -> list[State]:
    """The states of the process after each tenth of so many rounds."""
    found: list[State] = []
    for at, _ in enumerate(WAYS[way][0](paths, times), 1):
        if at * 10 // times > len(found):
            found.append(state())
            say(f"{way} {at:,}: {found[-1].memory:.0f} MB, {found[-1].handles} files")
    return found


def is_level(found: list[State]) -> bool:
    """Whether nothing grew after the first tenth, by the lower of two neighbours, since memory swings."""
    early, late = found[1:3], found[-2:]
    grown = min(each.memory for each in late) / min(each.memory for each in early) - 1
    return grown <= GROWTH and min(each.handles for each in late) <= max(each.handles for each in early) + 1


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="python -m tests.desktop.level", description=__doc__)
    parser.add_argument("--lines", type=int, default=200_000, help="order lines of each basket (default: 200,000)")
    parser.add_argument("--way", choices=list(WAYS), help="only one of them (default: each in a process of its own)")
    chosen = parser.parse_args(arguments)
    if chosen.way is None:  # what one leaves to the system would hide what another takes
        command = [sys.executable, "-m", "tests.desktop.level", "--lines", str(chosen.lines), "--way"]
        return max(subprocess.run([*command, way]).returncode for way in WAYS)
    made()
    with tempfile.TemporaryDirectory() as folder:
        for each in ("STATE", "CACHE", "CONFIG", "DATA"):
            os.environ[f"XDG_{each}_HOME"] = f"{folder}/{each.lower()}"
        first = write_demo(Path(folder) / "0", chosen.lines)
        paths = [first]
        for at in range(1, 4):
            shutil.copytree(first.parent, Path(folder) / str(at))
            paths.append(Path(folder) / str(at) / first.name)
        found = is_level(measured(chosen.way, paths, WAYS[chosen.way][1], print))
    print(f"{chosen.way}: {'level' if found else 'not level'}", flush=True)
    return 0 if found else 1


if __name__ == "__main__":
    sys.exit(main())
