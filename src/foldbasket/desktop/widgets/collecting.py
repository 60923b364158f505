"""Garbage is collected by the window's thread alone, and no widget's before it is gone.

Python collects circles of objects on whichever thread happens to allocate. On a worker that would take widgets and what is bound to
them apart while Qt uses them, which ends the process, rarely and without a trace; here it would hold the window at any moment.
"""

from __future__ import annotations

import gc
import sys

from PyQt6.QtCore import QObject, QTimer
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
MANY = 60
"""Modules loaded since, by which what was found to stay is found anew: to look through a hundred more takes some 20 ms each time."""


def thaw() -> None:
    """Has everything looked through once more, as when a window with all its data goes."""
    gc.unfreeze()


class Collector(QObject):
    """Turns Python's own collecting off and does it from a timer, as often as Python would."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._loaded = 0
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collects what is due: young objects each time, older ones as many rounds later as Python does."""
        if len(sys.modules) >= self._loaded + MANY:
            # What was imported stays to the end, and need not be looked through again and again.
            self._loaded = len(sys.modules)
            gc.collect()
            gc.freeze()
            return
        young, middle, old = gc.get_count()
        most, second, third = gc.get_threshold()
        if young > most:
            gc.collect(2 if old > third else 1 if middle > second else 0)
