"""What a finding is: a sentence, the records it is about, and the ways out, each of them a mend."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TypeVar

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.registry import Kinds
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.mending.mend import AnyMend
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table

Records = npt.NDArray[np.int64]
"""Numbers of records, from 0, ascending."""
Find = Callable[[Progress], Records]
"""Looks for some records. Raises ReadError where they have to be read for it, Cancelled."""
MOST_FOUND = 100_000
"""So many of the records that a finding is about are looked for in a table that is not held: the first ones."""


class Finder(msgspec.Struct, frozen=True):
    """One thing that is looked for in a table: what it is called where it could not be, and the search."""

    name: str
    find: Callable[[Table], Iterator[Finding]]
    standing: int = 100
    by_member: bool = False
    """Whether it looks at one field at a time, by its members and how many records have each."""


Search = TypeVar("Search", bound=Callable[[Table], Iterator["Finding"]])

FINDERS: Kinds[Finder] = Kinds("finding", "foldbasket.tables.findings")


def finder(name: str, standing: int, *, by_member: bool = False) -> Callable[[Search], Search]:
    """Enters a search among those that every table is looked through by."""

    def enter(find: Search) -> Search:
        FINDERS.enter(name, Finder(name, find, standing, by_member))
        return find

    return enter


class Offer(msgspec.Struct, frozen=True):
    """A way out, in the words of a button, and what it does; a finding can always be left as it is."""

    label: str
    mends: tuple[AnyMend, ...]


class Finding(msgspec.Struct, frozen=True, dict=True):
    """Something to look at in `field` (empty: the whole table).

    `kind` and `about` name it from one reading to the next, so that one that was left stays left. `brief` says it in a few
    words on the field's head. `find` looks for the records that it is about: of many it may give the first ones alone.
    """

    kind: str
    field: str
    about: str
    title: str
    brief: str
    count: int
    offers: tuple[Offer, ...]
    find: Find
    remark: str = ""
    counted: str = "record"

    @property
    def key(self) -> str:
        """Names the finding in a basket."""
        return f"{self.kind}: {self.field}: {self.about}"

    @property
    def found(self) -> Records | None:
        """The records that it is about, where they were looked for already."""
        found: Records | None = self.__dict__.get("_found")
        return found

    def records(self, progress: Progress | None = None) -> Records:
        """The records that it is about, looked for now if they were not: among millions that takes a while. Raises ReadError, Cancelled."""
        if self.found is None:
            self.__dict__["_found"] = self.find(progress or Progress())
        assert self.found is not None
        return self.found

    @property
    def where(self) -> str:
        """The field and how many records: “Channel · 3,104 records”."""
        many = f"{self.count:,} {self.counted}{'' if self.count == 1 else 's'}" if self.count else ""
        return " · ".join(part for part in (self.field, many) if part)


def records_of(text: CodedColumn, members: npt.NDArray[np.bool_]) -> Find:
    """Finds the records that have one of some members; the mask has shape (members,)."""
    wanted = np.append(members, False)
    return lambda _: np.flatnonzero(wanted[text.codes])


def texts_of(text: CodedColumn, members: npt.NDArray[np.bool_]) -> tuple[str, ...]:
    """Some members of a field of texts; the mask has shape (members,)."""
    return tuple(text.dictionary.of(np.flatnonzero(members)).texts)


def none_of_them(_: Progress) -> Records:
    """Finds nothing: what is found is about no record."""
    return np.zeros(0, np.int64)


def some(values: Sequence[str], most: int = 3) -> str:
    """A few values in quotes: “n/a”, “?” …"""
    return ", ".join(f"“{value}”" for value in values[:most]) + (" …" if len(values) > most else "")
