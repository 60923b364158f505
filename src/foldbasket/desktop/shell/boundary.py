"""The one boundary of the window: whatever still escapes is caught here, written to the log, told, and the work goes on."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable
from types import TracebackType
from typing import Any

from foldbasket import faults
from foldbasket.errors import FoldBasketError, bare

QUIET = 5.0
"""A fault that comes up again within so many seconds, as in painting, is told only once."""


class Boundary:
    """Takes the place of Python's hook for exceptions that nothing caught; without it Qt would end the process."""

    def __init__(self, tell: Callable[[FoldBasketError], None]) -> None:
        """`tell` says an error to the user; it is called in the window's thread."""
        self.tell = tell
        self._told: dict[str, float] = {}
        self._telling = False

    def install(self) -> None:
        """From now on everything that escapes comes here."""
        sys.excepthook = self.caught
        threading.excepthook = _noted
        sys.unraisablehook = _noted

    def caught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> Any:
        """What happens to one exception."""
        if issubclass(kind, KeyboardInterrupt | SystemExit):
            sys.__excepthook__(kind, error, trace)
            return
        told = bare(error) if isinstance(error, FoldBasketError) else faults.note(error.with_traceback(trace))
        let_frames_go()
        now = time.monotonic()
        known = self._told.get(str(told))
        self._told[str(told)] = now
        if self._telling or (known is not None and now - known < QUIET):
            return
        self._telling = True
        try:
            self.tell(told)
        except Exception as again:  # even telling it may fail, and must end nothing
            faults.note(again)
        finally:
            self._telling = False


def let_frames_go() -> None:
    """Python keeps the exception that it handed to its hook last, and with it all that its frames hold: a painter among them stays at work on its
    window, which ends the process when the window is next painted or closed."""
    sys.last_type = sys.last_value = sys.last_traceback = None


def _noted(given: Any) -> None:
    """Writes down what escaped from a thread, or came up as something was taken away; nobody waits to be told."""
    if given.exc_value is not None:
        faults.note(given.exc_value)
