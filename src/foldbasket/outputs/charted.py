"""The chart of a report by itself, as a picture, a drawing or PDF; and within other outputs."""

from __future__ import annotations

import io
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from foldbasket.charts.made import chart_of, figures_for
from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Chart
from foldbasket.styling.styles import Paper

if TYPE_CHECKING:
    from foldbasket.charts.picture import Picture

WIDTH, HEIGHT = 960.0, 540.0
Form = Literal["png", "svg", "pdf"]


def drawn_chart(
    report: Report,
    form: Form,
    width: float = WIDTH,
    height: float = HEIGHT,
    paper: Paper = "light",
    ground: str = "",
    dots: float = 2.0,
) -> tuple[bytes, str]:
    """The chart of a report, the one that fits best where its fold says none, as a file and in words; `dots` says how
    many of a picture a pixel is, `ground` is the
    colour of what it is drawn on, where that is not the style's paper. Raises FoldBasketError."""
    picture = chart_picture(report, width, height, paper, ground, dots if form == "png" else 1.0)
    file = io.BytesIO()
    picture.canvas.save(file, form, picture.title)
    picture.canvas.let_go()
    return file.getvalue(), picture.said


def chart_picture(
    report: Report, width: float, height: float, paper: Paper = "light", ground: str = "", scale: float = 1.0
) -> Picture:
    """The chart of a report, drawn; see `drawn_chart`."""
    from foldbasket.charts.picture import picture_of  # matplotlib is imported only when something is drawn

    chart = chart_of(report) or Chart()
    return picture_of(figures_for(report, chart), chart, width, height, paper, scale, ground)


def save_chart(report: Report, path: Path, form: Form) -> None:
    """Writes the chart of a report."""
    path.write_bytes(drawn_chart(report, form)[0])
