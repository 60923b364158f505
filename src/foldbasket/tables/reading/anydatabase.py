"""Databases that are none of those known here, by any dialect that SQLAlchemy has: their tables are read whole.

Of such a server it is not known how it rounds, compares or counts, nor how it is told to read only or to show one state of its data. So nothing
is folded there, a query may call no function that the standard's parser does not know, and the transaction is never committed.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from foldbasket.errors import ReadError
from foldbasket.tables.reading.queries import KNOWN

if TYPE_CHECKING:
    from sqlalchemy import Engine, Inspector

DIALECT = re.compile(r"[a-z][a-z0-9_]*(\+[a-z][a-z0-9_]*)?")
"""A dialect, with its driver behind it where that is not the usual one: ``oracle``, ``mssql+pyodbc``."""


def engine_of(dialect: str, user: str, password: str | None, host: str, port: int | None, database: str) -> Engine:
    """What connects to a database by a dialect. Raises ReadError where that, or its driver, is not installed."""
    import sqlalchemy as sa
    from sqlalchemy.pool import NullPool

    url = sa.URL.create(dialect, user or None, password, host or None, port, database or None)
    install = "Install the Python package that brings it beside Fold Basket, or mend the name."
    try:
        return sa.create_engine(url, poolclass=NullPool)
    except sa.exc.NoSuchModuleError:
        raise ReadError(f"SQLAlchemy has no dialect “{dialect}” here.", where=database or host, todo=install) from None
    except ImportError as error:
        name = error.name or dialect
        raise ReadError(f"the driver “{name}” is not installed.", where=database or host, todo=install) from None
    except (sa.exc.ArgumentError, ValueError, TypeError) as error:
        raise ReadError(
            f"it cannot be reached so ({error}).", where=database or host, todo="Mend where it is."
        ) from None


def fields_of(inspector: Inspector, table: str, schema: str | None) -> tuple[str, ...]:
    """The names of a table's fields, none where a dialect that is not known here cannot tell: they are then known when it is read."""
    import sqlalchemy as sa

    try:
        return tuple(column["name"] for column in inspector.get_columns(table, schema))
    except (sa.exc.SQLAlchemyError, NotImplementedError):
        if inspector.dialect.name in KNOWN:
            raise
        return ()
