"""Reads Arrow files: the IPC file format (Feather version 2) and the IPC stream, batch by batch."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path

import pyarrow as pa

from foldbasket.errors import ReadError, out_of_memory
from foldbasket.tables.conversion import fitted
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Reader, Reading
from foldbasket.tables.reading.parquet import first_line
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table


def broken(path: Path, error: Exception) -> ReadError:
    """The error for a file against which Arrow says something."""
    return out_of_memory(error, path.name) or ReadError(
        f"this is not an Arrow file that can be read ({first_line(error)})",
        where=path.name,
        todo="Write it again; Feather version 1 is not read.",
    )


@contextlib.contextmanager
def _damage_told(path: Path) -> Iterator[None]:
    """What Arrow says against a file becomes a ReadError."""
    try:
        yield
    except (pa.ArrowException, MemoryError, OSError, OverflowError) as error:
        if isinstance(error, FileNotFoundError | PermissionError):
            raise
        raise broken(path, error) from None


@contextlib.contextmanager
def batches_of(path: Path, what: str, progress: Progress) -> Iterator[tuple[pa.Schema, Iterator[pa.RecordBatch]]]:
    """The fields of an Arrow file, and its batches one by one, each found to be sound; `what` is done with them, for people. Raises ReadError when it is
    broken."""
    with contextlib.ExitStack() as stack:
        with _damage_told(path):
            mapped = stack.enter_context(pa.memory_map(str(path)))
            is_file = mapped.read(6) == b"ARROW1"
            mapped.seek(0)
            size = max(1, mapped.size())
            source = stack.enter_context(pa.ipc.open_file(mapped) if is_file else pa.ipc.open_stream(mapped))
            many = source.num_record_batches if is_file else 0

        def sound() -> Iterator[pa.RecordBatch]:
            with _damage_told(path):
                for at, batch in enumerate(map(source.get_batch, range(many)) if is_file else source):
                    progress.step(f"{what} {path.name}", at / many if is_file else min(1.0, mapped.tell() / size))
                    batch.validate(full=True)  # what a damaged file says of itself is not to be believed
                    yield batch

        yield source.schema, sound()


def read_arrow(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in an Arrow file. Raises ReadError when it is broken or holds a type that cannot be read."""
    progress = progress or Progress()
    columns, texts = {}, {}
    with _damage_told(path), batches_of(path, "Reading", progress) as (schema, batches):
        whole = pa.Table.from_batches(list(batches), schema)
        for at, field in enumerate(field_names(schema.names)):
            progress.step(f"Encoding {path.name}", at / max(1, len(schema.names)))
            columns[field], text = fitted(field, whole.column(at))
            if text is not None:
                texts[field] = text
    return Table(name, columns, str(path), texts)


def repack_later(path: Path, into: Path, reading: Reading, progress: Progress) -> None:
    """Its records as Parquet; see `repacking`."""
    from foldbasket.tables.reading.repacking import repack_arrow

    repack_arrow(path, into, reading, progress)


READER = READERS.enter(
    "Arrow",
    Reader(
        "Arrow", (".arrow", ".feather", ".ipc", ".arrows"), read_arrow, apart=True, repack=repack_later, standing=30
    ),
)
