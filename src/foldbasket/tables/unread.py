"""Columns that are read from their file when something of them is first asked for.

Name, type and number of records are known from the file's own description, which is what placing, checking and laying out need; the
values of a field that no fold uses are never read.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from typing import Any, NamedTuple, Protocol

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.tables.column import CodedColumn, Column, NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

Work = Callable[[Table], Column]
"""Makes a column for some records of its table, given with the fields before it."""
Read = Callable[[Collection[str], Progress], Mapping[str, Column]]
"""Reads the columns of some names. Raises ReadError, Cancelled."""


CODED = (FieldType.TEXT, FieldType.DATE, FieldType.YESNO)
"""The types that are held as codes."""
BYTES = 8
"""What a value takes, as a rule."""


class Part(NamedTuple):
    """Some records of a table, and the number of the first of them."""

    table: Table
    start: int


class Span(NamedTuple):
    """Between which values those of a field lie, as Arrow has them, and whether any may be blank."""

    low: Any
    high: Any
    has_blanks: bool


class Told(NamedTuple):
    """What is told of a field without its records: of a coded field its members and how many records have each, of others none but the smallest and the
    largest; their sum, and how many records have a value and how many have none."""

    column: Column
    counts: npt.NDArray[np.int64]
    sum: float
    known: int
    blanks: int


class Stream(Protocol):
    """A table whose records can be had part by part."""

    count: int

    @property
    def answers(self) -> bool:
        """Whether something of all records is told without having them."""
        ...

    def told(self, name: str, most: int, progress: Progress) -> Told | None:
        """What is told of a field; None where it has more members than so many. Asked only of streams that answer. Raises ReadError, Cancelled."""
        ...

    def records_a_part(self, names: Collection[str]) -> int:
        """About how many records a part of some fields has."""
        ...

    def parts(self, names: Collection[str]) -> Iterator[Part]:
        """Some fields of all records, part by part, at least one. Raises ReadError."""
        ...

    def records(self, start: int, stop: int, names: Collection[str]) -> Table:
        """Some fields of the records from one number to before another. Raises ReadError."""
        ...

    def span(self, name: str) -> Span | None:
        """Between which values a field lies, where that is told without reading it. Raises ReadError."""
        ...

    def divided(self, many: int) -> Sequence[Stream]:
        """Streams of about as many of its records each, in their order, not more than so many; they can be sent elsewhere. Raises ReadError."""
        ...


class Sample(NamedTuple):
    """Some records of a table, from all over it, and their numbers."""

    table: Table
    at: npt.NDArray[np.int64]


class Unread:
    """The columns of one table that are still to be read, or to be made of others; those asked for together are read together."""

    def __init__(
        self, read: Read, stream: Stream | None = None, work: Work | None = None, needs: Collection[str] = ()
    ) -> None:
        """`needs` are the fields of its own table that a column made of others is made of."""
        self._read, self._lock, self.stream, self.work, self.needs = read, threading.Lock(), stream, work, needs
        self._columns: dict[str, Column] = {}
        self.sample: Sample | None = None
        """The sample of the table, where it was taken (`sample.py`)."""

    def bring(self, names: Collection[str], progress: Progress | None = None) -> None:
        """Reads the columns of some names that are not there yet. Raises ReadError, Cancelled."""
        with self._lock:
            missing = [name for name in dict.fromkeys(names) if name not in self._columns]
            if missing:
                self._columns |= self._read(missing, progress or Progress())

    def has(self, name: str) -> bool:
        """Whether a column was read."""
        return name in self._columns

    def column(self, name: str) -> Column:
        """The column of a name, read now if it was not."""
        self.bring([name])
        return self._columns[name]


class _StillToRead:
    """What both kinds of columns have that are not read yet: `name` and `unread`, which reads them, and how many records there are."""

    name: str
    unread: Any

    def _know(self, **known: Any) -> None:
        for key, value in known.items():
            object.__setattr__(self, key, value)  # columns are frozen

    def coded(self) -> CodedColumn:
        """The column as codes, read now."""
        made: CodedColumn = self.unread.column(self.name).coded()
        return made

    def __len__(self) -> int:
        return int(self.__dict__["_count"])

    @property
    def nbytes(self) -> int:
        """What it takes here."""
        return 0


class UnreadCoded(_StillToRead, CodedColumn):
    """A coded column that is read when its codes or members are asked for."""

    def __init__(self, name: str, kind: FieldType, count: int, unread: Unread | None = None, nature: str = "") -> None:
        self._know(name=name, _kind=kind, _count=count, unread=unread, nature=nature)

    @property
    def type(self) -> FieldType:
        kind: FieldType = self._kind
        return kind

    @property
    def scale(self) -> int:
        return 0

    def __getattr__(self, name: str) -> Any:
        if name in ("codes", "dictionary"):
            return getattr(self.coded(), name)
        raise AttributeError(name)


class UnreadNumber(_StillToRead, NumberColumn):
    """A column of numbers that is read when its values are asked for."""

    def __init__(
        self, name: str, kind: FieldType, scale: int, count: int, unread: Unread | None = None, nature: str = ""
    ) -> None:
        self._know(name=name, type=kind, scale=scale, _count=count, unread=unread, nature=nature)

    def __getattribute__(self, name: str) -> Any:
        # A blank-free column has None as its class's own `valid`, so that it must be asked for before that is found.
        if name in ("values", "valid"):
            return getattr(object.__getattribute__(self, "unread").column(self.name), name)
        return object.__getattribute__(self, name)


def unread_columns(kinds: Mapping[str, tuple[FieldType, int]], count: int) -> dict[str, Column]:
    """Columns that are still to be read, by their types and fraction digits, of so many records each."""
    return {
        name: UnreadCoded(name, kind, count) if kind in CODED else UnreadNumber(name, kind, scale, count)
        for name, (kind, scale) in kinds.items()
    }


def unread_like(sample: Column, name: str, count: int, unread: Unread) -> Column:
    """A column of so many records that is still to be made, of the type and the nature of a sample of it."""
    if sample.type in CODED:
        return UnreadCoded(name, sample.type, count, unread, sample.nature)
    return UnreadNumber(name, sample.type, sample.scale, count, unread, sample.nature)


def is_unread(column: Column) -> bool:
    """Whether a column is read only when it is asked for."""
    return isinstance(column, UnreadCoded | UnreadNumber)


def is_made(column: Column) -> bool:
    """Whether a column that is not read is made of others of its table."""
    return isinstance(column, UnreadCoded | UnreadNumber) and column.unread.work is not None


def is_still_made(column: Column) -> bool:
    """Whether a column is made of others of its table, and was not yet."""
    return is_made(column) and isinstance(column, UnreadCoded | UnreadNumber) and not column.unread.has(column.name)


def at_hand(column: Column) -> Column:
    """The column where its values can be had at once; of one that is still to be read, those of the sample where one was taken."""
    if not isinstance(column, UnreadCoded | UnreadNumber):
        return column
    unread: Unread = column.unread
    if unread.sample is None or unread.has(column.name):
        return unread.column(column.name)
    return unread.sample.table.columns[column.name]


def bring(table: Table, names: Collection[str], progress: Progress | None = None) -> None:
    """Reads some columns of a table together where they are not read yet. Raises ReadError, Cancelled."""
    asked: dict[int, tuple[Unread, list[str]]] = {}
    for name in names:
        column = table.columns.get(name)
        if isinstance(column, UnreadCoded | UnreadNumber):
            asked.setdefault(id(column.unread), (column.unread, []))[1].append(column.name)
    for unread, wanted in asked.values():
        unread.bring(wanted, progress)


def with_only(table: Table, names: Collection[str]) -> Table:
    """A table with some of its fields, all of them read."""
    made: dict[str, Column] = {}
    for name in dict.fromkeys(names):
        column = table.column(name)
        made[name] = column.unread.column(name) if isinstance(column, UnreadCoded | UnreadNumber) else column
    return table.with_columns(made, {})


def stream_of(table: Table, names: Collection[str], memory: int) -> Stream | None:
    """The stream of a table of which some columns, not read yet, would take more than so many bytes; None where they can be held."""
    missing = [
        column.unread
        for name in dict.fromkeys(names)
        if isinstance(column := table.columns.get(name), UnreadCoded | UnreadNumber) and not column.unread.has(name)
    ]
    streams = [unread.stream for unread in missing if unread.stream is not None]
    return streams[0] if streams and table.count * BYTES * len(missing) > memory else None


def streamed(column: Column) -> Stream | None:
    """The stream that a column comes from that is not read yet; None where it is, or where it cannot come as one."""
    if isinstance(column, UnreadCoded | UnreadNumber) and not column.unread.has(column.name):
        found: Stream | None = column.unread.stream
        return found
    return None


def bound(table: Table, read: Read, stream: Stream | None = None) -> Table:
    """A table whose unread columns are read in a way, or come as a stream."""
    unread = Unread(read, stream)
    columns: dict[str, Column] = {}
    for name, column in table.columns.items():
        if isinstance(column, UnreadCoded):
            columns[name] = UnreadCoded(name, column.type, len(column), unread)
        elif isinstance(column, UnreadNumber):
            columns[name] = UnreadNumber(name, column.type, column.scale, len(column), unread)
        else:
            columns[name] = column
    return replace(table, columns=columns)
