"""How a mend is offered by hand: done at once, with something typed, or with something chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import msgspec

from foldbasket.tables.column import Column
from foldbasket.tables.table import Table


class Place(msgspec.Struct, frozen=True):
    """What a mend would be done to: a whole table, or one field of it. `has_blanks` where blank values are known of."""

    table: Table
    field: str = ""
    has_blanks: bool = False

    @property
    def column(self) -> Column:
        """The field's column."""
        return self.table.columns[self.field]


class AtOnce(msgspec.Struct, frozen=True):
    """A mend that needs nothing more."""

    label: str
    mend: Any


class Typed(msgspec.Struct, frozen=True):
    """A mend made of what is typed; `make` raises a FoldBasketError that says what is wanted."""

    label: str
    hint: str
    make: Callable[[str], Any]


class Picked(msgspec.Struct, frozen=True):
    """A mend made of what is chosen; `none` stands where nothing is."""

    label: str
    none: str
    choices: Sequence[str]
    make: Callable[[str], Any]


Way = AtOnce | Typed | Picked
