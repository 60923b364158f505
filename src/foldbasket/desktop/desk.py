"""The desk: what the window works on, composed of the document with its history, what is in view, tables, report, and services.

Views call the services and are renewed by the parts of the state that they show (`when`); the desk holds no widget. Whatever one edit
changes is told in one notification, and what is in view is folded once for it.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.changes import changed
from foldbasket.baskets.consent import NOWHERE, Agreed, places_of, places_of_source
from foldbasket.baskets.history import History, Trail
from foldbasket.desktop.state.folding import Folding
from foldbasket.desktop.state.listing import Listings
from foldbasket.desktop.state.part import Part, parts_of, renew_by
from foldbasket.desktop.state.peeking import Peeks
from foldbasket.desktop.state.supply import Supply
from foldbasket.desktop.state.view import View
from foldbasket.desktop.state.workers import Work
from foldbasket.desktop.work.charts import ChartWork
from foldbasket.desktop.work.files import Files, new_basket
from foldbasket.desktop.work.formulas import FormulaWork
from foldbasket.desktop.work.members import MemberWork
from foldbasket.desktop.work.output import Output
from foldbasket.desktop.work.sources import SourceWork
from foldbasket.desktop.work.words import Words
from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.chart import Chart
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import Column
from foldbasket.tables.profile import Profile
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.table import Table
from foldbasket.tables.unread import at_hand


class Desk(QObject):
    """`changed` brings the parts of the state that are others now. Paths in the basket held here are absolute; they become relative to
    the basket's folder when it is saved."""

    changed = pyqtSignal(object)
    told = pyqtSignal(str, float)
    rested = pyqtSignal()
    failed = pyqtSignal(object)
    news = pyqtSignal(str)
    password_wanted = pyqtSignal(object)
    repoint_wanted = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._depth, self._pending = 0, Part.NOTHING
        self._more: list[Work] = []
        self.history = History(new_basket())
        self.view = View()
        self.supply = Supply(self)
        self.listings = Listings(self)
        self.peeks = Peeks(self, self)
        self.supply.looker.surveyor.gives_way = lambda: self.folding.worker.busy
        self.folding = Folding(self.supply.source, self)
        self.words = Words(self)
        self.members = MemberWork(self)
        self.sources = SourceWork(self, self)
        self.formulas = FormulaWork(self, self.sources.complain, self)
        self.files = Files(self, self)
        self.output = Output(self, self)
        self.charts = ChartWork(self, self)
        self.folding.told.connect(self.told)
        self.folding.changed.connect(self._folded)
        self.folding.failed.connect(self.not_done)
        self.folding.joined.connect(self.supply.hold)
        self.supply.changed.connect(self._supplied)
        self.supply.looker.looked.connect(lambda: self.notify(Part.FINDINGS))
        self.supply.looker.profiled.connect(lambda: self.notify(Part.PROFILES))
        self.supply.failed.connect(self._not_supplied)
        self.supply.news.connect(self.news)
        self.supply.told.connect(self.told)
        self.supply.rested.connect(self.rested)

    # --- what is there ------------------------------------------------------

    @property
    def basket(self) -> Basket:
        return self.history.basket

    @property
    def path(self) -> Path | None:
        """The file that the basket was opened from or saved to."""
        return self.files.path

    @property
    def file_name(self) -> str:
        """The name of that file; empty where there is none yet."""
        return self.path.name if self.path is not None else ""

    @property
    def tables(self) -> dict[str, Table]:
        """The mended tables by the keys of their sources."""
        return self.supply.tables

    @property
    def source(self) -> Source:
        return self.supply.source

    @property
    def profiles(self) -> dict[tuple[int, str], Profile]:
        return self.supply.looker.profiles

    @property
    def engine(self) -> Engine:
        return self.folding.engine

    @property
    def report(self) -> Report | None:
        """The report in view, as it was folded last."""
        return self.folding.report

    @property
    def problem(self) -> FoldBasketError | None:
        """Why there is no report."""
        return self.folding.problem

    @property
    def spec(self) -> SourceSpec | None:
        """The source in view; None while a fold is."""
        return next((source for source in self.basket.sources if source.key == self.view.source_key), None)

    @property
    def fold(self) -> Fold | None:
        """The fold in view."""
        return next((fold for fold in self.basket.folds if fold.key == self.view.fold_key), None)

    def add_work(self, work: Work) -> None:
        """Counts the work of a view among that of the desk: it is busy with it, and gives it up when it is closed."""
        self._more.append(work)

    @property
    def _work(self) -> tuple[Work, ...]:
        """What is given up when the desk is closed; files are written to their end."""
        return (
            *self._more,
            self.files,
            self.folding,
            self.output,
            self.supply,
            self.listings,
            self.peeks,
            self.sources,
            self.formulas,
            self.charts,
        )

    @property
    def busy(self) -> bool:
        return any(each.busy for each in self._work)

    def column(self, ref: FieldRef) -> Column | None:
        """The column a field names, or None when it is gone; of a table that is not held that of its sample."""
        table = self.tables.get(ref.table)
        found = table.columns.get(ref.field) if table else None
        return at_hand(found) if found is not None else None

    def listed_column(self, ref: FieldRef) -> Column | None:
        """The column that a field's members are listed from, each of them in it; None where they are not known, or too many."""
        table = self.tables.get(ref.table)
        apart = table is not None and is_sampled(table)
        return self.supply.looker.surveyor.members(table, ref.field) if table and apart else self.column(ref)

    def close(self) -> None:
        """Ends all work in good order; the desk is not used afterwards."""
        for work in self._work:
            work.close()

    # --- telling ------------------------------------------------------------

    def when(self, parts: Part, view: QObject, renew: Callable[[], object]) -> None:
        """Has a view renewed whenever one of the parts that it shows is another."""
        renew_by(self.changed, view, parts, renew)

    def notify(self, parts: Part) -> None:
        """Tells that parts of the state are others; within an edit it is told at its end, with all else that it changed."""
        with self._together():
            self._pending |= parts

    @contextlib.contextmanager
    def _together(self) -> Iterator[None]:
        """What is changed meanwhile is told once, and what is in view is folded anew where it would be another report."""
        self._depth += 1
        try:
            yield
            folds = self._depth == 1 and bool(self._pending & (Part.FOLD | Part.TABLES))
            if folds and not self.folding.can(self.fold):
                self.folding.fold(self.fold)  # which is told with the rest
        finally:
            self._depth -= 1
        if not self._depth and self._pending:
            parts, self._pending = self._pending, Part.NOTHING
            self.changed.emit(parts)
            if folds and self.folding.can(self.fold):
                self.folding.fold(self.fold)

    # --- editing ------------------------------------------------------------

    def do(self, edit: edits.Edit, *, select: str | None = None) -> bool:
        """Does an edit, and selects a word then; False, and why is told, where it cannot be done."""
        before, fold = self.basket, self.fold
        try:
            self.history.do(edit)
        except FoldBasketError as error:
            self.failed.emit(error)
            return False
        with self._together():
            for spec in self.basket.sources:  # what the user does on the desk needs no further question
                if spec not in before.sources:
                    self.supply.agreed.add(places_of_source(spec, NOWHERE))
            new = [each.key for each in self.basket.folds if each.key not in {old.key for old in before.folds}]
            self._follow(before, fold, new[-1] if new else None)
            if select is not None:
                self.notify(self.view.select_word(select, self.fold))
        for gone, uses in edit.leaves(before).items():
            more = f" and {len(uses) - 3} more" if len(uses) > 3 else ""
            self.news.emit(f"{gone} was used by {', '.join(uses[:3])}{more}. Undo (Ctrl+Z) brings it back.")
        return True

    def undo(self) -> None:
        self.go_to_step(self.history.position - 1)

    def redo(self) -> None:
        self.go_to_step(self.history.position + 1)

    def go_to_step(self, position: int) -> None:
        """Undoes or redoes up to a step of the list."""
        if not 0 <= position < len(self.history.steps):
            return
        before, fold = self.basket, self.fold
        while self.history.position > position and self.history.undo() is not None:
            pass
        while self.history.position < position and self.history.redo() is not None:
            pass
        with self._together():
            self._follow(before, fold)

    def _follow(self, before: Basket, fold: Fold | None, new: str | None = None) -> None:
        """Brings all else in step with the document; a `new` fold comes into view."""
        basket = self.basket
        parts = parts_of(changed(before, basket)) | self.view.follow(before, basket)
        if new is not None:
            self.view.fold_key, self.view.word = new, None
            parts |= Part.WORD
        now = self.fold
        if now != fold:
            same = now is not None and fold is not None and now.key == fold.key and now.asks_as(fold)
            parts |= Part.LOOK if same else Part.FOLD
        if before.style != basket.style or before.styles != basket.styles:
            parts |= Part.LOOK
        self.folding.wear(now, basket)
        sums_up = any(spec.fold is not None for spec in basket.sources)
        if parts & (Part.SOURCES | Part.SETTINGS) or (parts & Part.FOLDS and sums_up):
            self.supply.renew(basket)
        else:
            self.supply.basket = basket
        self.notify(parts)
        self._supplied()

    def take_up(
        self, basket: Basket, tables: Mapping[str, Table], problems: Mapping[str, FoldBasketError], trail: Trail | None
    ) -> None:
        """Puts another basket on the desk, with the tables of its sources as they were read, or why they could not be, and the steps that led to it."""
        with self._together():
            self.supply.forget()
            self.supply.agreed = Agreed(places_of(basket, NOWHERE))
            for spec in basket.sources:
                if spec.key in tables and spec.fold is None:
                    self.supply.adopt(spec, tables[spec.key])
                elif spec.key in problems:
                    self.supply.miss(spec, problems[spec.key])
            self.history.begin(basket, trail)
            self.folding.forget()
            self.folding.wear(None, basket)
            self.notify(Part.DOCUMENT | Part.REPORT | self.view.begin(basket))
            self.supply.renew(basket)
            self._supplied()
        for error in problems.values():
            self._not_supplied(error)

    # --- what is in view ----------------------------------------------------

    def show_source(self, key: str, field: str | None = None) -> None:
        """Brings a source into view, with one of its fields chosen or none."""
        self.notify(self.view.show_source(key, field))

    def show_fold(self, key: str) -> None:
        """Brings a fold into view."""
        parts = self.view.show_fold(key)
        if parts & Part.FOLD:
            self.folding.forget()
        self.notify(parts)

    def select_word(self, word: str | None) -> None:
        """Selects a word, whose card is then shown; None shows the fold's own card."""
        self.notify(self.view.select_word(word, self.fold))

    def show_pages(self, shown: bool = True) -> None:
        """Shows the fold in view as pages, or as a grid again."""
        self.notify(self.view.show_pages(shown))

    def show_chart(self) -> None:
        """Shows the card of the fold's chart, which it is given where it has none."""
        fold = self.fold
        if (
            fold is not None
            and fold.chart is None
            and not self.do(edits.ChangeFold(fold.key, {"chart": Chart()}, "Draw a chart"))
        ):
            return
        self.notify(self.view.show_chart())

    def change_chart(self, done: str, **changes: Any) -> None:
        """Changes properties of the fold's chart."""
        fold = self.fold
        if fold is not None and fold.chart is not None:
            self.do(edits.ChangeFold(fold.key, {"chart": msgspec.structs.replace(fold.chart, **changes)}, done))

    def calculate(self, text: str | None = "") -> None:
        """Shows the card on which a new formula is written, beginning with a text; None leaves it."""
        self.notify(self.view.calculate(text))

    def show_alternative(self, at: int) -> None:
        """Shows another of a filter's alternatives on its card."""
        self.notify(self.view.show_alternative(at))

    def show_look(self, member: str | None) -> None:
        """Shows the look of a member on the card of its field; None that of all its lines."""
        self.view.looked = member
        self.notify(Part.WORD)

    def show_line(self, line: str, level: int | None = None) -> None:
        """Shows the look of a kind of line, at a level or at all, on the card of the report."""
        self.view.line, self.view.level = line, level
        self.notify(Part.WORD)

    # --- what the services ask for ------------------------------------------

    def ensure_fold(self) -> Fold:
        """The fold in view, made if there is none."""
        return self.words.fold()

    def read_in_background(self, work: Callable[[Any], Callable[[], None]]) -> None:
        """Reads on a worker; what that gives is done on the window's thread."""
        self.files.read_in_background(work)

    def take_in(self, specs: list[SourceSpec], tables: list[Table], links: Sequence[Link] = ()) -> None:
        """Adds sources whose tables were just read."""
        self.files.take_in(specs, tables, links)

    def not_done(self, error: FoldBasketError) -> None:
        """Tells that work in the background has failed."""
        self.rested.emit()
        self.failed.emit(error)

    def cancel(self) -> None:
        """Stops what is being read, folded or proved; things stay as they were."""
        self.files.cancel()
        self.folding.cancel()
        self.charts.cancel()
        self.output.cancel()
        self.supply.cancel()
        self.rested.emit()

    def _folded(self) -> None:
        self.notify(Part.REPORT)
        self.rested.emit()

    def _supplied(self) -> None:
        if self.folding.renew_engine(self.supply.source, self.basket):
            self.notify(Part.TABLES)

    def _not_supplied(self, error: FoldBasketError) -> None:
        for spec in self.basket.sources:
            if spec.server is not None and "password" in error.what:
                self.password_wanted.emit(spec.server)
                return
        self.failed.emit(error)
