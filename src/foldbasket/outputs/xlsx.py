"""Reports as an XLSX workbook: numbers as numbers with their formats, merged headings, frozen panes, widths.

Large reports are written row by row in constant memory; there, group names stand on the first line of their group
instead of being merged down it, since a merge needs rows that are gone.
"""

from __future__ import annotations

import datetime
from decimal import Decimal
from math import isfinite
from pathlib import Path
from typing import Any

import xlsxwriter

from foldbasket.errors import OutputError
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.sheet import Sheet
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.types import FieldType

LARGE = 200_000
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384
INK, RULE, ACCENT = "#2A2622", "#A9A08C", "#A5473A"


def workbook_pattern(style: NumberStyle, pattern: str, currency_sign: str) -> str:
    """A number style as a workbook's number format. LDML and workbooks share digits, groups, percent and sections."""
    positive, _, own_negative = pattern.partition(";")
    scaled = positive + {"one": "", "thousand": ",", "million": ",,"}[style.scale]
    written = scaled.replace("¤¤", f'"{currency_sign}"').replace("¤", f'"{currency_sign}"').replace("'", '"')
    if own_negative:
        return f"{written};{own_negative.replace('¤', chr(34) + currency_sign + chr(34))}"
    return f"{written};({written})" if style.negatives == "parentheses" else written


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the workbook. Raises OutputError when the report is larger than a sheet can be."""
    sheet = Sheet(report)
    title_rows = 3
    if report.height + sheet.head_rows + title_rows > MOST_ROWS or report.width + sheet.head_columns > MOST_COLUMNS:
        raise OutputError(
            f"the report has {report.height:,} rows and {report.width:,} columns, a sheet holds {MOST_ROWS:,} by {MOST_COLUMNS:,}.",
            where=path.name,
            todo="Keep fewer members, or write CSV.",
        )
    large = report.height * report.width > LARGE
    book = xlsxwriter.Workbook(
        str(path), {"constant_memory": large, "in_memory": False, "default_date_format": "d mmm yyyy"}
    )
    try:
        _fill(book, report, sheet, title_rows, large)
        book.close()
    except xlsxwriter.exceptions.FileCreateError as error:
        raise next((each for each in error.args if isinstance(each, OSError)), OSError(str(error))) from None
    finally:
        book.fileclosed = True  # one that failed is not tried again when it is collected


def _fill(book: Any, report: Report, sheet: Sheet, top: int, large: bool) -> None:
    page = book.add_worksheet(_sheet_name(report.name))
    page.hide_gridlines(2)
    formats: dict[tuple[Any, ...], Any] = {}

    def style(kind: Kind, **more: Any) -> Any:
        key = (kind, *sorted(more.items()))
        if key not in formats:
            look: dict[str, Any] = {"font_name": "Inter", "font_size": 10, "font_color": INK, **more}
            if kind.is_total:
                look |= {"bold": True, "top": 1, "top_color": RULE if kind is Kind.SUBTOTAL else INK}
            if kind is Kind.GRAND:
                look |= {"bottom": 6, "bottom_color": INK}
            formats[key] = book.add_format(look)
        return formats[key]

    left, first = sheet.head_columns, top + sheet.head_rows
    widths = _widths(report, sheet)
    for column, width in enumerate(widths):
        page.set_column(column, column, width)
    page.freeze_panes(first, left)
    page.write_string(
        0, 0, report.name, book.add_format({"font_name": "Inter", "font_size": 14, "bold": True, "font_color": INK})
    )
    page.write_string(
        1, 0, report.sentence, book.add_format({"font_name": "Inter", "font_size": 10, "font_color": "#7C7466"})
    )

    _heads(page, sheet, top, large, style)
    patterns = [_pattern(report, measure) for measure in range(len(report.measures))]
    if not large:
        _merge_groups(page, report, first, style)
    bold = report.top.is_total.tolist()
    quick = [report.is_number(measure) for measure in range(len(report.measures))]
    across, which = report.top.line.tolist(), report.top.measure.tolist()
    for line in range(report.height):
        kind = Kind(report.left.kind[line])
        row = first + line
        for column, text in enumerate(sheet.row_head(line, repeat=False)):
            if text or kind.is_total:
                page.write_string(row, column, text, style(kind, valign="top") if text else style(kind))
        one, axis_row = int(report.left.measure[line]), int(report.left.line[line])
        shown = which if one < 0 else [one] * report.width
        numbers = {
            measure: _numbers(report.blocks[measure], axis_row)
            for measure in (range(len(report.measures)) if one < 0 else (one,))
            if quick[measure]
        }
        looks = [(style(kind, num_format=pattern), style(kind, num_format=pattern, bold=True)) for pattern in patterns]
        for column, (axis_line, measure) in enumerate(zip(across, shown, strict=True)):
            known = numbers.get(measure)
            value = known[axis_line] if known is not None else report.value(line, column)
            look = looks[measure][bold[column]]
            if type(value) is float and isfinite(value):
                page.write_number(row, left + column, value, look)
            else:
                _write(page, row, left + column, value, look)


def _heads(page: Any, sheet: Sheet, top: int, large: bool, style: Any) -> None:
    """The headings over the columns and of the rows' own fields."""
    left, first = sheet.head_columns, top + sheet.head_rows
    for span in sorted(sheet.column_heads(), key=lambda span: (span.row, span.column)):
        look = style(
            Kind.MEMBER,
            bold=span.kind.is_total or not span.is_measure,
            align="center" if span.columns > 1 else "right",
            valign="bottom",
            bottom=1,
        )
        row, column = top + span.row, left + span.column
        if span.columns > 1 or (span.rows > 1 and not large):
            page.merge_range(row, column, row + (1 if large else span.rows) - 1, column + span.columns - 1, "", look)
        page.write_string(row, column, span.text, look)
    for column, text in enumerate(sheet.corner()):
        page.write_string(first - 1, column, text, style(Kind.MEMBER, bottom=1, font_color="#7C7466"))


def _numbers(block: Block, line: int) -> list[float | None]:
    """One line of a measure's numbers as floats, each the nearest to its exact value; None where blank."""
    data, blank = block.data[line], block.blank[line]
    unit = 10**block.scale
    exact = data.dtype == object or block.scale > 0 or block.type is not FieldType.REAL
    # Whole number over whole number is rounded once, to the nearest float, whatever their size.
    values = (
        [(number if type(number) is float else int(number)) / unit for number in data.tolist()]
        if exact
        else data.tolist()
    )
    return (
        [None if gone else value for value, gone in zip(values, blank.tolist(), strict=True)] if blank.any() else values
    )


def _write(page: Any, row: int, column: int, value: Any, look: Any) -> None:
    if value is None:
        page.write_blank(row, column, None, look)
    elif isinstance(value, bool):
        page.write_boolean(row, column, value, look)
    elif isinstance(value, (int, float, Decimal)):
        number = float(value)
        if number == number and abs(number) != float("inf"):
            page.write_number(row, column, number, look)
        else:
            page.write_string(row, column, str(value), look)
    elif isinstance(value, (datetime.date, datetime.datetime)):
        if value.year >= 1900:
            page.write_datetime(row, column, value, look)
        else:
            page.write_string(row, column, value.isoformat(), look)
    else:
        page.write_string(row, column, value, look)


def _merge_groups(page: Any, report: Report, first: int, style: Any) -> None:
    """Merges each group's name down its members' lines; the total line keeps its own caption."""
    left = report.left
    for place, field in enumerate(left.places[:-1]):
        for start, stop in left.runs(place, range(len(left))):
            lines = [
                line
                for line in range(start, stop)
                if not left.is_total[line] or field == MEASURE or int(left.level[line]) > field + 1
            ]
            if lines and lines[-1] > lines[0]:
                look = style(Kind.MEMBER, valign="top")
                page.merge_range(first + lines[0], place, first + lines[-1], place, "", look)


def _pattern(report: Report, measure: int) -> str:
    from babel.numbers import get_currency_symbol

    kind = report.blocks[measure].type
    if kind is FieldType.DATE:
        return "d mmm yyyy"
    if kind is FieldType.TIMESTAMP:
        return "d mmm yyyy hh:mm"
    if not report.is_number(measure):
        return "@"
    return workbook_pattern(
        report.measures[measure].style,
        report.pattern(measure),
        get_currency_symbol(report.currency, locale=report.locale),
    )


def _widths(report: Report, sheet: Sheet) -> list[float]:
    """Column widths in characters, judged by headings and up to 200 lines."""
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
        each = -(-len(span.text) // max(1, span.columns))
        for column in range(span.column, span.column + span.columns):
            cells[column] = max(cells[column], each)
    return [min(60, width + 2.5) for width in left + cells]


def _sheet_name(name: str) -> str:
    """A name that a workbook allows for a sheet: at most 31 units of UTF-16, some signs nowhere, no apostrophe at an end, one word never."""
    cleaned = "".join(" " if sign in r"[]:*?/\\" or not sign.isprintable() else sign for sign in name)
    short = cleaned.strip(" '").encode("utf-16-le", "replace")[:62].decode("utf-16-le", "ignore").strip(" '")
    return short if short and short.casefold() != "history" else f"Report {short}".strip()


XLSX = entered(Output(".xlsx", "Workbook", save, standing=10))
