"""Tables that stay in their database: what their fields hold is found out once, their records come when they are asked for, and questions about
them are answered by the server.

All that is asked for one purpose is asked in one transaction that reads and sees one state of the data. Whoever gives up an answer stops the server
at it, too.
"""

from __future__ import annotations

import contextlib
import datetime
import decimal
from collections.abc import Callable, Collection, Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

import msgspec
import numpy as np
import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.later import exp
from foldbasket.sql.asking import Asking, Kept, asked_of
from foldbasket.sql.dialects import DIALECTS, Dialect
from foldbasket.sql.settling import settled
from foldbasket.tables.cells import records, said_plainly
from foldbasket.tables.column import Column, blank_mask
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server, open_engine, reading_from, stop_query
from foldbasket.tables.reading.queries import check_query
from foldbasket.tables.sample import whole_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import CODED, Part, Span, Told, bound, unread_columns

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

    from foldbasket.sql.pieces import Sql

PART = 100_000


class DatabaseStream(msgspec.Struct, eq=False):
    """The records of a table, view or query that stays in a database."""

    place: Server | Path
    reading: Reading
    password: str | None
    name: str
    fields: dict[str, Kept] = msgspec.field(default_factory=dict)
    order: tuple[str, ...] = ()
    count: int = 0

    # --- where it is --------------------------------------------------------

    @property
    def label(self) -> str:
        """Where it is, for people."""
        return self.place.name if isinstance(self.place, Path) else self.place.label

    @property
    def dialect(self) -> Dialect:
        """How its database speaks."""
        return DIALECTS["sqlite" if isinstance(self.place, Path) else self.place.kind]

    @contextlib.contextmanager
    def asked(self) -> Iterator[Asking]:
        """A transaction of its database, that which is open within `one_state`. Raises ReadError where that does not answer."""
        with asked_of((self.place, self.password), self._begun) as asking:
            yield asking

    @contextlib.contextmanager
    def _begun(self) -> Iterator[Asking]:
        engine: Engine = open_engine(self.place, self.password)
        with reading_from(engine, self.label) as connection:
            stop = stop_query(connection, self.place, self.password)
            yield Asking(connection, self.dialect, self.label, stop)

    def origin(self, called: str = "asked") -> tuple[str, Sql]:
        """Where its records come from: what stands before a statement, and the table as it is called in it; a query is called as is said."""
        if self.reading.query is not None:
            query = check_query(self.reading.query, self.dialect.name, self.label)
            return f"{self.dialect.quoted(called)} AS (\n{query}\n)", exp.Table(this=_named(called))
        assert self.reading.table is not None
        schema, dot, table = self.reading.table.partition(".")
        if dot and self.dialect.name == "postgresql":
            return "", exp.Table(this=_named(table), db=_named(schema))
        return "", exp.Table(this=_named(self.reading.table))

    def cleaned(self, names: Collection[str]) -> list[Sql]:
        """Its fields as we mean them, under their names."""
        return [exp.Alias(this=self._said(name), alias=_named(name)) for name in names]

    def bare(self, name: str) -> str:
        """What a text is called as it stands in the database, beside itself."""
        return f"{name} as it stands"

    def bared(self) -> list[Sql]:
        """Its texts as they stand in the database."""
        texts = [name for name, kept in self.fields.items() if kept.type is FieldType.TEXT]
        return [
            exp.Alias(this=exp.column(_named(self.fields[name].name)), alias=_named(self.bare(name))) for name in texts
        ]

    def _said(self, name: str) -> Sql:
        kept = self.fields[name]
        said: Sql = exp.column(_named(kept.name))
        if kept.is_short:  # which are meant as they are written, not as the nearest of 64 bits
            said = exp.Cast(this=said, to=exp.DataType.build("text"))
        if not kept.may_be_spaces or (kept.type is FieldType.TEXT and not kept.is_text):
            return said  # what is no text there is brought as it is, and made one here
        return self.dialect.cleaned(said, kept.type, kept.has_zone)

    # --- what is told of all records ------------------------------------------

    answers: ClassVar[bool] = True

    def told(self, name: str, most: int, progress: Progress) -> Told | None:
        """What the server tells of a field; None where it has more members than so many. Raises ReadError, Cancelled."""
        kept, said = self.fields[name], exp.column(_named(name))
        if kept.type in CODED:
            grouped = self.dialect.text(said) if kept.type is FieldType.TEXT else said
            query = exp.select(exp.Alias(this=grouped, alias=_named("m")), exp.Count(this=exp.Star()))
            query = query.group_by(exp.column(_named("m"))).limit(most + 2)
            with self.asked() as asking:
                rows = asking.rows(self.statement(query, [name]), progress)
            if len(rows) > most + 1:
                return None
            counts = np.array([int(row[1]) for row in rows], np.int64)
            column = self.column(name, [row[0] for row in rows])
            blanks = int(counts[blank_mask(column)].sum())
            return Told(column, counts, 0.0, int(counts.sum()) - blanks, blanks)
        total = exp.Sum(this=self.dialect.real(said.copy())) if kept.type.is_number else exp.Null()
        made = (
            exp.Min(this=said),
            exp.Max(this=said.copy()),
            total,
            exp.Count(this=said.copy()),
            exp.Count(this=exp.Star()),
        )
        query = exp.select(*(exp.Alias(this=each, alias=_named(f"a{at}")) for at, each in enumerate(made)))
        with self.asked() as asking:
            [row] = asking.rows(self.statement(query, [name]), progress)
        known = int(row[3])
        return Told(self.column(name, row[:2]), np.ones(2, np.int64), float(row[2] or 0), known, int(row[4]) - known)

    # --- a stream -----------------------------------------------------------

    def records_a_part(self, names: Collection[str]) -> int:
        """About how many records a part of some fields has."""
        return PART

    def divided(self, many: int) -> Sequence[DatabaseStream]:
        """Itself, whole: a server is read once, from its first record to its last."""
        return [self]

    def span(self, name: str) -> Span | None:
        """Between which values a date lies, which the server tells; of other fields it is not asked. Raises ReadError."""
        if self.fields[name].type is not FieldType.DATE:
            return None
        said = exp.column(_named(name))
        some = exp.select(exp.Min(this=said), exp.Max(this=said.copy()), exp.Count(this=exp.Star()), exp.Count(this=said.copy()))  # fmt: skip
        with self.asked() as asking:
            low, high, all_, known = asking.rows(self.statement(some, [name]), Progress())[0]
        ends = [_date(each) if each is not None else None for each in (low, high)]
        return Span(ends[0], ends[1], all_ > known)

    def parts(self, names: Collection[str]) -> Iterator[Part]:
        """Some fields of all records, in the order of the primary key where it has one. Raises ReadError."""
        start = 0
        for table in self._read(names, ""):
            yield Part(table, start)
            start += table.count

    def records(self, start: int, stop: int, names: Collection[str]) -> Table:
        """Some fields of the records from one number to before another. Raises ReadError."""
        return next(self._read(names, f" LIMIT {stop - start} OFFSET {start}"))

    def _read(self, names: Collection[str], end: str) -> Iterator[Table]:
        wanted = list(names) or list(self.fields)[:1]
        query = exp.select(*(exp.column(_named(name)) for name in wanted))
        if self.order:
            query = query.order_by(*(exp.column(_named(name)) for name in self.order))
        statement = self.statement(query, [*dict.fromkeys((*wanted, *self.order))]) + end
        none = True
        with self._begun() as asking:  # of its own: what is read piece by piece keeps its connection busy
            for rows in asking.stream(statement, PART):
                none = False
                yield self.table(wanted, rows)
        if none:
            yield self.table(wanted, [])

    def table(self, names: Sequence[str], rows: Sequence[Sequence[Any]]) -> Table:
        """Lines of an answer as records with some fields. Raises ReadError for values of another type than the field's."""
        values = records(rows, names)
        columns = {name: self.column(name, values[name]) for name in names}
        return Table(self.name, columns, self.label)

    def column(self, name: str, values: Sequence[Any]) -> Column:
        """Values of a field as a column. Raises ReadError where one is of another type than the field's."""
        kept = self.fields[name]
        return column_of(name, values, kept.type, kept.scale, self.label)

    def statement(self, query: exp.Select, names: Collection[str]) -> str:
        """A query over its records, in which their fields are meant as we mean them, as it is sent."""
        before, table = self.origin()
        own = exp.select(*self.cleaned(names)).from_(table).subquery(alias=_named("t"))
        said = self.dialect.written(query.from_(own))
        return f"WITH {before}\n{said}" if before else said


def staying(
    place: Server | Path, name: str, reading: Reading, password: str | None = None, progress: Progress | None = None
) -> Table:
    """A table, view or query of a database whose records stay there. Raises ReadError: wrong password, no answer, no such table, a query that writes, or
    fields whose values are of several types."""
    progress = progress or Progress()
    if isinstance(place, Server) and place.kind == "other":
        raise ReadError(
            f"its records cannot stay there: how “{place.dialect}” rounds, compares and counts is not known here.",
            where=place.label,
            todo="Read it without leaving its records there.",
        )
    stream = DatabaseStream(place, reading, password, name)
    engine = open_engine(place, password)
    with reading_from(engine, stream.label) as connection:
        stop = stop_query(connection, place, password)
        asking = Asking(connection, stream.dialect, stream.label, stop)
        stream.fields, stream.count = settled(asking, *stream.origin(), stream.label, progress)
        stream.order = _key_of(stream, connection)
    kinds = {field: (kept.type, kept.scale) for field, kept in stream.fields.items()}

    def read(names: Collection[str], progress: Progress) -> dict[str, Column]:
        found = whole_of(stream, names, progress, stream.label)
        if any(len(column) != stream.count for column in found.values()):
            raise ReadError("its records changed after it was opened.", where=stream.label, todo="Read it again.")
        return found

    made = Table(name, unread_columns(kinds, stream.count), stream.label)
    return bound(made, read, stream)


def _key_of(stream: DatabaseStream, connection: Connection) -> tuple[str, ...]:
    """The fields of the primary key, by which its records stand; none of a view or query."""
    import sqlalchemy as sa

    if stream.reading.table is None:
        return ()
    schema, dot, table = stream.reading.table.rpartition(".")
    with contextlib.suppress(sa.exc.SQLAlchemyError):
        found = sa.inspect(connection).get_pk_constraint(table if dot else stream.reading.table, schema or None)
        own = {kept.name: name for name, kept in stream.fields.items()}
        named = found.get("constrained_columns") or []
        return tuple(own[each] for each in named if each in own) if all(each in own for each in named) else ()
    return ()


def column_of(name: str, values: Sequence[Any], kind: FieldType, scale: int, where: str) -> Column:
    """Values as a driver hands them over as a column of a type; None, and text of spaces alone, are blank. Raises ReadError for values of another type."""
    try:
        return from_arrow(name, pa.chunked_array([_arrow(values, kind, scale)]))
    except (pa.ArrowException, ValueError, TypeError, OverflowError, decimal.InvalidOperation):
        raise ReadError(
            f"“{name}” holds values that are not {kind.value}.",
            where=where,
            todo="Read it again, without leaving it there.",
        ) from None


def _arrow(values: Sequence[Any], kind: FieldType, scale: int) -> pa.Array:
    if kind is FieldType.TEXT:
        return pa.array([None if each is None else said_plainly(each) for each in values], pa.string())
    make, arrow = _MADE[kind]
    if kind is FieldType.DECIMAL:
        return pa.array([None if each is None else _units(each, scale) for each in values], pa.decimal128(38, scale))
    return pa.array([None if each is None else make(each) for each in values], arrow)


def _units(value: Any, scale: int) -> decimal.Decimal:
    """A number with so many fraction digits; one that a database holds as a double is rounded to them."""
    if isinstance(value, float):
        return decimal.Decimal(f"{value:.{scale}f}")
    return decimal.Decimal(value)


def whole(value: Any) -> int:
    """A whole number. ValueError where it is none."""
    found = int(value)
    if found != value:
        raise ValueError(value)
    return found


def _date(value: Any) -> datetime.date:
    return value if isinstance(value, datetime.date) else datetime.date.fromisoformat(value)


def _moment(value: Any) -> datetime.datetime:
    if not isinstance(value, datetime.datetime):
        return datetime.datetime.fromisoformat(value)
    return value.astimezone(datetime.UTC).replace(tzinfo=None) if value.tzinfo is not None else value


_MADE: dict[FieldType, tuple[Callable[[Any], Any], pa.DataType]] = {
    FieldType.WHOLE: (whole, pa.int64()),
    FieldType.DECIMAL: (decimal.Decimal, pa.decimal128(38, 0)),
    FieldType.REAL: (float, pa.float64()),
    FieldType.DATE: (_date, pa.date32()),
    FieldType.TIMESTAMP: (_moment, pa.timestamp("us")),
    FieldType.YESNO: (bool, pa.bool_()),
}


def _named(name: str) -> exp.Identifier:
    return exp.to_identifier(name, quoted=True)
