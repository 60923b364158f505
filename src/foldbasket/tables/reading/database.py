"""Reads tables, views and read-only queries from SQLite files, from PostgreSQL and MariaDB servers, and by other dialects of SQLAlchemy.

Everything goes through SQLAlchemy with a cursor that stays on the server, so that memory holds one batch at a time beside
what is already encoded. Nothing is ever written: the transaction is read-only, and a query must be one that reads (`queries.py`).
A password is handed in by the caller; it is part of no document and of no message.
"""

from __future__ import annotations

import contextlib
import re
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import msgspec

from foldbasket.errors import ReadError
from foldbasket.tables.cells import records
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.anydatabase import DIALECT, engine_of, fields_of
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Batch, Reader, Reading, gathered
from foldbasket.tables.reading.queries import check_query
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table

if TYPE_CHECKING:
    from sqlalchemy import Connection, CursorResult, Engine

ROWS = 20_000
SECONDS = 10
"""How long a server may take to answer the first call."""
ENDINGS = (".sqlite", ".sqlite3", ".db", ".db3")
PORTS = {"postgresql": 5432, "mariadb": 3306}


class Server(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A database on a server. No password: that comes from the user, the environment or the desktop's keyring."""

    kind: Literal["postgresql", "mariadb", "other"]
    host: str
    database: str
    user: str
    port: int | None = None
    dialect: str = ""
    """That of SQLAlchemy, for a server of another kind."""

    def __post_init__(self) -> None:
        if (self.kind == "other") != bool(DIALECT.fullmatch(self.dialect)):
            raise ValueError("a server of another kind, and only that, names its dialect: oracle, or mssql+pyodbc")

    @property
    def label(self) -> str:
        """Where it is, for people: ``sales on db.example:5432``."""
        port = self.port or PORTS.get(self.kind)
        place = f"{self.host}:{port}" if port and self.host else self.host or "this machine"
        return f"{self.database} on {place}" + (f" ({self.dialect})" if self.dialect else "")


class Listed(msgspec.Struct, frozen=True):
    """A table or view of a database. `links` are its foreign keys: the other table and the pairs of fields."""

    name: str
    is_view: bool
    fields: tuple[str, ...]
    links: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()


def readable(name: str) -> str:
    """A table's name as a source's: “shop.order_lines” is “Order lines”."""
    words = name.rpartition(".")[2].replace("_", " ").strip()
    return words[:1].upper() + words[1:] if words else name


# --- connecting -------------------------------------------------------------


def server_engine(server: Server, password: str | None) -> Engine:
    from sqlalchemy import URL, create_engine
    from sqlalchemy.pool import NullPool

    if server.kind == "other":
        return engine_of(server.dialect, server.user, password, server.host, server.port, server.database)
    drivers = {"postgresql": "postgresql+psycopg", "mariadb": "mysql+pymysql"}
    url = URL.create(
        drivers[server.kind],
        server.user,
        password,
        server.host,
        server.port or PORTS[server.kind],
        server.database,
        {"charset": "utf8mb4"} if server.kind == "mariadb" else {},
    )
    return create_engine(url, poolclass=NullPool, connect_args={"connect_timeout": SECONDS})


def _sqlite_engine(path: Path) -> Engine:
    from sqlalchemy import create_engine
    from sqlalchemy.pool import NullPool

    with path.open("rb") as file:
        start = file.read(16)
    if start and start != b"SQLite format 3\0":
        raise ReadError("this is not an SQLite database.", where=path.name, todo="Choose another file.")
    uri = f"{path.absolute().as_uri()}?mode=ro"
    return create_engine(
        "sqlite://", creator=lambda: sqlite3.connect(uri, uri=True, check_same_thread=False), poolclass=NullPool
    )


def open_engine(place: Server | Path, password: str | None) -> Engine:
    """What connects to a database. Raises ReadError for a file that is none."""
    return _sqlite_engine(place) if isinstance(place, Path) else server_engine(place, password)


def stop_query(connection: Connection, place: Server | Path, password: str | None) -> Callable[[], None]:
    """What stops the server at what a connection asked, from another thread."""
    raw: Any = connection.connection.driver_connection
    if isinstance(place, Path):
        return lambda: raw.interrupt()
    if place.kind != "mariadb":
        return getattr(raw, "cancel", None) or getattr(raw, "interrupt", None) or (lambda: None)
    number = raw.thread_id()

    def stop() -> None:
        with contextlib.suppress(Exception), server_engine(place, password).connect() as other:
            other.exec_driver_sql(f"KILL QUERY {int(number)}")

    return stop


@contextlib.contextmanager
def reading_from(engine: Engine, where: str) -> Iterator[Connection]:
    """A connection in a read-only transaction that sees one state of the data; what the database says becomes a ReadError."""
    connection = None
    try:
        with complaints(where):
            connection = engine.connect()
            _begin(connection, engine.dialect.name)
            yield connection
            connection.rollback()
    finally:
        if connection is not None:
            with contextlib.suppress(Exception):  # a server that went away cannot be left politely
                connection.close()
        engine.dispose()


@contextlib.contextmanager
def complaints(where: str) -> Iterator[None]:
    """What a database says against what is done within becomes a ReadError."""
    import sqlalchemy as sa

    try:
        yield
    except sa.exc.SQLAlchemyError as error:
        raise _told(error, where) from None


def _begin(connection: Connection, kind: str) -> None:
    """Begins a transaction that reads, and sees one state of the data."""
    if kind == "sqlite":
        connection.exec_driver_sql("PRAGMA query_only = ON")
        connection.exec_driver_sql("BEGIN")
    elif kind == "postgresql":
        connection.exec_driver_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
    elif kind in ("mysql", "mariadb"):
        connection.exec_driver_sql("SET SESSION TRANSACTION READ ONLY")
        connection.exec_driver_sql("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")


def hang_up(raw: Any, result: CursorResult[Any]) -> None:
    """Ends a reading in the middle: MariaDB's driver would otherwise fetch the rest of the result first."""
    unread = getattr(raw, "_result", None)
    if unread is not None:
        unread.unbuffered_active = False
    with contextlib.suppress(Exception):
        result.close()


def _told(error: Any, where: str) -> ReadError:
    """What a database's error means, in words that say what to do. The statement and the password are never repeated."""
    origin = getattr(error, "orig", None)
    said = (str(origin.args[-1]) if origin is not None and origin.args else str(origin or error)).strip().splitlines()
    line = next((part.strip() for part in said if part.strip()), "no reason given")
    line = re.sub(r"^(connection failed: )?", "", line)
    lowered = " ".join(said).lower()
    if "password" in lowered or "access denied" in lowered or "authentication" in lowered:
        return ReadError("the server refused the user or the password.", where=where, todo="Type the password again.")
    if (
        "does not exist" in lowered
        or "doesn't exist" in lowered
        or "no such" in lowered
        or "unknown database" in lowered
    ):
        return ReadError(f"{line.rstrip('.')}.", where=where, todo="Was it renamed or dropped? Choose another.")
    if "read-only" in lowered or "read only" in lowered or "readonly" in lowered:
        return ReadError("the query would change the database.", where=where, todo="Only queries that read are run.")
    lost = (
        "connect",
        "server closed",
        "lost",
        "gone away",
        "terminat",
        "timeout",
        "timed out",
        "refused",
        "broken pipe",
    )
    if any(word in lowered for word in lost):
        return ReadError(
            f"the server does not answer ({line.rstrip('.')}).", where=where, todo="Is it running? Then try again."
        )
    return ReadError(f"the database says: {line.rstrip('.')}.", where=where, todo="Mend the query, or choose a table.")


# --- what there is ----------------------------------------------------------


def contents(place: Server | Path, password: str | None = None) -> list[Listed]:
    """The tables and views of a database, by name, with their fields and foreign keys."""
    import sqlalchemy as sa

    engine = open_engine(place, password)
    where = place.name if isinstance(place, Path) else place.label
    with reading_from(engine, where) as connection:
        inspector = sa.inspect(connection)
        listed = []
        own = inspector.default_schema_name
        schemas = [own]
        if engine.dialect.name == "postgresql":
            hidden = ("information_schema",)
            schemas = [
                each for each in inspector.get_schema_names() if each not in hidden and not each.startswith("pg_")
            ]
        for schema in schemas:
            for is_view, names in (
                (False, inspector.get_table_names(schema)),
                (True, inspector.get_view_names(schema)),
            ):
                for table in names:
                    fields, links = fields_of(inspector, table, schema), []
                    for key in [] if is_view or not fields else inspector.get_foreign_keys(table, schema):
                        other = _full_name(key["referred_schema"] or schema, key["referred_table"], own)
                        pairs = zip(key["constrained_columns"], key["referred_columns"], strict=True)
                        links.append((other, tuple(pairs)))
                    listed.append(Listed(_full_name(schema, table, own), is_view, fields, tuple(links)))
    return sorted(listed, key=lambda each: each.name.casefold())


def _full_name(schema: str | None, table: str, own: str | None) -> str:
    return table if schema in (None, own) else f"{schema}.{table}"


# --- reading ----------------------------------------------------------------


def read_server(
    server: Server, name: str, reading: Reading, password: str | None = None, progress: Progress | None = None
) -> Table:
    """A table, view or query of a server. Raises ReadError: wrong password, no answer, no such table, a query that writes."""
    return _read(server_engine(server, password), server.label, name, reading, progress or Progress())


def read_sqlite(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """A table, view or query of an SQLite file; without either the only table, or the first by name."""
    note = None
    if reading.table is None and reading.query is None:
        reading = with_table(path, reading)
        many = len(contents(path))
        note = f"Table “{reading.table}” of {many} was read." if many > 1 else None
    return _read(_sqlite_engine(path), str(path), name, reading, progress or Progress(), note)


def with_table(place: Server | Path, reading: Reading) -> Reading:
    """A reading that says which table or query; of a file without either the first table by name. Raises ReadError where there is none."""
    if reading.table is not None or reading.query is not None or isinstance(place, Server):
        return reading
    listed = contents(place)
    if not listed:
        raise ReadError("the database holds no table.", where=place.name, todo="Choose another file.")
    return msgspec.structs.replace(reading, table=listed[0].name)


def is_database(path: Path) -> bool:
    """Whether a file is a database, by its ending."""
    return path.suffix.lower() in ENDINGS


def _read(
    engine: Engine, origin: str, name: str, reading: Reading, progress: Progress, note: str | None = None
) -> Table:
    import sqlalchemy as sa

    where = Path(origin).name if engine.dialect.name == "sqlite" else origin
    statement = _statement(engine, reading, where)
    progress.step(f"Asking {where}", 0.0)
    count = 0
    with reading_from(engine, where) as connection:
        streaming = connection.execution_options(stream_results=True, yield_per=ROWS)
        result = streaming.exec_driver_sql(statement)
        raw = connection.connection.driver_connection
        names = field_names(list(result.keys()))

        def batches() -> Iterator[Batch]:
            nonlocal count
            for part in result.partitions(ROWS):
                yield Batch(records(part, names), 0.0)
                count += len(part)
                progress.step(f"Reading {where}: {count:,} records", 0.0)

        first = Batch({field: [] for field in names}, 0.0)
        judging: Any = "dates" if engine.dialect.name == "sqlite" else "none"
        try:
            return gathered(
                name,
                origin,
                _after(first, batches()),
                progress,
                judging=judging,
                loose=engine.dialect.name == "sqlite",
                types=reading.types,
                notes=[note] if note else [],
            )
        except BaseException as error:
            hang_up(raw, result)
            if not isinstance(error, sa.exc.SQLAlchemyError):
                raise
            lost = _told(error, where)
            raise ReadError(f"after {count:,} records {lost.what}", where=where, todo=lost.todo) from None


def _after(first: Batch, rest: Iterator[Batch]) -> Iterator[Batch]:
    yield first
    yield from rest


def _statement(engine: Engine, reading: Reading, where: str) -> str:
    if reading.query is not None:
        query = check_query(reading.query, engine.dialect.name, where)
        return query.replace("%", "%%") if engine.dialect.paramstyle in ("format", "pyformat") else query
    if reading.table is None:
        raise ReadError("it says neither a table nor a query.", where=where, todo="Choose one.")
    quote = engine.dialect.identifier_preparer.quote_identifier
    schema, dot, table = reading.table.partition(".")
    parts = [schema, table] if dot and engine.dialect.name == "postgresql" else [reading.table]
    return "SELECT * FROM " + ".".join(quote(part) for part in parts)


READER = READERS.enter(
    "SQLite database",
    Reader(
        "SQLite database",
        ENDINGS,
        read_sqlite,
        ("table", "query", "types"),
        apart=True,
        standing=60,
    ),
)
