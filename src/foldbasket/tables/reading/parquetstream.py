"""The records of Parquet files part by part, for tables that are not held."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator, Sequence
from pathlib import Path

import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.later import pq
from foldbasket.tables.column import Column
from foldbasket.tables.conversion import fitted
from foldbasket.tables.reading.parquet import first_line, is_text
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Part

MOST, LEAST = 2_000_000, 1 << 16
"""Records in a part, at the most and at the least."""


class ParquetStream:
    """The files of one table in their order, read by columns in parts of about so many bytes."""

    def __init__(self, name: str, files: Sequence[Path], counts: Sequence[int], size: int = 64 << 20) -> None:
        self.name, self.files, self.counts, self.size = name, tuple(files), tuple(counts), size
        self.count = sum(counts)
        self._states = [_state(path) for path in self.files]

    def parts(self, names: Collection[str]) -> Iterator[Part]:
        """Some fields of all records. Raises ReadError, also where a file is another than it was."""
        start = 0
        many = max(LEAST, min(MOST, self.size // (8 * max(1, len(names)))))
        for path, count, state in zip(self.files, self.counts, self._states, strict=True):
            own = start
            try:
                if _state(path) != state:
                    raise _changed(path)
                for table in self._of_file(path, names, many, count):
                    yield Part(table, start)
                    start += table.count
            except (pa.ArrowException, OSError, OverflowError) as error:
                raise ReadError(
                    f"the file cannot be read to its end ({first_line(error)}).",
                    where=path.name,
                    todo="Export it again.",
                ) from None
            if start - own != count:
                raise _changed(path)

    def _of_file(self, path: Path, names: Collection[str], many: int, count: int) -> Iterator[Table]:
        with pq.ParquetFile(path) as plain:
            schema = plain.schema_arrow
        said = dict(zip(field_names(schema.names), schema.names, strict=True))
        texts = [said[name] for name in names if is_text(schema.field(said[name]).type)]
        with pq.ParquetFile(path, read_dictionary=texts, pre_buffer=False) as file:
            wanted = [said[name] for name in names]
            if not count:
                empty = {
                    name: fitted(name, pa.chunked_array([], file.schema_arrow.field(said[name]).type)) for name in names
                }
                yield Table(self.name, {name: column for name, (column, _) in empty.items()}, str(path))
            for batch in file.iter_batches(many, columns=wanted):
                columns: dict[str, Column] = {}
                for name in names:
                    values = pa.chunked_array([batch.column(batch.schema.get_field_index(said[name]))])
                    values.validate(full=True)
                    columns[name] = fitted(name, values)[0]
                yield Table(self.name, columns, str(path))


def _state(path: Path) -> tuple[int, int, int]:
    """What tells one state of a file from another. Raises OSError."""
    found = os.stat(path)
    return found.st_size, found.st_mtime_ns, found.st_ino


def _changed(path: Path) -> ReadError:
    return ReadError("the file changed after it was opened.", where=path.name, todo="Open it again.")
