"""What is selected in the report, in the line of facts: what the cells come to, and what can be done with the members."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.several import deeds
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.plain import Label, link, marked, say_what_fits
from foldbasket.folding.report.selected import Selected, selected

MOST_CELLS = 500_000
"""Of more cells only their number is said: adding them up would take longer than a frame."""
NARROWEST = 190
"""So much room the facts keep beside the links."""


class SelectionLine(QWidget):
    """Hidden while one cell or nothing is selected."""

    def __init__(self, desk: Desk, grid: GridView, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk, self.grid = desk, grid
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._line = line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(12)
        self.facts = marked(Label(self))
        self.facts.setMinimumWidth(60)
        line.addWidget(self.facts)
        self._links: list[QPushButton] = []
        line.addStretch(1)
        self._texts: list[str] = [""]
        self.hide()

    @property
    def is_wanted(self) -> bool:
        """Whether there is anything to say."""
        cells = self.grid.selection()
        return cells is not None and (self.grid.hands.chosen is not None or len(cells[0]) * len(cells[1]) > 1)

    def renew(self) -> None:
        """Says what is selected now."""
        report, cells, chosen = self.grid.report, self.grid.selection(), self.grid.hands.chosen
        for each in self._links:
            let_go(each)
        self._links = []
        if report is None or cells is None or not self.is_wanted:
            return
        found = None
        rows, columns = cells
        if report.measures and len(rows) * len(columns) and len(rows) * len(columns) <= MOST_CELLS:
            marked_at = self.grid.marked
            at = (marked_at.row, marked_at.column) if marked_at is not None else (rows[0], columns[0])
            found = selected(report, rows, columns, at)
        lead = ""
        if chosen is not None:
            heading, many = chosen.margin.axis.heads[chosen.field].heading, len(chosen.members)
            lead = escape(chosen.members[0].label if many == 1 else f"{many} of {heading}")
            for deed in deeds(self.desk, chosen, self.window() or self):
                self._links.append(link(deed.name, deed.tip, deed.act, self))
                self._line.insertWidget(self._line.count() - 1, self._links[-1])
        self._texts = _texts(lead, found, len(rows) * len(columns))
        self.fit()

    def fit(self) -> None:
        """Says as much as there is room for; links that find none are left to the menu."""
        room = self.width() - NARROWEST - 20
        for each in self._links:
            wide = each.sizeHint().width() + 12
            each.setVisible(room >= wide)
            room -= wide
        used = sum(each.sizeHint().width() + 12 for each in self._links if not each.isHidden())
        texts = [f"<span style='font-size:12px'>{text}</span>" for text in self._texts]
        say_what_fits(self.facts, texts, max(60, self.width() - used - 16))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()

    def minimumSizeHint(self) -> QSize:
        return QSize(60, super().minimumSizeHint().height())


def _texts(lead: str, found: Selected | None, cells: int) -> list[str]:
    """What is said, from the fullest to the shortest."""
    muted = theme.palette().muted

    def quiet(text: str) -> str:
        return f"<span style='color:{muted}'>{escape(text)}</span>"

    parts = [f"<b>{lead}</b>"] if lead else []
    if found is None:
        return [*["&nbsp;&nbsp;&nbsp;".join([*parts, f"<b>{cells:,}</b> {quiet('cells')}"])], *parts]
    if found.sum:
        parts.append(f"{quiet('sum of ' + found.measure)} <b>{escape(found.sum)}</b>")
        pairs = (("average", found.average), ("smallest", found.smallest), ("largest", found.largest))
        parts += [f"{quiet(name)} {escape(text)}" for name, text in pairs]
    values = f"{found.values:,}"
    parts.append(
        f"{quiet('count')} {values}" if found.sum else f"<b>{values}</b> {quiet('values of ' + found.measure)}"
    )
    if found.blanks:
        parts.append(quiet(f"{found.blanks:,} empty"))
    if found.without_totals:
        parts.append(quiet("totals left out"))
    return ["&nbsp;&nbsp;&nbsp;".join(parts[:stop]) for stop in range(len(parts), 0, -1)]
