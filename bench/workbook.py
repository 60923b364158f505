"""Writing a workbook of a million cells against the same cells written by XlsxWriter in constant memory."""

from __future__ import annotations

import tempfile
from pathlib import Path

import msgspec
import numpy as np
import xlsxwriter

from bench.timing import Row, compare
from foldbasket.folding.dress.conditions.others import Always
from foldbasket.folding.dress.conditions.thresholds import AtLeast
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.graded import Shading
from foldbasket.folding.dress.forms.marks import Ground
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.links.source import Source
from foldbasket.outputs import html, text, xlsx
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.look import Highlight, ReportLook
from foldbasket.styling.styles import style_named
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
    look = ReportLook(
        style="linen",
        highlights=(Highlight("a", "m", AtLeast("500000"), Ground()), Highlight("b", "m", Always(), Shading())),
    )
    worn = msgspec.structs.replace(report, look=look, style=style_named("linen"))
    dressed = Dressed(worn)
    codes = dressed.codes(range(report.height), range(report.width)).tolist()
    lines = _lines(100_000)
    with tempfile.TemporaryDirectory() as folder:

        def styled_alone() -> None:
            book = xlsxwriter.Workbook(f"{folder}/alone.xlsx", {"constant_memory": True})
            page = book.add_worksheet()
            looks = [
                book.add_format(
                    {"num_format": "#,##0.00", "bg_color": style.ground or "#FFFFFF", "font_color": style.ink}
                )
                for style in dressed.palette
            ]
            for row in range(10_000):
                for column, code in enumerate(codes[row]):
                    page.write_number(row, column, (row * 100 + column) * 0.07, looks[code])
            book.close()

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
                rounds=3,
            ),
            compare(
                "XLSX of 1 million cells in a style, with two highlights",
                "XlsxWriter in constant memory writing the same cells and formats",
                1.2,
                lambda: xlsx.save(worn, Path(folder) / "ours.xlsx"),
                styled_alone,
                rounds=3,
            ),
            compare(
                "HTML of 100,000 lines",
                "joining and writing their bare texts",
                20.0,
                lambda: html.save(lines, Path(folder) / "ours.html"),
                lambda: text.save(lines, Path(folder) / "ours.txt"),
                rounds=1,
            ),
        ]


def _lines(many: int) -> Report:
    """A report of many lines with two measures."""
    columns = [
        NumberColumn("row", FieldType.WHOLE, np.arange(many)),
        NumberColumn("value", FieldType.DECIMAL, np.arange(many) * 7, None, 2),
    ]
    fold = Fold(
        "f",
        (Measure("m", "sum", FieldRef("T", "value")), Measure("n", "count")),
        (Placed("r", FieldRef("T", "row")),),
    )
    return Engine(Source({"T": Table.of("T", columns)})).fold(fold)
