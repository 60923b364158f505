"""Cells of a report as the floats that a workbook holds."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.tables.types import FieldType

EXACT = 2**53
"""Below it every whole number is a float as it is."""


def floats_of(report: Report, rows: range) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.bool_]]:
    """The numbers of some rows, each the nearest float to its exact value, NaN for what is none, shape (rows, columns); and which rows
    hold nothing but finite numbers."""
    left, top = report.left, report.top
    lines, across = left.line[rows.start : rows.stop], top.line
    own = left.measure[rows.start : rows.stop] if report.on_rows else top.measure
    found = np.full((len(rows), report.width), np.nan)
    for measure, block in enumerate(report.blocks):
        if not report.is_number(measure):
            continue
        here = np.flatnonzero(own == measure)
        spot = np.ix_(here, np.arange(report.width)) if report.on_rows else np.ix_(np.arange(len(rows)), here)
        found[spot] = _floats(block, np.ix_(lines[here], across) if report.on_rows else np.ix_(lines, across[here]))
    return found, np.isfinite(found).all(axis=1)


def _floats(block: Block, spot: tuple[npt.NDArray, ...]) -> npt.NDArray[np.float64]:
    data, blank, unit = block.data[spot], block.blank[spot], 10**block.scale
    # Whole number over whole number is rounded once, to the nearest float: by NumPy where both are floats as they are, else by Python.
    if data.dtype != object and (block.type is FieldType.REAL or (np.abs(data.astype(np.float64)) < EXACT).all()):
        values = data / unit
    else:
        flat = [(each if type(each) is float else int(each)) / unit for each in data.ravel().tolist()]
        values = np.array(flat, np.float64).reshape(data.shape)
    return np.where(blank, np.nan, values)
