"""Panes that can be narrowed, widened and put away, and stay so from one sitting to the next."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from foldbasket.desktop import memory
from foldbasket.desktop.widgets import theme

REST = 300
"""Milliseconds without a move after which a size is kept."""


class _Edge(QSplitterHandle):
    """The line between two panes: one pixel to see, more to take hold of."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        colours, area = theme.palette(), self.rect()
        painter.fillRect(area, QColor(colours.rule if self.underMouse() else colours.line))


def edge_of(splitter: QSplitter) -> QSplitterHandle:
    """An edge that is a thin line, which shows that it can be dragged when the hand is over it."""
    edge = _Edge(splitter.orientation(), splitter)
    edge.setAttribute(Qt.WidgetAttribute.WA_Hover)
    return edge


class Panes(QSplitter):
    """Panes side by side or above one another. Those that are named keep their size; the one without a name takes what is left."""

    def __init__(self, across: bool, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal if across else Qt.Orientation.Vertical, parent)
        self._names: list[str] = []
        self.setHandleWidth(1)
        self.setChildrenCollapsible(False)
        # A drag moves an edge at every pixel; what is kept is where it is let go.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(REST)
        self._later.timeout.connect(self._remember)
        self.splitterMoved.connect(lambda *_: self._keep())

    def createHandle(self) -> QSplitterHandle:
        return edge_of(self)

    def add(self, pane: QWidget, name: str = "", usual: int = 0, bounds: tuple[int, int] = (0, 0)) -> None:
        """Adds a pane at the end; one with a name has a usual size, and bounds that it is kept in."""
        self._names.append(name)
        self.addWidget(pane)
        self.setStretchFactor(len(self._names) - 1, 0 if name else 1)
        if not name:
            return
        across = self.orientation() == Qt.Orientation.Horizontal
        (pane.setMinimumWidth if across else pane.setMinimumHeight)(bounds[0])
        (pane.setMaximumWidth if across else pane.setMaximumHeight)(bounds[1])
        size = max(bounds[0], min(bounds[1], memory.pane(name) or usual))
        pane.setProperty("paneSize", size)
        pane.installEventFilter(self)
        self.arrange()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent):
            self.arrange()
        return super().eventFilter(watched, event)

    def arrange(self) -> None:
        """Gives every named pane the size it has been given last, and the other one the rest."""
        across = self.orientation() == Qt.Orientation.Horizontal
        whole = self.width() if across else self.height()
        sizes = [int(self._pane(at).property("paneSize") or 0) for at in range(len(self._names))]
        shown = [size if self._pane(at).isVisibleTo(self) else 0 for at, size in enumerate(sizes)]
        rest = max(1, whole - sum(shown))
        self.setSizes([shown[at] if name else rest for at, name in enumerate(self._names)])

    def _pane(self, at: int) -> QWidget:
        pane = self.widget(at)
        assert pane is not None
        return pane

    def _keep(self) -> None:
        sizes: Sequence[int] = self.sizes()
        for at, name in enumerate(self._names):
            if name and self._pane(at).isVisibleTo(self) and sizes[at]:
                self._pane(at).setProperty("paneSize", sizes[at])
        self._later.start()

    def _remember(self) -> None:
        for at, name in enumerate(self._names):
            if name:
                memory.keep_pane(name, int(self._pane(at).property("paneSize")))

    def nudge(self, pane: QWidget, by: int) -> None:
        """Makes a pane a little larger or smaller."""
        across = self.orientation() == Qt.Orientation.Horizontal
        bounds = (pane.minimumWidth(), pane.maximumWidth()) if across else (pane.minimumHeight(), pane.maximumHeight())
        pane.setProperty("paneSize", max(bounds[0], min(bounds[1], int(pane.property("paneSize") or 0) + by)))
        self.arrange()
        self._keep()
