"""Starts the application: as little as possible before the window is on screen."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import sys
import threading
import time
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from foldbasket.turns import go_first

PATIENCE = 0.5
"""Seconds that threads are given to end once the window is closed."""


TURN = 0.0001
"""Seconds for which a worker's Python runs on while the window's thread waits. Qt asks for many short turns while it lays out and
paints: beside two busy workers on two processors a card took 3.2 s at Python's usual 0.005, 0.5 s at 0.0005 and 0.2 s here, of which 0.07 s
are its own. Two workers by themselves lose a tenth by it."""


def take_short_turns() -> None:
    """Lets the window's thread have its turns between those of the workers."""
    sys.setswitchinterval(TURN)


ARENAS = 2
"""Heaps that all threads share. glibc gives each thread one of its own and takes little back, so that work on ever new threads
grows the process by some hundred megabytes an hour: 12 windows one after the other end at 397 MB instead of 471."""

_M_ARENA_MAX = -8  # of glibc's malloc.h


def share_heaps() -> None:
    """Keeps what ended threads have freed for those that come. Where the system's library knows no such setting, nothing is done."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(_M_ARENA_MAX, ARENAS)


def set_type_size() -> None:
    """Makes everything as large as was chosen, unless the environment says otherwise. Qt looks once, before its first window."""
    from foldbasket.desktop import memory

    if memory.type_size() != 100:
        os.environ.setdefault("QT_SCALE_FACTOR", str(memory.type_size() / 100))


_made: list[QApplication] = []
"""Kept, since the application ends with the last reference to it."""


def made() -> QApplication:
    """The application as every window of ours needs it, whoever opens that: threads that share, garbage that waits, one look."""
    from foldbasket.desktop import memory
    from foldbasket.desktop.state.workers import is_at_work
    from foldbasket.desktop.widgets import theme
    from foldbasket.desktop.widgets.collecting import Collector

    take_short_turns()
    share_heaps()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("fold-basket")
    app.setApplicationDisplayName("Fold Basket")
    app.setDesktopFileName("fold-basket")
    app.setStyle("Fusion")
    if memory.appearance() != "desktop":
        theme.wear(memory.appearance())
    Collector(app, is_at_work)
    _made.append(app)
    return app


def run(files: list[Path], *, reads: bool = False) -> int:
    """Opens the window, with files if any are given, and runs until it is closed; with `reads` the first is a basket to be read."""
    # They end the window at once; unsaved work is recovered at the next start.
    for each in (signal.SIGINT, signal.SIGTERM):
        signal.signal(each, signal.SIG_DFL)
    set_type_size()
    app = made()

    from foldbasket.desktop.shell.boundary import Boundary
    from foldbasket.desktop.shell.window import MainWindow

    window = MainWindow()
    Boundary(window.say_error).install()
    window.show()
    if files and reads:
        QTimer.singleShot(0, lambda: window.read(files[0]))
    elif files:
        QTimer.singleShot(0, lambda: window.open_paths(files))
    go_first()
    code = app.exec()
    _end(code)
    return code


def _end(code: int) -> None:
    """Ends the process although a thread may still be in work that cannot be stopped in the middle; nothing is written by then."""
    end = time.monotonic() + PATIENCE
    waited_for = [each for each in threading.enumerate() if each is not threading.current_thread() and not each.daemon]
    for thread in waited_for:
        thread.join(max(0.0, end - time.monotonic()))
    if any(thread.is_alive() for thread in waited_for):
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
