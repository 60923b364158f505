"""The chart of a report that is handed on: its figures, folded again with every total."""

from __future__ import annotations

import msgspec

from foldbasket.charts.figures import Figures, figures_of
from foldbasket.charts.roles import fold_of_chart
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Chart


def chart_of(report: Report) -> Chart | None:
    """The chart that the fold of a report says; None where it has none."""
    return report.origin.fold.chart if report.origin is not None else None


def figures_for(report: Report, chart: Chart) -> Figures:
    """The figures of a chart of a report. Raises FoldBasketError."""
    origin = report.origin
    if origin is None:
        raise OutputError("this report comes from no fold, so it has no chart.", todo="Write it as XLSX.")
    made = origin.again(fold_of_chart(origin.fold, chart, report))
    return figures_of(msgspec.structs.replace(made, look=report.look, style=report.style), origin.fold, chart)
