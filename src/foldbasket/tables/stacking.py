"""Columns of several tables, one below the other, as one column: types are widened where they differ."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa

from foldbasket.tables.column import CodedColumn, Column, NumberColumn, coded_from_arrow, natured
from foldbasket.tables.conversion import arrow_of, as_arrow, from_arrow
from foldbasket.tables.detection import judged
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


class Stacked(msgspec.Struct, frozen=True):
    """A column; the same as text where some values do not fit its type; and the types met, where they could not be joined."""

    column: Column
    text: CodedColumn | None = None
    mixed: str = ""


def stacked(field: str, tables: Sequence[Table]) -> Stacked:
    """One field of several tables; blank for the records of tables that lack it."""
    columns = [table.columns.get(field, blanks(field, table.count)) for table in tables]
    return stacked_columns(field, columns, [table.texts.get(field) for table in tables])


def stacked_as(field: str, tables: Sequence[Table], kind: FieldType, scale: int) -> Column:
    """One field of several tables as one of a type that all of them can be widened to."""
    columns = [widened(table.columns.get(field) or blanks(field, table.count), kind, scale) for table in tables]
    arrays = [as_arrow(column) for column in columns]
    made = from_arrow(field, pa.chunked_array([each.cast(arrow_of(kind, scale)) for each in arrays]))
    return _taken_alike(made, columns)


def widened(column: Column, kind: FieldType, scale: int = 0) -> Column:
    """A column as one of a wider type: numbers of another kind, text, or any where no record has a value."""
    if (column.type, column.scale) == (kind, scale):
        return column
    if _is_empty(column):
        values = pa.nulls(len(column), arrow_of(kind, scale))
    elif kind is FieldType.TEXT:
        values = text_array(column)
    else:
        exact = pa.decimal128(38, scale) if kind is FieldType.DECIMAL else arrow_of(kind)
        values = as_arrow(column).cast(exact).cast(arrow_of(kind, scale))
    return from_arrow(column.name, pa.chunked_array([values]))


def blanks(field: str, count: int) -> CodedColumn:
    """A field without a value on any of so many records."""
    return coded_from_arrow(field, pa.chunked_array([pa.nulls(count, pa.string())]))


def stacked_columns(name: str, columns: Sequence[Column], texts: Sequence[CodedColumn | None]) -> Stacked:
    """Columns one below the other; `texts` are their texts where some values did not fit the type."""
    types = {column.type for column in columns if not _is_empty(column)}
    if not any(text is not None for text in texts) and (len(types) <= 1 or all(kind.is_number for kind in types)):
        kinds = {column.type for column in columns}
        widest = _widest(columns if len(kinds) == 1 else [column for column in columns if not _is_empty(column)])
        arrays = [
            pa.nulls(len(column), widest) if _is_empty(column) else as_arrow(column).cast(widest) for column in columns
        ]
        return Stacked(_taken_alike(from_arrow(name, pa.chunked_array(arrays, widest)), columns))
    said = [text_array(text or column) for text, column in zip(texts, columns, strict=True)]
    found = judged(coded_from_arrow(name, pa.chunked_array(said, pa.string())))
    mixed = ", ".join(sorted(kind.value for kind in types)) if len(types) > 1 else ""
    return Stacked(found.column, found.text, mixed)


def _taken_alike(made: Column, columns: Sequence[Column]) -> Column:
    """A column made of some, taken for what all of them that have values are taken for."""
    natures = {column.nature for column in columns if not _is_empty(column)}
    return natured(made, natures.pop()) if len(natures) == 1 and natures != {""} else made


def _is_empty(column: Column) -> bool:
    """Whether no record has a value, so that the type says nothing."""
    if isinstance(column, NumberColumn):
        return column.valid is not None and not column.valid.any()
    return column.type is FieldType.TEXT and column.blank_count == len(column)


def _widest(columns: Sequence[Column]) -> pa.DataType:
    kinds = {column.type for column in columns}
    if not kinds:
        return pa.string()
    if FieldType.REAL in kinds:
        return pa.float64()
    if FieldType.DECIMAL in kinds:
        return pa.decimal128(38, max(column.scale for column in columns))
    return arrow_of(kinds.pop())


def key_array(column: CodedColumn) -> pa.Array:
    """The members of a coded column as Arrow text, each as canonical text."""
    if column.type is FieldType.TEXT:
        return column.dictionary.values
    return pa.array([column.dictionary.key(code) for code in range(len(column.dictionary))], pa.string())


def text_array(column: Column) -> pa.Array:
    """Any column as Arrow text, each value as canonical text."""
    coded = column.coded()
    indices = pa.array(coded.codes.astype(np.int64), mask=coded.codes == len(coded.dictionary))
    return key_array(coded).take(indices)
