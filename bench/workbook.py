"""Writing a workbook of a million cells against the same cells written by XlsxWriter in constant memory."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import xlsxwriter

from bench.timing import Row, compare
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.outputs import xlsx
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


def rows() -> list[Row]:
    """One million cells."""
    count = 1_000_000
    at = np.arange(count)
    columns = [
        NumberColumn("row", FieldType.WHOLE, at // 100),
        NumberColumn("column", FieldType.WHOLE, at % 100),
        NumberColumn("value", FieldType.DECIMAL, at * 7, None, 2),
    ]
    fold = Fold(
        "f",
        (Measure("m", "sum", FieldRef("T", "value")),),
        (Placed("r", FieldRef("T", "row")),),
        (Placed("c", FieldRef("T", "column")),),
        row_total="off",
        column_total="off",
    )
    report = Engine(Source({"T": Table.of("T", columns)})).fold(fold)
    with tempfile.TemporaryDirectory() as folder:

        def alone() -> None:
            book = xlsxwriter.Workbook(f"{folder}/alone.xlsx", {"constant_memory": True})
            page = book.add_worksheet()
            look = book.add_format({"num_format": "#,##0.00"})
            for row in range(10_000):
                for column in range(100):
                    page.write_number(row, column, (row * 100 + column) * 0.07, look)
            book.close()

        return [
            compare(
                "XLSX of 1 million cells",
                "XlsxWriter in constant memory writing the same cells",
                1.2,
                lambda: xlsx.save(report, Path(folder) / "ours.xlsx"),
                alone,
                rounds=1,
            )
        ]
