"""The members of fields as lists for cards and pickers: made at once where that is quick, else in the background, and kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.workers import Worker
from foldbasket.folding.members.domain import domain_of
from foldbasket.kept import Kept
from foldbasket.spec.cut import Cut
from foldbasket.styling.dates import Fiscal
from foldbasket.tables.column import CodedColumn, Column, DeferredColumn

AT_ONCE = 2_000
"""Up to so many members are put in order at once; and up to ten times as many records are looked through for them."""
MOST_MEMBERS = 50_000
MOST_KEPT = 40


@dataclass(frozen=True)
class Listed:
    """Members in label order: their keys, and what the reader sees. None of either where there are more than can be listed."""

    count: int
    keys: Sequence[str]
    labels: Sequence[str]


class Listings(QObject):
    """Lists by column and cut. `ready` says that one which was not at hand is now."""

    ready = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._kept: Kept[Listed] = Kept(MOST_KEPT)
        self._wanted: object = None
        self._worker = Worker("list", self)
        self._worker.finished.connect(lambda _: self.ready.emit())

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def of(self, column: Column, cut: Cut | None, fiscal: Fiscal, locale: str) -> Listed | None:
        """The members of a column; None while they are being listed. Raises FoldError when it cannot be cut so."""
        key = (column, cut, fiscal, locale)
        make = partial(listed, *key)
        if key in self._kept or _is_quick(column):
            return self._kept.get_or(key, make)
        if self._wanted != key or not self._worker.busy:
            self._wanted = key
            self._worker.start(lambda _: self._kept.get_or(key, make))
        return None


def _is_quick(column: Column) -> bool:
    if isinstance(column, DeferredColumn):
        return False
    if isinstance(column, CodedColumn):
        return len(column.dictionary) <= AT_ONCE
    return len(column) <= 10 * AT_ONCE


def listed(column: Column, cut: Cut | None, fiscal: Fiscal, locale: str) -> Listed:
    """The members of a column in label order. Raises FoldError when it cannot be cut so."""
    domain = domain_of(column, cut, fiscal, locale)
    if domain.blank > MOST_MEMBERS:
        return Listed(domain.blank, (), ())
    order = domain.ranks[: domain.blank].argsort().tolist()
    return Listed(domain.blank, [domain.key(code) for code in order], [domain.label(code, locale) for code in order])
