"""The room of grid and chart: the chart under the grid, beside it or instead of it, as large as an edge was dragged."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from foldbasket.desktop.chart.view import ChartView
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.panes import edge_of
from foldbasket.spec.chart import Beside

LEAST, MOST = 0.5, 0.75
"""How much of the room a chart takes that was never given a size: what the grid leaves, within these."""
REST = 300
"""Milliseconds after which an edge that was dragged is taken to stand."""


class ChartRoom(QSplitter):
    """`menu_wanted` brings the mark of the chart that was asked about, and where; `made` the chart, once there is one."""

    menu_wanted = pyqtSignal(object, QPoint)
    made = pyqtSignal(object)

    def __init__(self, desk: Desk, grid: GridView, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Vertical, parent)
        self.desk, self.grid = desk, grid
        self.chart: ChartView | None = None
        self.setHandleWidth(1)
        self.setChildrenCollapsible(False)
        self.addWidget(grid)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(REST)
        self._later.timeout.connect(self._keep)
        self.splitterMoved.connect(lambda *_: self._later.start())
        desk.when(Part.FOLD | Part.LOOK | Part.VIEW, self, self.renew)
        desk.when(Part.REPORT, self, self._fit)
        self._fitted: tuple[str, Beside] | None = None
        """The fold, and where its chart stood, when it was last fitted to what the grid leaves."""

    @property
    def has_chart(self) -> bool:
        """Whether there is a chart in view."""
        return self.chart is not None and not self.chart.isHidden()

    def _made(self) -> ChartView:
        """The chart, made when there is one to show."""
        if self.chart is None:
            self.chart = ChartView(self.desk, self)
            self.chart.menu_wanted.connect(self.menu_wanted)
            self.chart.chosen.connect(self.desk.show_chart)
            self.addWidget(self.chart)
            self.made.emit(self.chart)
        return self.chart

    def renew(self) -> None:
        """Puts the chart where the fold says, or away."""
        fold = self.desk.fold
        chart = fold.chart if fold is not None else None
        if chart is None:
            if self.chart is not None:
                self.chart.hide()
            self.grid.show()
            return
        across = chart.place is Beside.BESIDE
        self.setOrientation(Qt.Orientation.Horizontal if across else Qt.Orientation.Vertical)
        self._made().show()
        self.grid.setVisible(chart.place is not Beside.INSTEAD)
        self._arrange()

    def createHandle(self) -> QSplitterHandle:
        return edge_of(self)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        fold = self.desk.fold
        if fold is None or fold.chart is None or not self.has_chart:
            return
        across = self.orientation() == Qt.Orientation.Horizontal
        whole = self.width() if across else self.height()
        share = fold.chart.share
        if share is None:
            wanted = self.grid.wanted()
            left = 1 - (wanted.width() if across else wanted.height()) / max(1, whole)
            share = min(MOST, max(LEAST, left))
        mine = int(whole * share)
        self.setSizes([max(1, whole - mine), max(1, mine)])

    def _fit(self) -> None:
        """Gives a chart that has no size of its own what the grid leaves, once for each fold and place: later the edge stays where it is."""
        fold = self.desk.fold
        now = (fold.key, fold.chart.place) if fold is not None and fold.chart is not None else None
        if now != self._fitted:
            self._fitted = now
            self._arrange()

    def _keep(self) -> None:
        """Keeps the size that the chart was given."""
        fold, sizes = self.desk.fold, self.sizes()
        if fold is None or fold.chart is None or fold.chart.place is Beside.INSTEAD or len(sizes) < 2 or not sum(sizes):
            return
        share = round(sizes[1] / sum(sizes), 3)
        if fold.chart.share is None or abs(share - fold.chart.share) > 0.004:
            self.desk.change_chart("Size of the chart", share=share)
