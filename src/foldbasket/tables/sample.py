"""Some records of a table that is not held, from all over it. They stand for it where a field is only judged at a glance (its nature, the width of
its values, a first proposal), and where waiting for all records would be wrong. No number of a report is made of them.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Container, Iterable, Iterator, Mapping

import numpy as np
import numpy.typing as npt

from foldbasket.tables.column import Column, picked
from foldbasket.tables.progress import Progress
from foldbasket.tables.stacking import stacked
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Part, Sample, Stream, Unread, UnreadCoded, UnreadNumber

RECORDS, PLACES = 24_000, 12
NEAR, MOST_PLACES = 100_000, 40
"""Records that lie no further apart are read together; and so many times at the most."""


def take_sample(table: Table, progress: Progress | None = None) -> None:
    """Takes the sample of a table that comes as a stream, where it has none yet. Raises ReadError, Cancelled."""
    for unread in {id(each): each for each in unread_of(table)}.values():
        if unread.sample is None and unread.stream is not None:
            unread.sample = _sampled(table, unread.stream, progress or Progress())


def unread_of(table: Table) -> Iterator[Unread]:
    """What reads the columns of a table that are not read yet."""
    for column in table.columns.values():
        if isinstance(column, UnreadCoded | UnreadNumber):
            yield column.unread


def stream_behind(table: Table) -> Stream | None:
    """What the records of a table come from whose fields are read when they are asked for; None where they all are, or where they cannot come as a stream."""
    return next((unread.stream for unread in unread_of(table) if unread.stream is not None), None)


def stays_elsewhere(table: Table) -> bool:
    """Whether the records of a table are asked for where they are, in a database."""
    stream = stream_behind(table)
    return stream is not None and stream.answers


def read_columns(table: Table) -> list[str]:
    """The fields of a table that its stream gives."""
    return [
        name
        for name, column in table.columns.items()
        if isinstance(column, UnreadCoded | UnreadNumber) and column.unread.work is None
    ]


def made_of(table: Table, names: Iterable[str]) -> list[str]:
    """The fields of a table's stream that some fields are, or are made of."""
    found: dict[str, None] = {}
    for name in names:
        column = table.columns[name]
        if isinstance(column, UnreadCoded | UnreadNumber):
            found |= dict.fromkeys(made_of(table, column.unread.needs) if column.unread.work is not None else [name])
    return list(found)


def with_needs(table: Table, names: Iterable[str]) -> set[str]:
    """Some fields, and those made of others that they are made of."""
    found = set(names)
    for name in names:
        column = table.columns[name]
        if isinstance(column, UnreadCoded | UnreadNumber) and column.unread.work is not None:
            found |= with_needs(table, column.unread.needs)
    return found


def made_whole(
    table: Table, read: Mapping[str, Column], at: npt.NDArray[np.int64], names: Container[str] | None = None
) -> Table:
    """Some records of a table, by their numbers, with all its fields, or with some: those that were read of them, those that it holds, and those made of
    others."""
    made: dict[str, Column] = {}
    for name, column in table.columns.items():
        if name in read:
            made[name] = read[name]
        elif not isinstance(column, UnreadCoded | UnreadNumber):
            made[name] = picked(column, at)
        elif names is None or name in names:
            made[name] = column.unread.work(Table(table.name, made))
    return Table(table.name, made, table.origin)


def whole_of(stream: Stream, names: Collection[str], progress: Progress, where: str) -> dict[str, Column]:
    """Some fields of all records of a stream. Raises ReadError, Cancelled."""
    parts = []
    for part in stream.parts(names):
        progress.step(f"Reading {where}: {part.start + part.table.count:,} records", part.start / max(1, stream.count))
        parts.append(part.table)
    return {name: stacked(name, parts).column for name in names}


def parts_of(
    table: Table,
    names: Collection[str],
    progress: Progress,
    doing: str,
    between: Callable[[], object] = lambda: None,
) -> Iterator[Part]:
    """Some fields of all records of a table that is not held, part by part in their order; `between` is called before each. Raises ReadError, Cancelled."""
    stream = stream_behind(table)
    assert stream is not None
    read = made_of(table, names) or read_columns(table)[:1]  # one tells how many there are
    for part in stream.parts(read):
        progress.step(f"{doing} {table.name}", part.start / max(1, stream.count))
        between()
        at = np.arange(part.start, part.start + part.table.count)
        yield Part(made_whole(table, part.table.columns, at, with_needs(table, names)), part.start)


def records_of(table: Table, start: int, stop: int) -> Table:
    """The records of a table that is not held from one number to before another. Raises ReadError."""
    stream = stream_behind(table)
    assert stream is not None
    return made_whole(table, stream.records(start, stop, read_columns(table)).columns, np.arange(start, stop))


def first_of(table: Table, records: npt.NDArray[np.int64], progress: Progress) -> Table:
    """The first of some records of a table that is not held, by their ascending numbers; as many as lie in a few places. Raises ReadError, Cancelled."""
    found: list[Table] = []
    far = np.flatnonzero(np.diff(records) > NEAR) + 1
    for together in np.split(records, far)[:MOST_PLACES]:
        progress.step(f"Looking into {table.name}", len(found) / MOST_PLACES)
        if len(together):
            start = int(together[0])
            block = records_of(table, start, int(together[-1]) + 1)
            found.append(block.picked(together - start))
    if not found:
        found.append(records_of(table, 0, 0))
    return Table(table.name, {name: stacked(name, found).column for name in table.columns}, table.origin)


def in_view(table: Table) -> Table:
    """A table as it can be looked at without waiting: itself, or its sample where it is not held."""
    sample = sample_behind(table)
    if sample is None:
        return table
    columns = {
        name: column.unread.sample.table.columns[name]
        if isinstance(column, UnreadCoded | UnreadNumber)
        else picked(column, sample.at)
        for name, column in table.columns.items()
    }
    return Table(table.name, columns, table.origin)


def sample_behind(table: Table) -> Sample | None:
    """The sample of a table that is not held; None of one that is."""
    return next((unread.sample for unread in unread_of(table) if unread.sample is not None), None)


def is_sampled(table: Table) -> bool:
    """Whether a sample stands for the table where it is looked at."""
    return sample_behind(table) is not None


def _sampled(table: Table, stream: Stream, progress: Progress) -> Sample:
    own = read_columns(table)
    pieces = stream.divided(PLACES)
    starts = np.cumsum([0, *(piece.count for piece in pieces)])
    found: list[Table] = []
    at: list[np.ndarray] = []
    for number, (piece, start) in enumerate(zip(pieces, starts, strict=False)):
        progress.step(f"Looking into {table.name}", number / len(pieces))
        many = min(piece.count, -(-RECORDS // len(pieces)))
        found.append(piece.records(0, many, own))
        at.append(np.arange(start, start + many))
    taken = np.concatenate(at)
    return Sample(made_whole(table, {name: stacked(name, found).column for name in own}, taken), taken)
