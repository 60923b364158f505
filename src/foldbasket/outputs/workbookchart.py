"""The chart of a fold as a workbook's own: its figures on a sheet of their own, and a chart that refers to them."""

from __future__ import annotations

from typing import Any

import numpy as np

from foldbasket.charts.choosing import chosen
from foldbasket.charts.figures import Figures, Panel
from foldbasket.charts.kinds.blocks import Blocks, Columns, Stacked
from foldbasket.charts.kinds.lines import Areas, Lines
from foldbasket.charts.kinds.parts import Parts
from foldbasket.charts.kinds.points import Points
from foldbasket.charts.made import chart_of, figures_for
from foldbasket.errors import FoldBasketError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.harmless import harmless
from foldbasket.spec.chart import Chart, Drawn
from foldbasket.styling.palette import others_ink, series_inks

WIDE, TALL = 760, 400


def chart_sheet(book: Any, report: Report) -> None:
    """Adds the sheet, where the fold has a chart that a workbook can say; else one line that says why there is none."""
    chart = chart_of(report)
    if chart is None:
        return
    page = book.add_worksheet("Chart")
    page.hide_gridlines(2)
    try:
        figures = figures_for(report, chart)
    except FoldBasketError as error:
        page.write_string(0, 0, f"The chart is left out: {error}")
        return
    choice = chosen(figures, chart)
    if choice.refusal:
        page.write_string(0, 0, f"The chart is left out: {choice.refusal}")
        return
    top = 0
    for panel in figures.panels:
        top = _panel(book, page, figures, panel, chart, choice.drawn, top)


def _panel(book: Any, page: Any, figures: Figures, panel: Panel, chart: Chart, drawn: Drawn, top: int) -> int:
    """Writes the figures of a panel and its chart beside them; the row where the next begins."""
    many, first = len(figures.labels), top + 1
    page.write_string(top, 0, harmless(figures.heading or "Member"))
    names, values = [harmless(label) for label in figures.labels], [each.values for each in panel.series]
    heads = [each.name or figures.report.measures[panel.measure].heading for each in panel.series]
    if isinstance(drawn, Points):
        other = drawn.other(figures, panel)
        assert other is not None
        heads, values = [figures.report.measures[other].heading, *heads], [_of(figures, panel, other), *values]
    for at, name in enumerate(names):
        page.write_string(first + at, 0, name)
    for column, (head, column_values) in enumerate(zip(heads, values, strict=True), 1):
        page.write_string(top, column, harmless(head))
        for at, value in enumerate(column_values.tolist()):
            if value == value:
                page.write_number(first + at, column, value)
    made = book.add_chart(_kind(drawn, len(panel.series)))
    if made is None:
        return top + many + 3
    inks = series_inks("light")
    start = 2 if isinstance(drawn, Points) else 1
    for number, series in enumerate(panel.series):
        column = start + number
        ink = others_ink(figures.report.style.light) if series.others else inks[number % len(inks)]
        said: dict[str, Any] = {
            "name": ["Chart", top, column],
            "categories": [
                "Chart",
                first,
                1 if isinstance(drawn, Points) else 0,
                first + many - 1,
                1 if isinstance(drawn, Points) else 0,
            ],
            "values": ["Chart", first, column, first + many - 1, column],
        }
        if isinstance(drawn, Parts):
            said["points"] = [{"fill": {"color": inks[at % len(inks)]}} for at in range(many)]
        elif isinstance(drawn, Lines):
            said["line"] = {"color": ink, "width": 2}
        elif isinstance(drawn, Points):
            said["marker"] = {"type": "circle", "size": 7, "fill": {"color": ink}, "border": {"none": True}}
        else:
            said["fill"] = {"color": ink}
        made.add_series(said)
    made.set_title(
        {"name": panel.name or chart.title or figures.report.measures[panel.measure].heading, "name_font": {"size": 12}}
    )
    made.set_y_axis({"major_gridlines": {"visible": True, "line": {"color": "#D9D9D9"}}, "reverse": False})
    if type(drawn).upright is False:
        made.set_y_axis({"reverse": True})
    made.set_legend(
        {"none": True} if len(panel.series) == 1 and not isinstance(drawn, Parts) else {"position": "bottom"}
    )
    made.set_size({"width": WIDE, "height": TALL})
    made.show_blanks_as("gap")
    page.insert_chart(top, len(heads) + 2, made, {"description": figures.report.sentence})
    return top + max(many + 3, 22)


def _kind(drawn: Drawn, several: int) -> dict[str, str]:
    """What a workbook calls a kind of chart."""
    if isinstance(drawn, Blocks):
        kind = "column" if isinstance(drawn, Columns) else "bar"
        stacked = (
            {Stacked.STACKED: "stacked", Stacked.HUNDRED: "percent_stacked"}.get(drawn.stacked) if several > 1 else None
        )
        return {"type": kind, **({"subtype": stacked} if stacked else {})}
    if isinstance(drawn, Areas):
        return {"type": "area", "subtype": "percent_stacked" if drawn.hundred else "stacked"}
    if isinstance(drawn, Parts):
        return {"type": "doughnut"}
    if isinstance(drawn, Points):
        return {"type": "scatter"}
    return {"type": "line"} if isinstance(drawn, Lines) else {"type": "column"}


def _of(figures: Figures, panel: Panel, measure: int) -> np.ndarray:
    block = figures.report.blocks[measure]
    found = np.full(len(figures.labels), np.nan)
    for series in panel.series:
        for at, (known, row, line) in enumerate(series.cells.tolist()):
            if known >= 0 and not block.blank[row, line]:
                found[at] = float(block.data[row, line]) / 10.0**block.scale
    return found
