"""Reports as an OpenDocument spreadsheet: values with their types and formats, styles, headings that stay and repeat in print."""

from __future__ import annotations

import datetime
import io
import re
from decimal import Decimal
from functools import cached_property
from math import isfinite
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from foldbasket.errors import OutputError
from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.report.report import Report, Value, default_pattern
from foldbasket.outputs.conditional import members_of
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.mapped import condition_of, conditional_styles, worn_style
from foldbasket.outputs.sheet import Sheet
from foldbasket.spec.look import Highlight, Rule, Side
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import number_of

MOST_CELLS = 400_000
"""The package that writes it makes an object of each cell; more would take minutes and gigabytes."""
RULES = {Rule.THIN: "0.5pt solid", Rule.THICK: "1.5pt solid", Rule.DOUBLE: "2pt double"}
SIDES = {Side.LEFT: "start", Side.MIDDLE: "center", Side.RIGHT: "end"}


class _Document(msgspec.Struct, dict=True):
    """A document that is being made, with the styles made for it so far. `live` are the highlights that cells wear by themselves, for each measure
    that has one; they are not in `dressed`."""

    report: Report
    dressed: Dressed
    sheet: Sheet
    live: dict[int, Highlight] = msgspec.field(default_factory=dict)
    made: dict[tuple[CellStyle, int, bool, bool], Any] = msgspec.field(default_factory=dict)
    worn: dict[int, str] = msgspec.field(default_factory=dict)
    formats: dict[tuple[NumberStyle, str, str], Any] = msgspec.field(default_factory=dict)

    @cached_property
    def file(self) -> Any:
        from odf.opendocument import OpenDocumentSpreadsheet

        return OpenDocumentSpreadsheet()

    def style(self, style: CellStyle, measure: int = -1, wraps: bool = False, judged: bool = False) -> Any:
        """The automatic style of a cell's style, with the number format of a measure, and where it is `judged` with the measure's highlight."""
        from odf.style import Map, ParagraphProperties, Style, TableCellProperties, TextProperties

        key = (style, measure, wraps, judged)
        if key not in self.made:
            own = self.dressed.style
            number = self._format(style, measure) if measure >= 0 and self.report.is_number(measure) else None
            made = Style(
                name=f"c{len(self.made)}", family="table-cell", **({"datastylename": number} if number else {})
            )
            box: dict[str, Any] = {"verticalalign": "top"}
            if style.ground:
                box["backgroundcolor"] = style.ground
            for name, rule in (("bordertop", style.above), ("borderbottom", style.below)):
                if rule is not Rule.NONE:
                    box[name] = f"{RULES[rule]} {style.rule_ink}"
            if style.edge:
                box["borderleft"] = f"2.5pt solid {style.edge}"
            if wraps:
                box["wrapoption"] = "wrap"
            made.addElement(TableCellProperties(**box))
            made.addElement(ParagraphProperties(textalign=SIDES[style.side]))
            letters: dict[str, Any] = {
                "color": style.ink,
                "fontfamily": own.family or "Inter",
                "fontsize": f"{round(own.size * 10 / 13)}pt",
            }
            if style.bold:
                letters["fontweight"] = "bold"
            if style.italic:
                letters["fontstyle"] = "italic"
            made.addElement(TextProperties(**letters))
            if judged:
                made.addElement(Map(condition=condition_of(self.live[measure]), applystylename=self._worn(measure)))
            self.file.automaticstyles.addElement(made)
            self.made[key] = made
        return self.made[key]

    def _worn(self, measure: int) -> str:
        """The name of the style that a measure's highlight gives."""
        if measure not in self.worn:
            made = worn_style(f"Highlight_{len(self.worn) + 1}", self.live[measure], self.dressed.inks)
            self.file.styles.addElement(made)
            self.worn[measure] = made.getAttribute("name")
        return self.worn[measure]

    def _format(self, style: CellStyle, measure: int) -> Any:
        number = style.number or self.report.measures[measure].style
        pattern = number.pattern or default_pattern(self.report.blocks[measure])
        key = (number, pattern, style.sign)
        if key not in self.formats:
            self.formats[key] = number_format(
                self.file, f"n{len(self.formats)}", number, pattern, self._currency(number), style.sign
            )
        return self.formats[key]

    def _currency(self, number: NumberStyle) -> str:
        from babel.numbers import get_currency_symbol

        return str(get_currency_symbol(number.currency or self.report.currency, locale=self.report.locale))


def number_format(file: Any, name: str, style: NumberStyle, pattern: str, currency: str, sign: str = "") -> Any:
    """Adds the number format of a style to a document, that of negatives as a condition on it; gives the format."""
    from odf.style import Map

    positive, _, negative = pattern.partition(";")
    if style.negatives == "parentheses" and not negative:
        negative = f"({positive})"
    if negative:
        below = _one(file, f"{name}n", negative, style, currency, sign)
    whole = _one(file, name, positive, style, currency, sign)
    if negative:
        whole.addElement(Map(condition="value()<0", applystylename=below))
    return whole


def _one(file: Any, name: str, section: str, style: NumberStyle, currency: str, sign: str) -> Any:
    """The format of one section of a pattern."""
    from odf.number import Number, PercentageStyle, ScientificNumber, Text
    from odf.number import NumberStyle as PlainStyle

    digits = re.search(r"[0#][0#,.]*(E\+?0+)?", section)
    body = digits[0] if digits is not None else "0"
    before, behind = section.split(body, 1) if body in section else ("", "")
    made = (PercentageStyle if "%" in section else PlainStyle)(name=name)
    if sign:
        made.addElement(Text(text=f"{sign} "))
    for affix, at in ((before, 0), (behind, 1)):
        if at == 1:
            whole, _, part = body.partition("E")[0].partition(".")
            least = {"decimalplaces": len(part), "minintegerdigits": max(1, whole.replace(",", "").count("0"))}
            if "E" in body:
                made.addElement(ScientificNumber(minexponentdigits=2, **least))
            else:
                factor = {"one": {}, "thousand": {"displayfactor": 1_000}, "million": {"displayfactor": 1_000_000}}[
                    style.scale
                ]
                made.addElement(Number(grouping="," in whole, **least, **factor))
        said = affix.replace("¤¤", currency).replace("¤", currency).replace("'", "")
        if said:
            made.addElement(Text(text=said))
    # The library writes only those automatic styles that content names, and the format of negatives is named by another.
    file.styles.addElement(made)
    return made


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the document. Raises OutputError where the report is too large for one."""
    sheet = Sheet(report)
    if (report.height + sheet.head_rows) * (report.width + sheet.head_columns) > MOST_CELLS:
        raise OutputError(
            f"the report has {number_of(report.height, 'row')} and {number_of(report.width, 'column')}, more than {MOST_CELLS:,} cells.",
            where=path.name,
            todo="Write it as .xlsx or .csv, or keep fewer members.",
        )
    live = conditional_styles(report)
    fixed = tuple(each for each in report.look.highlights if each not in live.values())
    dressed = Dressed(replace(report, look=replace(report.look, highlights=fixed)))
    into = _Document(report, dressed, sheet, live)
    _fill(into)
    packed = io.BytesIO()  # a full disk is then met by one write, not by an archive half closed
    into.file.write(packed)
    path.write_bytes(packed.getbuffer())


def _fill(into: _Document) -> None:
    from odf.table import Table, TableColumn, TableHeaderColumns, TableHeaderRows

    table = Table(name=re.sub(r"[\[\]*?:/\\\\']", " ", into.report.title or into.report.name)[:31].strip() or "Report")
    heads = TableHeaderColumns()
    heads.addElement(TableColumn(numbercolumnsrepeated=into.sheet.head_columns))
    table.addElement(heads)
    if into.report.width:
        table.addElement(TableColumn(numbercolumnsrepeated=into.report.width))
    inks = into.dressed.inks
    for text, style in (
        (into.report.title, CellStyle(inks.ink, bold=True, side=Side.LEFT)),
        (into.report.subtitle, CellStyle(inks.muted, side=Side.LEFT)),
        ("", CellStyle(inks.ink)),
    ):
        table.addElement(_row([_cell(into, text, style)]))
    head_rows = TableHeaderRows()
    for row in _heads(into):
        head_rows.addElement(row)
    table.addElement(head_rows)
    for start in range(0, into.report.height, 256):
        for row in _lines(into, range(start, min(into.report.height, start + 256))):
            table.addElement(row)
    table.addElement(_row([_cell(into, "", CellStyle(inks.ink))]))
    for style, words in Dressed(into.report).legend():
        said = CellStyle(inks.muted, side=Side.LEFT)
        table.addElement(_row([_cell(into, f"{style.sign} 1,234".strip(), style), _cell(into, words, said)]))
    for note in into.report.look.notes:
        table.addElement(_row([_cell(into, note, CellStyle(inks.muted, side=Side.LEFT))]))
    into.file.spreadsheet.addElement(table)


def _row(cells: list[Any]) -> Any:
    from odf.table import TableRow

    row = TableRow()
    for cell in cells:
        row.addElement(cell)
    return row


def _heads(into: _Document) -> list[Any]:
    """The rows of headings; those over several columns span them."""
    from odf.table import CoveredTableCell

    sheet, head = into.sheet, into.dressed.head
    grid: list[dict[int, Any]] = [{} for _ in range(sheet.head_rows)]
    for span in sheet.column_heads():
        style = replace(
            head, below=Rule.THIN, side=Side.MIDDLE if span.columns > 1 else Side.RIGHT, bold=not span.is_measure
        )
        left = sheet.head_columns + span.column
        for row in range(span.row, span.row + span.rows):
            for column in range(left, left + span.columns):
                grid[row][column] = CoveredTableCell()
        grid[span.row][left] = _cell(into, span.text, style, spans=(span.columns, span.rows), is_name=True)
    corner = replace(head, bold=False, ink=into.dressed.inks.muted, below=Rule.THIN, side=Side.LEFT)
    for column, text in enumerate(sheet.corner()):
        grid[-1][column] = _cell(into, text, corner)
    width = sheet.head_columns + into.report.width
    plain = CellStyle(into.dressed.inks.ink)
    return [_row([row.get(column) or _cell(into, "", plain) for column in range(width)]) for row in grid]


def _lines(into: _Document, rows: range) -> list[Any]:
    report, dressed = into.report, into.dressed
    codes = dressed.codes(rows, range(report.width)).tolist()
    made, texts = [], into.sheet.row_heads(rows, repeat=report.look.layout.repeat)
    rows_judged, columns_judged = members_of(report.left), members_of(report.top)
    for at, line in enumerate(rows):
        names = dressed.head_style(line)
        inset = "\u2003" * into.sheet.indent(line)
        cells = [_cell(into, inset + text, names, is_name=True) for text in texts[at]]
        for column, code in enumerate(codes[at]):
            style = dressed.palette[code]
            measure = report.cell(line, column)[0]
            value = report.value(line, column)
            judged = measure in into.live and bool(rows_judged[line] and columns_judged[column])
            cells.append(_cell(into, dressed.text(line, column, style), style, value, measure, judged=judged))
        made.append(_row(cells))
    return made


def _cell(
    into: _Document,
    text: str,
    style: CellStyle,
    value: Value = None,
    measure: int = -1,
    spans: tuple[int, int] = (1, 1),
    *,
    is_name: bool = False,
    judged: bool = False,
) -> Any:
    """A cell with its text as it is read, and its value with its type."""
    from odf.table import TableCell
    from odf.text import P

    more: dict[str, Any] = {"stylename": into.style(style, measure, is_name and into.report.look.layout.wrap, judged)}
    if spans != (1, 1):
        more |= {"numbercolumnsspanned": spans[0], "numberrowsspanned": spans[1]}
    if isinstance(value, bool):
        more |= {"valuetype": "boolean", "booleanvalue": "true" if value else "false"}
    elif isinstance(value, (int, Decimal)) or (isinstance(value, float) and isfinite(value)):
        more |= {
            "valuetype": "percentage" if "%" in into.report.pattern(measure) else "float",
            "value": f"{value:f}" if isinstance(value, Decimal) else repr(value),
        }
    elif isinstance(value, (datetime.date, datetime.datetime)):
        more |= {"valuetype": "date", "datevalue": value.isoformat()}
    elif text:
        more["valuetype"] = "string"
    cell = TableCell(**more)
    if text:
        cell.addElement(P(text=f"{style.sign} {text}" if style.sign else text))
    return cell


ODS = entered(Output(".ods", "OpenDocument spreadsheet", save, standing=12))
