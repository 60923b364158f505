"""A watch over the window's thread: how long it is held, and what it was doing.

It looks at each press, move, key and release of a gesture, and at whole rounds of the event loop, between any two of which a desktop lets
others have their turn. A look at each single event would be a call into Python for each, which must wait for the lock that workers hold: it
doubled the holds that it was to measure.
"""

import os
import sys
import threading
import time
from collections import Counter
from contextlib import contextmanager


class Watch:
    """Keeps what held the window's thread for more than `LOOK` seconds. With HOLDS in the environment also where the thread stood most
    of the time from then on."""

    LOOK = 0.1

    def __init__(self):
        self.holds = []
        self._since = None
        self._worked = 0.0
        self._what = str
        self._seen = Counter()
        self._main = threading.get_ident()
        if "HOLDS" in os.environ:
            threading.Thread(target=self._look, daemon=True, name="watch").start()

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
        self._seen = Counter()
        self._since, self._worked = time.perf_counter(), time.thread_time()

    def _end(self):
        took, self._since = time.perf_counter() - self._since, None
        if took > self.LOOK:
            own = time.thread_time() - self._worked  # the rest it waited: for a lock, or for a processor
            self.holds.append((took, f"{self._what()}, {own:.2f} s of its own", self._where()))

    def _look(self):
        while True:
            time.sleep(0.02)
            since = self._since
            if since is not None and time.perf_counter() - since > self.LOOK:
                self._seen[self._stand()] += 1

    def _where(self):
        return "".join(f"\n        {times} × {stood}" for stood, times in self._seen.most_common(3))

    def _stand(self):
        """Where the window's thread stands. It should not run meanwhile: a frame that ends while it is held here would give up its
        widgets and painters on this thread."""
        usual = sys.getswitchinterval()
        sys.setswitchinterval(5.0)
        try:
            frames = sys._current_frames()
            names = {thread.ident: thread.name for thread in threading.enumerate()}
            beside = [(names.get(each, "?"), _own(frame, 3)) for each, frame in frames.items() if each != self._main]
            at_work = [
                f"beside, {name}: {each}" for name, each in beside if each and "apart.py" not in each
            ]  # a thread that waits is in no code of ours
            return " | ".join([_own(frames.get(self._main), 7), *at_work])
        finally:
            frames = None
            sys.setswitchinterval(usual)


def _own(frame, most):
    """Where a thread stands in the program's own code, innermost first."""
    own = []
    while frame is not None and len(own) < most:
        code = frame.f_code
        if "foldbasket" in code.co_filename:
            own.append(f"{code.co_filename.rpartition('/')[2]}:{frame.f_lineno} {code.co_name}")
        frame = frame.f_back
    return " < ".join(own)
