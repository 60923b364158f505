"""A watch over the window's thread: how long it is held, and what it was doing.

It looks at each press, move, key and release of a gesture, and at whole rounds of the event loop, between any two of which a desktop lets
others have their turn. A look at each single event would be a call into Python for each, which must wait for the lock that workers hold: it
doubled the holds that it was to measure.
"""

import faulthandler
import os
import re
import tempfile
import threading
import time
from contextlib import contextmanager


class Watch:
    """Keeps what held the window's thread for more than `LOOK` seconds. With HOLDS in the environment also where it stood by then. That
    look reads what runs on: now and then it ends the process."""

    LOOK = 0.1

    def __init__(self):
        self.holds = []
        self._since = None
        self._worked = 0.0
        self._what = str
        # Python's own watch looks without Python's lock. One that asks for the lock has to wait as the window's thread does, and makes it wait.
        self._seen = tempfile.TemporaryFile("w+") if "HOLDS" in os.environ else None  # noqa: SIM115 - kept as long as the watch
        self._main = threading.get_ident()

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
        if self._seen is not None:
            faulthandler.dump_traceback_later(self.LOOK, file=self._seen)
        self._since, self._worked = time.perf_counter(), time.thread_time()

    def _end(self):
        took, self._since = time.perf_counter() - self._since, None
        if self._seen is not None:
            faulthandler.cancel_dump_traceback_later()
        if took > self.LOOK:
            own = time.thread_time() - self._worked  # the rest it waited: for a lock, or for a processor
            self.holds.append((took, f"{self._what()}, {own:.2f} s of its own", self._where()))

    def _where(self):
        """Where the threads stood, each by the program's own code, innermost first."""
        if self._seen is None:
            return ""
        self._seen.seek(0)
        told = self._seen.read()
        self._seen.seek(0)
        self._seen.truncate()
        stood = []
        for number, frames in re.findall(r"hread 0x([0-9a-f]+)[^\n]*\n((?:  File [^\n]+\n)*)", told):
            own = re.findall(r'/foldbasket/[\w/]*?(\w+\.py)", line (\d+) in (\w+)', frames)
            if own:
                whose = "window" if int(number, 16) == self._main else "beside"
                stood.append(
                    f"{whose}: {' < '.join(f'{file}:{line} {name}' for file, line, name in own[: 8 if whose == 'window' else 3])}"
                )
        return "".join(f"\n        {each}" for each in sorted(stood, reverse=True))
