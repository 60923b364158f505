"""The thin line of facts under the head: how many records are kept, what is being done, and news of fresh data."""

from __future__ import annotations

from collections.abc import Callable
from html import escape
from pathlib import Path

from PyQt6.QtCore import QSize, QUrl
from PyQt6.QtGui import QDesktopServices, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from foldbasket.baskets import edits
from foldbasket.baskets.placing import free_id
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.shell.selectionline import SelectionLine
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import Label, link, marked, say_what_fits, set_on
from foldbasket.desktop.widgets.working import ShortLabel, Working
from foldbasket.folding.report.report import Counted
from foldbasket.spec.chart import Beside
from foldbasket.styling.words import number_of

NARROWEST, ROOMY = 300, 440
"""How narrow the line may become, and from which width on it has room for all of its words."""


def show_outside(path: Path) -> None:
    """Shows a file or a folder by whatever the desktop has for it."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


WORKING = 330
"""Pixels for what is being done, beside the facts."""


class FactsLine(QFrame):
    """One line; over a fold always there, so that the grid does not jump when work begins."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("facts")
        self.setFixedHeight(30)
        line = QHBoxLayout(self)
        line.setContentsMargins(22, 0, 14, 0)
        line.setSpacing(14)
        self.kept = marked(Label(self))
        self.kept.setMinimumWidth(60)
        self.working = Working(self)
        self.working.cancel_wanted.connect(desk.cancel)
        self.news = ShortLabel(self)
        self.news.setProperty("role", "news")
        self.seen = link("Seen", "Takes this note away", lambda: self.say(""), self)
        self._paged = False
        self.selection: SelectionLine | None = None
        self._file: Path | None = None
        self._facts: tuple[str, ...] = ("",)
        self.open = self._link("Open", "Opens what was written", lambda path: path)
        self.folder = self._link("Show in folder", "Opens the folder it was written to", lambda path: path.parent)
        self.to_grid = link("Grid", "The report as a grid", self._show_grid, self)
        self.between = Label("·", self)
        self.between.setProperty("role", "quiet")
        self.to_chart = link("Chart", "A chart of what the report shows", desk.show_chart, self)
        self.turn = link("Turn", "Rows become columns and columns rows (Ctrl+T)", desk.words.turn, self)
        line.addWidget(self.kept)
        self.like = link("", "Keeps both periods to the part of the year that both have", self._like_for_like, self)
        self.like.hide()
        line.addWidget(self.like)
        line.addWidget(self.working, 1)
        line.addWidget(self.news, 1)
        line.addWidget(self.open)
        line.addWidget(self.folder)
        line.addWidget(self.seen)
        line.addStretch(0)
        ways = QHBoxLayout()
        ways.setSpacing(4)
        for each in (self.to_grid, self.between, self.to_chart):
            ways.addWidget(each)
        line.addLayout(ways)
        line.addWidget(self.turn)
        self.pages = link("Pages", "What prints, page by page (Ctrl+3)", desk.show_pages, self)
        line.addWidget(self.pages)
        desk.when(Part.REPORT | Part.FOLD | Part.LOOK | Part.VIEW | Part.DOCUMENT, self, self.renew)
        desk.told.connect(self._tell)
        desk.rested.connect(self._rest)
        desk.news.connect(self.say)
        desk.output.written.connect(self.say_written)
        self.say("")

    def renew(self) -> None:
        """Says the facts of the report in view; over a source only what is being done, and news."""
        report, muted = self.desk.report, theme.palette().muted
        fold = self.desk.fold
        self._say_unfinished()
        in_source = self.desk.view.source_key is not None
        selects = self._selects
        if self.selection is not None:
            self.selection.setVisible(selects)
        self.kept.setVisible(not in_source and report is not None and not selects)
        self._show_turn()
        edits_fold = not in_source and not self._paged and not self.desk.view.reading
        has_fold = edits_fold and fold is not None and not fold.is_empty
        self.pages.setVisible(has_fold)
        chart = fold.chart if fold is not None else None
        for each in (self.to_grid, self.between, self.to_chart):
            each.setVisible(has_fold)
        set_on(self.to_grid, chart is None or chart.place is not Beside.INSTEAD)
        set_on(self.to_chart, chart is not None)
        if report is not None:
            counted, brief = (
                "&nbsp;&nbsp;&nbsp;".join(
                    said(each, self.desk.source.called(each.base), muted) for each in report.counted
                )
                for said in (_counted, _brief)
            )
            has_totals = fold is not None and (
                (fold.rows and fold.row_total != "off") or (fold.columns and fold.column_total != "off")
            )
            shown = has_totals and not self.news.whole
            words = fold.rows + fold.columns if fold is not None else ()
            hides = any(word.keep is not None and word.keep.rest == "gone" for word in words)
            only = fold is not None and fold.totals_cover == "shown"
            covered = (
                ("only what is shown" if only else "everything kept, members not shown too")
                if hides
                else "everything kept"
            )
            totals = f"&nbsp;&nbsp;&nbsp;<span style='color:{muted}'>totals cover</span> {covered}" if shown else ""
            self._facts = (counted + totals, counted, brief)
            self._fit()
        if not self.desk.busy:
            self._rest()
        self._show_or_hide()

    def join(self, grid: GridView) -> None:
        """Says what is selected in a grid, in place of the records, while more than one cell or any member is."""
        self.selection = SelectionLine(self.desk, grid, self)
        line = self.layout()
        assert isinstance(line, QHBoxLayout)
        line.insertWidget(1, self.selection, 1)
        grid.selected.connect(self._say_selection)

    @property
    def _selects(self) -> bool:
        in_view = self.desk.view.source_key is None and not self._paged
        return in_view and self.selection is not None and self.selection.is_wanted and not self.news.whole

    def _say_selection(self) -> None:
        if self.selection is not None and (self.selection.is_wanted or not self.selection.isHidden()):
            self.selection.renew()
            self.renew()

    def _say_unfinished(self) -> None:
        """That a period which is compared is not over, and the way to compare like for like."""
        report = self.desk.report
        found = (
            report.unfinished if report is not None and self.desk.view.source_key is None and not self._paged else None
        )
        self.like.setVisible(found is not None and not self._selects and not self.desk.view.reading)
        if found is not None:
            self.like.setText(f"{found.said} · compare the same months" if found.filter is not None else found.said)
            self.like.setEnabled(found.filter is not None)

    def _like_for_like(self) -> None:
        report, fold = self.desk.report, self.desk.fold
        found = report.unfinished if report is not None else None
        if fold is not None and found is not None and found.filter is not None:
            rule = found.filter.as_word(free_id(fold), "")
            self.desk.do(
                edits.ChangeFold(fold.key, {"filters": (*fold.filters, rule)}, "Compare the same months"),
                select=rule.id,
            )

    def in_pages(self, on: bool) -> None:
        """Over pages nothing is said of the grid."""
        if on != self._paged:
            self._paged = on
            self.renew()

    def _show_grid(self) -> None:
        """Brings the grid back where the chart stands in its place; else the report's own card."""
        chart = self.desk.fold.chart if self.desk.fold is not None else None
        if chart is not None and chart.place is Beside.INSTEAD:
            self.desk.change_chart("Show the grid again", place=Beside.UNDER)
        self.desk.select_word(None)

    def minimumSizeHint(self) -> QSize:
        return QSize(NARROWEST, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._show_turn()
        self._fit()

    def _show_turn(self) -> None:
        """Where there is no room for all, turning is left to its key and menu."""
        fold = self.desk.fold
        can = (
            self.desk.view.source_key is None
            and not self._paged
            and not self.desk.view.reading
            and fold is not None
            and bool(fold.rows or fold.columns)
        )
        self.turn.setVisible(can and self.width() >= ROOMY)

    def _fit(self) -> None:
        """Says what totals cover, and of which table the records are, only where there is room for it whole."""
        texts = [f"<span style='font-size:12px'>{each}</span>" for each in self._facts]
        like = self.like.sizeHint().width() + 14 if not self.like.isHidden() else 0
        working = WORKING if not self.working.isHidden() else 0
        say_what_fits(self.kept, texts, self.width() - 230 - like - working)

    def _link(self, text: str, tip: str, place: Callable[[Path], Path]) -> QPushButton:
        return link(text, tip, lambda: show_outside(place(self._file)) if self._file is not None else None, self)

    def say_written(self, path: Path) -> None:
        """Says where a file went, until it was seen."""
        self.say(f"Written to {path}", path)

    def say(self, news: str, file: Path | None = None) -> None:
        """Shows a line of news until it was seen; an empty one takes it away. With a file come ways to look at it."""
        self._file = file
        self.news.say(news)
        self.renew()

    def _tell(self, what: str, share: float) -> None:
        begins = self.working.isHidden()
        self.working.tell(what, share)
        if begins:
            self._fit()
        self._show_or_hide()

    def _rest(self) -> None:
        ends = not self.working.isHidden()
        self.working.hide()
        if ends:
            self._fit()
        self._show_or_hide()

    def _show_or_hide(self) -> None:
        working = not self.working.isHidden()
        has_news = bool(self.news.whole)
        self.news.setVisible(has_news and not working)
        self.seen.setVisible(has_news and not working)
        for each in (self.open, self.folder):
            each.setVisible(has_news and not working and self._file is not None)
        fold = self.desk.fold
        has_report = fold is not None and not fold.is_empty and self.desk.view.source_key is None
        self.setVisible((has_report and not self._paged) or has_news or working)


def _counted(each: Counted, base: str, muted: str) -> str:
    place = f", folded {escape(each.place)}" if each.place else ""
    if each.kept == each.records:
        noun = "record" if each.records == 1 else "records"
        return f"<b>{each.records:,}</b> <span style='color:{muted}'>{noun}, all of {escape(base)}{place}</span>"
    return f"<b>{each.kept:,}</b> <span style='color:{muted}'>of {number_of(each.records, 'record')} of {escape(base)}{place}</span>"


def _brief(each: Counted, _: str, muted: str) -> str:
    return f"<b>{each.kept:,}</b> <span style='color:{muted}'>of {each.records:,}</span>"
