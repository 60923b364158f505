"""The last few results of some work, kept by what they were made from."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Made = TypeVar("Made")


class Kept(Generic[Made]):
    """So many results; the one that was asked for least lately goes first.

    It may be asked from any thread. Nothing is held while something is made, so that nobody waits: two threads that make the same at
    the same time get the same, which is that of the first.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._made: OrderedDict[Hashable, Made] = OrderedDict()
        self._lock = threading.Lock()

    def __contains__(self, key: Hashable) -> bool:
        return key in self._made

    def get(self, key: Hashable) -> Made | None:
        """What was made from `key`; None where it is not there."""
        with self._lock:
            if key in self._made:
                self._made.move_to_end(key)
            return self._made.get(key)

    def get_or(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What was made from `key`, made now where it is not there."""
        with self._lock:
            if key in self._made:
                self._made.move_to_end(key)
                return self._made[key]
        made = make()
        with self._lock:
            made = self._made.setdefault(key, made)
            while len(self._made) > self._most:
                self._made.popitem(last=False)
        return made
