"""A source: tables and their links, seen from one base table, with every reachable field aligned to its records.

Which table is the base is decided by the fields in use: the finest of them, from which every other used table is reached
many-to-one. Alignments are computed on first use and kept, since every fold over the same tables shares them.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Container, Mapping, Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import LinkError
from foldbasket.links.link import Link, find_partners
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.styling.dates import CALENDAR_YEAR, Fiscal
from foldbasket.tables.column import Codes, Column, Dictionary, smallest_codes
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import in_view
from foldbasket.tables.table import Table
from foldbasket.tables.unread import bring
from foldbasket.typed import meant


class Aligned(msgspec.Struct, frozen=True, eq=False):
    """A field as one code per base record.

    Codes from 0 name the members of `dictionary`; ``len(dictionary)`` is blank and ``len(dictionary) + 1`` means that the
    record found no partner on the way to the field's table.
    """

    codes: Codes
    dictionary: Dictionary

    @property
    def blank(self) -> int:
        return len(self.dictionary)

    @property
    def no_match(self) -> int:
        return len(self.dictionary) + 1

    @property
    def size(self) -> int:
        """How many codes there can be, blank and no match included."""
        return len(self.dictionary) + 2


class Source:
    """Tables by the keys of their sources and the links between them. Safe to read from several threads."""

    def __init__(
        self,
        tables: Mapping[str, Table],
        links: Sequence[Link] = (),
        shared: Sequence[Shared] = (),
        fiscal: Fiscal = CALENDAR_YEAR,
        formulas: Mapping[FieldRef, str] | None = None,
    ) -> None:
        """`shared` lists fields that mean the same in tables without links, `fiscal` says when the firm's year starts, `formulas` are
        those that calculated fields were made by."""
        self.tables = dict(tables)
        self.links = tuple(link for link in links if link.from_table in tables and link.to_table in tables)
        self.shared, self.fiscal, self.formulas = tuple(shared), fiscal, dict(formulas or {})
        self.key = (
            tuple(sorted((key, table.name, table.serial) for key, table in tables.items())),
            self.links,
            self.shared,
            fiscal,
        )
        self._made: dict[FieldRef, Column] = {}
        self._steps: dict[Link, npt.NDArray[np.int32]] = {}
        self._rows: dict[tuple[str, str], npt.NDArray[np.int32] | None] = {}
        self._aligned: dict[tuple[str, FieldRef], Aligned] = {}
        self._lock = threading.RLock()

    def with_table(self, key: str, table: Table) -> Source:
        """The same source with another table in place of one."""
        return Source({**self.tables, key: table}, self.links, self.shared, self.fiscal, self.formulas)

    def in_view(self) -> Source:
        """The same source as it can be looked at without waiting: with samples in place of tables that are not held."""
        tables = {key: in_view(table) for key, table in self.tables.items()}
        if all(tables[key] is table for key, table in self.tables.items()):
            return self
        return Source(tables, self.links, self.shared, self.fiscal, self.formulas)

    def called(self, table: str) -> str:
        """What a table is called, by the key of its source; the key itself where it is gone."""
        return self.tables[table].name if table in self.tables else table

    def table(self, name: str) -> Table:
        """The table that a key refers to, or a LinkError that lists the known ones."""
        if name not in self.tables:
            todo = "Open it again or undo what took it out, or take its fields out of the fold."
            raise LinkError(
                f"there is no source “{name}”.",
                todo=f"{todo} {meant(name, [table.name for table in self.tables.values()])}".rstrip(),
            )
        return self.tables[name]

    def column(self, ref: FieldRef) -> Column:
        """The column that `ref` names, on its own table's records."""
        made = self._made.get(ref)
        return made if made is not None else self.table(ref.table).column(ref.field)

    def add(self, ref: FieldRef, make: Callable[[], Column]) -> None:
        """Adds a column that no table lists, such as what an aggregate of a formula runs over; made once."""
        with self._lock:
            if ref not in self._made:
                self._made[ref] = make()

    def bring(self, refs: Collection[FieldRef], without: Container[str] = (), progress: Progress | None = None) -> None:
        """Has the values of some fields, and of the keys by which their tables are reached, read together where they are not read yet; but for those of
        tables that are left out. Raises ReadError, Cancelled."""
        for key, wanted in self.needed(refs).items():
            if key in self.tables and key not in without:
                bring(self.tables[key], wanted, progress)

    def needed(self, refs: Collection[FieldRef]) -> dict[str, list[str]]:
        """By table, each name once: some fields (one without a name stands for its table alone), and the keys of the links between their tables."""
        names: dict[str, dict[str, None]] = {ref.table: {} for ref in refs}
        for ref in refs:
            if ref.field:
                names[ref.table][ref.field] = None
        used = [key for key in names if key in self.tables]
        for link in {link for one in used for other in used for link in self.path(one, other) or ()}:
            for near, far in link.keys:
                names.setdefault(link.from_table, {})[near] = None
                names.setdefault(link.to_table, {})[far] = None
        return {key: list(own) for key, own in names.items()}

    def path(self, start: str, end: str) -> tuple[Link, ...] | None:
        """The links from `start` to `end`, fewest first; None when `end` cannot be reached."""
        paths: dict[str, tuple[Link, ...]] = {start: ()}
        queue = [start]
        while queue:
            here = queue.pop(0)
            for link in self.links:
                if link.from_table == here and link.to_table not in paths:
                    paths[link.to_table] = (*paths[here], link)
                    queue.append(link.to_table)
        return paths.get(end)

    def reachable(self, base: str) -> tuple[str, ...]:
        """The tables reached from `base`, itself first, in the order of the basket."""
        return (base, *(name for name in self.tables if name != base and self.path(base, name)))

    def stand_in(self, base: str, ref: FieldRef) -> FieldRef | None:
        """The field that says for records of `base` what `ref` says: itself where links lead to it, else one that shares its
        meaning; None when there is neither."""
        if self.path(base, ref.table) is not None:
            return ref
        alike = (each for shared in self.shared if ref in shared.fields for each in shared.fields)
        return next((each for each in alike if self.path(base, each.table) is not None), None)

    def base_for(self, used: Collection[str]) -> str:
        """The finest of the used tables. Raises LinkError when none of the sources reaches all of them."""
        for name in used:
            self.table(name)
        candidates = [name for name in self.tables if all(self.path(name, other) is not None for other in used)]
        if not candidates:
            listed = " and ".join(f"“{self.called(name)}”" for name in sorted(used))
            raise LinkError(
                f"no links lead from one table to {listed}.", todo="Link the tables, or take one field out."
            )
        # A table in use is finer than one that is merely on the way; among several, the one nearest to what is used.
        return min(
            candidates, key=lambda name: (name not in used, sum(len(self.path(name, other) or ()) for other in used))
        )

    def rows(self, base: str, table: str) -> npt.NDArray[np.int32] | None:
        """For each record of `base` the record of `table` it finds, -1 for none; None when both are the same table."""
        with self._lock:
            if (base, table) in self._rows:
                return self._rows[base, table]
            path = self.path(base, table)
            if path is None:
                raise LinkError(
                    f"“{self.called(table)}” cannot be reached from “{self.called(base)}”.", todo="Link the two tables."
                )
            found: npt.NDArray[np.int32] | None = None
            for link in path:
                if link not in self._steps:
                    self._steps[link] = find_partners(link, self.table(link.from_table), self.table(link.to_table))
                step = self._steps[link]
                found = step if found is None else np.append(step, np.int32(-1))[found]
            self._rows[base, table] = found
            return found

    def aligned(self, base: str, ref: FieldRef) -> Aligned:
        """The field as one code per record of `base`."""
        with self._lock:
            if (base, ref) not in self._aligned:
                coded = self.column(ref).coded()
                rows = self.rows(base, ref.table)
                codes = coded.codes
                if rows is not None:
                    kind = smallest_codes(len(coded.dictionary) + 1)
                    extended = np.append(codes.astype(kind), kind.type(len(coded.dictionary) + 1))
                    codes = extended[rows]
                self._aligned[base, ref] = Aligned(codes, coded.dictionary)
            return self._aligned[base, ref]
