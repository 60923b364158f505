"""How long work tells how far it is, and learns that it is no longer wanted."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import TypeVar

from foldbasket.errors import Cancelled
from foldbasket.turns import give_way

Made = TypeVar("Made")
LOOK_EVERY = 0.03
"""Seconds between two looks at whether work done aside was cancelled."""
_aside = ThreadPoolExecutor(2, thread_name_prefix="aside")


class Progress:
    """Passed down to readers and folds. `step` reports a share done and raises `Cancelled` once `cancel` was called."""

    def __init__(self, tell: Callable[[str, float], None] | None = None) -> None:
        self._tell = tell
        self._stopped = threading.Event()

    def cancel(self) -> None:
        """Asks the work to stop at its next step; may be called from any thread."""
        self._stopped.set()

    def quietly(self) -> Progress:
        """For a part of the work that need not tell how far it is: cancelled together with the whole."""
        made = Progress()
        made._stopped = self._stopped
        return made

    def follow(self, other: Progress) -> None:
        """Goes on as a part of another piece of work: tells what that tells, and is cancelled with it."""
        self._tell, self._stopped = other._tell, other._stopped

    @property
    def cancelled(self) -> bool:
        return self._stopped.is_set()

    def meanwhile(self, what: str, work: Callable[[], Made]) -> Made:
        """Does work that cannot be stopped in the middle while staying ready to be cancelled, which leaves it to itself."""
        self.step(what, 0.0)
        return self.awaited(_aside.submit(work))

    def awaited(self, doing: Future[Made]) -> Made:
        """What something that is being done aside gives. Raises `Cancelled` while it is still at it."""
        while not wait([doing], LOOK_EVERY).done:
            self.look()
        return doing.result()

    def look(self) -> None:
        """Raises `Cancelled` once `cancel` was called, and says nothing; lets the window's thread go first."""
        if self._stopped.is_set():
            raise Cancelled
        give_way()

    def step(self, what: str, share: float) -> None:
        """Says what is being done and how far it is (0 to 1)."""
        self.look()
        if self._tell is not None:
            self._tell(what, share)
