"""Reports as Markdown: a table as CommonMark's most common extension has it, with title, legend and notes."""

from __future__ import annotations

import re
from pathlib import Path

from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.report.report import Report
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.harmless import dressed_text, harmless
from foldbasket.outputs.sheet import AT_ONCE, Sheet

_MEANT = re.compile(r"([\\\\`*_{}\[\]<>#|~!&])")


def escaped(text: str) -> str:
    """Text that Markdown takes for nothing but text, on one line."""
    return _MEANT.sub(r"\\\1", " ".join(harmless(text).split()))


def page(report: Report) -> str:
    """The report: heads of several rows are joined, bold lines are bold, marked cells are in bold with their sign."""
    dressed, sheet = Dressed(report), Sheet(report)
    grid = _heads(sheet)
    numbers = (
        [report.is_number(report.cell(0, column)[0]) for column in range(report.width)]
        if report.height
        else [True] * report.width
    )
    lines = [f"# {escaped(report.title)}", ""] if report.title else []
    lines += [escaped(report.subtitle), ""] if report.subtitle else []
    lines.append("| " + " | ".join(grid) + " |")
    lines.append(
        "|" + "|".join([":---"] * sheet.head_columns + ["---:" if number else ":---" for number in numbers]) + "|"
    )
    codes: list[list[int]] = []
    for line, names in enumerate(sheet.all_row_heads(report.look.layout.repeat)):
        inset = "\u2003" * sheet.indent(line)
        heads = [inset + escaped(text) for text in names]
        bold = dressed.head_style(line).bold
        if line % AT_ONCE == 0:
            codes = dressed.codes(range(line, min(report.height, line + AT_ONCE)), range(report.width)).tolist()
        cells = []
        for column, code in enumerate(codes[line % AT_ONCE]):
            style = dressed.palette[code]
            text = escaped(dressed_text(dressed, line, column, style))
            cells.append(f"**{text}**" if text and (style.bold or style.edge) else text)
        lines.append("| " + " | ".join([*(f"**{text}**" if bold and text else text for text in heads), *cells]) + " |")
    legend = [f"- {style.sign} {escaped(words)}".replace("  ", " ") for style, words in dressed.legend()]
    notes = [escaped(note) for note in report.look.notes]
    return (
        "\n".join([*lines, *(["", *legend] if legend else []), *(part for note in notes for part in ("", note))]) + "\n"
    )


def _heads(sheet: Sheet) -> list[str]:
    """One heading for each column: those of all head rows over it."""
    width = sheet.head_columns + sheet.report.width
    over: list[list[str]] = [[] for _ in range(width)]
    # Level by level, as they stand above each other: totals are told last.
    for span in sorted(sheet.column_heads(), key=lambda span: span.row):
        for column in range(span.column, span.column + span.columns):
            over[sheet.head_columns + column].append(span.text)
    for column, text in enumerate(sheet.corner()):
        over[column].append(text)
    return [escaped(" · ".join(part for part in parts if part)) for parts in over]


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes a Markdown file, UTF-8."""
    path.write_text(page(report), encoding="utf-8")


MARKDOWN = entered(Output(".md", "Markdown", save, standing=55))
