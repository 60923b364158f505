"""Garbage is collected by the window's thread alone, and no widget's before it is gone.

Python collects circles of objects on whichever thread happens to allocate. On a worker that would take widgets and what is bound to
them apart while Qt uses them, which ends the process, rarely and without a trace; here it would hold the window at any moment.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import sys
from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

_going: dict[int, QWidget] = {}


def let_go(widget: QWidget) -> None:
    """Hides a widget and deletes it as soon as the event loop allows.

    Until then Python keeps it. `deleteLater` alone takes it from its parent's keeping; its parts and what is connected to them can
    then be collected while they still stand, and their next signal, as when the keyboard leaves a line, ends the process.
    """
    key = id(widget)
    _going[key] = widget
    widget.destroyed.connect(lambda: _going.pop(key, None))
    widget.hide()
    widget.deleteLater()


EVERY = 700
"""Milliseconds between two looks."""
GROWN = 300_000
"""Objects more than at the last look through everything, by which there is another: it takes 0.1 µs for each that came since."""
MUCH = 500_000
"""Young objects by which they are set aside unseen: what makes so many between two looks is under way, and looking through them would hold the window."""
MANY = 60
"""Modules loaded since, by which all there is is set aside anew."""


LEFT = 3_000
"""Milliseconds after which a window that was left for another is taken for one that nobody waits for."""


def give_back() -> None:
    """Gives memory that is free now back to the system, in some 2 ms: it keeps up to 60 MB after a window otherwise."""
    with contextlib.suppress(OSError, AttributeError):  # a system whose library knows no such thing
        ctypes.CDLL(None).malloc_trim(0)
    arrow = sys.modules.get("pyarrow")
    if arrow is not None:
        arrow.default_memory_pool().release_unused()


QUIET, LOOKS = 300, 5
"""Objects more than at the last look: where there are fewer at so many looks, nobody is at anything, in any window."""


def look_through() -> None:
    """Looks through everything, what was set aside as well, which takes some tenths of a second: for moments in which nobody waits."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    give_back()


class Collector(QObject):
    """Turns Python's own collecting off and does it from a timer, as often as Python would.

    What was loaded, and what a look through everything found in use, is set aside: it stays for long, and to look through it again and again held the
    window for a quarter of a second each time. Circles among it are found once the window is left for another, or one was closed.
    """

    def __init__(self, parent: QObject | None = None, at_work: Callable[[], bool] = lambda: False) -> None:
        """`at_work` says whether something is being worked out for which somebody may wait."""
        super().__init__(parent)
        gc.disable()
        self._at_work = at_work
        self._loaded = self._grown = self._young = 0
        self._much_has_gone, self._quiet = False, 0
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()
        self._left = QTimer(self)
        self._left.setSingleShot(True)
        self._left.setInterval(LEFT)
        self._left.timeout.connect(look_through)
        app = QGuiApplication.instance()
        if isinstance(app, QGuiApplication):
            app.applicationStateChanged.connect(self._state)

    def _state(self, state: Qt.ApplicationState) -> None:
        if state is Qt.ApplicationState.ApplicationInactive:
            self._left.start()
        else:
            self._left.stop()

    def much_has_gone(self) -> None:
        """Has all looked through as soon as nobody is at anything."""
        self._much_has_gone, self._quiet = True, 0

    def look(self) -> None:
        """Collects what is due: young objects each time, older ones as many rounds later as Python does."""
        is_quiet = not self._at_work() and abs(gc.get_count()[0] - self._young) < QUIET
        self._quiet = self._quiet + 1 if is_quiet else 0
        if self._much_has_gone and self._quiet >= LOOKS:
            self._much_has_gone = False
            look_through()
        else:
            self._look()
        self._young = gc.get_count()[0]

    def _look(self) -> None:
        if len(sys.modules) >= self._loaded + MANY:
            self._loaded = len(sys.modules)
            gc.freeze()
            return
        young, middle, old = gc.get_count()
        most, second, third = gc.get_threshold()
        if young > MUCH:
            gc.freeze()
        elif young > most:
            self._grown += young
            whole = old > third or self._grown > GROWN
            self._collect(2 if whole else 1 if middle > second else 0)

    def _collect(self, how_old: int) -> None:
        gc.collect(how_old)
        if how_old == 2:
            self._grown = 0
            gc.freeze()
            give_back()


def window_closed() -> None:
    """Has all looked through as soon as nobody is at anything in another window."""
    app = QGuiApplication.instance()
    for collector in app.findChildren(Collector) if app is not None else ():
        collector.much_has_gone()
