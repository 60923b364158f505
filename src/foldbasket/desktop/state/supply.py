"""The supply: the tables behind the desk. Read, mended and watched in the background; no widget.

What was read is kept by where and how it was read, so that undoing a change of that brings the earlier records back at once.
A source that cannot be read again keeps its last records, with a note.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.consent import NOWHERE, Agreed
from foldbasket.baskets.needs import circle_of, needed_sources
from foldbasket.desktop.state.keeping import Keeper
from foldbasket.desktop.state.looking import Looker
from foldbasket.desktop.state.watching import Watcher
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError, FoldError
from foldbasket.links.source import Source
from foldbasket.opening.ready import Keeping
from foldbasket.opening.sources import origin_key, read_source
from foldbasket.opening.summaries import summary_of
from foldbasket.tables.changes import changes_between
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.mending.mend import Outcome
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.table import Table

SMALL = 200_000
"""Tables of up to so many values are mended on the spot, so that a mend is seen at once."""


class Supply(QObject):
    """`changed`: other tables or links. `news`: a line about fresh data."""

    changed = pyqtSignal()
    failed = pyqtSignal(object)
    news = pyqtSignal(str)
    told = pyqtSignal(str, float)
    rested = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.basket = Basket()
        self.tables: dict[str, Table] = {}
        self.outcomes: dict[str, tuple[Outcome, ...]] = {}
        self.source = Source({})
        self.agreed = Agreed()
        """What may be read."""
        self.most: int | None = None
        """So many bytes a table may take and still be held; None for what is allowed."""
        self.notes: dict[str, str] = {}
        """By source: why its records are not the latest."""
        self._read: dict[object, Table] = {}
        self._failures: dict[object, FoldBasketError] = {}
        self._keeping = Keeping()
        self._preparer = Worker("prepare", self)
        self._refresher = Worker("refresh", self, behind=True)
        self._preparer.finished.connect(self._prepared)
        self._preparer.failed.connect(self.failed)
        self._preparer.told.connect(self.told)
        self._refresher.finished.connect(self._refreshed)
        self._calculated_for: object = None
        self.problems: dict[tuple[str, str], FoldBasketError] = {}
        """Why calculated fields could not be made, by table and name."""
        self._calculator = Worker("calculate", self)
        self._calculator.finished.connect(self._has_calculated)
        self._calculator.failed.connect(self.failed)
        self._calculator.told.connect(self.told)
        self._keeper = Keeper(self)
        self.looker = Looker(self)
        self.looker.failed.connect(self.failed)
        self.looker.told.connect(self.told)
        self.looker.rested.connect(self.rested)
        self._waiting: list[str] = []
        self.watcher = Watcher(self)
        self.watcher.came.connect(self.refresh)
        self.watcher.vanished.connect(self._vanished)
        self.watcher.waiting.connect(
            lambda place: self.news.emit(f"{Path(place).name} ends in half a line; it will be read when it is whole.")
        )

    @property
    def busy(self) -> bool:
        return self._preparer.busy or self._refresher.busy or self._calculator.busy

    def cancel(self) -> None:
        self._preparer.cancel()

    def close(self) -> None:
        self.watcher.watch({})
        for worker in (self._preparer, self._refresher, self._calculator, self._keeper, self.looker):
            worker.close()

    # --- tables -------------------------------------------------------------

    def adopt(self, spec: SourceSpec, table: Table) -> None:
        """Takes up a table that was just read for a source."""
        self._read[self._key(spec)] = table
        self._failures.pop(self._key(spec), None)
        self._keeper.write()

    def miss(self, spec: SourceSpec, error: FoldBasketError) -> None:
        """Notes that a source could not be read; it is not tried again until its file changes or the user asks."""
        self._failures[self._key(spec)] = error
        self.notes[spec.key] = str(error)

    def forget(self) -> None:
        """Drops everything that was read: another basket comes onto the desk."""
        self._preparer.cancel()
        self._refresher.cancel()
        self.looker.forget()
        for kept in (self._read, self._failures, self.tables, self.outcomes):
            kept.clear()
        self.notes.clear()

    def as_read(self, name: str) -> Table | None:
        """The table of a source before its mends."""
        spec = next((each for each in self.basket.sources if each.key == name), None)
        return self._read.get(self._key(spec)) if spec is not None else None

    def all_as_read(self, specs: Sequence[SourceSpec]) -> dict[str, Table]:
        """Their tables before mending, by name, of those that have been read."""
        found = {spec.key: self.as_read(spec.key) for spec in specs}
        return {name: table for name, table in found.items() if table is not None}

    def _key(self, spec: SourceSpec) -> object:
        if spec.fold is None:
            return origin_key(spec)
        if not any(fold.key == spec.fold for fold in self.basket.folds):
            return origin_key(spec)
        needed = needed_sources(self.basket, spec.fold)
        serials = tuple(self.tables[name].serial for name in needed if name in self.tables and name != spec.key)
        return origin_key(spec), self.basket.fold(spec.fold), self.source.key[1:], serials

    def renew(self, basket: Basket) -> None:
        """Brings the tables in step with the basket: at once what is at hand, the rest in the background."""
        for spec in Keeper.heed(self.basket, basket):
            self._read.pop(origin_key(spec), None)
        self.basket = basket
        circle = circle_of(basket)
        to_do: list[SourceSpec] = []
        names = [spec.key for spec in basket.sources]
        for kept in (self.tables, self.outcomes, self.notes):
            for gone in set(kept) - set(names):
                del kept[gone]
        for spec in sorted(basket.sources, key=lambda spec: spec.fold is not None):
            if circle is not None and spec.key in circle:
                self.tables.pop(spec.key, None)
                self.notes[spec.key] = f"it is made of itself: {' → '.join(map(basket.source_name, circle))}"
                continue
            key = self._key(spec)
            if key in self._failures:
                self.notes[spec.key] = str(self._failures[key])
                continue
            read = self._read.get(key)
            if read is None:
                to_do.append(spec)
            elif self._keeping.can_mend(basket, spec.key, read) or _is_at_once(read):
                self.tables[spec.key], self.outcomes[spec.key] = self._keeping.mended(basket, spec.key, read)
            else:
                to_do.append(spec)
        if to_do:
            self._prepare(to_do)
        self._renew_source()
        self.watcher.watch(self._watched())

    def _watched(self) -> dict[str, object]:
        """The places that are watched, each with the state that it was in when it was read; one that no state equals where several sources were read there in
        several."""
        found: dict[str, object] = {}
        for spec in self.basket.sources:
            if spec.is_file and spec.data is None:
                read = self._read.get(self._key(spec))
                if read is not None or self._key(spec) in self._failures:
                    stamp = read.stamp if read is not None else None
                    found[spec.path] = stamp if found.get(spec.path, stamp) == stamp else ()
        return found

    def _prepare(self, specs: Sequence[SourceSpec]) -> None:
        basket = self.basket
        known = {spec.key: self._read.get(self._key(spec)) for spec in basket.sources}
        keys = {spec.key: self._key(spec) for spec in specs}
        agreed, most = self.agreed, self.most

        def work(progress: Any) -> Any:
            done: dict[object, Table | FoldBasketError] = {}

            def read(name: str) -> Table:
                table = known.get(name)
                if table is None:
                    keep = not basket.confidential
                    table = read_source(
                        basket.source(name), NOWHERE, agreed, progress, fold_table, keep=keep, most=most
                    )
                    known[name] = table
                return table

            def fold_table(name: str, progress: Any) -> Table:
                return summary_of(basket, name, read, progress)

            for spec in specs:
                try:
                    table = read(spec.key)
                    self._keeping.mended(basket, spec.key, table, progress)
                    done[keys[spec.key]] = table
                except FoldBasketError as error:
                    progress.step("Reading", 0.0)
                    done[keys[spec.key]] = error
            return done

        self._preparer.start(work)

    def _prepared(self, done: dict[object, Table | FoldBasketError]) -> None:
        for key, result in done.items():
            if isinstance(result, FoldBasketError):
                self._failures[key] = result
                if not isinstance(result, FoldError):
                    self.failed.emit(result)
            else:
                self._read[key] = result
        self.renew(self.basket)
        self._keeper.write()
        self.rested.emit()

    def hold(self, most: int | None) -> None:
        """Holds tables of so many bytes, and reads again those for which that may be another answer."""
        self.most = most
        for spec in self.basket.sources:
            if spec.is_file and spec.data is None and not spec.mends:
                self._read.pop(self._key(spec), None)
        self.renew(self.basket)
        self.changed.emit()

    def retry(self) -> None:
        """Tries again to read what could not be read, as after a password was typed."""
        self._failures.clear()
        self.renew(self.basket)

    def _renew_source(self) -> None:
        tables = {spec.key: self.tables[spec.key] for spec in self.basket.sources if spec.key in self.tables}
        self._calculate(tables)
        source = self.basket.joined(self.tables)
        if source.key != self.source.key:
            self.source = source
            self.changed.emit()
            self.looker.surveyor.keeps = not self.basket.confidential
            self.looker.look(source, self.basket.links, self.all_as_read(self.basket.sources))

    def _calculate(self, tables: dict[str, Table]) -> None:
        """Adds calculated fields to the tables: at once where they are at hand or small, else in the background."""
        basket = self.basket
        self.problems = {}
        if not basket.calculated:
            return
        few = all(_is_small(tables[each.table]) for each in basket.calculated if each.table in tables)
        if few or self._keeping.can_calculate(basket, tables) or not self._calculator_may(tables):
            made = self._keeping.calculated(basket, tables)
            self.tables.update(made.tables)
            self.problems = made.problems
            return
        self._calculator.start(lambda progress: self._keeping.calculated(basket, tables, progress))

    def _calculator_may(self, tables: dict[str, Table]) -> bool:
        """Whether the background should work the fields out: not when it just did, for then one of them is wrong."""
        key = (self.basket.joined(tables).key, self.basket.calculated, self.basket.as_of)
        fresh, self._calculated_for = key != self._calculated_for, key
        return fresh

    def _has_calculated(self, _: object) -> None:
        self.renew(self.basket)
        self.rested.emit()

    def findings(self, name: str, *, left: bool = False) -> list[Finding]:
        """The findings in a source, without those that were left unless `left`."""
        table = self.tables.get(name)
        if table is None:
            return []
        spec = self.basket.source(name)
        found = self.looker.findings(table, name)
        found.sort(key=lambda finding: not finding.offers)  # what can be mended comes first
        return found if left else [finding for finding in found if finding.key not in spec.left]

    # --- fresh data ---------------------------------------------------------

    def refresh(self, place: str) -> None:
        """Reads a place again in the background, whose file has changed; several are read one after the other."""
        if place not in self._waiting:
            self._waiting.append(place)
        if not self._refresher.busy:
            self._refresh_next()

    def read_again(self) -> None:
        """Reads every source again."""
        self._failures.clear()
        for spec in self.basket.sources:
            if spec.is_file and spec.data is None:
                self.refresh(spec.path)
            elif spec.server is not None or spec.is_remote:
                self._read.pop(self._key(spec), None)
        self.renew(self.basket)

    def _refresh_next(self) -> None:
        if not self._waiting:
            return
        place, agreed, basket, most = self._waiting.pop(0), self.agreed, self.basket, self.most
        specs = [spec for spec in self.basket.sources if spec.is_file and spec.path == place and spec.data is None]

        def work(progress: Any) -> Any:
            done: list[tuple[SourceSpec, Table | FoldBasketError]] = []
            for spec in specs:
                try:
                    table = read_source(spec, NOWHERE, agreed, progress, keep=not basket.confidential, most=most)
                    self._keeping.mended(basket, spec.key, table, progress)
                    done.append((spec, table))
                except FoldBasketError as error:
                    done.append((spec, error))
            return done

        self._refresher.start(work)

    def _refreshed(self, done: list[tuple[SourceSpec, Table | FoldBasketError]]) -> None:
        said = []
        for spec, result in done:
            if isinstance(result, FoldBasketError):
                self.notes[spec.key] = f"the last records are kept: {result}"
                said.append(
                    f"{spec.name} could not be read again ({result.what.rstrip('.')}); the last records are kept."
                )
                continue
            before = self._read.get(self._key(spec))
            self.adopt(spec, result)
            self.notes.pop(spec.key, None)
            if before is not None:
                said.append(f"{spec.name}: {changes_between(before, result).sentence}.")
        self.renew(self.basket)
        if said:
            self.news.emit(" ".join(said))
        self.rested.emit()
        self._refresh_next()

    def _vanished(self, place: str) -> None:
        for spec in self.basket.sources:
            if spec.path == place:
                self.notes[spec.key] = f"{Path(place).name} is gone; the last records are kept"
                self.news.emit(
                    f"{Path(place).name} is gone. The last records are kept; choose another file on the source's card."
                )
        self.looker.looked.emit()


def _is_at_once(table: Table) -> bool:
    """Whether a table's mends take no time to speak of; of one that is not held some go through all of its records."""
    return _is_small(table) and not is_sampled(table)


def _is_small(table: Table) -> bool:
    return table.count * max(1, len(table.columns)) <= SMALL
