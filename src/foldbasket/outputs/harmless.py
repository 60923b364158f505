"""Text from data that a program which opens a report might run: it is led by an apostrophe, so that it stays text."""

from __future__ import annotations

import re

from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.report.report import Report

_RUN = re.compile(r"[\s\u00a0\ufeff]*[=+\-@|%\uff1d\uff0b\uff0d\uff20]")
"""What a spreadsheet takes for the start of a formula or a command, also behind spaces and in the wide letters of East Asia."""
_NUMBER = re.compile(r"[+\-\u2212]?[\d.,\u00a0\u202f' ]*\d[\d.,\u00a0\u202f' ]*%?")


def harmless(text: str, separators: str = "") -> str:
    """Text that no spreadsheet takes for a formula; a plain number stays as it is. Where other `separators` may cut a line, as when
    a file with commas is opened by semicolons, every piece behind one of them is treated alike."""
    pieces = re.split(f"([{re.escape(separators)}])", text) if separators else [text]
    return "".join(
        "'" + piece if at % 2 == 0 and _RUN.match(piece) and not _NUMBER.fullmatch(piece.strip()) else piece
        for at, piece in enumerate(pieces)
    )


def cell_text(report: Report, row: int, column: int) -> str:
    """The text of a cell as the reader sees it, so that no spreadsheet which it is pasted into runs it; numbers as they are."""
    text = report.text(row, column)
    return text if report.is_number(report.cell(row, column)[0]) else harmless(text)


def dressed_text(dressed: Dressed, row: int, column: int, style: CellStyle) -> str:
    """The text of a cell in its style, with its sign, so that no spreadsheet runs it; numbers as they are."""
    text = dressed.text(row, column, style)
    if not dressed.report.is_number(dressed.report.cell(row, column)[0]):
        text = harmless(text)
    return f"{style.sign} {text}" if style.sign and text else text
