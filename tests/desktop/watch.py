"""A watch over the window's thread: how long each event holds it, and what it was doing."""

import os
import sys
import threading
import time
import traceback

from PyQt6.QtWidgets import QApplication


class WatchedApplication(QApplication):
    """Times every event that is delivered; those inside another count with it. With HOLDS in the environment the watch keeps, of one
    that takes long, where the thread stood when it had taken `LOOK` seconds."""

    LOOK = 0.1

    def __init__(self, arguments):
        super().__init__(arguments)
        self.holds = []
        self._since = None
        self._seen = ""
        self._depth = 0
        self._main = threading.get_ident()
        if (
            "HOLDS" in os.environ
        ):  # only for whoever looks into it: to look at the frames of another thread is not always safe
            threading.Thread(target=self._look, daemon=True, name="watch").start()

    def notify(self, receiver, event):
        self._depth += 1
        if self._depth == 1:
            self._since, self._seen = time.perf_counter(), ""
        try:
            return super().notify(receiver, event)
        finally:
            self._depth -= 1
            if self._depth == 0:
                took, self._since = time.perf_counter() - self._since, None
                if took > self.LOOK:
                    kind = event.type().name if hasattr(event.type(), "name") else str(event.type())
                    self.holds.append((took, f"{type(receiver).__name__} {kind}", self._seen))

    def _look(self):
        while True:
            time.sleep(0.02)
            since = self._since
            if since is not None and time.perf_counter() - since > self.LOOK and not self._seen:
                frame = sys._current_frames().get(self._main)
                if frame is not None:
                    stack = traceback.extract_stack(frame)
                    own = [
                        f"{each.filename.rpartition('/')[2]}:{each.lineno} {each.name}"
                        for each in stack
                        if "foldbasket" in each.filename
                    ]
                    self._seen = " < ".join(reversed(own[-7:]))
