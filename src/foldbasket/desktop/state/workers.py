"""Long work off the window's thread: one piece at a time, with progress and cancel; outdated results are dropped."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Protocol

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket import faults
from foldbasket.errors import Cancelled, FoldBasketError


class Work(Protocol):
    """Whatever works in the background."""

    @property
    def busy(self) -> bool: ...

    def close(self) -> None: ...


STEP_BACK = 3
"""How far workers stand behind the window's thread where processors are few; it is never far from a turn of its own."""


def _step_back() -> None:
    with contextlib.suppress(OSError, AttributeError):  # a system that knows no such thing
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), STEP_BACK)


class Worker(QObject):
    """Runs the newest piece of work. Starting another cancels the one before, whose result is never delivered.

    `finished` brings the result, `failed` a FoldBasketError, `told` what is being done and how far it is.
    """

    finished = pyqtSignal(object)
    failed = pyqtSignal(object)
    told = pyqtSignal(str, float)
    _came = pyqtSignal(int, bool, object)
    _said = pyqtSignal(int, str, float)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(1, thread_name_prefix=name, initializer=_step_back)
        self._ticket = 0
        self._progress: Any = None
        self._came.connect(self._deliver)
        self._said.connect(self._tell)

    @property
    def busy(self) -> bool:
        return self._progress is not None

    def start(self, work: Callable[[Any], Any]) -> None:
        """Begins `work(progress)` on the worker's thread."""
        from foldbasket.tables.progress import Progress

        self.cancel()
        self._ticket += 1
        ticket = self._ticket
        progress = Progress(lambda what, share: self._said.emit(ticket, what, share))
        self._progress = progress

        def run() -> None:
            try:
                result = work(progress)
            except Cancelled:
                self._came.emit(ticket, False, None)
            except FoldBasketError as error:
                self._came.emit(ticket, False, error)
            except MemoryError:
                wrong = FoldBasketError(
                    "there is not enough memory for this.", todo="Close other programs, or keep fewer records."
                )
                self._came.emit(ticket, False, wrong)
            except Exception as error:  # a bug: logged, and said plainly
                self._came.emit(ticket, False, faults.note(error))
            else:
                self._came.emit(ticket, True, result)

        self._pool.submit(run)

    def cancel(self) -> None:
        """Stops the work under way; nothing of it will be delivered."""
        if self._progress is not None:
            self._progress.cancel()
            self._progress = None
            self._ticket += 1

    def close(self, *, wait: bool = False) -> None:
        """Cancels, and lets the thread end; with `wait` what is under way is done to its end first. Without, nobody waits for work
        that does not look whether it was cancelled."""
        if not wait:
            self.cancel()
        self._pool.shutdown(wait=wait, cancel_futures=not wait)

    def _deliver(self, ticket: int, good: bool, result: object) -> None:
        if ticket != self._ticket:
            return
        self._progress = None
        if good:
            self.finished.emit(result)
        elif result is not None:
            self.failed.emit(result)

    def _tell(self, ticket: int, what: str, share: float) -> None:
        if ticket == self._ticket and self._progress is not None:
            self.told.emit(what, share)
