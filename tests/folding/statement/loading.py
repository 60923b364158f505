"""Tables put into real servers as they are, and the cells that a statement brings back from them."""

import contextlib
import datetime
import sqlite3
from decimal import Decimal

import sqlalchemy as sa

from foldbasket.tables.types import FieldType, canonical
from tests.tables.reading.servers import mariadb, postgresql

KINDS = {
    FieldType.TEXT: sa.Text(), FieldType.WHOLE: sa.BigInteger(), FieldType.REAL: sa.Double(), FieldType.DATE: sa.Date(),
    FieldType.TIMESTAMP: sa.DateTime(), FieldType.YESNO: sa.Boolean(),
}  # fmt: skip


@contextlib.contextmanager
def connected(kind, file=":memory:"):
    """A connection to an empty database of a server, by the name of its dialect; that of SQLite in a file, or in memory."""
    if kind == "sqlite":
        with contextlib.closing(sqlite3.connect(file)) as held:
            engine = sa.create_engine("sqlite://", creator=lambda: held, poolclass=sa.pool.StaticPool)
            with engine.connect() as connection:
                yield connection
        return
    start, driver, database, more = {
        "postgresql": (postgresql, "postgresql+psycopg", "postgres", ""),
        "mariadb": (mariadb, "mysql+pymysql", "nursery", "?charset=utf8mb4"),
    }[kind]
    with start() as port:
        engine = sa.create_engine(
            f"{driver}://seller:carrots@127.0.0.1:{port}/{database}{more}", isolation_level="AUTOCOMMIT"
        )
        with engine.connect() as connection:
            yield connection


def loaded(connection, tables):
    """Puts tables into a database under their names."""
    for table in tables:
        connection.exec_driver_sql(
            f"DROP TABLE IF EXISTS {connection.dialect.identifier_preparer.quote_identifier(table.name)}"
        )
        columns = [sa.Column(name, _kind(column)) for name, column in table.columns.items()]
        made = sa.Table(table.name, sa.MetaData(), *columns)
        made.create(connection)
        records = [{name: _value(column, at) for name, column in table.columns.items()} for at in range(table.count)]
        if records:
            connection.execute(made.insert(), records)


def _kind(column):
    return sa.Numeric(18, column.scale) if column.type is FieldType.DECIMAL else KINDS[column.type]


def _value(column, record):
    text = column.text(record)
    if text is None:
        return None
    return {
        FieldType.TEXT: str, FieldType.WHOLE: int, FieldType.REAL: float, FieldType.DECIMAL: Decimal,
        FieldType.DATE: datetime.date.fromisoformat, FieldType.TIMESTAMP: datetime.datetime.fromisoformat,
        FieldType.YESNO: lambda said: said == "yes",
    }[column.type](text)  # fmt: skip


def answered(connection, statement, fold):
    """{(row members, column members): values} of what a statement brings; a member that is totalled over is None."""
    depth = len(fold.rows) + len(fold.columns)
    found = {}
    for line in connection.exec_driver_sql(
        statement.rstrip(";\n").replace("%", "%%") if _formats(connection) else statement
    ):
        key = (tuple(line[: len(fold.rows)]), tuple(line[len(fold.rows) : depth]))
        assert key not in found, key
        found[key] = tuple(line[depth:])
    return found


def _formats(connection):
    return connection.dialect.paramstyle in ("format", "pyformat")


def reported(report, fold):
    """The same of a report: its cells that have a value, by the tokens of their members."""
    found = {}
    for row in range(len(report.rows)):
        for across in range(len(report.columns)):
            values = tuple(report.exact(at, row, across) for at in range(len(fold.measures)))
            found[_path(report.rows, row), _path(report.columns, across)] = values
    return found


def _path(axis, line):
    level = int(axis.level[line])
    return tuple(axis.token(line, at) if at < level else None for at in range(axis.depth))


def written(value):
    """A value in one form, whatever brings it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime.date) and not isinstance(value, datetime.datetime):
        return value.isoformat()
    return value


__all__ = ["answered", "canonical", "connected", "loaded", "reported", "written"]
