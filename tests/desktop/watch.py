"""A watch over the window's thread: how long it is held, and what it was doing.

It looks at each press, move, key and release of a gesture, and at whole rounds of the event loop, between any two of which a desktop lets
others have their turn. A look at each single event would be a call into Python for each, which must wait for the lock that workers hold: it
doubled the holds that it was to measure.
"""

import gc
import os
import resource
import signal
import sys
import threading
import time
from contextlib import contextmanager
from typing import NamedTuple


def _stops():
    """How often this thread stopped to wait, and how often for a page to come from a disk."""
    used = resource.getrusage(resource.RUSAGE_THREAD)
    return used.ru_nvcsw, used.ru_majflt + used.ru_inblock


def _waited():
    """Seconds for which this thread could have run but had no processor."""
    try:
        with open("/proc/thread-self/schedstat", encoding="ascii") as told:
            return int(told.read().split()[1]) / 1e9
    except (OSError, ValueError, IndexError):
        return 0.0


_machine = os.open("/proc/stat", os.O_RDONLY) if os.path.exists("/proc/stat") else -1


def _stolen():
    """Seconds for which the machine's processors, all together, were taken away from it by whoever runs it."""
    if _machine < 0:
        return 0.0
    told = os.pread(_machine, 256, 0).split(b"\n", 1)[0].split()
    return int(told[8]) / os.sysconf("SC_CLK_TCK") if len(told) > 8 else 0.0


class Hold(NamedTuple):
    """So many seconds for which the window's thread was held, of which for so many a processor was taken away from the machine; what it was at, and where
    it stood."""

    took: float
    stolen: float
    what: str
    where: str

    @property
    def is_long(self):
        """Whether it is longer than a window may be held, and no fault of the machine's."""
        return self.took - self.stolen > 0.2


class Watch:
    """Keeps what held the window's thread for more than `LOOK` seconds. With HOLDS in the environment also where it stood by then, as it tells
    itself: a look from another thread would have to take the lock from it, and one without the lock ends the process now and then."""

    LOOK = 0.1

    def __init__(self):
        self.holds = []
        self._since = None
        self._worked = self._waited = 0.0
        self._what = str
        self._stood = ""
        self._collected = self._collecting = 0.0
        self._found, self._young = "", 0
        gc.callbacks.append(self._collect)
        self._looks = "HOLDS" in os.environ
        if self._looks:
            signal.signal(signal.SIGALRM, self._stand)

    @contextmanager
    def over(self, what):
        """Times what is done within; `what` says what that is, and is asked only when it took long."""
        self._what = what
        self._begin()
        try:
            yield
        finally:
            self._end()

    def next(self):
        """What is timed goes on with its next event."""
        if self._since is not None:
            self._end()
            self._begin()

    def _begin(self):
        if self._looks:
            self._stood = ""
            signal.setitimer(signal.ITIMER_REAL, self.LOOK)
        self._collected = 0.0
        self._waited, self._stolen = _waited(), _stolen()
        self._stops = _stops()
        self._since, self._worked = time.perf_counter(), time.thread_time()

    def _end(self):
        took, self._since = time.perf_counter() - self._since, None
        if self._looks:
            signal.setitimer(signal.ITIMER_REAL, 0)
        if took > self.LOOK:
            stops = [now - then for now, then in zip(_stops(), self._stops, strict=True)]
            own, queued = time.thread_time() - self._worked, _waited() - self._waited  # the rest it waited for a lock
            garbage = f", {self._collected:.2f} s of them for garbage ({self._found})" if self._collected > 0.01 else ""
            stolen = _stolen() - self._stolen
            what = f"{self._what()}, {own:.2f} s of its own{garbage}, {queued:.2f} s for a processor, {stolen:.2f} s stolen, {stops[0]} waits, {stops[1]} of a disk"
            self.holds.append(Hold(took, stolen, what, self._stood))

    def _collect(self, phase, told):
        now = time.perf_counter()
        if phase == "start":
            self._collecting, self._young = now, gc.get_count()[0]
        else:
            self._collected += now - self._collecting
            self._found = f"generation {told['generation']}, {self._young:,} young, {told['collected']:,} collected, {gc.get_freeze_count():,} set aside"

    def close(self):
        """Looks no longer."""
        gc.callbacks.remove(self._collect)

    def _stand(self, _signal, frame):
        own = []
        while frame is not None and len(own) < 8:
            code = frame.f_code
            if "foldbasket" in code.co_filename:
                own.append(f"{code.co_filename.rpartition('/')[2]}:{frame.f_lineno} {code.co_name}")
            frame = frame.f_back
        self._stood = " < ".join(own) + self._others()

    @staticmethod
    def _others():
        names = {each.ident: each.name for each in threading.enumerate()}
        told = []
        frames = sys._current_frames()
        del frames[threading.get_ident()]  # this one's own, in a circle
        for ident, frame in frames.items():
            at = []
            while frame is not None and len(at) < 6:
                code = frame.f_code
                at.append(f"{code.co_filename.rpartition('/')[2]}:{frame.f_lineno} {code.co_name}")
                frame = frame.f_back
            if at and not any(w in at[0] for w in ("thread.py", "threading.py")):
                told.append(f"\n        [{names.get(ident)}] " + " < ".join(at))
        return "".join(told)
