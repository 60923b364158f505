"""Reports drawn into files by the grid's own painter: pages and pictures. Needs Qt, but no display and no window."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice
from PyQt6.QtWidgets import QApplication

_app: QApplication | None = None


def drawn(path: Path, draw: Callable[[QBuffer], None]) -> None:
    """Writes what is drawn to a file. Qt says nothing of a full disk, so it is drawn in memory and written by us."""
    global _app
    if (
        QApplication.instance() is None
    ):  # fonts and painting need one; without a display it runs on Qt's offscreen platform
        if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _app = QApplication(sys.argv[:1])
    into = QBuffer()
    into.open(QIODevice.OpenModeFlag.WriteOnly)
    draw(into)
    into.close()
    path.write_bytes(into.data().data())
