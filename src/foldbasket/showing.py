"""One report from one line: files and a sentence in, a report out. What `fold-basket show` does, apart from its options."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import msgspec

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import SentenceError
from foldbasket.folding.report.report import Report
from foldbasket.opening.reading import load_tables
from foldbasket.opening.ready import made_ready
from foldbasket.opening.several import TOGETHER, linked, together
from foldbasket.sentence.reading import read
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from foldbasket.spec.fold import Fold
from foldbasket.tables.reading.contract import memory_allowed
from foldbasket.tables.sample import is_sampled, take_sample
from foldbasket.tables.survey import with_all_members
from foldbasket.tables.unread import stream_of


class Shown(msgspec.Struct, frozen=True):
    """A report, and the sentence that it answers written in full."""

    report: Report
    sentence: str
    problems: tuple[str, ...]
    guard: OutputGuard


def shown(
    paths: Sequence[Path],
    said: str,
    tell: Callable[[str], None],
    names: Mapping[Path, str] | None = None,
    *,
    memory: int | None = None,
    trusted: bool = False,
) -> Shown:
    """The report that a sentence asks of some files of data, or of a basket, whose folds can be asked for by name. `tell` is told of each link that is taken
    or not. Raises FoldBasketError."""
    opened = together(paths, names)
    basket = opened.basket
    tables = load_tables(opened, allow_outside=trusted or opened.path.name == TOGETHER, lazily=True)
    guard = OutputGuard(opened.basket, opened.path, opened.folder)
    for table in tables.values():
        if stream_of(table, table.columns, memory if memory is not None else memory_allowed()) is not None:
            take_sample(table)
    basket, remarks = linked(basket, tables)
    for remark in remarks:
        tell(remark)
    ready = made_ready(basket, tables, links=False, memory=memory)
    words = Vocabulary(ready.source, locale=basket.locale)
    fold = next((each for each in basket.folds if each.name.casefold() == said.strip().casefold()), None)
    if fold is None:
        fold, words = _read(said, words)
    if fold.is_empty:
        raise SentenceError("this asks for nothing.", todo="Name a field to sum up, or one to show: net by region.")
    report = basket.worn(ready.engine.fold(fold), fold).of(fold, opened.path.name)
    return Shown(report, written(fold, words), (*ready.problems, *report.remarks), guard)


def _read(said: str, words: Vocabulary) -> tuple[Fold, Vocabulary]:
    """The fold that a sentence asks for, and the names by which it was read: of tables too large to load, those of a sample, then of all records, since a
    member may be in few of them. Raises SentenceError, ReadError."""
    try:
        return msgspec.structs.replace(read(said, words, "Report"), id="typed"), words
    except SentenceError:
        large = {key: table for key, table in words.whole.tables.items() if is_sampled(table)}
        if not large:
            raise
        source = words.source
        for key, table in large.items():
            source = source.with_table(key, with_all_members(table))
        found = Vocabulary(source, locale=words.locale)
        return msgspec.structs.replace(read(said, found, "Report"), id="typed"), found
