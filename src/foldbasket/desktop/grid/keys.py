"""The keyboard among the cells of the grid: where the mark goes, and what the keys of a cell do. `view` is the `view.GridView`."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence

from foldbasket.folding.report.report import Report

STEPS = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
PAGES = {Qt.Key.Key_PageUp: -1, Qt.Key.Key_PageDown: 1}


def key_in_cells(view: Any, report: Report, event: QKeyEvent) -> bool:
    """Takes a key of a report with cells; False where it means nothing there."""
    at, key = view.marked, Qt.Key(event.key())
    control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
    if key in STEPS or key in PAGES:
        _step(view, report, key, control, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
    elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
        last = key == Qt.Key.Key_End
        row = (report.height - 1 if last else 0) if control or at is None else at.row
        view.show_cell(row, report.width - 1 if last else 0)
    elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and at is not None:
        view.proof_wanted.emit(at.row, at.column)
    elif key in (Qt.Key.Key_Minus, Qt.Key.Key_Plus) and at is not None and not control:
        work = view.desk.members
        (work.fold_up if key == Qt.Key.Key_Minus else work.open)(report.left, at.row)
    elif event.matches(QKeySequence.StandardKey.SelectAll):
        view.select_all()
    elif event.matches(QKeySequence.StandardKey.Copy):
        view.copy()
    elif key == Qt.Key.Key_Escape and at is not None:
        view.mark(None)
    else:
        return False
    return True


def _step(view: Any, report: Report, key: Qt.Key, control: bool, extend: bool) -> None:
    """Moves the mark by a cell, a screenful or to the end; before the first cell it goes onto the heading."""
    at = view.marked
    if at is None:
        view.show_cell(0, 0)
        return
    if key in PAGES:
        down, across = PAGES[key] * view.lines_a_page, 0
    else:
        down, across = STEPS[key]
        if not control and not extend:
            to_rows, to_columns = across < 0 and at.column == 0, down < 0 and at.row == 0
            if (to_rows and view.hands.enter(True, at.row)) or (to_columns and view.hands.enter(False, at.column)):
                return
        if control:
            down, across = down * report.height, across * report.width
    row = max(0, min(report.height - 1, at.row + down))
    column = max(0, min(report.width - 1, at.column + across))
    view.show_cell(row, column, extend=extend)
