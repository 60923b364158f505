"""Reports as an HTML table: for mails, for the clipboard, and as a page of its own."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape
from pathlib import Path

from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.harmless import cell_text, harmless
from foldbasket.outputs.sheet import Sheet, Span

# Mail programs drop style sheets, so every cell carries its own style.
_CELL = "padding:2px 10px;"
_RULE = {
    Kind.MEMBER: "",
    Kind.SUBTOTAL: "font-weight:600;border-top:1px solid #a9a08c;",
    Kind.CLOSED: "",
    Kind.GRAND: "font-weight:600;border-top:1px solid #2a2622;border-bottom:3px double #2a2622;",
}


def table(report: Report) -> str:
    """The whole report as a ``<table>``, its sentence as the caption."""
    sheet = Sheet(report)
    out = [
        f'<table style="border-collapse:collapse;font-family:Inter,sans-serif;font-size:10pt;color:#2a2622">'
        f'<caption style="text-align:left;padding:4px 0">{escape(report.sentence)}</caption><thead>'
    ]
    heads: list[list[Span]] = [[] for _ in range(sheet.head_rows)]
    for span in sheet.column_heads():
        heads[span.row].append(span)
    for row, spans in enumerate(heads):
        out.append("<tr>")
        if row == 0 and sheet.head_rows > 1:
            out.append(f'<th colspan="{sheet.head_columns}" rowspan="{sheet.head_rows - 1}"></th>')
        if row == sheet.head_rows - 1:
            out += [
                f'<th scope="col" style="{_CELL}text-align:left">{escape(harmless(text))}</th>'
                for text in sheet.corner()
            ]
        for span in sorted(spans, key=lambda span: span.column):
            size = (f' colspan="{span.columns}"' if span.columns > 1 else "") + (
                f' rowspan="{span.rows}"' if span.rows > 1 else ""
            )
            side = "center" if span.columns > 1 else "right"
            out.append(
                f'<th scope="col"{size} style="{_CELL}text-align:{side};border-bottom:1px solid #2a2622">{escape(harmless(span.text))}</th>'
            )
        out.append("</tr>")
    out.append("</thead><tbody>")
    sides = ["right" if report.is_number(measure) else "left" for measure in range(len(report.measures))]
    for line in range(report.height):
        rule = _RULE[Kind(report.left.kind[line])]
        out.append("<tr>")
        for text in sheet.row_head(line, repeat=False):
            out.append(
                f'<th scope="row" style="{_CELL}{rule}text-align:left;font-weight:{600 if rule else 400}">{escape(harmless(text))}</th>'
            )
        for column in range(report.width):
            side = sides[report.cell(line, column)[0]]
            red = "color:#a5473a;" if report.is_negative(line, column) else ""
            out.append(
                f'<td style="{_CELL}{rule}{red}text-align:{side}">{escape(cell_text(report, line, column))}</td>'
            )
        out.append("</tr>")
    out.append("</tbody></table>")
    return "".join(out)


def block(report: Report, rows: Iterable[int], columns: Iterable[int]) -> str:
    """A block of cells without headings, as a ``<table>``."""
    chosen = list(columns)
    lines = ("".join(f"<td>{escape(cell_text(report, row, column))}</td>" for column in chosen) for row in rows)
    return "<table>" + "".join(f"<tr>{line}</tr>" for line in lines) + "</table>"


def page(report: Report) -> str:
    """A whole HTML document with the report's name and sentence."""
    return (
        f'<!DOCTYPE html><html lang="{escape(report.locale.split("_")[0])}"><head><meta charset="utf-8"><title>{escape(report.name)}</title></head>'
        f'<body style="background:#fcfaf6;margin:2em"><h1 style="font:600 15pt Inter,sans-serif">{escape(report.name)}</h1>{table(report)}</body></html>\n'
    )


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes an HTML file, UTF-8."""
    path.write_text(page(report), encoding="utf-8")


HTML = entered(Output(".html", "HTML page", save, standing=30))
