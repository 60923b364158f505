"""A table: named columns of one length, and where they came from."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from foldbasket.errors import FoldError
from foldbasket.tables.column import Column

_serial = itertools.count(1)


@dataclass(frozen=True, eq=False)
class Table:
    """Columns by name, in the order of the source. `serial` differs for every table read, so caches can name it."""

    name: str
    columns: Mapping[str, Column]
    origin: str = ""
    serial: int = field(default_factory=lambda: next(_serial))

    @classmethod
    def of(cls, name: str, columns: Iterable[Column], origin: str = "") -> Table:
        return cls(name, {column.name: column for column in columns}, origin)

    @property
    def count(self) -> int:
        """How many records there are."""
        return len(next(iter(self.columns.values()))) if self.columns else 0

    @property
    def nbytes(self) -> int:
        return sum(column.nbytes for column in self.columns.values())

    def column(self, name: str) -> Column:
        """The column of that name, or a FoldError that offers the nearest one."""
        found = self.columns.get(name)
        if found is None:
            raise unknown_field(self.name, name, self.columns)
        return found


def unknown_field(table: str, name: str, known: Iterable[str]) -> FoldError:
    """The error for a field that a table does not have, with a near name where there is one."""
    import difflib

    known = list(known)
    near = difflib.get_close_matches(name, known, 1)
    todo = f"Did you mean “{near[0]}”?" if near else "Its fields are: " + ", ".join(known[:12]) + "."
    return FoldError(f"“{table}” has no field “{name}”.", todo=todo)
