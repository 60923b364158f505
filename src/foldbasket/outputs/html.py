"""Reports as HTML: a table with its styles on every cell for mails and the clipboard, and a page of its own in a light and a dark set."""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterable
from html import escape
from pathlib import Path

from msgspec.structs import replace

from foldbasket.charts.made import chart_of
from foldbasket.errors import FoldBasketError
from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import drawn_chart
from foldbasket.outputs.css import bar, css, family, paper
from foldbasket.outputs.formats import Output, entered
from foldbasket.outputs.harmless import cell_text, dressed_text, harmless
from foldbasket.outputs.sheet import Sheet, Span
from foldbasket.spec.look import Side

Wear = Callable[[CellStyle], str]
"""The attribute that gives a cell its style."""
CHUNK = 512


def table(report: Report) -> str:
    """The whole report as a ``<table>``, its sentence as the caption. Mail programs drop style sheets, so every cell carries its own."""
    dressed = Dressed(report)

    def wear(style: CellStyle) -> str:
        return f' style="padding:2px 10px;{css(style)}"'

    whole = f"border-collapse:collapse;font-size:10pt;font-family:{family(dressed.style)};color:{dressed.inks.ink}"
    return "".join(
        [
            f'<table style="{whole}"><caption style="text-align:left;padding:4px 0">{escape(report.subtitle)}</caption>',
            *_parts(dressed, wear),
            "</table>",
        ]
    )


def _parts(dressed: Dressed, wear: Wear) -> Iterable[str]:
    """Head and body of the table, some lines at a time."""
    report, sheet = dressed.report, Sheet(dressed.report)
    yield "<thead>"
    heads: list[list[Span]] = [[] for _ in range(sheet.head_rows)]
    for span in sheet.column_heads():
        heads[span.row].append(span)
    head = dressed.head
    for row, spans in enumerate(heads):
        out = ["<tr>"]
        if row == 0 and sheet.head_rows > 1:
            out.append(f'<th colspan="{sheet.head_columns}" rowspan="{sheet.head_rows - 1}"></th>')
        if row == sheet.head_rows - 1:
            own = wear(replace(head, side=Side.LEFT, bold=False, ink=dressed.inks.muted))
            out += [f'<th scope="col"{own}>{escape(harmless(text))}</th>' for text in sheet.corner()]
        for span in sorted(spans, key=lambda span: span.column):
            size = (f' colspan="{span.columns}"' if span.columns > 1 else "") + (
                f' rowspan="{span.rows}"' if span.rows > 1 else ""
            )
            own = wear(replace(head, side=Side.MIDDLE if span.columns > 1 else Side.RIGHT, bold=not span.is_measure))
            scope = "colgroup" if span.columns > 1 else "col"
            out.append(f'<th scope="{scope}"{size}{own}>{escape(harmless(span.text))}</th>')
        yield "".join([*out, "</tr>"])
    yield "</thead><tbody>"
    for start in range(0, report.height, CHUNK):
        rows = range(start, min(report.height, start + CHUNK))
        yield from _lines(dressed, sheet, rows, wear)
    yield "</tbody>"


def _lines(dressed: Dressed, sheet: Sheet, rows: range, wear: Wear) -> Iterable[str]:
    report, columns = dressed.report, range(dressed.report.width)
    codes, bars = dressed.codes(rows, columns).tolist(), dressed.bars(rows, columns)
    worn = [wear(style) for style in dressed.palette]
    names = sheet.row_heads(rows, repeat=report.look.layout.repeat)
    for at, line in enumerate(rows):
        out = ['<tr class="g">' if line and sheet.gaps[line - 1] and not report.left.is_total[line] else "<tr>"]
        name = wear(dressed.head_style(line))
        inset = "\u2003" * sheet.indent(line)
        out += [f'<th scope="row"{name}>{inset}{escape(harmless(text))}</th>' for text in names[at]]
        for column, code in enumerate(codes[at]):
            style = dressed.palette[code]
            own = worn[code]
            if style.bar and bars is not None and bars[at, column] == bars[at, column]:
                own = (
                    f'{own} style="{bar("var(--bar)", float(bars[at, column]))}"'
                    if "class" in own
                    else f'{own[:-1]};{bar(style.bar, float(bars[at, column]))}"'
                )
            out.append(f"<td{own}>{escape(dressed_text(dressed, line, column, style))}</td>")
        out.append("</tr>")
        yield "".join(out)


def block(report: Report, rows: Iterable[int], columns: Iterable[int]) -> str:
    """A block of cells without headings, as a ``<table>``."""
    chosen = list(columns)
    lines = ("".join(f"<td>{escape(cell_text(report, row, column))}</td>" for column in chosen) for row in rows)
    return "<table>" + "".join(f"<tr>{line}</tr>" for line in lines) + "</table>"


def page(report: Report) -> str:
    """A whole HTML document: the report under its title, with legend and notes; its style inside, in a light and a dark set."""
    light, dark = Dressed(report), Dressed(report, "dark")
    classes: dict[CellStyle, str] = {}

    def wear(style: CellStyle) -> str:
        return f' class="{classes.setdefault(style, f"c{len(classes)}")}"'

    body = [
        f"<h1>{escape(report.title)}</h1>" if report.title else "",
        "<table>",
        f"<caption>{escape(report.subtitle)}</caption>" if report.subtitle else "",
        *_parts(light, wear),
        "</table>",
        _chart(report),
        *(
            f"<p><span{wear(style)}{_sample_bar(style)}>&nbsp;{escape(style.sign)} 1,234&nbsp;</span> {escape(words)}</p>"
            for style, words in light.legend()
        ),
        *(f"<p>{escape(note)}</p>" for note in report.look.notes),
    ]
    inks = _inks(light, dark)
    rules = [f".{name}{{{_rule(style)}}}" for style, name in classes.items()]
    night = [f".{name}{{{_rule(_in_other_inks(style, inks))}}}" for style, name in classes.items()]
    sheet = (
        f"body{{margin:2em;{paper(light)}}}table{{border-collapse:collapse;font-size:10pt}}td,th{{padding:2px 10px;font-weight:400}}"
        f"caption{{text-align:left;padding:4px 0;color:{light.inks.muted}}}h1{{font-size:15pt;margin:0}}p{{font-size:9pt;margin:6px 0}}"
        f"tr.g>*{{border-top:7px solid transparent;background-clip:padding-box}}"
        f"{''.join(rules)}@media(prefers-color-scheme:dark){{body{{{paper(dark)}}}caption{{color:{dark.inks.muted}}}{''.join(night)}}}"
    )
    language = escape(report.locale.split("_")[0])
    return (
        f'<!DOCTYPE html><html lang="{language}"><head><meta charset="utf-8"><meta name="color-scheme" content="light dark">'
        f"<title>{escape(report.title or report.name)}</title><style>{sheet}</style></head><body>{''.join(body)}</body></html>\n"
    )


def _chart(report: Report) -> str:
    """The chart of the fold as a picture within the page, in a light and a dark set, with its words for who does not see it."""
    if chart_of(report) is None:
        return ""
    try:
        light, said = drawn_chart(report, "svg")
        dark, _ = drawn_chart(report, "svg", paper="dark")
    except FoldBasketError as error:
        return f"<p>{escape(f'The chart is left out: {error}')}</p>"
    one, two = (f"data:image/svg+xml;base64,{base64.b64encode(each).decode('ascii')}" for each in (light, dark))
    return (
        f'<picture><source media="(prefers-color-scheme:dark)" srcset="{two}">'
        f'<img src="{one}" alt="{escape(said)}" style="max-width:100%;margin:14px 0"></picture>'
    )


def _rule(style: CellStyle) -> str:
    """The declarations of a style, the ink of its bars among them: how long each is stands on its cell."""
    return f"{css(style)};--bar:{style.bar}" if style.bar else css(style)


def _sample_bar(style: CellStyle) -> str:
    return f' style="{bar("var(--bar)", 2 / 3)}"' if style.bar else ""


def _inks(light: Dressed, dark: Dressed) -> dict[str, str]:
    """For each ink of the light set that of the dark one."""
    one, two = light.inks, dark.inks
    found = {
        getattr(one, name): getattr(two, name)
        for name in ("ink", "muted", "rule", "accent", "band", "head", "subtotal", "grand")
        if getattr(one, name)
    }
    for name, (ink, ground) in one.marks.items():
        found[ink], found[ground] = two.marks[name]
    for at, lit in enumerate(light.lit):
        form = lit.highlight.form
        for step in range(type(form).steps):
            share = step / max(1, type(form).steps - 1)
            was, now = form.look(share, one), dark.lit[at].highlight.form.look(share, two)
            for name in ("ink", "ground"):
                if getattr(was, name) and getattr(now, name):
                    found[getattr(was, name)] = getattr(now, name)
        if form.edge(one):
            found[form.edge(one)] = form.edge(two)
    return found


def _in_other_inks(style: CellStyle, inks: dict[str, str]) -> CellStyle:
    names = ("ink", "ground", "rule_ink", "edge", "bar")
    return replace(style, **{name: inks.get(getattr(style, name), getattr(style, name)) for name in names})


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes an HTML file, UTF-8."""
    path.write_text(page(report), encoding="utf-8")


HTML = entered(Output(".html", "HTML page", save, standing=30))
