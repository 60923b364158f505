"""A table: named columns of one length, where they came from, and what was noticed while they were read."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Mapping

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError, ReadError
from foldbasket.tables.column import CodedColumn, Column, blank_mask, picked
from foldbasket.tables.types import FieldType
from foldbasket.tables.written import Order
from foldbasket.typed import meant

_serial = itertools.count(1)


class Chosen(msgspec.Struct, frozen=True):
    """A type that the user chose for a field, and the notation to read it in."""

    type: FieldType
    order: Order | None = None
    decimal_mark: str = "."


class Table(msgspec.Struct, frozen=True, eq=False, weakref=True):
    """Columns by name, in the order of the source. `serial` differs for every table read, so caches can name it.

    `texts` holds, for a field of which some values did not fit its type, the column as text: those values are blank in
    `columns` and can be shown and mended from there. `chosen` says how the user wants a field read, which later steps keep
    to. `notes` are sentences about the reading itself; `titles` lines stood above the header and were passed over.
    """

    name: str
    columns: Mapping[str, Column]
    origin: str = ""
    texts: Mapping[str, CodedColumn] = msgspec.field(default_factory=dict)
    notes: tuple[str, ...] = ()
    titles: int = 0
    decimal_mark: str = "."
    chosen: Mapping[str, Chosen] = msgspec.field(default_factory=dict)
    serial: int = msgspec.field(default_factory=lambda: next(_serial))
    found_as: str = ""
    """What names that which is found in it among what is kept, as it was read (`store.py`); empty where nothing is."""
    stamp: object = None
    """The state that the files of its place were in before they were read (`readers.stamp`); None where it does not come from files."""

    def __post_init__(self) -> None:
        """The one place that holds every reader, mend and conversion to it: all columns have a value for each record."""
        lengths = {name: len(column) for name, column in self.columns.items()}
        lengths |= {f"{name}, as text": len(column) for name, column in self.texts.items()}
        if len(set(lengths.values())) > 1:
            usual = Counter(lengths.values()).most_common(1)[0][0]
            name, found = next((name, found) for name, found in lengths.items() if found != usual)
            raise ReadError(
                f"“{name}” came out with {found:,} values where the other fields have {usual:,}, so it is not taken.",
                where=self.name,
                todo="Please report this: it is a fault of the program, and no number was made from it.",
            )

    @classmethod
    def of(cls, name: str, columns: Iterable[Column], origin: str = "") -> Table:
        return cls(name, {column.name: column for column in columns}, origin)

    def picked(self, at: npt.NDArray[np.int64]) -> Table:
        """Some of its records, by their numbers; without what is kept of texts beside them."""
        return self.with_columns({name: picked(column, at) for name, column in self.columns.items()}, {})

    def with_columns(self, columns: Mapping[str, Column], texts: Mapping[str, CodedColumn]) -> Table:
        """The same table with other columns, as a table of its own."""
        return replace(self, columns=columns, texts=texts, serial=next(_serial))

    def named(self, name: str) -> Table:
        """The same records under another name; caches still know them."""
        return replace(self, name=name)

    def text_of(self, name: str) -> CodedColumn | None:
        """A field as the text that was read: of a text field, or of one with values that did not fit its type."""
        if name in self.texts:
            return self.texts[name]
        column = self.column(name)
        return column.coded() if isinstance(column, CodedColumn) and column.type is FieldType.TEXT else None

    def misfits(self, name: str) -> npt.NDArray[np.bool_] | None:
        """Which members of ``texts[name]`` did not fit the field's type; None when all values fit."""
        text = self.texts.get(name)
        if text is None:
            return None
        column = self.columns[name]
        blank = blank_mask(column)
        members = len(text.dictionary)
        found = np.zeros(members + 1, np.bool_)
        found[text.codes[blank]] = True
        return found[:members]

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
    known = list(known)
    todo = meant(name, known) or "Its fields are: " + ", ".join(known[:12]) + "."
    return FoldError(f"“{table}” has no field “{name}”.", todo=todo)
