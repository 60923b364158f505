"""How wide the columns of a sheet are, in characters."""

from __future__ import annotations

from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report
from foldbasket.outputs.sheet import Sheet

POINTS = 7.0
"""How many points at full size a character is wide."""
WIDEST, WRAPPED = 60, 22
"""Names and headings that may go on over several lines make no column wider than the latter."""


def widths_of(report: Report, sheet: Sheet) -> list[float]:
    """Column widths in characters: those set by hand, else judged by headings and up to 200 lines."""
    step = max(1, report.height // 200)
    sample = range(0, report.height, step)
    heads = [list(map(len, sheet.corner()))] + [
        [len(text) for text in sheet.row_head(line, repeat=True)] for line in sample
    ]
    left = [max(column) for column in zip(*heads, strict=True)]
    cells = [6] * report.width
    for line in list(sample)[-60:]:
        for column in range(report.width):
            cells[column] = max(cells[column], len(report.text(line, column)))
    for span in sheet.column_heads():
        said = max(map(len, span.text.split()), default=0) if report.look.layout.wrap else len(span.text)
        each = -(-said // max(1, span.columns))
        for column in range(span.column, span.column + span.columns):
            cells[column] = max(cells[column], each)
    most = WRAPPED if report.look.layout.wrap else WIDEST
    widths = [min(most, width + 2.5) for width in left] + [min(WIDEST, width + 2.5) for width in cells]
    by_hand = {each.word: each.points / POINTS for each in report.look.widths if each.points}
    for column, place in enumerate(report.left.places[: sheet.head_columns] if not sheet.indented else ()):
        if place != MEASURE:
            widths[column] = by_hand.get(report.rows.heads[place].id, widths[column])
    if not report.on_rows:
        for column, measure in enumerate(report.top.measure.tolist()):
            own = by_hand.get(report.measures[measure].id) if measure >= 0 else None
            widths[sheet.head_columns + column] = own or widths[sheet.head_columns + column]
    return widths
