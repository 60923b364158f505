"""How a mend is offered by hand: done at once, with something typed, or with something chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from foldbasket.tables.column import Column
from foldbasket.tables.table import Table


@dataclass(frozen=True)
class Place:
    """What a mend would be done to: a whole table, or one field of it. `has_blanks` where blank values are known of."""

    table: Table
    field: str = ""
    has_blanks: bool = False

    @property
    def column(self) -> Column:
        """The field's column."""
        return self.table.columns[self.field]


@dataclass(frozen=True)
class AtOnce:
    """A mend that needs nothing more."""

    label: str
    mend: Any


@dataclass(frozen=True)
class Typed:
    """A mend made of what is typed; `make` raises a FoldBasketError that says what is wanted."""

    label: str
    hint: str
    make: Callable[[str], Any]


@dataclass(frozen=True)
class Picked:
    """A mend made of what is chosen; `none` stands where nothing is."""

    label: str
    none: str
    choices: Sequence[str]
    make: Callable[[str], Any]


Way = AtOnce | Typed | Picked
