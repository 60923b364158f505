"""Reads Arrow files: the IPC file format (Feather version 2) and the IPC stream, batch by batch."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.tables.conversion import fitted
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Reader, Reading
from foldbasket.tables.reading.parquet import first_line
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table


def read_arrow(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in an Arrow file. Raises ReadError when it is broken or holds a type that cannot be read."""
    progress = progress or Progress()
    try:
        with pa.memory_map(str(path)) as mapped:
            batches = []
            if mapped.read(6) == b"ARROW1":
                mapped.seek(0)
                file = pa.ipc.open_file(mapped)
                schema = file.schema
                for at in range(file.num_record_batches):
                    progress.step(f"Reading {path.name}", at / file.num_record_batches)
                    batches.append(file.get_batch(at))
            else:
                mapped.seek(0)
                size = max(1, mapped.size())
                with pa.ipc.open_stream(mapped) as stream:
                    schema = stream.schema
                    for batch in stream:
                        progress.step(f"Reading {path.name}", min(1.0, mapped.tell() / size))
                        batches.append(batch)
            for batch in batches:
                batch.validate(full=True)  # what a damaged file says of itself is not to be believed
            whole = pa.Table.from_batches(batches, schema)
            columns, texts = {}, {}
            for at, field in enumerate(field_names(schema.names)):
                progress.step(f"Encoding {path.name}", at / max(1, len(schema.names)))
                columns[field], text = fitted(field, whole.column(at))
                if text is not None:
                    texts[field] = text
    except (pa.ArrowException, OSError, OverflowError) as error:
        if isinstance(error, FileNotFoundError | PermissionError):
            raise
        raise ReadError(
            f"this is not an Arrow file that can be read ({first_line(error)})",
            where=path.name,
            todo="Write it again; Feather version 1 is not read.",
        ) from None
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
