"""The thin line of facts over the grid: how many records are kept, what is being done, and a way to stop it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from foldbasket.desktop import theme
from foldbasket.desktop.desk import Desk


class FactsLine(QFrame):
    """One line, always there, so that the grid does not jump when work begins."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("facts")
        self.setFixedHeight(30)
        line = QHBoxLayout(self)
        line.setContentsMargins(22, 0, 14, 0)
        line.setSpacing(14)
        self.kept = QLabel(self)
        self.kept.setTextFormat(Qt.TextFormat.RichText)
        self.doing = QLabel(self)
        self.doing.setProperty("role", "quiet")
        self.bar = QProgressBar(self)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(120)
        self.bar.setAccessibleName("How far the work is")
        self.stop = QPushButton("Cancel", self)
        self.stop.setProperty("role", "link")
        self.stop.clicked.connect(desk.cancel)
        self.turn = QPushButton("Turn", self)
        self.turn.setProperty("role", "link")
        self.turn.setToolTip("Rows become columns and columns rows (Ctrl+T)")
        self.turn.clicked.connect(desk.turn)
        for widget in (self.kept, self.doing, self.bar, self.stop):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(self.turn)
        desk.report_changed.connect(self.renew)
        desk.basket_changed.connect(self.renew)
        desk.told.connect(self._tell)
        desk.rested.connect(self._rest)
        self._rest()
        self.renew()

    def renew(self) -> None:
        """Says the facts of the report in view."""
        report, muted = self.desk.report, theme.palette().muted
        fold = self.desk.fold
        self.turn.setVisible(fold is not None and bool(fold.rows or fold.columns))
        if report is None:
            self.kept.setText("")
            return
        if report.kept == report.records:
            counted = f"<b>{report.records:,}</b> <span style='color:{muted}'>records, all of {report.base}</span>"
        else:
            counted = f"<b>{report.kept:,}</b> <span style='color:{muted}'>of {report.records:,} records of {report.base}</span>"
        has_totals = fold is not None and (
            (fold.rows and fold.row_total != "off") or (fold.columns and fold.column_total != "off")
        )
        totals = (
            f"&nbsp;&nbsp;&nbsp;<span style='color:{muted}'>totals cover</span> everything kept" if has_totals else ""
        )
        self.kept.setText(f"<span style='font-size:12px'>{counted}{totals}</span>")
        if not self.desk.busy:
            self._rest()

    def _tell(self, what: str, share: float) -> None:
        self.doing.setText(f"{what}…")
        self.bar.setValue(round(share * 100))
        for widget in (self.doing, self.bar, self.stop):
            widget.show()

    def _rest(self) -> None:
        for widget in (self.doing, self.bar, self.stop):
            widget.hide()
