"""What is selected in the grid: a block of cells, or members with all of their cells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from foldbasket.desktop.grid.chosen import Chosen


@dataclass(frozen=True)
class Marked:
    """The selected block of cells, both ends in, the cell the keyboard is on, and the one that the block began with."""

    top: int
    left: int
    bottom: int
    right: int
    row: int
    column: int
    begun: tuple[int, int] = (0, 0)


Cells = tuple[Sequence[int], Sequence[int]]
"""Rows and columns that are selected: every cell that lies in one of either."""


@dataclass(frozen=True)
class Selection:
    """What is selected: a block of cells, or members with all of their cells."""

    marked: Marked | None = None
    chosen: Chosen | None = None

    def rows(self, lines: range) -> list[bool]:
        """Which of some rows have selected cells."""
        if self.marked is not None:
            return [self.marked.top <= line <= self.marked.bottom for line in lines]
        return self._mask(lines, on_rows=True)

    def columns(self, columns: range) -> list[bool]:
        """Which of some columns have selected cells."""
        if self.marked is not None:
            return [self.marked.left <= column <= self.marked.right for column in columns]
        return self._mask(columns, on_rows=False)

    def _mask(self, within: range, *, on_rows: bool) -> list[bool]:
        if self.chosen is None:
            return [False] * len(within)
        if self.chosen.on_rows != on_rows:
            return [True] * len(within)
        found: list[bool] = self.chosen.mask[within.start : within.stop].tolist()
        return found

    def names(self, within: range, *, on_rows: bool) -> list[bool]:
        """Which of some rows or columns have their names selected."""
        chosen = self.chosen is not None and self.chosen.on_rows == on_rows
        return self._mask(within, on_rows=on_rows) if chosen else [False] * len(within)


NOTHING = Selection()
