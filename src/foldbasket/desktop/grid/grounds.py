"""What lies beneath the figures: grounds of styles and highlights, their edges and bars, the selection. All of one colour is drawn at once,
since a screenful has some thousand pieces and a call for each costs more than to fill it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from foldbasket.desktop.grid.pen import Pen
from foldbasket.folding.dress.dressed import Codes

NONE = ""


Reals = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Cells:
    """A block of cells on the screen: where its columns and rows begin, those with the end of the last one behind them, how high each row
    is, and the code of each cell's style."""

    lefts: Reals
    tops: Reals
    heights: Reals
    codes: Codes

    def areas(
        self, rows: npt.NDArray[np.int64], columns: npt.NDArray[np.int64], stops: npt.NDArray[np.int64] | None = None
    ) -> list[Reals]:
        """The left, top, width and height of cells, or of all from one column to the one before another."""
        left = self.lefts[columns]
        return [left, self.tops[rows], self.lefts[columns + 1 if stops is None else stops] - left, self.heights[rows]]


def draw_grounds(
    painter: QPainter, cells: Cells, pens: Sequence[Pen], selected: npt.NDArray[np.bool_], ink: QColor
) -> None:
    """Fills the cells with their grounds, those that are selected with `ink`; those beside one another that are alike at once."""
    colours = list(dict.fromkeys(pen.style.ground for pen in pens if pen.style.ground))
    if not colours and not selected.any():
        return
    number = {NONE: 0} | {colour: at for at, colour in enumerate(colours, 1)}
    wanted = np.array([number[pen.style.ground] for pen in pens], np.int64)[cells.codes]
    wanted[selected] = len(colours) + 1
    begins, ends = np.ones((2, *wanted.shape), np.bool_)
    begins[:, 1:] = ends[:, :-1] = wanted[:, 1:] != wanted[:, :-1]
    (rows, starts), stops = np.nonzero(begins), np.nonzero(ends)[1] + 1
    of_run = wanted[begins]
    order = np.argsort(of_run, kind="stable")
    areas = _rectangles([each[order] for each in cells.areas(rows, starts, stops)])
    numbers, first = np.unique(of_run[order], return_index=True)
    for at, start, stop in zip(numbers.tolist(), first.tolist(), [*first.tolist()[1:], len(areas)], strict=True):
        if at:
            _fill(painter, QColor(colours[at - 1]) if at <= len(colours) else ink, areas[start:stop])


def draw_edges(painter: QPainter, cells: Cells, pens: Sequence[Pen], wide: float) -> None:
    """The edge that a highlight has at the left of each of its cells; those of cells one below the other at once."""
    if not any(pen.style.edge for pen in pens):
        return
    bottoms = cells.tops[: len(cells.heights)] + cells.heights
    is_next = cells.tops[1 : len(bottoms)] == bottoms[:-1]
    for colour, mask in _by(cells, [pen.style.edge for pen in pens]):
        begins, ends = mask.copy(), mask.copy()
        begins[1:] &= ~(mask[:-1] & is_next[:, None])
        ends[:-1] &= ~(mask[1:] & is_next[:, None])
        (columns, firsts), lasts = np.nonzero(begins.T), np.nonzero(ends.T)[1]
        top = cells.tops[firsts]
        edges = [cells.lefts[columns], top, np.full(len(top), wide), bottoms[lasts] - top]
        _fill(painter, QColor(colour), _rectangles(edges))


def draw_bars(
    painter: QPainter, cells: Cells, pens: Sequence[Pen], lengths: npt.NDArray[np.float32], zeros: Reals
) -> None:
    """The bars of highlights: how long each is of its room, -1 to 1, and where in it zero stands; both of shape (rows, columns)."""
    for colour, mask in _by(cells, [pen.style.bar for pen in pens]):
        rows, columns = np.nonzero(mask & ~np.isnan(lengths))
        length = lengths[rows, columns].astype(np.float64)
        left, top, wide, high = cells.areas(rows, columns)
        left, top, wide, high = left + 3, top + 4, wide - 6, high - 8
        before = wide * zeros[rows, columns]
        long = np.abs(length) * np.where(length >= 0, wide - before, before)
        bars = [left + before - np.where(length >= 0, 0, long), top, long, high]
        _fill(painter, QColor(colour), _rectangles(bars))
        codes, below = cells.codes[rows, columns], length < 0
        for code in np.unique(codes[below]).tolist():  # told apart without colour: hollow
            painter.setPen(QPen(pens[code].ink, 0.8))
            painter.drawRects(*_rectangles([each[below & (codes == code)] for each in bars]))


def _by(cells: Cells, colours: list[str]) -> Iterator[tuple[str, npt.NDArray[np.bool_]]]:
    """Each colour that styles have, and which cells wear it."""
    for colour in dict.fromkeys(each for each in colours if each):
        yield colour, np.array([each == colour for each in colours])[cells.codes]


def _fill(painter: QPainter, colour: QColor, areas: list[QRectF]) -> None:
    if areas:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawRects(*areas)
        painter.setBrush(Qt.BrushStyle.NoBrush)


def _rectangles(areas: list[Reals]) -> list[QRectF]:
    return list(map(QRectF, *(each.tolist() for each in areas)))
