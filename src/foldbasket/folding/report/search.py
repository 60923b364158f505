"""Finding a text in a report: in the names of its rows and columns, and in its cells as the reader sees them."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.folding.report.report import Report
from foldbasket.tables.distinct import distinct
from foldbasket.turns import give_way

HEAD = -1
"""Stands for the row of the columns' names, and for the column of the rows' names."""

MOST_FOUND = 10_000
MOST_CELLS = 1_000_000
"""In a report of more cells the names alone are looked through."""
STEP = 2_000
GROUPING = str.maketrans("", "", ",  '’ \u00a0\u202f")


class Spot(NamedTuple):
    """Where it was found: a row and a column; `HEAD` for one of them in a name."""

    row: int
    column: int


def find(report: Report, text: str, step: Callable[[float], object] = lambda _: None) -> list[Spot]:
    """Every place that holds a text, whatever the case, in reading order, the first `MOST_FOUND`. A number is found with and without the signs
    that group its digits. `step` is told how far it is, and may raise Cancelled."""
    wanted = text.strip().casefold()
    if not wanted:
        return []
    spots = [Spot(HEAD, at) for at in _named(report.top, wanted)]
    spots += [Spot(at, HEAD) for at in _named(report.left, wanted)]
    if report.measures and report.height * report.width <= MOST_CELLS:
        plain = wanted.translate(GROUPING).replace("-", "−")
        is_number = bool(plain) and any(sign.isdigit() for sign in plain)
        for row in range(report.height):
            if row % STEP == 0:
                step(row / report.height)
            for column in range(report.width):
                cell = report.text(row, column)
                if not cell:
                    continue
                if wanted in cell.casefold() or (is_number and plain in cell.translate(GROUPING).replace("-", "−")):
                    spots.append(Spot(row, column))
            if len(spots) >= MOST_FOUND:
                break
    return sorted(spots)[:MOST_FOUND]


def _named(margin: Margin, wanted: str) -> list[int]:
    """The rows or columns at which a name begins that holds a text, captions of totals among them."""
    totals = [start for start, _ in margin.total_runs(range(len(margin)))[:MOST_FOUND]]
    found = {at for at in totals if wanted in margin.caption(at).casefold()}
    for place, field in enumerate(margin.places):
        if field == MEASURE:
            which = [at for at, heading in enumerate(margin.headings) if wanted in heading.casefold()]
            hit = np.isin(margin.measure, which)
        else:
            codes = margin.axis.codes[margin.line, field]
            used = distinct(codes[codes >= 0])
            head, locale = margin.axis.heads[field], margin.axis.locale
            which = []
            for code in used.tolist():
                give_way()
                if wanted in head.label(code, locale).casefold():
                    which.append(code)
            hit = np.isin(codes, which)
        begins = np.ones(len(margin), np.bool_)
        begins[1:] = (margin.names[1:, : place + 1] != margin.names[:-1, : place + 1]).any(axis=1)
        found.update(np.flatnonzero(hit & begins).tolist()[:MOST_FOUND])
    return sorted(found)
