"""Reads Parquet files, which are also how a basket carries its data."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import msgspec
import pyarrow as pa
import pyarrow.parquet as pq

from foldbasket.errors import ReadError
from foldbasket.tables.column import PUT_OFF, CodedColumn, Column, DeferredColumn
from foldbasket.tables.conversion import from_arrow, to_arrow
from foldbasket.tables.detection import retyped
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, Reader, Reading
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.written import Order

MOST_BYTES = 2.5
"""Bytes a value of a repeating text takes: its number in the file's dictionary, at most 16 bits, and a share of the dictionary."""


OWN = b"fold-basket"
"""Under this name the file's metadata holds what Parquet itself cannot say of a table of ours."""


class _Told(msgspec.Struct, omit_defaults=True):
    judged: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    titles: int = 0
    decimal_mark: str = "."
    chosen: dict[str, tuple[FieldType, Order | None, str]] = {}


def _as_it_was(table: Table, told: _Told) -> Table:
    """The table with the notes of its first reading, and the fields that had values of no fitting type judged again."""
    chosen = {field: Chosen(*how) for field, how in told.chosen.items()}
    table = replace(table, notes=told.notes, titles=told.titles, decimal_mark=told.decimal_mark, chosen=chosen)
    for field in told.judged:
        column = table.columns.get(field)
        if isinstance(column, CodedColumn) and column.type is FieldType.TEXT:
            table = retyped(table, column)
    return table


def read_parquet(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in a Parquet file. Raises ReadError when it is broken or holds a type that cannot be read."""
    progress = progress or Progress()
    try:
        with pq.ParquetFile(path) as probe:
            schema = probe.schema_arrow
            varied = _varied(probe.metadata, schema)
        texts = [field.name for field in schema if pa.types.is_string(field.type) and field.name not in varied]
        done = 0

        def read(field: str) -> Column:
            nonlocal done
            progress.step(f"Reading {path.name}", done / max(1, len(schema.names)))
            with pq.ParquetFile(path, read_dictionary=texts) as file:
                values = file.read([field], use_threads=False).column(0)
            done += 1
            put_off = field in varied and len(values) > PUT_OFF
            return DeferredColumn(field, values) if put_off else from_arrow(field, values)

        # Column by column on all cores, so that only what is being encoded is held as Arrow has it; the slowest come first.
        order = sorted(schema.names, key=lambda field: field not in varied)
        with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
            made = dict(zip(order, pool.map(read, order), strict=True))
        columns = [made[field] for field in schema.names]
    except (pa.ArrowInvalid, OSError) as error:
        raise ReadError(
            f"this is not a Parquet file that can be read ({str(error).splitlines()[0]})",
            where=path.name,
            todo="Export it again.",
        ) from None
    table = Table.of(name, columns, str(path))
    told = (schema.metadata or {}).get(OWN)
    return table if told is None else _as_it_was(table, msgspec.json.decode(told, type=_Told))


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


def write_parquet(table: Table, path: Path) -> None:
    """Writes a table of ours as a Parquet file that `read_parquet` gives back as it was."""
    chosen = {field: (how.type, how.order, how.decimal_mark) for field, how in table.chosen.items()}
    told = msgspec.json.encode(_Told(tuple(table.texts), table.notes, table.titles, table.decimal_mark, chosen))
    arrow = to_arrow(table)
    if told != b"{}":
        arrow = arrow.replace_schema_metadata({OWN: told})
    # Without the schema of the writer, a reader is free to read text as text, which for varied text is many times as fast.
    pq.write_table(arrow, path, compression="zstd", store_schema=False)


READER = Reader("Parquet", (".parquet", ".pq"), read_parquet)
