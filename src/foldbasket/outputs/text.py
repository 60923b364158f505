"""Reports as plain text with tabs, for pasting."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from foldbasket.folding.report import Report
from foldbasket.outputs.sheet import Sheet


def table(report: Report) -> str:
    """The whole report as seen, tabs between cells, group names on every line."""
    sheet = Sheet(report)
    lines = ["\t".join(row) for row in sheet.head_grid()]
    for line in range(report.height):
        cells = [report.text(line, column) for column in range(report.width)]
        lines.append("\t".join(_one_line(text) for text in sheet.row_head(line, repeat=True) + cells))
    return "\n".join(lines) + "\n"


def block(report: Report, rows: Iterable[int], columns: Iterable[int]) -> str:
    """A block of cells without headings."""
    columns = list(columns)
    return "\n".join("\t".join(_one_line(report.text(row, column)) for column in columns) for row in rows) + "\n"


def save(report: Report, path: Path) -> None:
    """Writes a text file, UTF-8."""
    path.write_text(table(report), encoding="utf-8")


def _one_line(text: str) -> str:
    return text.replace("\t", " ").replace("\n", " ").replace("\r", " ")
