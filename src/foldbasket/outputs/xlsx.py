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

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import OutputError
from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report, default_pattern
from foldbasket.later import xlsxwriter
from foldbasket.outputs.conditional import conditional, live_highlights
from foldbasket.outputs.floats import floats_of
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.live import LiveSums
from foldbasket.outputs.sheet import Sheet
from foldbasket.outputs.widths import widths_of
from foldbasket.outputs.workbookchart import chart_sheet
from foldbasket.spec.look import Rule, Side
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import number_of
from foldbasket.tables.types import FieldType
from foldbasket.undisturbed import undisturbed

LARGE = 200_000
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384
CHUNK = 256
ALIGNS = {Side.LEFT: "left", Side.MIDDLE: "center", Side.RIGHT: "right"}
BORDERS = {Rule.THIN: 1, Rule.THICK: 2, Rule.DOUBLE: 6}


def workbook_pattern(style: NumberStyle, pattern: str, currency_sign: str) -> str:
    """A number style as a workbook's number format. LDML and workbooks share digits, groups, percent and sections."""
    positive, _, own_negative = pattern.partition(";")
    scaled = positive + {"one": "", "thousand": ",", "million": ",,"}[style.scale]
    written = scaled.replace("¤¤", f'"{currency_sign}"').replace("¤", f'"{currency_sign}"').replace("'", '"')
    if own_negative:
        negative = own_negative.replace("¤", chr(34) + currency_sign + chr(34))
    else:
        negative = f"({written})" if style.negatives == "parentheses" else f"-{written}"
    if style.zero is not None:
        return f'{written};{negative};"{style.zero}"'
    return f"{written};{negative}" if own_negative or style.negatives == "parentheses" else written


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the workbook. Raises OutputError when the report is larger than a sheet can be."""
    sheet = Sheet(report)
    title_rows = 3
    if report.height + sheet.head_rows + title_rows > MOST_ROWS or report.width + sheet.head_columns > MOST_COLUMNS:
        raise OutputError(
            f"the report has {number_of(report.height, 'row')} and {number_of(report.width, 'column')}, a sheet holds {MOST_ROWS:,} by {MOST_COLUMNS:,}.",
            where=path.name,
            todo="Keep fewer members, or write CSV.",
        )
    large = report.height * report.width > LARGE
    book = xlsxwriter.Workbook(
        str(path), {"constant_memory": large, "in_memory": False, "default_date_format": "d mmm yyyy"}
    )
    try:
        with undisturbed():
            _fill(book, report, sheet, title_rows, large, sums=shape == "sums")
            book.close()
    except xlsxwriter.exceptions.FileCreateError as error:
        raise next((each for each in error.args if isinstance(each, OSError)), OSError(str(error))) from None
    finally:
        book.fileclosed = True  # one that failed is not tried again when it is collected


class _Page(msgspec.Struct):
    """A sheet that is being written, and what its formats are made of."""

    book: Any
    page: Any
    dressed: Dressed
    whole: Dressed
    """The report with all its highlights; `dressed` is without those that the workbook says by itself."""
    sheet: Sheet
    top: int
    large: bool
    sums: LiveSums | None
    """What makes sums of totals; None where they are numbers."""
    formats: dict[tuple[Any, ...], Any] = msgspec.field(default_factory=dict)

    @property
    def first(self) -> int:
        """The row of the report's first line."""
        return self.top + self.sheet.head_rows

    @property
    def wrapped(self) -> dict[str, Any]:
        """What lets names and headings go on over several lines, where they may."""
        return {"text_wrap": True} if self.dressed.report.look.layout.wrap else {}

    def format(self, style: CellStyle, pattern: str = "", **more: Any) -> Any:
        """The workbook's format of a style; made once."""
        key = (style, pattern, *sorted(more.items()))
        if key not in self.formats:
            self.formats[key] = self.book.add_format(self.look(style, pattern) | more)
        return self.formats[key]

    def look(self, style: CellStyle, pattern: str = "") -> dict[str, Any]:
        """The properties of a style as the workbook names them."""
        own = self.dressed.style
        look: dict[str, Any] = {
            "font_name": {"": "Inter", "serif": "Times New Roman"}.get(own.family, own.family),
            "font_size": round(own.size * 10 / 13), "font_color": style.ink, "align": ALIGNS[style.side],
        }  # fmt: skip
        if style.bold:
            look["bold"] = True
        if style.italic:
            look["italic"] = True
        if style.ground:
            look["bg_color"] = style.ground
        for name, rule in (("top", style.above), ("bottom", style.below)):
            if rule is not Rule.NONE:
                look |= {name: BORDERS[rule], f"{name}_color": style.rule_ink}
        if style.edge:
            look |= {"left": 5, "left_color": style.edge}
        if pattern:
            look["num_format"] = _signed(pattern, style.sign)
        return look


def _signed(pattern: str, sign: str) -> str:
    """A number format with a sign before the number, in each of its sections."""
    if not sign or pattern == "@":
        return pattern
    return ";".join(f'"{sign} "{section}' for section in pattern.split(";"))


def _fill(book: Any, report: Report, sheet: Sheet, top: int, large: bool, sums: bool) -> None:
    page = book.add_worksheet(_sheet_name(report.title or report.name))
    live = [] if large else live_highlights(report)
    look = replace(report.look, highlights=tuple(each for each in report.look.highlights if each not in live))
    live_sums = LiveSums(report, (top + sheet.head_rows, sheet.head_columns)) if sums else None
    dressed = Dressed(replace(report, look=look))
    into = _Page(book, page, dressed, Dressed(report), sheet, top, large, live_sums)
    page.hide_gridlines(2)
    left = sheet.head_columns
    for column, width in enumerate(widths_of(report, sheet)):
        page.set_column(column, column, width)
    if report.look.layout.frozen:
        page.freeze_panes(into.first, left)
    inks = into.dressed.inks
    page.write_string(0, 0, report.title, into.format(CellStyle(inks.ink, bold=True, side=Side.LEFT), font_size=14))
    page.write_string(1, 0, report.subtitle, into.format(CellStyle(inks.muted, side=Side.LEFT)))
    _heads(into)
    if not large:
        _merge_groups(into)
    for start in range(0, report.height, CHUNK):
        _lines(into, range(start, min(report.height, start + CHUNK)))
    _legend(into)
    for highlight in reversed(live):  # of two that differ a workbook goes by the first, where here the later wins
        conditional(report, highlight, into.dressed.inks, book, page, (into.first, left))
    _set_up(into)
    chart_sheet(book, report)
    _about(into)


def _lines(into: _Page, rows: range) -> None:
    """Lines of the report: their names and their cells."""
    page, left = into.page, into.sheet.head_columns
    columns = range(left, left + into.dressed.report.width)
    values, plain = floats_of(into.dressed.report, rows)
    codes = into.dressed.codes(rows, range(len(columns)))
    looks = _looks(into, rows, codes)
    names = into.sheet.row_heads(rows, repeat=into.dressed.report.look.layout.repeat)
    for at, line in enumerate(rows):
        row = into.first + line
        _names(into, line, names[at])
        if plain[at] and into.sums is None:
            for column, value, look in zip(
                columns, values[at].tolist(), looks[at].tolist(), strict=True
            ):  # a million times
                page.write_number(row, column, value, look)
            continue
        for column, known, look, code in zip(
            columns, values[at].tolist(), looks[at].tolist(), codes[at].tolist(), strict=True
        ):
            value = known if isfinite(known) else into.dressed.report.value(line, column - left)
            sum_of = into.sums.formula(line, column - left) if into.sums is not None and value is not None else None
            blank = into.dressed.palette[code].blank
            if sum_of is not None:
                page.write_formula(row, column, sum_of, look, value)
            elif value is None and blank:
                page.write_string(row, column, blank, look)
            else:
                _write(page, row, column, value, look)


def _looks(into: _Page, rows: range, codes: npt.NDArray[np.int32]) -> npt.NDArray[np.object_]:
    """The workbook's format of each cell of some rows."""
    report = into.dressed.report
    measure = report.left.measure[rows.start : rows.stop, None] if report.on_rows else report.top.measure[None, :]
    pairs = codes * np.int64(max(1, len(report.measures))) + measure
    kinds, places = np.unique(pairs, return_inverse=True)
    made, patterns = np.empty(len(kinds), object), [_pattern(report, number) for number in range(len(report.measures))]
    for at, pair in enumerate(kinds.tolist()):
        code, number = divmod(pair, max(1, len(report.measures)))
        style = into.dressed.palette[code]
        own = patterns[number] if style.number is None else _own_pattern(report, number, style)
        made[at] = into.format(style, own)
    return made[places.reshape(pairs.shape)]


def _names(into: _Page, line: int, names: list[str]) -> None:
    """The names of a line."""
    sheet, style = into.sheet, into.dressed.head_style(line)
    for column, text in enumerate(names):
        if text or style.above is not Rule.NONE or style.ground:
            inset: dict[str, Any] = {"indent": sheet.indent(line)} if sheet.indented else {}
            look = into.format(style, valign="top", **inset, **into.wrapped)
            into.page.write_string(into.first + line, column, text, look)


def _heads(into: _Page) -> None:
    """The headings over the columns and of the rows' own fields."""
    sheet, page, head = into.sheet, into.page, into.dressed.head
    left = sheet.head_columns
    for span in sorted(sheet.column_heads(), key=lambda span: (span.row, span.column)):
        style = replace(
            head, bold=span.kind.is_total or not span.is_measure, below=Rule.THIN,
            side=Side.MIDDLE if span.columns > 1 else Side.RIGHT,
        )  # fmt: skip
        look = into.format(style, valign="bottom", **into.wrapped)
        row, column = into.top + span.row, left + span.column
        if span.columns > 1 or (span.rows > 1 and not into.large):
            last = row + (1 if into.large else span.rows) - 1
            page.merge_range(row, column, last, column + span.columns - 1, "", look)
        page.write_string(row, column, span.text, look)
    corner = replace(head, bold=False, ink=into.dressed.inks.muted, below=Rule.THIN, side=Side.LEFT)
    for column, text in enumerate(sheet.corner()):
        page.write_string(into.first - 1, column, text, into.format(corner))


def _legend(into: _Page) -> None:
    """The lines of words of the highlights, and the notes, under the report."""
    report = into.dressed.report
    row = into.first + report.height + 1
    for style, words in into.whole.legend():
        into.page.write_string(row, 0, f"{style.sign} 1,234".strip(), into.format(style))
        into.page.write_string(row, 1, words, into.format(CellStyle(into.dressed.inks.muted, side=Side.LEFT)))
        row += 1
    for note in report.look.notes:
        into.page.write_string(row, 0, note, into.format(CellStyle(into.dressed.inks.muted, side=Side.LEFT)))
        row += 1


def _set_up(into: _Page) -> None:
    """Print set-up, and outline levels for groups."""
    report, page = into.dressed.report, into.page
    page.set_landscape()
    page.set_paper(9)
    page.fit_to_pages(1, 0)
    page.repeat_rows(into.top, into.first - 1)
    page.repeat_columns(0, into.sheet.head_columns - 1)
    page.set_footer("&L&A&Rpage &P of &N")
    depth = report.left.axis.depth
    if into.large or depth < 2 or Kind.SUBTOTAL not in report.left.kind:
        return
    after = bool(report.left.kind[0] != Kind.SUBTOTAL)
    page.outline_settings(True, after, True, False)
    for line in range(report.height):
        level = int(report.left.level[line]) - (1 if report.left.kind[line] != Kind.SUBTOTAL else 0)
        kind = report.left.kind[line]
        deep = level if kind not in (Kind.SUBTOTAL, Kind.GRAND) else level - 1
        if deep > 0:
            page.set_row(into.first + line, None, None, {"level": min(7, deep)})


def _about(into: _Page) -> None:
    """A second sheet that says what the report is: its sentence, how many records, when it was written, and what it remarks."""
    report = into.dressed.report
    page = into.book.add_worksheet(
        "About" if _sheet_name(report.title or report.name).casefold() != "about" else "About it"
    )
    page.hide_gridlines(2)
    page.set_column(0, 0, 18)
    page.set_column(1, 1, 90)
    plain = into.format(CellStyle(into.dressed.inks.ink, side=Side.LEFT), valign="top", text_wrap=True)
    quiet = into.format(CellStyle(into.dressed.inks.muted, side=Side.LEFT), valign="top")
    said = [("Report", report.name), ("In words", report.sentence)]
    said += [("Records", f"{each.kept:,} of {each.records:,} of {each.base}") for each in report.counted]
    said += [("Remark", remark) for remark in report.remarks]
    said += [("Written", f"{datetime.datetime.now():%Y-%m-%d %H:%M}")]
    for row, (name, text) in enumerate(said):
        page.write_string(row, 0, name, quiet)
        page.write_string(row, 1, text, plain)


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


def _merge_groups(into: _Page) -> None:
    """Merges each group's name down its members' lines; the total line keeps its own caption."""
    report = into.dressed.report
    left = report.left
    if report.look.layout.repeat or into.sheet.indented:
        return
    for place, field_at in enumerate(left.places[:-1]):
        for start, stop in left.runs(place, range(len(left))):
            lines = [
                line
                for line in range(start, stop)
                if not left.is_total[line] or field_at == MEASURE or int(left.level[line]) > field_at + 1
            ]
            if lines and lines[-1] > lines[0]:
                look = into.format(into.dressed.head_style(lines[0]), valign="top")
                into.page.merge_range(into.first + lines[0], place, into.first + lines[-1], place, "", look)


def _pattern(report: Report, measure: int) -> str:
    from babel.numbers import get_currency_symbol

    kind = report.blocks[measure].type
    if kind is FieldType.DATE:
        return "d mmm yyyy"
    if kind is FieldType.TIMESTAMP:
        return "d mmm yyyy hh:mm"
    if not report.is_number(measure):
        return "@"
    style = report.measures[measure].style
    return workbook_pattern(
        style, report.pattern(measure), get_currency_symbol(style.currency or report.currency, locale=report.locale)
    )


def _own_pattern(report: Report, measure: int, style: CellStyle) -> str:
    """The number format of cells that have one of their own."""
    from babel.numbers import get_currency_symbol

    assert style.number is not None
    if not report.is_number(measure):
        return _pattern(report, measure)
    sign = get_currency_symbol(style.number.currency or report.currency, locale=report.locale)
    return workbook_pattern(style.number, style.number.pattern or default_pattern(report.blocks[measure]), sign)


def _sheet_name(name: str) -> str:
    """A name that a workbook allows for a sheet: at most 31 units of UTF-16, some signs nowhere, no apostrophe at an end, one word never."""
    cleaned = "".join(" " if sign in r"[]:*?/\\" or not sign.isprintable() else sign for sign in name)
    short = cleaned.strip(" '").encode("utf-16-le", "replace")[:62].decode("utf-16-le", "ignore").strip(" '")
    return short if short and short.casefold() != "history" else f"Report {short}".strip()


XLSX = entered(Output(".xlsx", "Workbook", save, ("table", "sums"), standing=10))
