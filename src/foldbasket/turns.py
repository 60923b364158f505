"""The window's thread goes first: threads that work beside it stand still while it is at something.

Threads that run Python take equal turns, whoever of them somebody waits for: a card that needs 0.05 s came after 0.2 s beside two workers. Work in
many small steps says between them that another may go first. Where no thread goes first, as in a command, nothing is done.

Whether a thread is at something is told by its clock of processor time: waiting for events takes none, nor does waiting for what another holds. Its frames would say it, too, but whoever
looks at them keeps what they hold for a moment longer, and a painter kept so ends the process.
"""

from __future__ import annotations

import threading
import time

EVERY = 0.0005
"""Seconds of work between two looks at the window's thread."""
NAP = 0.001
"""Seconds between two looks of a thread that stands still."""
LEAST = 0.00005
"""Seconds of processor time between two looks by which a thread is at something; a timer that finds nothing to do takes less."""
MOST = 0.25
"""Seconds for which a thread stands still at most, ..."""
AGAIN = 0.05
"""... and then works on before it stands still again: a window that is busy for long must not keep its own work from being done."""


class _First:
    """The thread that goes first, by its number, and its clock; 0 while none does."""

    thread = clock = 0


class _Own(threading.local):
    """Of a thread that works beside it: when it looks next, and what the clock said when it last did."""

    next = 0.0
    clock = 0.0


_own = _Own()


def go_first(*, wanted: bool = True) -> None:
    """Has the calling thread go first from now on, or none."""
    here = threading.get_ident()
    _First.clock = time.pthread_getcpuclockid(here) if wanted else 0
    _First.thread = here if wanted else 0


def give_way() -> None:
    """To be called between two small steps of long work: lets the window's thread end what it is at, if it is at something. Costs 0.1 µs otherwise."""
    if not _First.thread:
        return
    now = time.perf_counter()
    if now < _own.next or threading.get_ident() == _First.thread:
        return
    end = now + MOST
    while _has_worked():
        if now > end:
            _own.next = now + AGAIN
            return
        time.sleep(NAP)
        now = time.perf_counter()
    _own.next = now + EVERY


def _has_worked() -> bool:
    """Whether the thread that goes first was at something since this thread last looked."""
    before, _own.clock = _own.clock, time.clock_gettime(_First.clock) if _First.thread else 0.0
    return _own.clock - before > LEAST
