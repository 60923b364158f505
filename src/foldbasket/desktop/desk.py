"""The desk: what the window works on. The basket with its history, what is in view, the supply of tables, the report.

Views call its methods and redraw on its signals; it holds no widget. Reading and folding run on workers.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from foldbasket.baskets import edits, placing, recovery
from foldbasket.baskets.basket import Basket, SourceSpec, free_name, taken
from foldbasket.baskets.consent import EVERYTHING, NOWHERE, Agreed, digest, places_of, places_of_source
from foldbasket.baskets.files import (
    Opened,
    State,
    is_basket,
    is_other,
    load_tables,
    open_basket,
    outside_places,
    own_files,
    relative_to,
    save_basket,
    state_of,
    with_full_paths,
)
from foldbasket.baskets.history import History
from foldbasket.baskets.naming import UNNAMED
from foldbasket.baskets.sources import read_source
from foldbasket.desktop import memory
from foldbasket.desktop.formulawork import FormulaWork
from foldbasket.desktop.listing import Listings
from foldbasket.desktop.memberwork import MemberWork
from foldbasket.desktop.sourcework import SourceWork
from foldbasket.desktop.supply import Supply
from foldbasket.desktop.workers import Work, Worker
from foldbasket.errors import BasketError, FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.proof import Listed, Proof, listed_for, proof_of
from foldbasket.folding.report import Report
from foldbasket.folding.sentence import field_phrase, words_of
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.outputs.formats import save_report
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import Column
from foldbasket.tables.profile import Profile
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import apart
from foldbasket.tables.reading.readers import table_name
from foldbasket.tables.table import Table

COPIED_AT_ONCE = 1_000
"""So many cells are made for the clipboard before a frame is over; more in the background."""


class Proved(NamedTuple):
    """A cell of a report, its proof, and the fields to list for its records. All from the source that the report was made of."""

    report: Report
    row: int
    column: int
    proof: Proof
    fields: list[Listed]


class Desk(QObject):
    """Paths in the basket held here are absolute; they become relative to the basket's folder when it is saved."""

    basket_changed = pyqtSignal()
    sources_changed = pyqtSignal()
    report_changed = pyqtSignal()
    word_selected = pyqtSignal()
    told = pyqtSignal(str, float)
    rested = pyqtSignal()
    failed = pyqtSignal(object)
    saved = pyqtSignal()
    changed_elsewhere = pyqtSignal(object, bool, object)
    proved = pyqtSignal(object)
    written = pyqtSignal(object)
    copied = pyqtSignal(str, str)
    trust_wanted = pyqtSignal(object, object)
    profiles_changed = pyqtSignal()
    findings_changed = pyqtSignal()
    view_changed = pyqtSignal()
    news = pyqtSignal(str)
    password_wanted = pyqtSignal(object)
    repoint_wanted = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(Basket())
        self.path: Path | None = None
        self._state: State | None = None
        self.supply = Supply(self)
        self.listings = Listings(self)
        self.sources = SourceWork(self, self)
        self.engine = Engine(self.supply.source)
        self.source_key: str | None = None
        self.last_source: str | None = None
        self.field: str | None = None
        self.fold_key: str | None = None
        self.word: str | None = None
        self.alternative = 0
        self.members = MemberWork(self)
        self.formulas = FormulaWork(self, self.sources.complain, self)
        self.drafted: str | None = None
        self.drafted_name = ""
        self.report: Report | None = None
        self._made_of: tuple[Fold, Engine] | None = None
        """The fold that the report in view was made of, and by what."""
        self.problem: FoldBasketError | None = None
        self._folder_worker = Worker("fold", self)
        self._reader = Worker("read", self)
        self._writer = Worker("write", self)
        self._saver = Worker("save", self)
        self._aside_writer = Worker("aside", self)
        self._prover = Worker("prove", self)
        self._copier = Worker("copy", self)
        self._copier.finished.connect(self._copied)
        self._copier.failed.connect(self._not_done)
        self._prover.finished.connect(self.proved)
        self._prover.failed.connect(self._not_done)
        for worker in (self._folder_worker, self._reader, self._writer, self._saver, self._copier):
            worker.told.connect(self.told)
        self._folder_worker.finished.connect(self._folded)
        self._folder_worker.failed.connect(self._not_folded)
        self._reader.finished.connect(lambda then: then())
        self._reader.failed.connect(self._not_done)
        self._writer.finished.connect(self._written)
        self._writer.failed.connect(self._not_done)
        self._saver.finished.connect(lambda done: done())
        self._saver.failed.connect(self._not_done)
        self.supply.changed.connect(self._supplied)
        self.supply.looked.connect(self.findings_changed)
        self.supply.profiled.connect(self.profiles_changed)
        self.supply.failed.connect(self._not_supplied)
        self.supply.news.connect(self.news)
        self.supply.told.connect(self.told)
        self.supply.rested.connect(self.rested)
        self._aside = QTimer(self)
        self._aside.setInterval(recovery.SECONDS * 1000)
        self._aside.timeout.connect(self.write_aside)
        self._aside.start()

    # --- what is there ------------------------------------------------------

    @property
    def basket(self) -> Basket:
        return self.history.basket

    @property
    def tables(self) -> dict[str, Table]:
        """The mended tables by the names of their sources."""
        return self.supply.tables

    @property
    def source(self) -> Source:
        return self.supply.source

    @property
    def profiles(self) -> dict[tuple[int, str], Profile]:
        return self.supply.profiles

    @property
    def spec(self) -> SourceSpec | None:
        """The source in view; None while a fold is."""
        return next((source for source in self.basket.sources if source.key == self.source_key), None)

    @property
    def fold(self) -> Fold | None:
        """The fold in view."""
        return next((fold for fold in self.basket.folds if fold.key == self.fold_key), None)

    @property
    def _writing(self) -> tuple[Worker, ...]:
        """What is done to its end when the desk is closed."""
        return self._saver, self._aside_writer

    @property
    def _work(self) -> tuple[Work, ...]:
        """What is given up when the desk is closed."""
        return (
            self._reader, self._folder_worker, self._writer, self._prover, self._copier, self.supply, self.listings, self.sources,
            self.formulas,
        )  # fmt: skip

    @property
    def busy(self) -> bool:
        return any(each.busy for each in (*self._writing, *self._work))

    def column(self, ref: FieldRef) -> Column | None:
        """The column a field names, or None when it is gone."""
        table = self.tables.get(ref.table)
        return table.columns.get(ref.field) if table else None

    def said(self, word: str) -> str:
        """A word of the fold in view as the sentence says it."""
        if self.fold is None:
            return ""
        return next((each.text for each in words_of(self.fold, self.source, self.basket.locale) if each.id == word), "")

    def close(self) -> None:
        """Ends all work in good order; the desk is not used afterwards."""
        self._aside.stop()
        for worker in self._writing:
            worker.close(wait=True)
        for work in self._work:
            work.close()
        apart.close()
        recovery.close()

    # --- editing ------------------------------------------------------------

    def do(self, edit: edits.Edit) -> bool:
        """Applies an edit; says whether it could be."""
        before = self.basket
        try:
            self.history.do(edit)
        except FoldBasketError as error:
            self.failed.emit(error)
            return False
        self._follow_fold(before)
        for spec in self.basket.sources:  # what the user does on the desk needs no further question
            if spec not in before.sources:
                self.supply.agreed.add(places_of_source(spec, NOWHERE))
        for gone, uses in edit.leaves(before).items():
            more = f" and {len(uses) - 3} more" if len(uses) > 3 else ""
            self.news.emit(f"{gone} was used by {', '.join(uses[:3])}{more}. Undo (Ctrl+Z) brings it back.")
        if isinstance(edit, edits.AddFold):
            self.fold_key = self.basket.folds[-1].key
            self.word = None
        self._after_change()
        return True

    def undo(self) -> None:
        self.go_to_step(self.history.position - 1)

    def redo(self) -> None:
        self.go_to_step(self.history.position + 1)

    def go_to_step(self, position: int) -> None:
        """Undoes or redoes up to a step of the list."""
        if not 0 <= position < len(self.history.steps):
            return
        before = self.basket
        while self.history.position > position and self.history.undo() is not None:
            pass
        while self.history.position < position and self.history.redo() is not None:
            pass
        self._follow_fold(before)
        self._after_change()

    def _follow_fold(self, before: Basket) -> None:
        """Keeps the fold in view in view when it comes to bear another name, by its place among the folds."""
        was, now = ([fold.key for fold in basket.folds] for basket in (before, self.basket))
        if self.fold_key in now or self.fold_key not in was or not now:
            return
        at = was.index(self.fold_key)
        self.fold_key = now[at if len(was) == len(now) else min(max(0, at - 1), len(now) - 1)]

    def show_source(self, name: str, field: str | None = None) -> None:
        """Brings a source into view, with one of its fields chosen or none."""
        self.source_key, self.field, self.last_source = name, field, name
        self.view_changed.emit()

    def show_fold(self, name: str) -> None:
        """Brings a fold into view."""
        if self.source_key is not None:
            self.source_key = None
            self.view_changed.emit()
        if name != self.fold_key:
            self.fold_key, self.word, self.report = name, None, None
            self.basket_changed.emit()
            self.word_selected.emit()
            self.refold()

    def select_word(self, word: str | None) -> None:
        """Selects a word, whose card is then shown; None shows the fold's own card, as does a word that the fold does not have, such
        as one of a picture of it that is a moment old."""
        known = self.fold is not None and word in {each.id for each in self.fold.words()}
        self.word, self.alternative, self.drafted = word if known else None, 0, None
        self.word_selected.emit()

    def calculate(self, text: str | None = "") -> None:
        """Shows the card on which a new formula is written, beginning with a text; None leaves it."""
        self.drafted, self.drafted_name = text, ""
        if text is not None:
            self.word = None
        self.word_selected.emit()

    def keep_draft(self, text: str, name: str) -> None:
        """Keeps what is being written on the card of a new formula."""
        if self.drafted is not None:
            self.drafted, self.drafted_name = text, name

    def show_alternative(self, at: int) -> None:
        """Shows another of a filter's alternatives on its card."""
        self.alternative = at
        self.word_selected.emit()

    def _after_change(self) -> None:
        names = [fold.key for fold in self.basket.folds]
        if self.fold_key not in names:
            self.fold_key = names[-1] if names else None
        if self.fold is None or self.word not in {word.id for word in self.fold.words()}:
            self.word = None
        sources = {source.key for source in self.basket.sources}
        if self.last_source not in sources:
            self.last_source = None
        if self.source_key is not None and self.source_key not in sources:
            self.source_key = None
            self.view_changed.emit()
        self.supply.renew(self.basket)
        self._renew_engine()
        self.basket_changed.emit()
        self.word_selected.emit()
        self.refold()

    def _renew_engine(self) -> bool:
        """A new engine when tables, links or the way numbers are written are others; says whether one was needed."""
        source, locale, currency = self.supply.source, self.basket.locale, self.basket.currency
        as_of = self.basket.as_of
        if self.engine.source is source and (
            self.engine.locale,
            self.engine.currency,
            self.engine.as_of,
        ) == (locale, currency, as_of):
            return False
        self.engine = Engine(source, locale=locale, currency=currency, as_of=as_of)
        self.sources_changed.emit()
        return True

    def _supplied(self) -> None:
        if self._renew_engine():
            self.basket_changed.emit()
            self.refold()

    def _not_supplied(self, error: FoldBasketError) -> None:
        for spec in self.basket.sources:
            if spec.server is not None and "password" in error.what:
                self.password_wanted.emit(spec.server)
                return
        self.failed.emit(error)

    # --- placing ------------------------------------------------------------

    def ensure_fold(self) -> Fold:
        """The fold in view, made if there is none."""
        if self.fold is None:
            self.do(edits.AddFold(Fold(free_name(UNNAMED, taken(self.basket.folds)))))
        assert self.fold is not None
        return self.fold

    def place(self, ref: FieldRef, strand: str | None = None, at: int | None = None) -> None:
        """Places a field, where it belongs by nature unless a strand is named, and selects its word."""
        column = self.column(ref)
        if column is None:
            return
        fold = self.ensure_fold()
        strand = strand or placing.natural_strand(column, fold)
        word = placing.word_for(strand, ref, column, fold)
        said = field_phrase(ref.field, getattr(word, "part", None))
        if self.do(edits.Place(fold.key, strand, word, said, at)):
            self.select_word(word.id)

    def place_count(self, at: int | None = None) -> None:
        """Places the count of records among the measures."""
        fold = self.ensure_fold()
        word = placing.records_measure(fold)
        if self.do(edits.Place(fold.key, "measures", word, "Records", at)):
            self.select_word(word.id)

    def move(self, word_id: str, strand: str, at: int | None = None) -> None:
        """Moves a word to a place on a strand; between axes it stays as it is, elsewhere it becomes what belongs there."""
        fold = self.fold
        if fold is None:
            return
        word = edits.find_word(fold, word_id)
        here = edits.strand_of(fold, word_id)
        index = [each.id for each in getattr(fold, here)].index(word_id)
        if here == strand:
            if at is None or at in (index, index + 1):
                return
            at -= at > index
        axes = ("rows", "columns")
        becomes = None
        if here != strand and not (here in axes and strand in axes):
            column = self.column(word.field) if word.field is not None else None
            if column is None:
                if word.field is None:
                    self.failed.emit(BasketError("it is made of no single field, so it stays where it is."))
                return
            assert word.field is not None
            becomes = placing.word_for(strand, word.field, column, fold, id=word_id)
        self.do(edits.Move(fold.key, word_id, strand, self.said(word_id), at, becomes))
        self.select_word(word_id)

    def remove(self, word_id: str) -> None:
        if self.fold is not None:
            self.do(edits.Remove(self.fold.key, word_id, self.said(word_id)))

    def change(self, word_id: str, done: str, **changes: Any) -> None:
        """Changes properties of a word."""
        if self.fold is not None:
            self.do(edits.Change(self.fold.key, word_id, changes, done))

    def turn(self) -> None:
        if self.fold is not None and (self.fold.rows or self.fold.columns):
            self.do(edits.Turn(self.fold.key))

    # --- folding ------------------------------------------------------------

    def refold(self) -> None:
        """Folds anew in the background; the report in view stays until the new one is there."""
        fold = self.fold
        self.problem = None
        if fold is None or fold.is_empty or not self.source.tables:
            self._folder_worker.cancel()
            self.report = None
            self.report_changed.emit()
            return
        engine = self.engine
        self._folder_worker.start(lambda progress: (engine.fold(fold, progress), fold, engine))

    def prove(self, row: int, column: int) -> bool:
        """Proves a cell of the report in view in the background; says whether there is one. `proved` brings it."""
        if self.report is None or self._made_of is None:
            return False
        report, (fold, engine) = self.report, self._made_of  # the fold in view may be another by now

        def prove(progress: Progress) -> Proved:
            proof = proof_of(engine, fold, report, row, column, progress)
            return Proved(report, row, column, proof, listed_for(fold, engine, proof.base))

        self._prover.start(prove)
        return True

    def _folded(self, made: tuple[Report, Fold, Engine]) -> None:
        self.report, fold, engine = made
        self._made_of = (fold, engine)
        self.problem = None
        self.report_changed.emit()
        self.rested.emit()

    def _not_folded(self, error: FoldBasketError) -> None:
        self.report = None
        self.problem = error
        self.report_changed.emit()
        self.rested.emit()

    def cancel(self) -> None:
        """Stops what is being read or folded; things stay as they were."""
        self._reader.cancel()
        self._folder_worker.cancel()
        self._copier.cancel()
        self.supply.cancel()
        self.rested.emit()

    # --- files --------------------------------------------------------------

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Opens a basket in place of the present one, or adds data files to it. Reads in the background."""
        baskets = [path for path in paths if is_basket(path)]
        if baskets:
            self.open_basket(baskets[0])
        elif paths:
            self.add_files(list(paths))

    def add_files(self, paths: Sequence[Path]) -> None:
        """Reads data files and adds them as sources; all of them or none."""
        used = taken(self.basket.sources)
        specs = []
        for path in paths:
            name = free_name(table_name(path), used)
            used.add(name)
            specs.append(SourceSpec(name, str(path.absolute())))

        def read(progress: Any) -> Any:
            # Chosen by hand, so there is nothing to ask.
            tables = [read_source(spec, NOWHERE, EVERYTHING, progress) for spec in specs]
            return lambda: self.take_in(specs, tables)

        self._reader.start(read)

    def read_in_background(self, work: Callable[[Any], Callable[[], None]]) -> None:
        """Runs `work(progress)` on the reader; what it returns is called in the window's thread when it is done."""
        self._reader.start(work)

    def take_in(self, specs: list[SourceSpec], tables: list[Table], links: Sequence[Link] = ()) -> None:
        """Adds sources whose tables were just read."""
        for spec, table in zip(specs, tables, strict=True):
            self.supply.adopt(spec, table)
        fresh = not self.basket.sources and not self.basket.folds
        if fresh and self.path is None:
            self.history = History(msgspec.structs.replace(self.basket, name=specs[0].name))
        self.do(edits.AddSources(tuple(specs), tuple(links)))
        if not self.basket.folds:
            self.do(edits.AddFold(Fold(UNNAMED)))
        self.rested.emit()

    def open_made(self, make: Callable[[], Path]) -> None:
        """Opens a basket that is made first, in the background."""

        def work(progress: Any) -> Callable[[], None]:
            progress.step("Making the demo", 0.0)
            path = make()
            return lambda: self.open_basket(path, trusted=True)

        self._reader.start(work)

    def open_basket(self, path: Path, *, trusted: bool = False) -> None:
        """Opens a basket. When it reads files outside its folder and is not trusted yet, `trust_wanted` asks first."""

        def read(progress: Any) -> Any:
            opened = open_basket(path)
            outside = outside_places(opened)
            if outside and not trusted and not memory.is_trusted(digest(outside)):
                return lambda: self.trust_wanted.emit(path, outside)
            problems: dict[str, FoldBasketError] = {}
            tables = load_tables(opened, allow_outside=True, progress=progress, problems=problems)
            return lambda: self._opened(opened, tables, problems)

        self._reader.start(read)

    def _opened(self, opened: Opened, tables: dict[str, Table], problems: dict[str, FoldBasketError]) -> None:
        memory.remember(opened.path)
        self._take_up(with_full_paths(opened), tables, Path(os.path.realpath(opened.path)), problems)
        self._state = opened.state
        self.rested.emit()

    def begin_anew(self) -> None:
        """Puts an empty basket on the desk."""
        self.cancel()
        self._take_up(Basket(), {}, None)

    def _take_up(
        self,
        basket: Basket,
        tables: dict[str, Table],
        path: Path | None,
        problems: Mapping[str, FoldBasketError] | None = None,
    ) -> None:
        self.supply.forget()
        self.supply.agreed = Agreed(places_of(basket, NOWHERE))
        for spec in basket.sources:
            if spec.key in tables and spec.fold is None:
                self.supply.adopt(spec, tables[spec.key])
            elif problems and spec.key in problems:
                self.supply.miss(spec, problems[spec.key])
        self.source_key = self.field = None
        self.history = History(basket)
        self.view_changed.emit()
        self.path, self._state = path, None
        self.fold_key = basket.folds[0].key if basket.folds else None
        self.word, self.report = None, None
        if basket.sources and not basket.folds:
            self.do(edits.AddFold(Fold(UNNAMED)))
        else:
            self._after_change()
        for error in (problems or {}).values():
            self._not_supplied(error)

    def _not_done(self, error: FoldBasketError) -> None:
        self.rested.emit()
        self.failed.emit(error)

    def save(
        self,
        path: Path,
        *,
        with_data: bool = False,
        replace: bool = False,
        then: Callable[[], None] | None = None,
    ) -> None:
        """Saves the basket in the background; data goes with it when asked for, or when it was there before. `then` is called when it
        is saved. A file that somebody else has changed since it was opened is replaced only with `replace`; else
        `changed_elsewhere` asks."""
        basket, earlier, state = self.basket, self.path, self._state
        carried = with_data or any(source.data for source in basket.sources)
        tables = self.supply.all_as_read(basket.sources) if carried else None

        def write(progress: Any) -> Callable[[], None]:
            progress.step(f"Saving {path.name}", 0.0)
            target = Path(os.path.realpath(path))
            if not replace and target == earlier and is_other(target, state):
                return lambda: self.changed_elsewhere.emit(path, with_data, then)
            save_basket(relative_to(basket, target.parent), path, tables, earlier=earlier)
            saved = state_of(target)
            return lambda: self._saved(basket, target, saved, then)

        self._saver.start(write)

    def _saved(self, basket: Basket, path: Path, state: State | None, then: Callable[[], None] | None) -> None:
        self.path, self._state = path, state
        self.history.mark_saved(basket)
        if not self.history.changed:
            self._keep_aside(recovery.forget)
        memory.remember(path)
        memory.trust(digest(places_of(basket, path.parent)))
        self.saved.emit()
        self.rested.emit()
        if then is not None:
            then()

    def write_aside(self) -> None:
        """Writes unsaved work aside in the background, so that a crash loses no more than the last moments."""
        if not (self.history.changed and self.basket.sources):
            self._keep_aside(recovery.forget)
            return
        basket, path = self.basket, self.path
        tables = self.supply.all_as_read([source for source in basket.sources if source.data])
        self._keep_aside(lambda: recovery.write_aside(basket, path, tables))

    def _keep_aside(self, work: Callable[[], None]) -> None:
        def quietly(_: Any) -> None:
            with contextlib.suppress(OSError, ValueError):  # a full disk must not stop the work itself
                work()

        self._aside_writer.start(quietly)

    def recover(self, left: recovery.Recovered) -> None:
        """Takes up work that a crash left. It counts as unsaved until it is saved."""

        def read(progress: Any) -> Any:
            opened = Opened(left.basket, left.path or left.found)
            problems: dict[str, FoldBasketError] = {}
            known = left.tables(progress)
            tables = load_tables(opened, allow_outside=True, progress=progress, problems=problems, known=known)
            return lambda: self._recovered(left, tables, problems)

        self._reader.start(read)

    def _recovered(
        self, left: recovery.Recovered, tables: dict[str, Table], problems: dict[str, FoldBasketError]
    ) -> None:
        self._take_up(left.basket, tables, left.path, problems)
        self.history.mark_saved(Basket())
        self.write_aside()
        recovery.forget(left.found)
        self.rested.emit()

    def copy(self, cells: int, make: Callable[[], tuple[str, str]]) -> None:
        """Makes what goes to the clipboard, as plain text and as HTML, of so many cells: at once, or in the background if many."""

        def work(progress: Any) -> tuple[str, str]:
            progress.step("Copying", 0.0)
            return make()

        if cells > COPIED_AT_ONCE:
            self._copier.start(work)
        else:
            self.copied.emit(*make())

    def _copied(self, texts: tuple[str, str]) -> None:
        self.copied.emit(*texts)
        self.rested.emit()

    def write_report(self, path: Path, shape: str = "table") -> None:
        """Writes the report in view to a file in the background; it appears whole or not at all."""
        report = self.report
        if report is None:
            return

        spare = own_files(self.basket, self.path, NOWHERE)

        def write(progress: Any) -> Path:
            progress.step(f"Writing {path.name}", 0.0)
            save_report(report, path, shape, spare=spare)
            return path

        self._writer.start(write)

    def _written(self, path: Path) -> None:
        self.rested.emit()
        self.written.emit(path)
