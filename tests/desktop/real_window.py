"""Opens the real window on files and keeps a JSON file that says what is on screen and where, for a test that drives it.

Run as: python -m tests.desktop.real_window STATE.json FILE...
"""

import json
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QPoint, QTimer

from foldbasket.desktop.shell.app import made
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.sentence.phrases import sentence_of


def main() -> None:
    target = Path(sys.argv[1])
    app = made()
    window = MainWindow()
    window.move(0, 0)
    window.show()
    QTimer.singleShot(0, lambda: window.open_paths([Path(name) for name in sys.argv[2:]]))

    def place(widget, point) -> list[int]:
        at = widget.mapToGlobal(QPoint(int(point.x()), int(point.y())))
        return [at.x(), at.y()]

    def tell() -> None:
        if not window.is_begun or window.desk.fold is None or window.desk.busy:
            return
        desk, work = window.desk, window.workspace
        fields = {}
        for ref in (each for table in desk.tables.values() for each in table.columns):
            table = next(name for name, table in desk.tables.items() if ref in table.columns)
            from foldbasket.spec.field import FieldRef

            area = work.spine.fields.visualRect(work.spine.index_of(FieldRef(table, ref)))
            fields[ref] = place(work.spine.fields.viewport(), area.center())
        report = desk.report
        state = {
            "sentence": sentence_of(desk.fold),
            "fields": fields,
            "edges": {strand: place(work.grid.viewport(), area.center()) for strand, area in work.grid.edges().items()},
            "middle": place(work.middle, work.middle.rect().center()),
            "pluses": {strand: place(plus, plus.rect().center()) for strand, plus in work.sentence.pluses.items()},
            "cells": [report.height, report.width] if report else None,
            "platform": app.platformName(),
        }
        fresh = target.with_suffix(".new")
        fresh.write_text(json.dumps(state))
        os.replace(fresh, target)

    timer = QTimer()
    timer.timeout.connect(tell)
    timer.start(60)
    app.exec()


if __name__ == "__main__":
    main()
