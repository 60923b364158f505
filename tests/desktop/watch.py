"""A watch over the window's thread: how long each event holds it, and what it was doing."""

import os
import sys
import threading
import time
from collections import Counter

from PyQt6.QtWidgets import QApplication


class WatchedApplication(QApplication):
    """Times every event that is delivered; those inside another count with it. With HOLDS in the environment the watch keeps, of one
    that takes more than `LOOK` seconds, where the thread stood most of the time from then on."""

    LOOK = 0.1

    def __init__(self, arguments):
        super().__init__(arguments)
        self.holds = []
        self._since = None
        self._seen = Counter()
        self._depth = 0
        self._main = threading.get_ident()
        if "HOLDS" in os.environ:
            threading.Thread(target=self._look, daemon=True, name="watch").start()

    def notify(self, receiver, event):
        self._depth += 1
        if self._depth == 1:
            self._since, worked = time.perf_counter(), time.thread_time()
            self._seen = Counter()
        try:
            return super().notify(receiver, event)
        finally:
            self._depth -= 1
            if self._depth == 0:
                took, self._since = time.perf_counter() - self._since, None
                if took > self.LOOK:
                    kind = event.type().name if hasattr(event.type(), "name") else str(event.type())
                    own = time.thread_time() - worked  # the rest it waited: for a lock, or for a processor
                    self.holds.append(
                        (took, f"{type(receiver).__name__} {kind}, {own:.2f} s of its own", self._where())
                    )

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
            beside = [_own(frame, 3) for thread, frame in frames.items() if thread != self._main]
            at_work = [
                f"beside {each}" for each in beside if each and "apart.py" not in each
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
