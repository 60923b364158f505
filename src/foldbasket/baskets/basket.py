"""The document: sources, links and folds as one immutable value. The file is its JSON, undo is the value before."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Literal, TypeVar

import msgspec

from foldbasket.baskets.calculated import Calculated
from foldbasket.errors import BasketError
from foldbasket.folding.report.report import Report
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.spec.fold import Fold
from foldbasket.styling.dates import CALENDAR_YEAR, Fiscal
from foldbasket.styling.styles import Style, style_named
from foldbasket.tables.mending.mend import AnyMend
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server
from foldbasket.tables.reading.objects import is_remote
from foldbasket.tables.table import Table

FORMAT = "fold-basket"
VERSION = 3


class SourceSpec(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One table: its name, where it comes from, how to read it, and the mends done to it. Others refer to it by its `key`: its `id`, or
    its name where it was never given another.

    It comes from a file, folder or pattern (`path`, relative to the basket where possible) or an address in an object store, from a `server`, or from a `fold`
    of the same basket, whose summary it then is. `data` names a Parquet file inside the basket's archive that carries the
    records as they were read; nothing else is needed then. `left` names the findings that were looked at and left. With `stays` the records
    of a table of a database stay there, and are folded there, for as long as nothing is to be mended of them.
    """

    name: str
    path: str = ""
    reading: Reading = Reading()
    data: str | None = None
    server: Server | None = None
    fold: str | None = None
    mends: tuple[AnyMend, ...] = ()
    left: tuple[str, ...] = ()
    id: str = ""
    stays: bool = False

    @property
    def key(self) -> str:
        """What others refer to it by, whatever it is called."""
        return self.id or self.name

    @property
    def is_left_there(self) -> bool:
        """Whether its records are read only where they are asked for, by themselves or in sum."""
        return self.stays and not self.mends and self.data is None

    @property
    def is_file(self) -> bool:
        """Whether it is read from a file, a folder or a pattern."""
        return self.server is None and self.fold is None and bool(self.path) and not self.is_remote

    @property
    def is_remote(self) -> bool:
        """Whether it is read from an object store."""
        return is_remote(self.path)


class Basket(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Everything the analyst has made. `locale` and `currency` (ISO 4217) say how numbers are written, `as_of` what relative
    dates go by: a date, `today`, or the `latest` date in the data; `fiscal` when the firm's year starts, `shared` which fields
    mean the same in tables that no link joins; `calculated` are fields made by formulas;
    `style` is the key of the style that reports wear which name none, `styles` are the basket's own."""

    name: str = "Untitled"
    sources: tuple[SourceSpec, ...] = ()
    links: tuple[Link, ...] = ()
    folds: tuple[Fold, ...] = ()
    locale: str = "en"
    currency: str = "EUR"
    as_of: str = "latest"
    fiscal: Fiscal = CALENDAR_YEAR
    shared: tuple[Shared, ...] = ()
    calculated: tuple[Calculated, ...] = ()
    style: str = "ledger"
    styles: tuple[Style, ...] = ()
    confidential: bool = False
    """Whether its records are kept nowhere but in their own files."""

    def fold(self, key: str) -> Fold:
        """The fold that a key refers to, or a BasketError that lists them."""
        for fold in self.folds:
            if fold.key == key:
                return fold
        raise self._no_fold(key)

    def fold_named(self, name: str) -> Fold:
        """The fold of that name, or a BasketError that lists them."""
        for fold in self.folds:
            if fold.name == name:
                return fold
        raise self._no_fold(name)

    def _no_fold(self, name: str) -> BasketError:
        listed = ", ".join(f"“{fold.name}”" for fold in self.folds) or "none"
        return BasketError(f"there is no fold “{name}”.", where=self.name, todo=f"Its folds are: {listed}.")

    def joined(self, tables: Mapping[str, Table]) -> Source:
        """The basket's tables, once they are read, mended and calculated, with its links and what it says about them."""
        formulas = {FieldRef(each.table, each.name): each.formula for each in self.calculated}
        return Source(tables, self.links, self.shared, self.fiscal, formulas)

    def source(self, key: str) -> SourceSpec:
        """The source that a key refers to, or a BasketError."""
        for source in self.sources:
            if source.key == key:
                return source
        raise BasketError(f"there is no source “{key}”.", where=self.name)

    def source_name(self, key: str) -> str:
        """What the source that a key refers to is called; the key itself where it is gone."""
        return next((source.name for source in self.sources if source.key == key), key)

    def fold_name(self, key: str) -> str:
        """What the fold that a key refers to is called; the key itself where it is gone."""
        return next((fold.name for fold in self.folds if fold.key == key), key)

    def worn(self, report: Report, fold: Fold) -> Report:
        """A report of a fold, in the fold's present look and its style."""
        style = style_named(fold.look.style or self.style, self.styles)
        if report.look == fold.look and report.style == style:
            return report
        return msgspec.structs.replace(report, look=fold.look, style=style)

    def place_of(self, source: SourceSpec) -> str:
        """Where a source comes from, in a few words."""
        if source.server is not None:
            return source.server.label
        if source.fold is not None:
            return f"the fold “{self.fold_name(source.fold)}”"
        if source.is_remote:
            return source.path
        return source.path.rpartition("/")[2] or "the clipboard"

    def with_source(self, key: str, change: Callable[[SourceSpec], SourceSpec]) -> Basket:
        """The basket with one source changed."""
        self.source(key)
        return msgspec.structs.replace(
            self, sources=tuple(change(source) if source.key == key else source for source in self.sources)
        )

    def with_fold(self, key: str, change: Callable[[Fold], Fold]) -> Basket:
        """The basket with one fold changed."""
        self.fold(key)
        return msgspec.structs.replace(
            self, folds=tuple(change(fold) if fold.key == key else fold for fold in self.folds)
        )


T = TypeVar("T", Fold, SourceSpec)


class BasketFile(Basket, frozen=True, forbid_unknown_fields=True, omit_defaults=False, kw_only=True):
    """A basket as its file says it: with the format's name and version."""

    format: Literal["fold-basket"] = "fold-basket"
    version: Literal[3] = 3


def named(thing: T, name: str) -> T:
    """A fold or source under another name; what refers to it finds it as before."""
    return msgspec.structs.replace(thing, name=name, id="" if thing.key == name else thing.key)


def taken(things: Sequence[Fold] | Sequence[SourceSpec]) -> set[str]:
    """What folds or sources are called and referred to by: a new one takes none of these names."""
    return {each for thing in things for each in (thing.name, thing.key)}


def free_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or `wanted` with the first free number behind it."""
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted} {number}", number + 1
    return name
