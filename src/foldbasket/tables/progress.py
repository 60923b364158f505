"""How long work tells how far it is, and learns that it is no longer wanted."""

from __future__ import annotations

import threading
from collections.abc import Callable

from foldbasket.errors import Cancelled


class Progress:
    """Passed down to readers and folds. `step` reports a share done and raises `Cancelled` once `cancel` was called."""

    def __init__(self, tell: Callable[[str, float], None] | None = None) -> None:
        self._tell = tell
        self._stopped = threading.Event()

    def cancel(self) -> None:
        """Asks the work to stop at its next step; may be called from any thread."""
        self._stopped.set()

    @property
    def cancelled(self) -> bool:
        return self._stopped.is_set()

    def step(self, what: str, share: float) -> None:
        """Says what is being done and how far it is (0 to 1)."""
        if self._stopped.is_set():
            raise Cancelled
        if self._tell is not None:
            self._tell(what, share)
