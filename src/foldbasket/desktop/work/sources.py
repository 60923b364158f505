"""What is done to sources: mended, linked, read from elsewhere, pasted, taken from databases and from folds.

Each is an edit of the desk's basket, or a reading in the background that ends in one.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.baskets import edits
from foldbasket.baskets.basket import SourceSpec, free_name, taken
from foldbasket.baskets.consent import EVERYTHING, NOWHERE
from foldbasket.desktop.state.board import Board
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import BasketError, FoldBasketError
from foldbasket.links.link import Link
from foldbasket.links.suggest import names_records
from foldbasket.opening.sources import read_source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.changes import changes_between
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.mending.mend import AnyMend
from foldbasket.tables.mending.rows import DropRepeatedRows
from foldbasket.tables.reading.apart import sheets_apart
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Listed, Server, contents, readable
from foldbasket.tables.reading.objects import is_remote
from foldbasket.tables.reading.pasted import read_pasted
from foldbasket.tables.reading.readers import stamp, table_name
from foldbasket.tables.table import Table


class SourceWork(QObject):
    """The part of the desk that works on sources; most of it on the one in view. `listed` says that what a file holds is known now."""

    listed = pyqtSignal()

    def __init__(self, desk: Board, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.shown: dict[str, int] = {}
        """How many findings of a source are shown, where that is more than the first few."""
        self._listed: dict[tuple[object, ...], list[Any]] = {}
        self._lister = Worker("contents", self)
        self._lister.finished.connect(self._has_listed)

    @property
    def busy(self) -> bool:
        return self._lister.busy

    def close(self) -> None:
        self._lister.close()

    def mend(self, *mends: AnyMend) -> bool:
        """Adds mends to the source in view."""
        return self.desk.view.source_key is not None and self.desk.do(edits.AddMends(self.desk.view.source_key, mends))

    def leave(self, source: str, finding: Finding) -> None:
        """Leaves a finding as it is: it is not shown again."""
        left = (*self.desk.basket.source(source).left, finding.key)
        self.desk.do(edits.ChangeSource(source, {"left": left}, f"Leave “{finding.title}”"))

    def link(self, one: FieldRef, other: FieldRef) -> bool:
        """Links two fields, from the many to the one: the one is the side on which the field names each record once."""
        ends = [self.desk.column(one), self.desk.column(other)]
        if ends[0] is None or ends[1] is None:
            return False
        if names_records(ends[0]) and not names_records(ends[1]):
            one, other = other, one
        for link in self.desk.basket.links:
            if {link.from_table, link.to_table} == {one.table, other.table}:
                near, far = (one, other) if link.from_table == one.table else (other, one)
                keys = (*link.keys, (near.field, far.field))
                names = [self.desk.basket.source_name(end) for end in (link.from_table, link.to_table)]
                done = f"Link {' to '.join(names)} by {near.field} too"
                return self.desk.do(edits.ChangeLink(link, msgspec.structs.replace(link, keys=keys), done))
        return self.desk.do(edits.AddLinks((Link(one.table, other.table, ((one.field, other.field),)),)))

    def accept_links(self) -> None:
        """Accepts every suggested link."""
        if self.desk.supply.looker.suggestions:
            self.desk.do(edits.AddLinks(self.desk.supply.looker.suggestions))

    def keep_one(self, link: Link) -> None:
        """Mends a link's far table so that each key stands on one record."""
        fields = tuple(far for _, far in link.keys)
        self.desk.do(edits.AddMends(link.to_table, (DropRepeatedRows(fields),)))

    def database_tables(self, path: str) -> list[Listed]:
        """The tables and views of an SQLite file; none while they are being listed, or when it cannot be read now."""
        return self._once(contents, path)

    def add_other_tables(self, spec: SourceSpec) -> None:
        """Adds the other tables of an SQLite file as sources, with the file's own links between all of them."""
        basket = self.desk.basket

        def read(progress: Any) -> Any:
            everything = contents(Path(spec.path))
            first = everything[0].name if everything else spec.name
            listed = [each for each in everything if not each.is_view]
            here = {source.reading.table or first: source.key for source in basket.sources if source.path == spec.path}
            used = taken(basket.sources)
            specs = []
            for each in listed:
                if each.name not in here:
                    name = free_name(readable(each.name), used)
                    used.add(name)
                    here[each.name] = name
                    specs.append(SourceSpec(name, spec.path, Reading(table=each.name)))
            links = [
                Link(here[each.name], here[other], pairs)
                for each in listed
                for other, pairs in each.links
                if other in here and other != each.name
            ]
            if not specs:
                return lambda: self.complain(f"all tables of {Path(spec.path).name} are open already.")
            keep, most = not self.desk.basket.confidential, self.desk.supply.most
            tables = [read_source(each, NOWHERE, EVERYTHING, progress, keep=keep, most=most) for each in specs]
            return lambda: self.desk.take_in(specs, tables, links)

        self.desk.read_in_background(read)

    def sheets(self, path: str) -> list[str]:
        """The sheets of a workbook; none while they are being listed, or when it cannot be read now."""
        return self._once(sheets_apart, path)

    def _once(self, ask: Callable[[Path], list[Any]], path: str) -> list[Any]:
        """What a file holds, asked in the background once for each state of the file, since every card of it asks."""
        try:
            key = (ask, *stamp(Path(path)))
        except (FoldBasketError, OSError, ValueError):
            return []
        if key not in self._listed and not self._lister.busy:

            def work(_: Any) -> tuple[object, list[Any]]:
                try:
                    return key, ask(Path(path))
                except (FoldBasketError, OSError, ValueError):
                    return key, []

            self._lister.start(work)
        return self._listed.get(key, [])

    def _has_listed(self, found: tuple[tuple[object, ...], list[Any]]) -> None:
        self._listed[found[0]] = found[1]
        self.listed.emit()

    def repoint(self, path: Path) -> None:
        """Reads another file in the place of the source in view. Fields are matched by name; what is missing is said."""
        spec = self.desk.spec
        if spec is None:
            return
        before = self.desk.supply.as_read(spec.key)
        changes = {"path": str(path.absolute()), "data": None, "server": None, "fold": None}
        changed = msgspec.structs.replace(spec, **changes)

        def read(progress: Any) -> Any:
            table = read_source(
                changed,
                NOWHERE,
                EVERYTHING,
                progress,
                keep=not self.desk.basket.confidential,
                most=self.desk.supply.most,
            )
            return lambda: put(table)

        def put(table: Table) -> None:
            self.desk.supply.adopt(changed, table)
            self.desk.do(edits.ChangeSource(spec.key, changes, f"Read {spec.name} from {path.name}"))
            if before is not None:
                self.desk.news.emit(f"{spec.name} from {path.name}: {changes_between(before, table).sentence}.")
            self.desk.rested.emit()

        self.desk.read_in_background(read)

    def paste(self, text: str) -> None:
        """Adds a pasted block as a source; its records are held in the basket when that is saved with its data."""
        name = free_name("Pasted", taken(self.desk.basket.sources))
        spec = SourceSpec(name)

        def read(progress: Any) -> Any:
            table = read_pasted(text, name, spec.reading, progress)
            # Named by what it holds, so that no two blocks are ever taken for one another, undone ones included.
            named = msgspec.structs.replace(spec, data=f"pasted/{hashlib.sha256(text.encode()).hexdigest()[:32]}")
            return lambda: self.desk.take_in([named], [table])

        self.desk.read_in_background(read)

    def add_server(
        self,
        server: Server,
        choices: Sequence[tuple[str, Reading]],
        links: Callable[[Sequence[str]], Sequence[Link]],
        *,
        stay: bool = False,
    ) -> None:
        """Reads tables or queries of a database, or leaves their records there, and adds them as sources, with the database's own links between them."""
        used = taken(self.desk.basket.sources)
        specs = []
        for wanted, reading in choices:
            name = free_name(wanted, used)
            used.add(name)
            specs.append(SourceSpec(name, reading=reading, server=server, stays=stay))

        def read(progress: Any) -> Any:
            tables = [read_source(spec, NOWHERE, EVERYTHING, progress) for spec in specs]
            return lambda: self.desk.take_in(specs, tables, links([spec.name for spec in specs]))

        self.desk.read_in_background(read)

    def add_objects(self, address: str) -> None:
        """Opens Parquet files in an object store, whose records stay there."""
        if not is_remote(address):
            self.complain(f"“{address}” is not an address in an object store.", "It begins with s3://.")
            return
        name = free_name(table_name(Path(address.rstrip("/"))), taken(self.desk.basket.sources))
        spec = SourceSpec(name, address)

        def read(progress: Any) -> Any:
            table = read_source(spec, NOWHERE, EVERYTHING, progress)
            return lambda: self.desk.take_in([spec], [table])

        self.desk.read_in_background(read)

    def add_fold_source(self, fold: str) -> None:
        """Makes the summary of a fold a source of its own, kept in step with it."""
        name = free_name(f"{self.desk.basket.fold_name(fold)}, summary", taken(self.desk.basket.sources))
        self.desk.do(edits.AddSources((SourceSpec(name, fold=fold),)))

    def complain(self, what: str, todo: str = "") -> None:
        """Says that something the user typed does not do."""
        self.desk.failed.emit(BasketError(what, todo=todo))
