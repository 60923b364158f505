"""Reads Parquet files, which are also how a basket carries its data."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from foldbasket.errors import ReadError
from foldbasket.tables.column import PUT_OFF, CodedColumn, Column, DeferredColumn
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

ENDINGS = (".parquet", ".pq")
MOST_BYTES = 2.5
"""Bytes a value of a repeating text takes: its number in the file's dictionary, at most 16 bits, and a share of the dictionary."""


def read_parquet(path: Path, name: str, progress: Progress | None = None) -> Table:
    """The table in a Parquet file. Raises ReadError when it is broken or holds a type that cannot be read."""
    progress = progress or Progress()
    try:
        with pq.ParquetFile(path) as probe:
            schema = probe.schema_arrow
            varied = _varied(probe.metadata, schema)
        texts = [field.name for field in schema if pa.types.is_string(field.type) and field.name not in varied]
        columns: list[Column] = []
        with pq.ParquetFile(path, read_dictionary=texts) as file:
            for at, field in enumerate(schema.names):
                progress.step(f"Reading {path.name}", at / max(1, len(schema.names)))
                values = file.read([field]).column(0)
                put_off = field in varied and len(values) > PUT_OFF
                columns.append(DeferredColumn(field, values) if put_off else from_arrow(field, values))
    except (pa.ArrowInvalid, OSError) as error:
        raise ReadError(
            f"this is not a Parquet file that can be read ({str(error).splitlines()[0]})",
            where=path.name,
            todo="Export it again.",
        ) from None
    return Table.of(name, columns, str(path))


def _varied(metadata: pq.FileMetaData, schema: pa.Schema) -> set[str]:
    """Text columns whose values are mostly different, judged by the bytes a value takes in the first group of records."""
    varied: set[str] = set()
    if metadata.num_row_groups == 0:
        return varied
    group = metadata.row_group(0)
    for at in range(group.num_columns):
        column = group.column(at)
        name = column.path_in_schema
        if (
            name in schema.names
            and pa.types.is_string(schema.field(name).type)
            and column.total_uncompressed_size > MOST_BYTES * max(1, column.num_values)
        ):
            varied.add(name)
    return varied


def to_arrow(table: Table) -> pa.Table:
    """A table of ours as an Arrow table, types kept: text dictionary-encoded, decimals as decimal128(18, scale)."""
    return pa.table({name: _array(column) for name, column in table.columns.items()})


def _array(column: Column) -> pa.Array:
    if isinstance(column, CodedColumn):
        members = len(column.dictionary)
        indices = pa.array(column.codes.astype("int32"), mask=column.codes == members)
        if column.type is FieldType.TEXT:
            return pa.DictionaryArray.from_arrays(indices, column.dictionary.values)
        kind = pa.bool_() if column.type is FieldType.YESNO else pa.int32()
        values = pa.array(column.dictionary.values).cast(kind).take(indices)
        return values.cast(pa.date32()) if column.type is FieldType.DATE else values
    mask = None if column.valid is None else ~column.valid
    if column.type is FieldType.TIMESTAMP:
        return pa.array(column.values.view("M8[us]"), mask=mask)
    if column.type is not FieldType.DECIMAL:
        return pa.array(column.values, mask=mask)
    units = column.values.astype(np.int64, copy=False)
    words = units.repeat(2)
    words[1::2] = units >> 63  # the upper half of each 128-bit number is its sign
    blank = None if mask is None else pa.array(column.values, mask=mask).buffers()[0]
    return pa.Array.from_buffers(pa.decimal128(18, column.scale), len(column), [blank, pa.py_buffer(words)])


def write_parquet(table: Table, path: Path) -> None:
    """Writes a table of ours as a Parquet file that `read_parquet` gives back as it was."""
    # Without the schema of the writer, a reader is free to read text as text, which for varied text is many times as fast.
    pq.write_table(to_arrow(table), path, compression="zstd", store_schema=False)
