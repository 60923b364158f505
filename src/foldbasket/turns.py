"""The window's thread goes first: threads that work beside it stand still while it is at something.

Threads that run Python take equal turns, whoever of them somebody waits for: a card that needs 0.05 s came after 0.2 s beside two workers. Work in
many small steps says between them that another may go first. Where no thread goes first, as in a command, nothing is done.
"""

from __future__ import annotations

import sys
import threading
import time
from types import CodeType

EVERY = 0.0005
"""Seconds of work between two looks at the window's thread."""
NAP = 0.001
"""Seconds between two looks of a thread that stands still."""
MOST = 0.04
"""Seconds for which a thread stands still at most, since it may hold what the window's thread waits for, ..."""
AGAIN = 0.1
"""... and then works on before it stands still again: a window that is busy for long must not keep its own work from being done."""


class _First:
    """The thread that goes first, by its number, and the code in which it waits for something to do."""

    thread = 0
    resting: frozenset[CodeType] = frozenset()


class _Own(threading.local):
    """When a thread looks next."""

    next = 0.0


_own = _Own()


def go_first(*resting: CodeType) -> None:
    """Has the calling thread go first, but while it stands in the code given, waiting for something to do. Without any, none goes first."""
    _First.thread, _First.resting = (threading.get_ident(), frozenset(resting)) if resting else (0, frozenset())


def give_way() -> None:
    """To be called between two small steps of long work: lets the window's thread end what it is at, if it is at something. Costs 0.1 µs otherwise."""
    if not _First.thread:
        return
    now = time.perf_counter()
    if now < _own.next or threading.get_ident() == _First.thread:
        return
    end = now + MOST
    while _is_at_something():
        if now > end:
            _own.next = now + AGAIN
            return
        time.sleep(NAP)
        now = time.perf_counter()
    _own.next = now + EVERY


def _is_at_something() -> bool:
    frame = sys._current_frames().get(_First.thread)
    return frame is not None and frame.f_code not in _First.resting
