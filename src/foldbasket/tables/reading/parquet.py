"""Reads Parquet files, which are also how a basket carries its data."""

from __future__ import annotations

import itertools
import os
import threading
from collections.abc import Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import msgspec
import pyarrow as pa
from msgspec.structs import replace

from foldbasket.decoding import from_json
from foldbasket.errors import ReadError, out_of_memory
from foldbasket.later import pq
from foldbasket.tables.column import PUT_OFF, CodedColumn, Column, DeferredColumn, natured
from foldbasket.tables.conversion import fitted, is_bytes, to_arrow
from foldbasket.tables.detection import retyped
from foldbasket.tables.nature import Nature
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.alike import Kind
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Reader, Reading, damaged_copy, memory_at_hand
from foldbasket.tables.reading.parquettypes import FieldKind, is_text, kind_found, kind_told
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Stream, unread_columns
from foldbasket.tables.written import Order

MOST_BYTES = 2.5
"""Bytes a value of a repeating text takes: its number in the file's dictionary, at most 16 bits, and a share of the dictionary."""


MANY = 1_000_000
"""In a file of fewer records, fields of which its description does not tell the type are read at once."""
OWN = b"fold-basket"
"""Under this name the file's metadata holds what Parquet itself cannot say of a table of ours."""


class _Told(msgspec.Struct, omit_defaults=True):
    judged: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    titles: int = 0
    decimal_mark: str = "."
    chosen: dict[str, tuple[FieldType, Order | None, str]] = {}
    natures: dict[str, str] = {}
    """What fields are taken for, where their file said so."""


def _as_it_was(table: Table, note: bytes | None) -> Table:
    """The table with the notes of its first reading, and the fields that had values of no fitting type judged again. A note that is
    not one of ours tells nothing."""
    try:
        told = from_json(note, _Told) if note is not None else None
    except msgspec.MsgspecError:
        told = None
    if told is None:
        return table
    chosen = {field: Chosen(*how) for field, how in told.chosen.items() if field in table.columns}
    table = replace(table, notes=told.notes, titles=told.titles, decimal_mark=told.decimal_mark, chosen=chosen)
    for field in told.judged:
        column = table.columns.get(field)
        if isinstance(column, CodedColumn) and column.type is FieldType.TEXT:
            table = retyped(table, column)
    known = {each.value for each in Nature}
    taken = {
        field: natured(table.columns[field], nature)
        for field, nature in told.natures.items()
        if field in table.columns and nature in known
    }
    return table.with_columns({**table.columns, **taken}, table.texts) if taken else table


def read_parquet(
    path: Path,
    name: str,
    reading: Reading = AS_FOUND,
    progress: Progress | None = None,
    only: Collection[str] | None = None,
    lazily: bool = False,
) -> Table:
    """The table in a Parquet file, or `only` some of its fields; where it is read `lazily`, without the values of those whose type the file tells for
    sure. Raises ReadError when it is broken, too large, or holds a type that cannot be read."""
    progress = progress or Progress()
    try:
        with pq.ParquetFile(path) as probe:
            schema, metadata = probe.schema_arrow, probe.metadata
            _refuse_nested(schema, path)  # so that each field is one of the file's columns
            varied = _varied(metadata, schema)
        if only is None and not lazily:
            _check_size(metadata, schema, path)
        texts = [field.name for at, field in enumerate(schema) if is_text(field.type) and at not in varied]
        names = field_names(schema.names)
        wanted = [at for at, name in enumerate(names) if only is None or name in only]
        later = _later(path, metadata, schema, wanted, names) if lazily else {}
        wanted = [at for at in wanted if at not in later]
        own = threading.local()  # opening a file costs in proportion to its fields, so each thread opens it once
        done = itertools.count(1)

        def read(at: int) -> tuple[Column, CodedColumn | None]:
            if not hasattr(own, "file"):
                own.file = pq.ParquetFile(path, read_dictionary=texts, page_checksum_verification=True)
            values = own.file.reader.read_column(at)
            progress.step(f"Reading {path.name}", next(done) / max(1, len(wanted)))
            values.validate(full=True)
            put_off = at in varied and len(values) > PUT_OFF
            return (DeferredColumn(names[at], values), None) if put_off else fitted(names[at], values)

        # Column by column on all cores, so that only what is being encoded is held as Arrow has it; the slowest come first.
        order = sorted(wanted, key=lambda at: at not in varied)
        with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
            made = dict(zip(order, pool.map(read, order), strict=True))
    except (pa.ArrowException, MemoryError, OSError, OverflowError) as error:
        if isinstance(error, FileNotFoundError | PermissionError):
            raise
        why = first_line(error)
        raise (
            out_of_memory(error, path.name)
            or damaged_copy(path, why)
            or ReadError(
                f"this is not a Parquet file that can be read ({why}).", where=path.name, todo="Export it again."
            )
        ) from None
    rows = metadata.num_rows
    columns = {
        names[at]: unread_columns({names[at]: later[at]}, rows)[names[at]] if at in later else made[at][0]
        for at in range(len(names))
        if at in later or at in made
    }
    said = {names[at]: text for at in wanted if (text := made[at][1]) is not None}
    return _as_it_was(Table(name, columns, str(path), said), (schema.metadata or {}).get(OWN))


def _later(
    path: Path, metadata: pq.FileMetaData, schema: pa.Schema, wanted: Sequence[int], names: Sequence[str]
) -> dict[int, FieldKind]:
    """The fields that can be read when they are asked for, with their types; none of a file of ours, which says more of them. Of a large file those that its
    description does not tell are looked through. Raises ReadError."""
    if OWN in (schema.metadata or {}):
        return {}
    found = {at: kind for at in wanted if (kind := kind_told(metadata, schema, at)) is not None}
    unsure = [at for at in wanted if at not in found] if metadata.num_rows >= MANY else []

    def looked_through(at: int) -> FieldKind | None:
        with pq.ParquetFile(path, page_checksum_verification=True) as file:
            return kind_found(file, at, names[at])

    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        kinds = dict(zip(unsure, pool.map(looked_through, unsure), strict=True))
    return found | {at: kind for at, kind in kinds.items() if kind is not None}


def first_line(error: BaseException) -> str:
    """What an error says, as one short line."""
    lines = str(error).strip().splitlines()
    return lines[0][:200] if lines else type(error).__name__


def _is_varied(kind: pa.DataType) -> bool:
    """Whether its values have no width of their own."""
    return is_text(kind) or is_bytes(kind)


def _refuse_nested(schema: pa.Schema, path: Path) -> None:
    """Raises ReadError for fields that are made of others."""
    for field in schema:
        if pa.types.is_nested(field.type):
            raise ReadError(
                f"values of the type “{field.type}” cannot be read.",
                where=f"{path.name}, field “{field.name}”",
                todo="Leave the field out, or export it as text.",
            )


def _check_size(metadata: pq.FileMetaData, schema: pa.Schema, path: Path) -> None:
    """Refuses a file whose columns would not fit into memory once they are unpacked."""
    rows = metadata.num_rows
    needed = sum(
        rows * (4 if _is_varied(field.type) or field.type.bit_width < 64 else 8)
        for field in schema
        if not pa.types.is_null(field.type)
    )
    free = memory_at_hand()
    if rows < 0 or needed > free:
        raise ReadError(
            f"it holds {rows:,} records of {len(schema)} fields, which would take {needed / 1e9:.1f} GB; {free / 1e9:.1f} GB are free.",
            where=path.name,
            todo="Export fewer records or fields.",
        )


def _varied(metadata: pq.FileMetaData, schema: pa.Schema) -> set[int]:
    """The fields of text whose values are mostly different, judged by the bytes a value takes in the first group of records."""
    if metadata.num_row_groups == 0:
        return set()
    group = metadata.row_group(0)
    return {
        at
        for at, field in enumerate(schema)
        if is_text(field.type)
        and (column := group.column(at)).total_uncompressed_size > MOST_BYTES * max(1, column.num_values)
    }


def write_parquet(table: Table, path: Path) -> None:
    """Writes a table of ours as a Parquet file that `read_parquet` gives back as it was."""
    chosen = {field: (how.type, how.order, how.decimal_mark) for field, how in table.chosen.items()}
    natures = {field: column.nature for field, column in table.columns.items() if column.nature}
    told = msgspec.json.encode(
        _Told(tuple(table.texts), table.notes, table.titles, table.decimal_mark, chosen, natures)
    )
    arrow = to_arrow(table)
    # Without the schema of the writer, a reader is free to read text as text, which for varied text is many times as fast; what a schema tells beside its
    # fields is then not written either.
    with pq.ParquetWriter(
        path, arrow.schema, compression="zstd", store_schema=False, write_page_checksum=True
    ) as writer:
        writer.write_table(arrow)
        if told != b"{}":
            writer.add_key_value_metadata({OWN: told})


def stream_parquet(
    name: str,
    files: Sequence[Path],
    counts: Sequence[int],
    named: Table | None = None,
    wider: Mapping[str, Kind] | None = None,
) -> Stream:
    """The records of files of one table, part by part; `named` has a record for each file, of what its folders are called, and `wider` says what the fields
    are that some file lacks or has in another type."""
    from foldbasket.tables.reading.parquetstream import ParquetStream

    return ParquetStream(name, files, counts, named=named, wider=wider)


READER = READERS.enter(
    "Parquet",
    Reader(
        "Parquet", (".parquet", ".pq"), read_parquet, apart=True, by_column=True, stream=stream_parquet, standing=20
    ),
)
