"""The types that the fields of a Parquet file have once they are read: by its description where that is enough, else by their values, part by part."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from contextlib import AbstractContextManager

import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.later import pq
from foldbasket.tables.conversion import as_text, fitted, is_bytes
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.types import MAX_SCALE, FieldType

FieldKind = tuple[FieldType, int]
"""The type of a field, and its fraction digits."""
PART = 1 << 18
"""Records looked at together where a description does not tell enough."""


def is_text(kind: pa.DataType) -> bool:
    """Whether an Arrow type is plain text, however it is held."""
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def kind_told(metadata: pq.FileMetaData, schema: pa.Schema, at: int) -> FieldKind | None:
    """The type that a field will have once it is read; None where that depends on its values."""
    kind = schema.field(at).type
    if is_text(kind) or pa.types.is_null(kind) or (pa.types.is_dictionary(kind) and is_text(kind.value_type)):
        return FieldType.TEXT, 0
    if pa.types.is_boolean(kind):
        return FieldType.YESNO, 0
    if pa.types.is_integer(kind) and not pa.types.is_uint64(kind):
        return FieldType.WHOLE, 0
    if pa.types.is_decimal128(kind) and kind.precision <= 18 and 0 <= kind.scale <= MAX_SCALE:
        return (FieldType.DECIMAL if kind.scale else FieldType.WHOLE), kind.scale
    if pa.types.is_floating(kind) or (pa.types.is_decimal(kind) and not 0 <= kind.scale <= MAX_SCALE):
        return FieldType.REAL, 0
    if pa.types.is_date32(kind) and _within_calendar(metadata, at):
        return FieldType.DATE, 0
    if pa.types.is_timestamp(kind) and _within_calendar(metadata, at):
        return FieldType.TIMESTAMP, 0
    return None


def kind_found(file: pq.ParquetFile, at: int, name: str) -> FieldKind | None:
    """The same by the field's values, of which only a part is in memory at a time; None where parts of it differ, so that it must be read whole. Raises
    ReadError for a type that cannot be read."""
    schema = file.schema_arrow
    kind = schema.field(at).type
    for batch in file.iter_batches(PART, columns=[schema.names[at]]):
        values = pa.chunked_array([batch.column(0)])
        if is_bytes(kind):
            as_text(name, values)
            continue
        column, text = fitted(name, values)
        # What one value alone would make of a field, the others are not: it is then read whole.
        by_one_value = (
            FieldType.TEXT if pa.types.is_uint64(kind) else FieldType.REAL if pa.types.is_decimal(kind) else None
        )
        if text is not None or column.type is by_one_value:
            return None
    if is_bytes(kind):
        return FieldType.TEXT, 0
    none, _ = fitted(name, pa.chunked_array([], kind))
    return none.type, none.scale


def kinds_of(
    metadata: pq.FileMetaData, where: str, opened: Callable[[], AbstractContextManager[pq.ParquetFile]]
) -> dict[str, FieldKind]:
    """The types of all fields of a file that is never read whole; `opened` gives it where its description does not tell enough. Raises ReadError for a field
    whose type depends on all of its values."""
    schema = metadata.schema.to_arrow_schema()
    found = {}
    for at, name in enumerate(field_names(schema.names)):
        kind = kind_told(metadata, schema, at) if not pa.types.is_nested(schema.field(at).type) else None
        if kind is None and not pa.types.is_nested(schema.field(at).type):
            with opened() as file:
                kind = kind_found(file, at, name)
        if kind is None:
            raise ReadError(
                f"“{name}” ({schema.field(at).type}) cannot be read in batches.",
                where=where,
                todo="Copy the file to this computer, or leave the field out of it.",
            )
        found[name] = kind
    return found


def _within_calendar(metadata: pq.FileMetaData, at: int) -> bool:
    """Whether the file tells of every group of records that its dates lie within the calendar."""
    for group in range(metadata.num_row_groups):
        told = metadata.row_group(group).column(at).statistics
        if told is not None and told.has_null_count and told.null_count == metadata.row_group(group).num_rows:
            continue
        if told is None or not told.has_min_max:
            return False
        if not (isinstance(told.min, datetime.date) and isinstance(told.max, datetime.date)):
            return False
    return True
