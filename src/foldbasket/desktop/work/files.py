"""Files: opened, added as sources, saved, written aside and recovered. All of it in the background."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from foldbasket.baskets import edits, recovery
from foldbasket.baskets.basket import Basket, SourceSpec, free_name, taken
from foldbasket.baskets.consent import EVERYTHING, NOWHERE, digest, places_of, servers_of
from foldbasket.baskets.files import (
    Opened,
    State,
    is_basket,
    is_other,
    open_basket,
    relative_to,
    save_basket,
    state_of,
    with_full_paths,
)
from foldbasket.baskets.history import Trail
from foldbasket.desktop import memory
from foldbasket.desktop.state.board import Keeper
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError
from foldbasket.links.link import Link
from foldbasket.opening.reading import load_tables, outside_places
from foldbasket.opening.sources import read_source
from foldbasket.sentence.phrases import UNNAMED
from foldbasket.spec.fold import Fold
from foldbasket.tables.reading.readers import table_name
from foldbasket.tables.table import Table


def new_basket() -> Basket:
    """An empty basket, in the language and the currency that new ones were chosen to have."""
    return Basket(locale=memory.chosen("locale", "en"), currency=memory.chosen("currency", "EUR"))


class Files(QObject):
    """The desk's work on files. `trust_wanted` asks before data elsewhere are read, `changed_elsewhere` before a file is replaced that
    somebody else has saved since."""

    saved = pyqtSignal()
    trust_wanted = pyqtSignal(object, object, object)
    changed_elsewhere = pyqtSignal(object, bool, object)

    def __init__(self, desk: Keeper, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.path: Path | None = None
        self._state: State | None = None
        self._recovered_from: Path | None = None
        """Where recovered work was found, until it is written again."""
        self._reader = Worker("read", self)
        self._saver = Worker("save", self)
        self._aside_writer = Worker("aside", self)
        for worker in (self._reader, self._saver):
            worker.told.connect(desk.told)
            worker.finished.connect(lambda then: then())
            worker.failed.connect(desk.not_done)
        self._aside = QTimer(self)
        self._aside.setInterval(recovery.SECONDS * 1000)
        self._aside.timeout.connect(self.write_aside)
        self._aside.start()

    @property
    def busy(self) -> bool:
        return self._reader.busy or self._saver.busy or self._aside_writer.busy

    def close(self) -> None:
        """What is being written is written to its end; what is being read is given up."""
        self._aside.stop()
        for worker in (self._saver, self._aside_writer):
            worker.close(wait=True)
        self._reader.close()
        recovery.close()

    def cancel(self) -> None:
        """Gives up what is being read."""
        self._reader.cancel()

    # --- opening ------------------------------------------------------------

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Opens a basket in place of the present one, or adds data files to it."""
        baskets = [path for path in paths if is_basket(path)]
        if baskets:
            self.open_basket(baskets[0])
        elif paths:
            self.add_files(list(paths))

    def add_files(self, paths: Sequence[Path]) -> None:
        """Reads data files and adds them as sources; all of them or none."""
        used = taken(self.desk.basket.sources)
        specs = []
        for path in paths:
            name = free_name(table_name(path), used)
            used.add(name)
            specs.append(SourceSpec(name, str(path.absolute())))
        keep, most = not self.desk.basket.confidential, self.desk.supply.most

        def read(progress: Any) -> Any:
            # Chosen by hand, so there is nothing to ask.
            tables = [read_source(spec, NOWHERE, EVERYTHING, progress, keep=keep, most=most) for spec in specs]
            return lambda: self.take_in(specs, tables)

        self._reader.start(read)

    def read_in_background(self, work: Callable[[Any], Callable[[], None]]) -> None:
        """Runs `work(progress)` on the reader; what it returns is called in the window's thread when it is done."""
        self._reader.start(work)

    def take_in(self, specs: list[SourceSpec], tables: list[Table], links: Sequence[Link] = ()) -> None:
        """Adds sources whose tables were just read."""
        desk = self.desk
        for spec, table in zip(specs, tables, strict=True):
            desk.supply.adopt(spec, table)
        if not desk.basket.sources and not desk.basket.folds and self.path is None:
            desk.history.begin(msgspec.structs.replace(desk.basket, name=specs[0].name))
        desk.do(edits.AddSources(tuple(specs), tuple(links)))
        if not desk.basket.folds:
            desk.do(edits.AddFold(Fold(UNNAMED)))
        desk.rested.emit()

    def open_made(self, make: Callable[[], Path]) -> None:
        """Opens a basket that is made first."""

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
                servers = servers_of(opened.basket)
                return lambda: self.trust_wanted.emit(path, outside, servers)
            problems: dict[str, FoldBasketError] = {}
            tables = load_tables(opened, allow_outside=True, progress=progress, problems=problems)
            return lambda: self._opened(opened, tables, problems)

        self._reader.start(read)

    def _opened(self, opened: Opened, tables: dict[str, Table], problems: dict[str, FoldBasketError]) -> None:
        memory.remember(opened.path)
        self._take_up(with_full_paths(opened), tables, Path(os.path.realpath(opened.path)), problems)
        self._state = opened.state
        self.desk.rested.emit()

    def begin_anew(self) -> None:
        """Puts an empty basket on the desk."""
        self.desk.cancel()
        self._take_up(new_basket(), {}, None)

    def _take_up(
        self,
        basket: Basket,
        tables: dict[str, Table],
        path: Path | None,
        problems: Mapping[str, FoldBasketError] | None = None,
        trail: Trail | None = None,
    ) -> None:
        self.path, self._state, self._recovered_from = path, None, None
        self.desk.take_up(basket, tables, problems or {}, trail)
        if basket.sources and not basket.folds:
            self.desk.do(edits.AddFold(Fold(UNNAMED)))

    # --- saving -------------------------------------------------------------

    def save(
        self,
        path: Path,
        *,
        with_data: bool = False,
        replace: bool = False,
        then: Callable[[], None] | None = None,
    ) -> None:
        """Saves the basket; data goes with it when asked for, or when it was there before. `then` is called when it is saved. A file
        that somebody else has changed since it was opened is replaced only with `replace`; else `changed_elsewhere` asks."""
        basket, earlier, state = self.desk.basket, self.path, self._state
        carried = with_data or any(source.data for source in basket.sources)
        tables = self.desk.supply.all_as_read(basket.sources) if carried else None

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
        self.desk.history.mark_saved(basket)
        if not self.desk.history.changed:
            self._keep_aside(self._forgetting())
        memory.remember(path)
        memory.trust(digest(places_of(basket, path.parent)))
        self.saved.emit()
        self.desk.rested.emit()
        if then is not None:
            then()

    # --- recovery -----------------------------------------------------------

    def write_aside(self) -> None:
        """Writes unsaved work aside, so that a crash loses no more than the last moments."""
        if not (self.desk.history.changed and self.desk.basket.sources) or self.desk.view.only_reads:
            self._keep_aside(self._forgetting())
            return
        basket, path = self.desk.basket, self.path
        tables = self.desk.supply.all_as_read([source for source in basket.sources if source.data])
        trail, found = self.desk.history.trail, self._recovered_from

        def write() -> None:
            is_whole = recovery.write_aside(basket, path, tables, trail)
            if found is not None and is_whole:  # so that a further crash loses nothing
                recovery.forget(found)

        self._keep_aside(write)

    def _forgetting(self) -> Callable[[], None]:
        """Drops what was written aside, and what recovered work was found in: it is saved, or was given up."""
        found, self._recovered_from = self._recovered_from, None

        def forget() -> None:
            recovery.forget()
            if found is not None:
                recovery.forget(found)

        return forget

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
            trail = left.trail()
            return lambda: self._recovered(left, tables, problems, trail)

        self._reader.start(read)

    def _recovered(
        self,
        left: recovery.Recovered,
        tables: dict[str, Table],
        problems: dict[str, FoldBasketError],
        trail: Trail | None,
    ) -> None:
        self._take_up(left.basket, tables, left.path, problems, trail)
        self.desk.history.mark_saved(Basket())
        self._recovered_from = left.found
        self.write_aside()
        self.desk.rested.emit()
