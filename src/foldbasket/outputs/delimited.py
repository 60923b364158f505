"""Reports as CSV, in two shapes: the table as it is seen, and cells as records for other programs.

Numbers are exact, with a decimal point and no grouping. In the table, text that a spreadsheet would run as a formula is
led by an apostrophe, so that it stays text; cells as records are for programs and are left exactly as they are.
"""

from __future__ import annotations

import csv
import datetime
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import TextIO

from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.report.report import Report, Value
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.harmless import harmless
from foldbasket.outputs.sheet import Sheet
from foldbasket.tables.reading.sniffing import field_names

TOTALS = {Kind.MEMBER: "member", Kind.SUBTOTAL: "subtotal", Kind.GRAND: "total", Kind.CLOSED: "member"}


def plain(value: Value) -> str:
    """A cell's exact value as text: 1234.50, 2026-04-30, yes; empty when blank."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, datetime.datetime):
        return value.isoformat(sep=" ")
    if isinstance(value, datetime.date):
        return value.isoformat()
    return str(value)


class TableWriter:
    """The one door for delimited text that people open: text that a spreadsheet would run stays text, in whatever way the file is cut into columns."""

    def __init__(self, file: TextIO) -> None:
        self._writer = csv.writer(file, lineterminator="\r\n")

    def row(self, texts: Sequence[str], is_text: Sequence[bool] | None = None) -> None:
        """Write a line. `is_text` says which of its cells hold text from data, all where it is not given; numbers and dates stay as they are."""
        told = is_text or [True] * len(texts)
        # Every piece that another program could take for a cell, if it cut the line elsewhere, is treated alike.
        self._writer.writerow(
            [harmless(text, ";\t\r\n") if is_own else text for text, is_own in zip(texts, told, strict=True)]
        )


def write_table(report: Report, file: TextIO) -> None:
    """The table: head rows, then a line for each line of the report with group names on every line."""
    sheet = Sheet(report)
    writer = TableWriter(file)
    for row in sheet.head_grid():
        writer.row(row)
    is_text = [not report.is_number(measure) for measure in range(len(report.measures))]
    for line, names in enumerate(sheet.all_row_heads(repeat=True)):
        cells = [plain(report.value(line, column)) for column in range(report.width)]
        told = [is_text[report.cell(line, column)[0]] for column in range(report.width)]
        writer.row([*names, *cells], [*[True] * len(names), *told])


def write_cells(report: Report, file: TextIO) -> None:
    """Cells as records: row fields, column fields, row and column level of total, measure and value; blank cells left out.

    Members are canonical text; “(blank)”, “(no match)” and “All others” stand for those three, and a text that reads like one of
    them is led by a backslash. Where a total sums over a field, it is empty. Of two fields with one heading the second is numbered.
    """
    writer = csv.writer(file, lineterminator="\r\n")
    axes = (report.rows, report.columns)
    own = ("Row total", "Column total", "Measure", "Value")
    heads = field_names([*own, *(head.heading for axis in axes for head in axis.heads)])
    writer.writerow([*heads[len(own) :], *own])
    columns = [_members(report.columns, line) for line in range(len(report.columns))]
    column_totals = [TOTALS[Kind(kind)] for kind in report.columns.kind]
    for row in range(len(report.rows)):
        members = _members(report.rows, row)
        row_total = TOTALS[Kind(report.rows.kind[row])]
        for line in range(len(report.columns)):
            totals = (row_total, column_totals[line])
            for measure, head in enumerate(report.measures):
                value = report.exact(measure, row, line)
                if value is not None:
                    writer.writerow([*members, *columns[line], *totals, head.heading, plain(value)])


def _members(axis: Axis, line: int) -> list[str]:
    return [axis.token(line, field) for field in range(axis.depth)]


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes a CSV file, UTF-8, in the shape ``table`` or ``cells``."""
    with path.open("w", encoding="utf-8", newline="") as file:
        (write_cells if shape == "cells" else write_table)(report, file)


CSV = entered(Output(".csv", "CSV", save, ("table", "cells"), standing=20))
