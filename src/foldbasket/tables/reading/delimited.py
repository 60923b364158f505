"""Reads delimited text (CSV, TSV and their kin) through Arrow, into typed, encoded columns.

The look of the file (`sniffing`) proposes a type per column, Arrow parses straight into it, and a column whose values
do not all fit is read again as text and judged over all its different values. So detection holds for the whole column.
"""

from __future__ import annotations

import codecs
import io
import os
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pc

from foldbasket.errors import ReadError
from foldbasket.tables.column import (
    PUT_OFF,
    CodedColumn,
    Column,
    DeferredColumn,
    NumberColumn,
    joined,
    text_column,
)
from foldbasket.tables.conversion import exact_units, from_arrow, outside_calendar
from foldbasket.tables.detection import Judged, judged, judged_as
from foldbasket.tables.nature import names_identifier
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Reader, Reading
from foldbasket.tables.reading.ragged import BAD_COLUMN, first_bad_line, ragged, second_guess
from foldbasket.tables.reading.sniffing import ColumnType, Look, look_at, wrong_encoding
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType

BLOCK = 1 << 20
STRETCH = 192 << 20
_TEXT = pa.dictionary(pa.int32(), pa.string())


class Feed(io.RawIOBase):
    """A stretch of a file's bytes as UTF-8, handed to Arrow block by block with progress and cancel.

    It is read, not mapped into memory: a file that somebody cuts short would take the whole program with it.
    """

    def __init__(self, path: Path, look: Look, progress: Progress, start: int, stop: int) -> None:
        super().__init__()
        self._path, self._look, self._progress = path, look, progress
        self._file = path.open("rb")
        self._size = max(1, path.stat().st_size)
        self._done, self._stop = start, stop
        self._lines = 1
        self._decoder = None
        if look.is_utf8:
            self._file.seek(start)
        else:
            self._decoder = codecs.getincrementaldecoder(look.encoding)()
            self._skip = look.header_chars
            self._left_over = b""

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        self._progress.step(f"Reading {self._path.name}", min(1.0, self._done / self._size))
        if self._decoder is None:
            left = self._stop - self._done
            block = self._file.read(min(left, size) if size >= 0 else left)
            self._done += len(block)
            return block
        while len(self._left_over) < size or size < 0:
            data = self._file.read(BLOCK)
            self._done += len(data)
            try:
                text = self._decoder.decode(data, not data)
            except UnicodeDecodeError as error:
                line = self._lines + data[: error.start].count(b"\n")
                raise wrong_encoding(self._path, self._look.encoding, line) from None
            self._lines += text.count("\n")
            if self._skip and text:
                text = text.removeprefix("\ufeff")
                dropped = min(self._skip, len(text))
                text, self._skip = text[dropped:], self._skip - dropped
            self._left_over += text.encode("utf-8")
            if not data:
                break
        taken, self._left_over = (
            (self._left_over, b"") if size < 0 else (self._left_over[:size], self._left_over[size:])
        )
        return taken

    def close(self) -> None:
        if not self.closed:
            self._file.close()
        super().close()


def stretches(path: Path, look: Look, quoted_breaks: bool, length: int | None = None) -> list[tuple[int, int]]:
    """Where to cut the records of a file into stretches of whole lines and about so many bytes, so that only one at a time is held as Arrow has it."""
    size = path.stat().st_size
    if quoted_breaks or not look.is_utf8:
        return [(look.header_bytes, size)]
    length = length or STRETCH
    cuts = [look.header_bytes]
    with path.open("rb") as file:
        while size - cuts[-1] > 1.5 * length:
            file.seek(cuts[-1] + length)
            while (block := file.read(BLOCK)) and b"\n" not in block:
                pass
            if not block:
                break
            cuts.append(file.tell() - len(block) + block.index(b"\n") + 1)
    return list(pairwise([*cuts, size]))


class Attempt:
    """What is thought of a file: its `look`, the `types` of its fields (None for what only its text can tell), and whether a line may break within
    quotes. What does not fit teaches it better."""

    def __init__(self, path: Path, options: Reading) -> None:
        """Raises ReadError."""
        self.path, self.options = path, options
        look = self.look = self._look(options.encoding)
        for wanted in options.types:
            if wanted not in look.names:
                raise ReadError(f"there is no field “{wanted}” to read as another type.", where=path.name)
        self.types: list[ColumnType | None] = [
            (None if options.types[field] is not FieldType.TEXT else ColumnType(FieldType.TEXT))
            if field in options.types
            else None  # a leading zero anywhere makes it a code, which only its text can tell
            if kind is not None and kind.type is FieldType.WHOLE and names_identifier(field)
            else kind
            for field, kind in zip(look.names, look.types, strict=True)
        ]
        self.quoted_breaks = _has_quoted_breaks(path, look)
        self._misfits = 0

    def _look(self, encoding: str | None) -> Look:
        said = self.options
        return look_at(
            self.path, encoding=encoding, delimiter=said.delimiter, decimal_mark=said.decimal_mark, header=said.header
        )

    def is_text(self, at: int) -> bool:
        """Whether a field is read as text, to be judged or to stay."""
        kind = self.types[at]
        return kind is None or kind.type is FieldType.TEXT

    def learn(self, error: pa.ArrowInvalid) -> None:
        """Thinks otherwise of the file, after what Arrow says against it. Raises ReadError where there is no other way to read it."""
        path, look = self.path, self.look
        misfit = BAD_COLUMN.match(str(error))
        if "invalid UTF8" in str(error) and self.options.encoding is None and look.encoding == "utf-8":
            self.look = self._look(second_guess(path))
        elif "invalid UTF8" in str(error):
            raise wrong_encoding(path, look.encoding, first_bad_line(path, look.encoding)) from None
        elif misfit is not None:
            self._misfits += 1
            self.types[int(misfit[1])] = None
            if self._misfits > 2:  # rather than once per column: judge all of them over their different values
                self.types = [kind if kind and kind.type is FieldType.TEXT else None for kind in self.types]
        else:
            raise ragged(path, look, str(error)) from None


def read_delimited(path: Path, name: str, options: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in the delimited file at `path`. Raises ReadError: what, which line, what to do."""
    progress = progress or Progress()

    now = Attempt(path, options)
    while True:
        try:
            columns = _read_columns(now, progress)
            break
        except pa.ArrowInvalid as error:
            now.learn(error)
    look = now.look
    texts = _judge(path, look, columns, options, progress)
    columns_by_name = dict(zip(look.names, columns, strict=True))
    chosen = {field: Chosen(kind, None, look.decimal_mark) for field, kind in options.types.items()}
    return Table(
        name, columns_by_name, str(path), texts, titles=look.titles, decimal_mark=look.decimal_mark, chosen=chosen
    )


def _judge(
    path: Path, look: Look, columns: list[Column], options: Reading, progress: Progress
) -> dict[str, CodedColumn]:
    """Puts columns of text into the types that their values have, and gives the text of those."""
    texts: dict[str, CodedColumn] = {}
    for at, field in enumerate(look.names):
        column = columns[at]
        if (
            isinstance(column, CodedColumn)
            and column.type is FieldType.TEXT
            and _is_worth_judging(column, field, options)
        ):
            progress.step(f"Judging {path.name}", at / len(look.names))
            found = _as_chosen(column.coded(), options.types.get(field), look.decimal_mark)
            columns[at] = found.column
            if found.text is not None:
                texts[field] = found.text
    return texts


def _read_columns(now: Attempt, progress: Progress) -> list[Column]:
    """All columns, stretch by stretch: typed values are encoded at once, text is gathered and encoded over the whole file."""
    path, look, types = now.path, now.look, now.types
    width = len(look.names)
    parts: list[list[Column]] = [[] for _ in look.names]
    texts: list[list[pa.Array]] = [[] for _ in look.names]
    is_text = [now.is_text(at) for at in range(width)]
    pending: list[tuple[int, Future[Column]]] = []  # encoded while the next stretch is parsed

    def settle() -> None:
        for at, column in pending:
            parts[at].append(column.result())
        pending.clear()

    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        for start, stop in stretches(path, look, now.quoted_breaks):
            read = parse(now, progress, start, stop)
            if not read.num_rows:
                continue
            for at in range(width):
                if is_text[at]:
                    texts[at] += read.column(at).chunks
            settle()
            pending += [
                (at, pool.submit(encoded, look.names[at], read.column(at), types[at], at))
                for at in range(width)
                if not is_text[at]
            ]
            del read
        settle()

        def whole(at: int) -> Column:
            progress.step(f"Encoding {path.name}", at / width)
            if parts[at]:
                column = joined(parts[at])
                parts[at] = []  # its memory can go while the next is joined
                return column
            gathered = pa.chunked_array(texts[at], _TEXT)
            texts[at] = []
            if types[at] is not None and _mostly_different(gathered):
                return DeferredColumn(look.names[at], gathered)
            return from_arrow(look.names[at], gathered)

        return list(pool.map(whole, range(width)))


def encoded(name: str, values: pa.ChunkedArray, kind: ColumnType | None, at: int) -> Column:
    """Values that Arrow parsed as a column of their type. Raises ArrowInvalid, which names the field by its number, where they do not fit after all."""
    if outside_calendar(values) is not None:
        raise pa.ArrowInvalid(f"In CSV column #{at}: dates outside the calendar")
    column = from_arrow(name, values)
    if kind is None or kind.type is not FieldType.DECIMAL or not isinstance(column, NumberColumn):
        return column
    exact = exact_units(column, kind.scale)
    if exact is None:
        raise pa.ArrowInvalid(f"In CSV column #{at}: more digits than decimals of scale {kind.scale} have")
    return exact


def _mostly_different(values: pa.ChunkedArray) -> bool:
    """Whether text is long and so varied that encoding it is put off: judged by the dictionaries of its blocks."""
    return len(values) > PUT_OFF and sum(len(chunk.dictionary) for chunk in values.chunks) > len(values) // 4


def _is_worth_judging(column: CodedColumn, field: str, options: Reading) -> bool:
    """All text is, but for text chosen as such, and long varied text that a sample tells to be nothing else."""
    if options.types.get(field) is FieldType.TEXT:
        return False
    if field in options.types or not isinstance(column, DeferredColumn):
        return True
    sample = text_column(column.name, column.sample(400))
    return judged(sample).column.type is not FieldType.TEXT


def _as_chosen(column: CodedColumn, chosen: FieldType | None, decimal_mark: str) -> Judged:
    if chosen is None:
        return judged(column, decimal_mark)
    return judged_as(column, chosen, decimal_mark=decimal_mark)


def parse(now: Attempt, progress: Progress, start: int, stop: int) -> pa.Table:
    """The records of a stretch of a file as Arrow reads them: text by its dictionary. Raises ArrowInvalid."""
    feed = Feed(now.path, now.look, progress, start, stop)
    try:
        return pc.read_csv(pa.PythonFile(feed, mode="r"), **arrow_options(now))
    except pa.ArrowInvalid as error:
        if "Empty CSV" in str(error):  # a header and no records
            return pa.table({name: pa.chunked_array([], _TEXT) for name in now.look.names})
        raise
    finally:
        feed.close()


def arrow_options(now: Attempt) -> dict[str, Any]:
    """How Arrow is to read the file."""
    look = now.look
    return {
        "read_options": pc.ReadOptions(column_names=list(look.names), block_size=BLOCK),
        "parse_options": pc.ParseOptions(
            delimiter=look.delimiter, newlines_in_values=now.quoted_breaks, ignore_empty_lines=len(look.names) > 1
        ),
        "convert_options": pc.ConvertOptions(
            column_types={name: _arrow_type(kind) for name, kind in zip(look.names, now.types, strict=True)},
            null_values=[""],
            strings_can_be_null=True,
            decimal_point=look.decimal_mark,
            true_values=["true", "True", "TRUE"],
            false_values=["false", "False", "FALSE"],
        ),
    }


def _arrow_type(kind: ColumnType | None) -> pa.DataType:
    if kind is None:
        return _TEXT
    return {
        FieldType.TEXT: _TEXT,
        FieldType.WHOLE: pa.int64(),
        FieldType.DECIMAL: pa.float64(),  # see `exact_units`
        FieldType.REAL: pa.float64(),
        FieldType.DATE: pa.date32(),
        FieldType.TIMESTAMP: pa.timestamp("us"),
        FieldType.YESNO: pa.bool_(),
    }[kind.type]


def _has_quoted_breaks(path: Path, look: Look) -> bool:
    """Whether any line break stands inside quotes, which Arrow must know before it cuts the file into blocks."""
    if look.encoding.startswith("utf-16"):
        return True
    with path.open("rb") as file:
        inside, is_quoted = 0, False
        while data := file.read(BLOCK):
            is_quoted = is_quoted or b'"' in data
            if not is_quoted:
                continue
            block = np.frombuffer(data, np.uint8)
            quotes = np.flatnonzero(block == 34)
            breaks = np.flatnonzero((block == 10) | (block == 13))
            if ((np.searchsorted(quotes, breaks) + inside) % 2).any():
                return True
            inside = (inside + len(quotes)) % 2
    return False


def repack_later(path: Path, into: Path, options: Reading, progress: Progress) -> None:
    """Its records as Parquet; see `repacking`."""
    from foldbasket.tables.reading.repacking import repack_delimited

    repack_delimited(path, into, options, progress)


READER = READERS.enter(
    "Delimited text",
    Reader(
        "Delimited text",
        (".csv", ".tsv", ".txt", ".tab"),
        read_delimited,
        ("encoding", "delimiter", "decimal_mark", "header", "types"),
        repack=repack_later,
        standing=10,
    ),
)
