"""What some cells of a report come to: how many, their sum, average, smallest and largest, of one measure and without counting anything twice."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import beyond_numbers
from foldbasket.styling.numbers import number_writer, with_decimals
from foldbasket.tables.types import FieldType, exact_decimal

replace = msgspec.structs.replace

EXACT = 2**62
"""Sums of whole numbers that may come to more are made by Python's own, which have no end."""


class Selected(msgspec.Struct, frozen=True):
    """Cells of one measure: how many hold a value and how many are empty, and, of numbers, what they come to, written as the report writes them.
    `without_totals` says that totals among them were left out, `others` that cells of other measures were."""

    measure: str
    values: int
    blanks: int
    sum: str = ""
    average: str = ""
    smallest: str = ""
    largest: str = ""
    without_totals: bool = False
    others: bool = False


def selected(report: Report, rows: Sequence[int], columns: Sequence[int], at: tuple[int, int]) -> Selected:
    """What the cells of some rows and columns come to. Of several measures it is that of the cell `at`; totals count only where nothing else
    is selected, so that no amount is in it twice."""
    measure = report.cell(*at)[0]
    left, top = report.left, report.top
    lines, across = _numbers(rows), _numbers(columns)
    own = (left.measure[lines] if report.on_rows else top.measure[across]) == measure
    others = not own.all()
    lines, across = (lines[own], across) if report.on_rows else (lines, across[own])
    kept_lines, kept_across = lines[~left.is_total[lines]], across[~top.is_total[across]]
    without = False
    if 0 < len(kept_lines) < len(lines):
        lines, without = kept_lines, True
    if 0 < len(kept_across) < len(across):
        across, without = kept_across, True
    block = report.blocks[measure]
    spot = np.ix_(left.line[lines], top.line[across])
    blank = block.blank[spot].ravel()
    data = block.data[spot].ravel()[~blank]
    made = Selected(
        report.measures[measure].heading,
        len(data),
        int(blank.sum()),
        without_totals=without,
        others=others,
    )
    if not len(data) or not report.is_number(measure):
        return made
    style, pattern, real = report.measures[measure].style, report.pattern(measure), block.type is FieldType.REAL
    write = number_writer(style, pattern, report.locale, report.currency)
    total = _sum(data)
    if real or isinstance(total, float):
        average = write.of(float(total) / len(data), block.scale, real=real)
    else:  # of whole numbers it is seldom one
        finer = replace(style, pattern=with_decimals(pattern, 0 if block.scale else 2))
        average = number_writer(finer, pattern, report.locale, report.currency)(
            exact_decimal(total, block.scale) / len(data)
        )
    return replace(
        made,
        sum=write.of(total, block.scale, real=real),
        average=average,
        smallest=write.of(data.min(), block.scale, real=real),
        largest=write.of(data.max(), block.scale, real=real),
    )


def _numbers(given: Sequence[int]) -> npt.NDArray[np.int64]:
    if isinstance(given, range):  # which NumPy would walk through one by one
        return np.arange(given.start, given.stop, given.step, dtype=np.int64)
    return np.asarray(given, np.int64)


def _sum(data: npt.NDArray) -> int | float:
    if data.dtype == object:
        return sum(data.tolist())
    if data.dtype.kind == "f":
        with beyond_numbers():
            return float(data.sum())
    most = float(np.abs(data.astype(np.float64)).max()) * len(data)
    return int(data.sum()) if most < EXACT else sum(data.tolist())
