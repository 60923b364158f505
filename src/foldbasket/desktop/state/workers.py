"""Long work off the window's thread: one piece at a time, with progress and cancel; outdated results are dropped."""

from __future__ import annotations

import contextlib
import os
import threading
import time
import weakref
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any, Protocol

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket import faults
from foldbasket.errors import Cancelled, FoldBasketError, bare
from foldbasket.tables.progress import LOOK_EVERY, Progress


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


class _Lane:
    """Lets one of those who wait through at a time, and the next as soon as the one looks up from its work."""

    GIVING_WAY = 0.002
    """Seconds that one who gives way stays out, so that another is there first."""

    def __init__(self) -> None:
        self._free = threading.Lock()
        self._within = 0
        self._waiting = 0

    @contextlib.contextmanager
    def turn(self, progress: Progress) -> Iterator[None]:
        """Holds the lane meanwhile. Raises Cancelled where the work is no longer wanted before its turn comes."""
        self._enter(progress)
        try:
            yield
        finally:
            self._within = 0
            self._free.release()

    def give_way(self, progress: Progress) -> None:
        """Lets another go first, if one waits and this thread is the one that holds the lane: not one that helps it."""
        if self._waiting and self._within == threading.get_ident():
            self._within = 0
            self._free.release()
            time.sleep(self.GIVING_WAY)
            self._enter(progress, wanted=False)

    def _enter(self, progress: Progress, *, wanted: bool = True) -> None:
        self._waiting += 1  # only ever a hint: a turn more or less is no harm
        try:
            while not self._free.acquire(timeout=LOOK_EVERY):
                if wanted:
                    progress.look()
        finally:
            self._waiting -= 1
        self._within = threading.get_ident()


_lane = _Lane()


class _Post(QObject):
    """Carries what threads have to say to the window's thread. It is never deleted: a worker's object goes with its window, and a signal that a thread sends by
    an object that goes in the same moment ends the process."""

    sent = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.sent.connect(self._hand_over)

    def _hand_over(self, say: Callable[[], None]) -> None:
        say()


_post: list[_Post] = []
"""The one, made by the first worker in the window's thread."""
_running: set[int] = set()
"""The threads at work."""


def is_at_work() -> bool:
    """Whether any worker is at work, in any window."""
    return bool(_running)


class Worker(QObject):
    """Runs the newest piece of work. Starting another cancels the one before, whose result is never delivered.

    Of workers that nobody waits for (`behind`), one is at work at a time: each thread that runs Python beside the window's takes an equal
    part of the window's time, and with five of them a card that needs 0.1 s came after 0.3.

    `finished` brings the result, `failed` a FoldBasketError, `told` what is being done and how far it is.
    """

    finished = pyqtSignal(object)
    failed = pyqtSignal(object)
    told = pyqtSignal(str, float)

    def __init__(self, name: str, parent: QObject | None = None, *, behind: bool = False) -> None:
        super().__init__(parent)
        self._behind = behind
        self._pool = ThreadPoolExecutor(1, thread_name_prefix=name, initializer=_step_back)
        self._ticket = 0
        self._progress: Any = None
        if not _post:
            _post.append(_Post())

    @property
    def busy(self) -> bool:
        return self._progress is not None

    def start(self, work: Callable[[Any], Any]) -> None:
        """Begins `work(progress)` on the worker's thread."""
        self.cancel()
        self._ticket += 1
        ticket, behind, send = self._ticket, self._behind, _post[0].sent.emit
        # The thread knows neither the worker nor, at its end, what the work holds: widgets among that must not go by another thread than the window's.
        here, held = weakref.ref(self), [work]

        def tell(what: str, share: float) -> None:
            send(partial(_tell, here, ticket, what, share))
            if behind:
                _lane.give_way(progress)

        self._progress = progress = Progress(tell)

        def run() -> None:
            result: list[object]  # in a list from the first, so that the window's thread is the one that lets it go
            _running.add(threading.get_ident())
            try:
                with _lane.turn(progress) if behind else contextlib.nullcontext():
                    result, good = [held[0](progress)], True
            except Cancelled:
                result, good = [None], False
            except FoldBasketError as error:
                result, good = [bare(error)], False
            except MemoryError:
                what, todo = "there is not enough memory for this.", "Close other programs, or keep fewer records."
                result, good = [FoldBasketError(what, todo=todo)], False
            except Exception as error:  # a bug: logged, and said plainly
                result, good = [faults.note(error)], False
            finally:
                _running.discard(threading.get_ident())
            send(partial(_deliver, here, ticket, good, result, held))

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

    def deliver(self, ticket: int, good: bool, result: object) -> None:
        """Hands on what came of a piece of work, unless another was begun since."""
        if ticket != self._ticket:
            return
        self._progress = None
        if good:
            self.finished.emit(result)
        elif result is not None:
            self.failed.emit(result)

    def tell(self, ticket: int, what: str, share: float) -> None:
        """Tells how far a piece of work is, as long as it is the one."""
        if ticket == self._ticket and self._progress is not None:
            self.told.emit(what, share)


def _deliver(
    here: weakref.ref[Worker], ticket: int, good: bool, result: list[object], held: list[Callable[[Any], Any]]
) -> None:
    held.clear()
    worker, came = here(), result.pop()
    if worker is not None and not sip.isdeleted(worker):
        worker.deliver(ticket, good, came)


def _tell(here: weakref.ref[Worker], ticket: int, what: str, share: float) -> None:
    worker = here()
    if worker is not None and not sip.isdeleted(worker):
        worker.tell(ticket, what, share)
