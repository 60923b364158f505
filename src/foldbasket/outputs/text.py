"""Reports as plain text with tabs, for pasting."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from foldbasket.folding.report.report import Report
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.harmless import cell_text, harmless
from foldbasket.outputs.sheet import Sheet


def table(report: Report) -> str:
    """The whole report as seen, tabs between cells, group names on every line."""
    sheet = Sheet(report)
    lines = ["\t".join(_one_line(harmless(text)) for text in row) for row in sheet.head_grid()]
    columns = range(report.width)
    for line, names in enumerate(sheet.all_row_heads(repeat=True)):
        heads = [_one_line(harmless(text)) for text in names]
        lines.append("\t".join([*heads, *(_cell(report, line, column) for column in columns)]))
    return "\n".join(lines) + "\n"


def block(report: Report, rows: Iterable[int], columns: Iterable[int]) -> str:
    """A block of cells without headings."""
    columns = list(columns)
    return "\n".join("\t".join(_cell(report, row, column) for column in columns) for row in rows) + "\n"


def _cell(report: Report, row: int, column: int) -> str:
    return _one_line(cell_text(report, row, column))


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes a text file, UTF-8."""
    path.write_text(table(report), encoding="utf-8")


def _one_line(text: str) -> str:
    return text.replace("\t", " ").replace("\n", " ").replace("\r", " ")


TEXT = entered(Output(".txt", "Text with tabs", save, standing=60))
