"""The chart of the fold in view, drawn in the background: from the report's fold to a picture and what stands where in it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.baskets.basket import Basket
from foldbasket.charts.choosing import Choice, choices
from foldbasket.charts.figures import Figures, figures_of
from foldbasket.charts.roles import fold_of_chart
from foldbasket.desktop.state.board import Board
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import Cancelled, FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Chart
from foldbasket.spec.fold import Fold
from foldbasket.styling.styles import Paper
from foldbasket.tables.progress import Progress


@dataclass(frozen=True, eq=False)
class DrawnChart:
    """A chart as it was drawn: of which report, its figures, and the picture (a `charts.picture.Picture`) with its dots; `picture` None, and
    why, where it is refused."""

    report: Report
    chart: Chart
    figures: Figures | None
    offered: tuple[Choice, ...]
    asked: Fold | None = None
    """The fold that its figures are of."""
    picture: Any = None
    pixels: tuple[bytes, int, int] = (b"", 0, 0)
    problem: FoldBasketError | None = None


class ChartWork(QObject):
    """`drawn` brings a `DrawnChart`, `copied` the dots that go to the clipboard with their width and height. The newest that is asked for is drawn; the figures of a report are kept while only its size or looks change."""

    drawn = pyqtSignal(object)
    copied = pyqtSignal(bytes, int, int)

    def __init__(self, desk: Board, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.last: DrawnChart | None = None
        self._worker = Worker("chart", self)
        self._worker.finished.connect(self._came)
        self._worker.failed.connect(desk.not_done)
        self._kept: tuple[Report, Fold, Chart, Figures] | None = None

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def draw(self, width: float, height: float, paper: Paper, scale: float) -> None:
        """Draws the chart of the fold in view, of the report as it stands."""
        report, fold = self.desk.report, self.desk.fold
        if report is None or fold is None or fold.chart is None or width < 40 or height < 40:
            return
        chart, engine, basket = fold.chart, self.desk.engine, self.desk.basket
        known = self._known(report, fold, chart)

        def work(progress: Progress) -> DrawnChart:
            try:
                figures = known or _figures(engine, basket, report, fold, progress)
            except Cancelled:
                raise
            except FoldBasketError as error:
                return DrawnChart(report, chart, None, (), problem=error)
            progress.look()
            offered = tuple(choices(figures))
            from foldbasket.charts.picture import picture_of

            try:
                picture = picture_of(figures, chart, width, height, paper, scale)
            except FoldBasketError as error:
                return DrawnChart(report, chart, figures, offered, fold, problem=error)
            pixels = picture.canvas.pixels()
            picture.canvas.let_go()
            return DrawnChart(report, chart, figures, offered, fold, picture, pixels)

        self._worker.start(work)

    def copy(self) -> None:
        """Hands the picture on, as RGBA dots; says so where there is none."""
        if self.last is not None and self.last.picture is not None:
            self.copied.emit(*self.last.pixels)
            self.desk.news.emit("The chart is on the clipboard.")
        else:
            self.desk.news.emit("There is no chart to copy yet.")

    def cancel(self) -> None:
        """Gives up what is being drawn."""
        self._worker.cancel()

    def _known(self, report: Report, fold: Fold, chart: Chart) -> Figures | None:
        """The figures of the last chart, where they are those of this one."""
        kept = self._kept
        if (
            kept is not None
            and kept[0] is report
            and kept[1].asks_as(fold)
            and kept[2] == chart
            and kept[3].report.style == report.style
        ):
            return kept[3]
        return None

    def _came(self, made: DrawnChart) -> None:
        self.last = made
        if made.figures is not None and made.asked is not None:
            self._kept = (made.report, made.asked, made.chart, made.figures)
        self.drawn.emit(made)


def _figures(engine: Engine, basket: Basket, report: Report, fold: Fold, progress: Progress) -> Figures:
    """The figures of a fold's chart, folded with what it needs. Raises FoldBasketError, Cancelled."""
    assert fold.chart is not None
    made = engine.fold(fold_of_chart(fold, fold.chart, report), progress)
    return figures_of(basket.worn(made, fold), fold, fold.chart)
