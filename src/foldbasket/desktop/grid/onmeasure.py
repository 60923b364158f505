"""The keyboard on the name of a measure among the headings: along to the next one, put before or after it, taken out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.folding.report.report import Report


@dataclass(frozen=True)
class OnMeasure:
    """The name of a measure beside a row or over a column."""

    report: Report
    on_rows: bool
    at: int
    """The row or column."""

    @property
    def margin(self) -> Margin:
        return self.report.left if self.on_rows else self.report.top

    @property
    def place(self) -> int:
        return self.margin.place(MEASURE)

    @property
    def number(self) -> int:
        """Which of the report's measures."""
        return int(self.margin.measure[self.at])

    @property
    def word(self) -> str:
        return self.report.measures[self.number].id

    def following(self, step: int) -> int | None:
        """The row or column of the next name, or of the one before; None at the end."""
        margin = self.margin
        start, stop = margin.runs(self.place, range(self.at, self.at + 1))[0]
        to = stop if step > 0 else start - 1
        if not 0 <= to < len(margin):
            return None
        return margin.runs(self.place, range(to, to + 1))[0][0]

    def renewed(self, report: Report) -> OnMeasure | None:
        """The same measure in another report, as near as it stands to where it stood; None where it is gone."""
        number = report.measure_at(self.word)
        margin = report.left if self.on_rows else report.top
        if number is None or not margin.has_measures:
            return None
        found = np.flatnonzero(margin.measure == number)
        if not len(found):
            return None
        elsewhere = margin.line[found] != self.margin.line[self.at]
        near = np.lexsort((np.abs(found - self.at), elsewhere))[0]
        return OnMeasure(report, self.on_rows, int(found[near]))


def on_measure(report: Report, on_rows: bool, at: int) -> OnMeasure | None:
    """The name of the measure of a row or column; None where measures are not named along it."""
    margin = report.left if on_rows else report.top
    return OnMeasure(report, on_rows, at) if margin.has_measures and margin.measure[at] >= 0 else None


def key_on_measure(hands: Any, now: OnMeasure, event: QKeyEvent) -> bool:
    """Takes a key on the name of a measure; False where it means nothing there. `hands` are the `hands.Hands` of the grid."""
    desk, key = hands.view.desk, Qt.Key(event.key())
    along = (Qt.Key.Key_Up, Qt.Key.Key_Down) if now.on_rows else (Qt.Key.Key_Left, Qt.Key.Key_Right)
    across = (Qt.Key.Key_Left, Qt.Key.Key_Right) if now.on_rows else (Qt.Key.Key_Up, Qt.Key.Key_Down)
    if key in along:
        step = 1 if key == along[1] else -1
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            if not desk.view.reading:
                beside = now.number + (2 if step > 0 else -1)
                if 0 <= beside <= len(now.report.measures):
                    desk.words.move(now.word, "measures", beside)
        else:
            to = now.following(step)
            if to is not None:
                hands.go_to(now.on_rows, now.place, to)
    elif key in across:
        hands.level(now.on_rows, now.place, now.at, 1 if key == across[1] else -1)
    elif key == Qt.Key.Key_Escape:
        hands.choose(None)
    elif key == Qt.Key.Key_Delete and not desk.view.reading:
        desk.words.remove(now.word)
    else:
        return False
    return True
