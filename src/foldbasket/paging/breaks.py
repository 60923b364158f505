"""Where pages end: never under the first line of a group, never before its total, and where a new page is asked for."""

from __future__ import annotations

from bisect import bisect_right

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report

Mask = npt.NDArray[np.bool_]


def may_begin(report: Report) -> Mask:
    """Which rows a page may begin with: no total, and not the second line of a group, whose first would stand alone."""
    left = report.left
    many = len(left)
    may = ~left.is_total
    if not many:
        return may
    if len(left.places) > 1 or left.is_total.any():
        starts = np.ones(many, np.bool_)
        starts[1:] = (left.names[1:, :1] != left.names[:-1, :1]).any(axis=1) if left.names.shape[1] else False
        after_start = np.zeros(many, np.bool_)
        after_start[1:] = starts[:-1] & ~starts[1:] & (len(left.places) > 1)
        may &= ~after_start
    # A total that stands before its members is their heading.
    heads = np.zeros(many, np.bool_)
    heads[1:] = left.is_total[:-1] & ~left.is_total[1:] & (left.level[1:] > left.level[:-1])
    may &= ~(heads & _totals_before(report))
    may[0] = True
    return may


def _totals_before(report: Report) -> bool:
    """Whether totals stand before what they are of."""
    totals = np.flatnonzero(report.left.is_total)
    return bool(len(totals)) and int(report.left.kind[totals[0]]) != Kind.GRAND and totals[0] == 0


def must_begin(report: Report, word: str | None) -> Mask:
    """Which rows a page must begin with, for one to each member of a field of the rows; the total over all has a page of its own."""
    left = report.left
    must = np.zeros(len(left), np.bool_)
    field = next((at for at, head in enumerate(report.rows.heads) if head.id == word), None)
    if field is None or not len(left):
        return must
    codes = report.rows.codes[left.line, : field + 1]
    changed = (codes[1:] != codes[:-1]).any(axis=1)
    must[1:] = changed & ((codes[1:, field] >= 0) | (codes[:-1, field] >= 0))
    # The total over a group stands with it, not on a page of its own.
    inner = left.is_total & (left.level > 0) & (left.level <= field)
    return must & ~inner


def bands(edges: npt.NDArray[np.float64], first: float, later: float, may: Mask, must: Mask) -> list[tuple[int, int]]:
    """Runs of rows for pages, as starts and stops: as many as fit `first` on the first page and `later` on the others. A page begins where it may,
    unless a run without such a place is higher than the page. `edges` are the tops of the rows and the bottom of the last."""
    many = len(edges) - 1
    if many <= 0:
        return [(0, 0)]
    # A long report has tens of thousands of pages, and each looks only at as many rows as it can hold, without a call into NumPy.
    allowed, tops = may.tobytes(), memoryview(np.ascontiguousarray(edges, np.float64))  # type: ignore[arg-type] # an array is one
    lowest = float((edges[1:] - edges[:-1]).min())
    most = int(max(first, later) / lowest) + 2 if lowest > 0 else many
    walls = iter([*np.flatnonzero(must).tolist(), many])
    found: list[tuple[int, int]] = []
    start, room, wall = 0, first + 0.01, next(walls)
    while start < many:
        while wall <= start:
            wall = next(walls)
        stop = bisect_right(tops, tops[start] + room, start, min(start + most, many + 1)) - 1
        if stop <= start:
            stop = start + 1
        if wall <= stop:
            stop = wall
        elif stop < many:
            better = stop
            while better > start and not allowed[better]:
                better -= 1
            stop = better if better > start else stop
        found.append((start, stop))
        start, room = stop, later + 0.01
    return found


def strips(edges: npt.NDArray[np.float64], room: float) -> list[tuple[int, int]]:
    """Runs of columns that fit beside the headings, at least one each."""
    many = len(edges) - 1
    found, start = [], 0
    while start < many:
        stop = max(start + 1, min(many, int(np.searchsorted(edges, edges[start] + room + 0.01, "right")) - 1))
        found.append((start, stop))
        start = stop
    return found or [(0, 0)]
