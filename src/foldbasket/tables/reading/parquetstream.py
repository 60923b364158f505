"""The records of Parquet files part by part, for tables that are not held."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow as pa

from foldbasket.errors import ReadError, out_of_memory
from foldbasket.later import pq
from foldbasket.tables.column import Column, picked
from foldbasket.tables.conversion import as_arrow, fitted
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.alike import Kind
from foldbasket.tables.reading.contract import changed_since, damaged_copy
from foldbasket.tables.reading.parquet import first_line
from foldbasket.tables.reading.parquettypes import is_text
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.stacking import blanks, stacked, widened
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Part, Span, Told

if TYPE_CHECKING:
    from foldbasket.tables.reading.objects import ObjectFile

State = tuple[int, int]
MOST, LEAST = 2_000_000, 1 << 16
"""Records in a part, at the most and at the least."""


class Piece(NamedTuple):
    """A group of records of a file: the file's place, the group's number in it, and how many records it has."""

    file: int
    group: int
    rows: int


class ParquetStream:
    """The files of one table in their order, read by columns in parts of about so many bytes."""

    def __init__(
        self,
        name: str,
        files: Sequence[Path | ObjectFile],
        counts: Sequence[int],
        size: int = 64 << 20,
        groups: Sequence[Sequence[int] | None] | None = None,
        states: Sequence[State] | None = None,
        named: Table | None = None,
        wider: Mapping[str, Kind] | None = None,
    ) -> None:
        """`named` has a record for each file, of the fields that are the same for all of its records; `wider` says what the fields are that some file lacks or has in another type. `groups` are the groups of records that are read of each file, None for all; `counts` how many records those hold; `states` are those that
        the files must be in, which they are in now where that is None."""
        self.name, self.files, self.counts, self.size = name, tuple(files), tuple(counts), size
        self.groups = list(groups) if groups is not None else [None] * len(self.files)
        self.count, self.named, self.wider = sum(counts), named, dict(wider or {})
        self.states = list(states) if states is not None else [_state(path) for path in self.files]

    answers = False

    def told(self, name: str, most: int, progress: Progress) -> Told | None:
        """Files tell nothing of all their records but the ends of their fields."""
        raise NotImplementedError

    def records_a_part(self, names: Collection[str]) -> int:
        """About how many records a part of some fields has."""
        return max(LEAST, min(MOST, self.size // (8 * max(1, len(names)))))

    def parts(self, names: Collection[str]) -> Iterator[Part]:
        """Some fields of all records. Raises ReadError, also where a file is another than it was."""
        start = 0
        many = self.records_a_part(names)
        for at, (path, count, groups, state) in enumerate(
            zip(self.files, self.counts, self.groups, self.states, strict=True)
        ):
            own = start
            for pause in _pauses(path):
                try:
                    if _state(path) != state:
                        raise changed_since(path)
                    reached = own
                    for table in self._with_named(at, names, many, groups, told_of(path, state)):
                        if reached >= start:  # those before were given already, when the store was not busy yet
                            yield Part(table, start)
                            start += table.count
                        reached += table.count
                    break
                except (pa.ArrowException, MemoryError, OSError, OverflowError) as error:
                    if pause is None or not _is_busy(error):
                        raise broken_file(path, error) from None
                    time.sleep(pause)
            if start - own != count:
                raise changed_since(path)

    def _with_named(
        self, at: int, names: Collection[str], many: int, groups: Sequence[int] | None, told: pq.FileMetaData
    ) -> Iterator[Table]:
        """The records of a file, with the fields that are the same for all of them; of one of its own at the least, which tells how many there are."""
        more = {name: self.named.columns[name] for name in names if name in self.named.columns} if self.named else {}
        own = [name for name in names if name not in more]
        if not more:
            yield from self._of_file(self.files[at], own, many, groups, told)
            return
        first = field_names([told.schema.column(0).name])
        for table in self._of_file(self.files[at], own or first, many, groups, told):
            same = np.full(table.count, at)
            columns = {name: picked(more[name], same) if name in more else table.columns[name] for name in names}
            yield Table(self.name, columns, table.origin)

    def _of_file(
        self,
        path: Path | ObjectFile,
        names: Collection[str],
        many: int,
        groups: Sequence[int] | None,
        told: pq.FileMetaData,
    ) -> Iterator[Table]:
        schema = told.schema.to_arrow_schema()
        said = dict(zip(field_names(schema.names), schema.names, strict=True))
        there = [name for name in names if name in said]
        texts = [said[name] for name in there if is_text(schema.field(said[name]).type)]
        with (
            _opened(path) as opened,
            pq.ParquetFile(
                opened, metadata=told, read_dictionary=texts, pre_buffer=False, page_checksum_verification=True
            ) as file,
        ):
            wanted = [said[name] for name in there] or schema.names[
                :1
            ]  # of one at the least, which tells how many there are
            if not file.metadata.num_rows or groups == []:
                none = {name: pa.chunked_array([], file.schema_arrow.field(said[name]).type) for name in there}
                yield self._of_columns(path, names, none, 0)
                return
            for batch in file.iter_batches(many, row_groups=groups, columns=wanted):
                read = {name: batch.column(batch.schema.get_field_index(said[name])) for name in there}
                yield self._of_columns(
                    path, names, {name: pa.chunked_array([each]) for name, each in read.items()}, len(batch)
                )

    def _of_columns(
        self, path: Path | ObjectFile, names: Collection[str], read: Mapping[str, pa.ChunkedArray], count: int
    ) -> Table:
        """What was read of a file as records of the table."""
        columns: dict[str, Column] = {}
        for name in names:
            if name in read:
                read[name].validate(full=True)
                columns[name] = fitted(name, read[name])[0]
            else:
                columns[name] = blanks(name, count)
            if name in self.wider:
                columns[name] = widened(columns[name], *self.wider[name])
        return Table(self.name, columns, str(path))

    def records(self, start: int, stop: int, names: Collection[str]) -> Table:
        """Some fields of the records from one number to before another. Raises ReadError."""
        found: list[Table] = []
        reached = 0
        for piece in self._pieces():
            if reached < stop and reached + piece.rows > start:
                first = max(start, reached) - reached
                try:
                    found += self._within(piece, first, min(stop, reached + piece.rows) - reached, names)
                except (pa.ArrowException, MemoryError, OSError, OverflowError) as error:
                    raise broken_file(self.files[piece.file], error) from None
            reached += piece.rows
        if not found:  # without records, but of the right types
            found += self._with_named(0, names, LEAST, [], told_of(self.files[0], self.states[0]))
        columns = {name: stacked(name, found).column for name in names}
        return Table(self.name, columns, str(self.files[0]))

    def _within(self, piece: Piece, start: int, stop: int, names: Collection[str]) -> Iterator[Table]:
        """Some records of one group of a file, read up to the last of them and no further."""
        path = self.files[piece.file]
        told, reached = told_of(path, self.states[piece.file]), 0
        for table in self._with_named(piece.file, names, LEAST, [piece.group], told):
            first, last = max(0, start - reached), min(table.count, stop - reached)
            if first < last:
                yield table.picked(np.arange(first, last))
            reached += table.count
            if reached >= stop:
                return

    def span(self, name: str) -> Span | None:
        """Between which values a field lies, where the files tell it of all their groups. Raises ReadError."""
        if self.named is not None and name in self.named.columns:
            said = as_arrow(self.named.columns[name]).to_pylist()
            known = [each for each in said if each is not None]
            return Span(min(known, default=None), max(known, default=None), len(known) < len(said))
        if name in self.wider:
            return None
        lows, highs, has_blanks = [], [], False
        for path, groups, state in zip(self.files, self.groups, self.states, strict=True):
            try:
                told = told_of(path, state)
            except (pa.ArrowException, MemoryError, OSError) as error:
                raise broken_file(path, error) from None
            names = field_names([told.schema.column(at).name for at in range(told.num_columns)])
            at = names.index(name)
            for group in range(told.num_row_groups) if groups is None else groups:
                stats = told.row_group(group).column(at).statistics
                if stats is None or not stats.has_null_count or (not stats.has_min_max and stats.num_values):
                    return None
                has_blanks = has_blanks or stats.null_count > 0
                if stats.has_min_max:
                    lows.append(stats.min)
                    highs.append(stats.max)
        if any(isinstance(each, bytes) or type(each) is not type(lows[0]) for each in (*lows, *highs)):
            return None  # of text that is held as bytes
        return Span(min(lows, default=None), max(highs, default=None), has_blanks)

    def divided(self, many: int) -> list[ParquetStream]:
        """Streams of some of its groups of records each, in their order, not more than so many. Raises ReadError."""
        share = max(1, -(-self.count // max(1, many)))
        made: list[list[Piece]] = []
        reached = 0
        for piece in self._pieces():
            if not made or reached // share >= len(made):
                made.append([])
            made[-1].append(piece)
            reached += piece.rows
        return [self._of(each) for each in made] or [self]

    def _pieces(self) -> Iterator[Piece]:
        """The groups of records of all its files, in their order. Raises ReadError."""
        for at, (path, state) in enumerate(zip(self.files, self.states, strict=True)):
            try:
                if _state(path) != state:
                    raise changed_since(path)
                told = told_of(path, state)
            except (pa.ArrowException, MemoryError, OSError) as error:
                raise broken_file(path, error) from None
            wanted = self.groups[at]
            for group in range(told.num_row_groups) if wanted is None else wanted:
                yield Piece(at, group, told.row_group(group).num_rows)

    def _of(self, pieces: Sequence[Piece]) -> ParquetStream:
        files = list(dict.fromkeys(piece.file for piece in pieces))
        groups = [[piece.group for piece in pieces if piece.file == file] for file in files]
        counts = [sum(piece.rows for piece in pieces if piece.file == file) for file in files]
        paths, states = [self.files[at] for at in files], [self.states[at] for at in files]
        own = self.named.picked(np.array(files)) if self.named else None
        return ParquetStream(self.name, paths, counts, self.size, groups, states, own, self.wider)


@lru_cache(maxsize=64)
def told_of(path: Path | ObjectFile, state: State) -> pq.FileMetaData:
    """What a file in a state tells of itself, read once for all the pieces that it is divided into."""
    if isinstance(path, Path):
        return pq.read_metadata(path)
    from foldbasket.tables.reading.objects import patiently

    def ask() -> pq.FileMetaData:
        with path.open() as opened:
            return pq.read_metadata(opened)

    return patiently(ask)


def _pauses(path: Path | ObjectFile) -> tuple[float | None, ...]:
    """Seconds to wait before a file is read again from where it failed, and at the end that it is not; a store may be busy for a while."""
    if isinstance(path, Path):
        return (None,)
    from foldbasket.tables.reading import objects

    return (*objects.PAUSES, None)


def _opened(path: Path | ObjectFile) -> Any:
    """A file as it is handed to its reader: a path, or the bytes of one elsewhere. Raises OSError."""
    return contextlib.nullcontext(path) if isinstance(path, Path) else path.open()


def _state(path: Path | ObjectFile) -> State:
    """What tells one state of a file from another, on every machine that reaches it. Raises OSError."""
    if not isinstance(path, Path):
        return path.state()
    found = os.stat(path)
    return found.st_size, found.st_mtime_ns


def _is_busy(error: BaseException) -> bool:
    from foldbasket.tables.reading.objects import is_busy

    return is_busy(error)


def broken_file(path: Path | ObjectFile, error: BaseException) -> ReadError:
    """The error for a file whose records could not be read, by what went wrong."""
    why = first_line(error)
    told = out_of_memory(error, str(path) if not isinstance(path, Path) else path.name)
    if told is not None:
        return told
    if not isinstance(path, Path):
        from foldbasket.tables.reading.objects import is_of_store, told_by_store

        if is_of_store(error):
            return told_by_store(error, str(path))
    return damaged_copy(path, why) or ReadError(
        f"the file cannot be read to its end ({why}).", where=path.name, todo="Export it again."
    )
