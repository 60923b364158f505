"""Starts the application: as little as possible before the window is on screen."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication


def run(files: list[Path]) -> int:
    """Opens the window, with files if any are given, and runs until it is closed."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("fold-basket")
    app.setApplicationDisplayName("Fold Basket")
    app.setDesktopFileName("fold-basket")
    app.setStyle("Fusion")

    from foldbasket.desktop.boundary import Boundary
    from foldbasket.desktop.window import MainWindow

    window = MainWindow()
    Boundary(window.say_error).install()
    window.show()
    if files:
        QTimer.singleShot(0, lambda: window.open_paths(files))
    return app.exec()
