"""The window: time to its first paint against a bare window, and the cost of painting and laying out a frame."""

from __future__ import annotations

import os
import subprocess
import sys
import time

from bench.timing import Row, as_installed, compare

BARE = """
import sys
import msgspec
from PyQt6.QtWidgets import QApplication, QMainWindow
class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event); QApplication.instance().exit(0)
app = QApplication(sys.argv); window = Window(); window.resize(1280, 800); window.show(); app.exec()
"""
OURS = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from foldbasket.cli import main
import foldbasket.desktop.shell.window as module
class Window(module.MainWindow):
    def paintEvent(self, event):
        super().paintEvent(event); QTimer.singleShot(0, lambda: QApplication.instance().exit(0))
module.MainWindow = Window
main([])
"""


def rows() -> list[Row]:
    """Start-up, and one frame of the grid with about 2,000 cells."""
    environment = as_installed() | {"QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}

    def start(code: str) -> None:
        subprocess.run([sys.executable, "-c", code], env=environment, check=True, stderr=subprocess.DEVNULL)

    found = [
        compare("start to first painted window", "a bare PyQt6 window", 2.5, lambda: start(OURS), lambda: start(BARE))
    ]
    return found + frames()


def frames() -> list[Row]:
    """Painting a large report at a scroll position, and laying one of 2,000 cells out anew."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    import msgspec
    import numpy as np
    from PyQt6.QtGui import QImage, QPainter
    from PyQt6.QtWidgets import QApplication

    from foldbasket.desktop.grid.geometry import Geometry
    from foldbasket.desktop.grid.painter import GridPainter
    from foldbasket.folding.dress.conditions.others import Always
    from foldbasket.folding.dress.conditions.thresholds import AtLeast
    from foldbasket.folding.dress.forms.graded import Bar, Shading
    from foldbasket.folding.dress.forms.marks import Ground
    from foldbasket.folding.engine import Engine
    from foldbasket.links.source import Source
    from foldbasket.spec.field import FieldRef
    from foldbasket.spec.fold import Fold, Measure, Placed
    from foldbasket.spec.look import Highlight, ReportLook, Scope
    from foldbasket.tables.column import NumberColumn
    from foldbasket.tables.table import Table
    from foldbasket.tables.types import FieldType

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert app is not None
    rng = np.random.default_rng(2)

    def numbers(name: str, high: int, count: int) -> NumberColumn:
        return NumberColumn(name, FieldType.WHOLE, rng.integers(0, high, count))

    def report(rows: int, columns: int):  # type: ignore[no-untyped-def]
        count = max(2_000_000, rows)
        base = NumberColumn("row", FieldType.WHOLE, np.arange(count) % rows)
        table = Table.of("T", [base, numbers("column", columns, count), numbers("value", 10_000, count)])
        engine = Engine(Source({"T": table}))
        fold = Fold(
            "f",
            (Measure("m", "sum", FieldRef("T", "value")),),
            (Placed("r", FieldRef("T", "row")),),
            (Placed("c", FieldRef("T", "column")),),
        )
        return engine, fold

    def frame() -> None:
        time.sleep(0.016)

    found = []
    engine, fold = report(100, 20)
    engine.fold(fold)

    def lay_out() -> None:
        image = QImage(1280, 800, QImage.Format.Format_RGB32)
        painter = QPainter(image)
        GridPainter(Geometry(engine.fold(fold))).paint(painter, 1280, 800)
        painter.end()

    found.append(
        compare(
            "fold anew, lay out and paint a report of 2,000 cells, records untouched",
            "one frame, 16 ms",
            1.0,
            lay_out,
            frame,
            rounds=25,
        )
    )
    marked = msgspec.structs.replace(
        fold,
        look=ReportLook(
            highlights=(
                Highlight("a", "m", AtLeast("1000000"), Ground()),
                Highlight("b", "m", Always(), Shading(), Scope.COLUMN),
                Highlight("c", "m", Always(), Bar()),
            )
        ),
    )
    worn = engine.fold(marked)

    def dress() -> None:
        image = QImage(1280, 800, QImage.Format.Format_RGB32)
        painter = QPainter(image)
        GridPainter(Geometry(msgspec.structs.replace(worn))).paint(painter, 1280, 800)
        painter.end()

    found.append(
        compare("dress and paint 2,000 cells with three highlights", "one frame, 16 ms", 1.0, dress, frame, rounds=25)
    )
    engine, fold = report(24_000, 200)
    geometry = Geometry(engine.fold(fold))
    drawing = GridPainter(geometry)
    image = QImage(1280, 800, QImage.Format.Format_RGB32)
    step = iter(range(10_000_000))

    def scroll() -> None:
        painter = QPainter(image)
        drawing.paint(painter, 1280, 800, 37.0 * (next(step) % 40), 1013.0 * (next(step) % 400))
        painter.end()

    found.append(
        compare("scroll a report of 4.8 million cells, one frame", "one frame, 16 ms", 0.5, scroll, frame, rounds=25)
    )
    return found
