"""Watches the files of a basket: says when one has changed and is whole again.

The desktop's own notices say that something happened; what counts is the file itself. It is whole when its size and time
stand still between two looks and, for delimited text that ended with a line break before, when it does so again.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal

from foldbasket.tables.reading.readers import files_of_source, is_text_file, stamp_if_any

LOOK = 120
"""Milliseconds between two looks at a file that is changing."""


class Watcher(QObject):
    """`came` names a place whose file is fresh and whole, `vanished` one whose file is gone, `waiting` one that ends in half a line."""

    came = pyqtSignal(str)
    vanished = pyqtSignal(str)
    waiting = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._notices = QFileSystemWatcher(self)
        self._notices.fileChanged.connect(self._noticed)
        self._notices.directoryChanged.connect(self._noticed)
        self._known: dict[str, object] = {}
        self._ended: dict[str, bool] = {}
        self._last: dict[str, object] = {}
        self._told: set[str] = set()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK)
        self._timer.timeout.connect(self.look)

    def watch(self, places: Mapping[str, object]) -> None:
        """Watches these places and no others, each with the state that it was in before it was read (None: as it is now). One that is in another state by
        then has changed, and `came` tells of it."""
        for gone in set(self._known) - set(places):
            for kept in (self._known, self._ended, self._last):
                kept.pop(gone, None)
        for place in set(places) - set(self._known):
            now = stamp_if_any(Path(place))
            self._known[place] = now if places[place] is None else places[place]
            self._ended[place] = self._known[place] != now or _ends_whole(place)
            self._told.discard(place)
            if self._known[place] != now:
                self._timer.start()
        self._renew_notices()

    def _renew_notices(self) -> None:
        wanted = set()
        for place in self._known:
            folder = Path(place) if os.path.isdir(place) else Path(place).parent
            wanted.add(str(folder))
            wanted |= {str(file) for file in files_of_source(Path(place))}
        there = set(self._notices.files()) | set(self._notices.directories())
        if there - wanted:
            self._notices.removePaths(list(there - wanted))
        fresh = [path for path in wanted - there if os.path.exists(path)]
        if fresh:
            self._notices.addPaths(fresh)

    def _noticed(self, _: str) -> None:
        self._last.clear()
        self._timer.start()

    def look(self) -> None:
        """Looks at every place; goes on looking while any of them is changing."""
        restless = False
        for place, known in self._known.items():
            state = stamp_if_any(Path(place))
            if state == known:
                self._last.pop(place, None)
                continue
            if state is None:
                if place not in self._told:
                    self._told.add(place)
                    self.vanished.emit(place)
                continue
            if state != self._last.get(place):
                self._last[place] = state
                restless = True
            elif self._ended[place] and not _ends_whole(place):
                restless = True
                if place not in self._told:
                    self._told.add(place)
                    self.waiting.emit(place)
            else:
                self._known[place] = state
                self._last.pop(place, None)
                self._told.discard(place)
                self.came.emit(place)
        if not restless:
            self._timer.stop()
        self._renew_notices()


def _ends_whole(place: str) -> bool:
    """Whether every delimited file of a place ends with a line break; True for other formats, which end as they must."""
    for file in files_of_source(Path(place)):
        if is_text_file(file):
            try:
                with file.open("rb") as opened:
                    opened.seek(0, 2)
                    if opened.tell() == 0:
                        return False
                    opened.seek(-1, 2)
                    if opened.read(1) not in (b"\n", b"\r"):
                        return False
            except OSError:
                return False
    return True
