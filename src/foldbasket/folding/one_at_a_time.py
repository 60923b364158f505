"""Threads that take turns, each of which can be cancelled while it waits."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Iterator

from foldbasket.tables.progress import LOOK_EVERY, Progress


class OneAtATime:
    """A lock whose holder may take it again, and whose waiters look up from waiting."""

    def __init__(self) -> None:
        self._lock = threading.RLock()

    @contextlib.contextmanager
    def turn(self, progress: Progress) -> Iterator[None]:
        """Within it no other thread has a turn. Raises Cancelled where that is asked for before the turn comes."""
        while not self._lock.acquire(timeout=LOOK_EVERY):
            progress.look()
        try:
            yield
        finally:
            self._lock.release()
