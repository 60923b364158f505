"""The middle of the source view: its title, facts, the records that are shown, and the preview."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.source.preview import Preview
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import Label, marked, say_what_fits
from foldbasket.styling.words import number_of
from foldbasket.tables.findings.finding import Finding, Records
from foldbasket.tables.sample import is_sampled


class SourceHead(QFrame):
    """The source's name in large type, and its facts in one line."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("sentence")
        self.setFixedHeight(66)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 10, 22, 8)
        column.setSpacing(2)
        self.name = Label(self)
        self.name.setProperty("role", "large")
        self.facts = marked(Label(self))
        self.facts.setMinimumWidth(60)
        self._facts: list[str] = []
        column.addWidget(self.name)
        column.addWidget(self.facts)
        desk.when(Part.VIEW | Part.TABLES | Part.SOURCES | Part.FINDINGS, self, self.renew)
        desk.news.connect(self.renew)
        self.renew()

    def renew(self) -> None:
        """Says the facts of the source in view."""
        desk, spec, colours = self.desk, self.desk.spec, theme.palette()
        if spec is None:
            return
        self.name.setText(spec.name)
        table = desk.tables.get(spec.key)
        parts = [desk.basket.place_of(spec)]
        if table is not None:
            many = f"{number_of(table.count, 'record')}, {number_of(len(table.columns), 'field')}"
            parts.append(f"{many}, read as they are asked for" if is_sampled(table) else many)
        known = len(parts)
        if desk.supply.notes.get(spec.key):
            parts.append("the last records are kept")
        elif spec.is_file and spec.data is None:
            parts.append("watched for new records")
        elif spec.data is not None:
            parts.append("held in the basket")
        count = len(desk.supply.findings(spec.key))
        self._facts = []
        for shown in (parts, parts[:known], parts[known - 1 : known]):
            said = " · ".join(_escaped(part) for part in shown)
            if count:
                said += f" · <span style='color:{colours.columns}'>{count} finding{'s' if count != 1 else ''}</span>"
            self._facts.append(f"<span style='font-size:12px;color:{colours.muted}'>{said}</span>")
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        say_what_fits(self.facts, self._facts, self.width() - 44)


class SourceMiddle(QWidget):
    """The preview, and over it a line that says which records are shown when not all are."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.preview = Preview(desk, self)
        self.preview.field_chosen.connect(self._choose)
        self.preview.shown_changed.connect(self._renew)
        self.strip = QFrame(self)
        self.strip.setObjectName("facts")
        line = QHBoxLayout(self.strip)
        line.setContentsMargins(22, 3, 14, 3)
        self.said = Label(self.strip)
        self.said.setProperty("role", "quiet")
        self.all = QPushButton("Show all records", self.strip)
        self.all.setProperty("role", "link")
        self.all.clicked.connect(lambda: self.show_finding(None))
        line.addWidget(self.said)
        line.addWidget(self.all)
        line.addStretch(1)
        self._finding: Finding | None = None
        self._is_looking = False
        desk.supply.looker.seeker.failed.connect(self._not_found)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(self.preview, 1)
        self._renew()

    def show_finding(self, finding: Finding | None) -> None:
        """Shows only the records that a finding is about, as soon as they are found, or all."""
        if finding is None:
            self.preview.show_records(None)
            return
        self._finding, self._is_looking = finding, True
        self._say()
        self.desk.supply.looker.seeker.bring(finding, self._show)

    def _show(self, records: Records) -> None:
        self._is_looking = False
        self.preview.show_records(records)

    def _not_found(self) -> None:
        self._is_looking = False
        self._say()

    def _choose(self, field: str) -> None:
        if self.desk.view.source_key is not None:
            self.desk.show_source(
                self.desk.view.source_key, None if field == self.desk.view.field or not field else field
            )

    def _renew(self) -> None:
        """Takes up which records are shown, or that all are: then none are looked for any more."""
        if self.preview.shown is None:
            self._finding, self._is_looking = None, False
            self.desk.supply.looker.seeker.leave()
        self._say()

    def _say(self) -> None:
        finding, shown = self._finding, self.preview.shown
        self.strip.setVisible(finding is not None and (self._is_looking or shown is not None))
        if finding is None:
            return
        if self._is_looking:
            self.said.setText(f"Looking for the records. {finding.title}.")
        elif shown is not None and len(shown) < finding.count:
            self.said.setText(f"Only the first {len(shown):,} of {finding.count:,} records are shown. {finding.title}.")
        elif shown is not None:
            self.said.setText(
                f"Only {len(shown):,} record{' is' if len(shown) == 1 else 's are'} shown. {finding.title}."
            )


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
