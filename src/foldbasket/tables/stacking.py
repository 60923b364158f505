"""Columns of several tables, one below the other, as one column: types are widened where they differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from foldbasket.tables.column import CodedColumn, Column, NumberColumn, coded_from_arrow
from foldbasket.tables.conversion import as_arrow, from_arrow
from foldbasket.tables.detection import judged
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


@dataclass(frozen=True)
class Stacked:
    """A column; the same as text where some values do not fit its type; and the types met, where they could not be joined."""

    column: Column
    text: CodedColumn | None = None
    mixed: str = ""


def stacked(field: str, tables: Sequence[Table]) -> Stacked:
    """One field of several tables; blank for the records of tables that lack it."""
    parts = [(table, table.columns.get(field)) for table in tables]
    types = {column.type for _, column in parts if column is not None and not _is_empty(column)}
    plain = not any(field in table.texts for table in tables)
    if plain and (len(types) <= 1 or all(kind.is_number for kind in types)):
        widest = _widest([column for _, column in parts if column is not None and not _is_empty(column)])
        arrays = [
            pa.nulls(table.count, widest) if column is None or _is_empty(column) else as_arrow(column).cast(widest)
            for table, column in parts
        ]
        return Stacked(from_arrow(field, pa.chunked_array(arrays, widest)))
    texts = [
        pa.nulls(table.count, pa.string()) if column is None else text_array(table.texts.get(field, column))
        for table, column in parts
    ]
    found = judged(coded_from_arrow(field, pa.chunked_array(texts, pa.string())))
    mixed = ", ".join(sorted(kind.value for kind in types)) if len(types) > 1 else ""
    return Stacked(found.column, found.text, mixed)


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
    return {
        FieldType.TEXT: pa.string(),
        FieldType.WHOLE: pa.int64(),
        FieldType.DATE: pa.date32(),
        FieldType.TIMESTAMP: pa.timestamp("us"),
        FieldType.YESNO: pa.bool_(),
    }[kinds.pop()]


def text_array(column: Column) -> pa.Array:
    """Any column as Arrow text, each value as canonical text."""
    coded = column.coded()
    members = len(coded.dictionary)
    if coded.type is FieldType.TEXT:
        values = coded.dictionary.values
    else:
        values = pa.array([coded.dictionary.key(code) for code in range(members)], pa.string())
    indices = pa.array(coded.codes.astype(np.int64), mask=coded.codes == members)
    return values.take(indices)
