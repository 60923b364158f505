"""A table as bytes and back: a head that says what stands where, and the arrays of its columns as they are in memory.

Handing a table from one process to another costs a copy of its arrays and no more; taking it up costs nothing, since the arrays are
views of the bytes. The head is plain data, so that nothing in it can run.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.decoding import from_msgpack
from foldbasket.tables.column import CodedColumn, Column, DeferredColumn, Dictionary, NumberColumn
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import UnreadCoded, UnreadNumber, unread_columns
from foldbasket.tables.written import Order

ALIGNED = 64


class Part(msgspec.Struct, frozen=True, tag=True):
    """Where an array stands among the bytes, its type as NumPy writes it, and how many items it has."""

    start: int
    dtype: str
    items: int


class Texts(msgspec.Struct, frozen=True, tag=True):
    """Arrow text: where each one ends, the letters, and which are there (None: all)."""

    ends: Part
    letters: Part
    valid: Part | None
    large: bool


class Held(msgspec.Struct, frozen=True):
    """One column. Codes with members, or values; of text that is not encoded yet the chunks; of one that is still to be read how many records it
    has."""

    name: str
    type: FieldType
    scale: int = 0
    codes: Part | None = None
    members: Part | Texts | None = None
    values: Part | None = None
    valid: Part | None = None
    chunks: tuple[Texts, ...] | None = None
    unread: int | None = None
    nature: str = ""


class Head(msgspec.Struct, frozen=True):
    """A table, without its arrays."""

    name: str
    origin: str
    columns: tuple[Held, ...]
    texts: tuple[Held, ...]
    notes: tuple[str, ...]
    titles: int
    decimal_mark: str
    chosen: dict[str, tuple[FieldType, Order | None, str]]


class _Writer:
    def __init__(self, write: Callable[[Any], object]) -> None:
        self.write, self.at = write, 0

    def array(self, values: npt.NDArray) -> Part:
        values = np.ascontiguousarray(values)
        gap = -self.at % ALIGNED
        if gap:
            self.write(bytes(gap))
        start = self.at + gap
        self.write(values.data.cast("B") if values.size else b"")
        self.at = start + values.nbytes
        return Part(start, values.dtype.str, values.size)

    def texts(self, values: pa.Array) -> Texts:
        large = pa.types.is_large_string(values.type)
        if not large and not pa.types.is_string(values.type):
            values = values.cast(pa.string())
        kind = np.dtype(np.int64 if large else np.int32)
        _, ends, letters = values.buffers()
        if ends is None or not len(values):
            return Texts(self.array(np.zeros(1, kind)), self.array(np.zeros(0, np.uint8)), None, large)
        stops = np.frombuffer(ends, kind, len(values) + 1, values.offset * kind.itemsize)
        body = (
            np.frombuffer(letters, np.uint8)[int(stops[0]) : int(stops[-1])]
            if letters is not None and letters.size
            else np.zeros(0, np.uint8)
        )
        valid = self.array(values.is_valid().to_numpy(zero_copy_only=False)) if values.null_count else None
        return Texts(self.array(stops - stops[0]), self.array(body), valid, large)

    def column(self, column: Column) -> Held:
        if isinstance(column, UnreadCoded | UnreadNumber):
            return Held(column.name, column.type, column.scale, unread=len(column))
        if isinstance(column, NumberColumn):
            valid = None if column.valid is None else self.array(column.valid)
            return Held(
                column.name,
                column.type,
                column.scale,
                values=self.array(column.values),
                valid=valid,
                nature=column.nature,
            )
        if isinstance(column, DeferredColumn):
            held = column.as_held()
            if held is not None:
                plain = (
                    held.cast(pa.large_string() if held.nbytes > 1 << 31 else pa.string())
                    if pa.types.is_dictionary(held.type)
                    else held
                )
                return Held(column.name, FieldType.TEXT, chunks=tuple(self.texts(chunk) for chunk in plain.chunks))
        coded = column.coded()
        values = coded.dictionary.values
        members = self.texts(values) if isinstance(values, pa.Array) else self.array(np.asarray(values))
        return Held(coded.name, coded.type, coded.scale, codes=self.array(coded.codes), members=members)


def write_held(table: Table, write: Callable[[Any], object]) -> bytes:
    """Hands the arrays of a table to `write`, one after the other, and gives the head that finds them there."""
    writer = _Writer(write)
    chosen = {field: (how.type, how.order, how.decimal_mark) for field, how in table.chosen.items()}
    head = Head(
        table.name, table.origin, tuple(writer.column(each) for each in table.columns.values()),
        tuple(writer.column(each) for each in table.texts.values()), table.notes, table.titles, table.decimal_mark, chosen,
    )  # fmt: skip
    return msgspec.msgpack.encode(head)


def read_held(head: bytes, body: Any) -> Table:
    """The table whose arrays stand in `body`, which must stay as it is while the table lives. Raises ValueError for a head that does
    not fit its bytes."""
    told = from_msgpack(head, Head)
    columns = {each.name: _column(each, body) for each in told.columns}
    texts = {each.name: _column(each, body) for each in told.texts}
    chosen = {field: Chosen(*how) for field, how in told.chosen.items()}
    return Table(told.name, columns, told.origin, texts, told.notes, told.titles, told.decimal_mark, chosen)  # type: ignore[arg-type]


def _column(held: Held, body: Any) -> Column:
    if held.unread is not None:
        return unread_columns({held.name: (held.type, held.scale)}, held.unread)[held.name]
    if held.values is not None:
        valid = None if held.valid is None else _array(held.valid, body)
        return NumberColumn(held.name, held.type, _array(held.values, body), valid, held.scale, held.nature)
    if held.chunks is not None:
        return DeferredColumn(
            held.name,
            pa.chunked_array(
                [_texts(each, body) for each in held.chunks],
                pa.large_string() if any(each.large for each in held.chunks) else pa.string(),
            ),
        )
    assert held.codes is not None
    assert held.members is not None
    values: Any = _texts(held.members, body) if isinstance(held.members, Texts) else _array(held.members, body)
    return CodedColumn(held.name, _array(held.codes, body), Dictionary(held.type, values, held.scale))


def _array(part: Part, body: Any) -> npt.NDArray:
    return (
        np.frombuffer(body, np.dtype(part.dtype), part.items, part.start)
        if part.items
        else np.empty(0, np.dtype(part.dtype))
    )


def _texts(texts: Texts, body: Any) -> pa.Array:
    ends, letters = _array(texts.ends, body), _array(texts.letters, body)
    if texts.ends.items < 1 or int(ends[-1]) > texts.letters.items:
        raise ValueError("texts end behind their letters")
    valid = None
    if texts.valid is not None:
        valid = pa.py_buffer(np.packbits(_array(texts.valid, body), bitorder="little").tobytes())
    kind = pa.large_string() if texts.large else pa.string()
    return pa.Array.from_buffers(kind, texts.ends.items - 1, [valid, pa.py_buffer(ends), pa.py_buffer(letters)])
