"""Questions to a database, and what is known of a field that stays in one."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import AbstractContextManager
from contextvars import ContextVar
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec

from foldbasket.errors import Cancelled
from foldbasket.sql.dialects import Dialect
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.database import complaints, hang_up
from foldbasket.tables.types import FieldType

if TYPE_CHECKING:
    from sqlalchemy import Connection

_asking = ThreadPoolExecutor(4, thread_name_prefix="database")
_open: ContextVar[tuple[dict[Any, Asking], contextlib.ExitStack] | None] = ContextVar("open", default=None)
"""The transactions that are open within `one_state`, by their databases."""


@contextlib.contextmanager
def one_state() -> Iterator[None]:
    """All questions to one database that this thread asks within are asked in one transaction, so that they see one state of its data."""
    if _open.get() is not None:
        yield
        return
    with contextlib.ExitStack() as stack:
        token = _open.set(({}, stack))
        try:
            yield
        finally:
            _open.reset(token)


@contextlib.contextmanager
def asked_of(place: Any, begin: Callable[[], AbstractContextManager[Asking]]) -> Iterator[Asking]:
    """A transaction of a database, which `begin` begins where none of it is open. Raises ReadError for what the database says against it."""
    held = _open.get()
    if held is None:
        with begin() as asking:
            yield asking
        return
    found, stack = held
    if place not in found:
        found[place] = stack.enter_context(begin())
    with complaints(found[place].where):
        yield found[place]


class Kept(NamedTuple):
    """A field as the database keeps it: its name there, its type and fraction digits, whether it is text there, whether its moments have a zone, whether
    some of its texts may be of spaces alone, and whether its reals are of 32 bits."""

    name: str
    type: FieldType
    scale: int
    is_text: bool
    has_zone: bool
    may_be_spaces: bool = True
    is_short: bool = False


class Asking(msgspec.Struct, eq=False):
    """A transaction in which questions are asked."""

    connection: Connection
    dialect: Dialect
    where: str
    stop: Callable[[], None]

    def described(self, statement: str) -> tuple[Sequence[Sequence[Any]], Sequence[Any]]:
        """The lines that a statement answers with, and what the driver says of its fields. Raises ReadError."""
        result = self.connection.exec_driver_sql(self._safe(statement))
        assert result.cursor is not None
        told = list(result.cursor.description)
        return result.fetchall(), told

    def _safe(self, statement: str) -> str:
        """Drivers that put values in where there is a per cent sign see two for one."""
        return statement if self.dialect.name == "sqlite" else statement.replace("%", "%%")

    def stream(self, statement: str, many: int) -> Iterator[Sequence[Sequence[Any]]]:
        """The lines of an answer, so many at once, which are fetched as they are taken."""
        result = self.connection.execution_options(stream_results=True, yield_per=many).exec_driver_sql(self._safe(statement))  # fmt: skip
        try:
            yield from result.partitions(many)
        finally:
            hang_up(self.connection.connection.driver_connection, result)

    def rows(self, statement: str, progress: Progress) -> list[Sequence[Any]]:
        """The lines that a statement answers with. Raises ReadError; Cancelled, with the server stopped at it."""
        progress.step(f"Asking {self.where}", 0.0)
        doing: Future[Any] = _asking.submit(lambda: self.connection.exec_driver_sql(self._safe(statement)).fetchall())
        try:
            return list(progress.awaited(doing))
        except Cancelled:
            self.stop()
            with contextlib.suppress(Exception):  # it was told to stop; what it says of that is for nobody
                doing.result(timeout=5)
            raise
