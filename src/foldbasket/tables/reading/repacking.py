"""Files that only come whole, written anew as Parquet with a part of them in memory at a time, so that they can be folded part by part.

Every value keeps its type: what the first look proposes is held against all records before any is written, and text is judged over all its
different values as when a file is held. A field of which some values do not fit its type stays text.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import msgspec
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as csv

from foldbasket.later import pq
from foldbasket.tables.column import coded_from_arrow
from foldbasket.tables.conversion import arrow_of, as_arrow
from foldbasket.tables.detection import judged, judged_as
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.arrow import batches_of, broken
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.delimited import Attempt, Feed, arrow_options, encoded, parse, stretches
from foldbasket.tables.types import FieldType

PIECE = 64 << 20
"""Bytes of a file that are read at a time."""
GROUP = 1 << 20
"""Records in a group of the Parquet file."""
MANY = 300_000
"""A field of text with more different values than that is judged by so many of them; the others must be of the same type."""
SCALE = 6
"""Digits behind the point that decimals are written with, where not all of them were seen before the first is written."""


class Written(msgspec.Struct, frozen=True):
    """How a field is written: its type; for text that has one all its different values, and those in their type."""

    type: FieldType
    scale: int = 0
    texts: pa.Array | None = None
    values: pa.Array | None = None
    varied: bool = False
    """Whether each piece is judged for itself."""

    @property
    def arrow(self) -> pa.DataType:
        return arrow_of(self.type, self.scale)


class _MisfitError(Exception):
    """A field has values that are not of the type that the others told."""

    def __init__(self, at: int) -> None:
        self.at = at


def repack_delimited(path: Path, into: Path, options: Reading, progress: Progress) -> None:
    """Writes the records of delimited text. Raises ReadError, OSError, Cancelled."""
    now, plain = Attempt(path, options), set[int]()
    while True:
        try:
            fields = _fields(now, plain, progress)
            _write(now, fields, into, progress)
            return
        except pa.ArrowInvalid as error:
            now.learn(error)
        except _MisfitError as misfit:
            plain.add(misfit.at)


def _pieces(now: Attempt, progress: Progress) -> Iterator[pa.Table]:
    """The records piece by piece. A file whose lines cannot be told apart without reading all before them is read in one go."""
    path, look = now.path, now.look
    parts = stretches(path, look, now.quoted_breaks, PIECE)
    size = path.stat().st_size
    if len(parts) > 1 or size <= 2 * PIECE:
        for start, stop in parts:
            yield parse(now, progress, start, stop)
        return
    feed = Feed(path, look, progress, *parts[0])
    try:
        batches: list[pa.RecordBatch] = []
        for batch in csv.open_csv(pa.PythonFile(feed, mode="r"), **arrow_options(now)):
            batches.append(batch)
            if sum(each.nbytes for each in batches) > PIECE:
                yield pa.Table.from_batches(batches)
                batches = []
        if batches:
            yield pa.Table.from_batches(batches)
    finally:
        feed.close()


def _fields(now: Attempt, plain: set[int], progress: Progress) -> list[Written]:
    """How each field is to be written, after a look at all records. Raises ArrowInvalid where they are not what is thought of them."""
    names, chosen = now.look.names, now.options.types
    found: dict[int, pa.Array] = {
        at: pa.array([], pa.string())
        for at, name in enumerate(names)
        if now.is_text(at) and at not in plain and chosen.get(name) is not FieldType.TEXT
    }
    for piece in _pieces(now, progress):
        for at, name in enumerate(names):
            if not now.is_text(at):
                encoded(name, piece.column(at), now.types[at], at)
            elif at in found and len(found[at]) <= MANY:
                said = [chunk.dictionary for chunk in piece.column(at).chunks]
                found[at] = pc.unique(pa.concat_arrays([found[at], *said]))
    made = []
    for at, name in enumerate(names):
        kind = now.types[at]
        if at in found:
            made.append(_of_text(name, found[at], chosen.get(name), now.look.decimal_mark))
        else:
            made.append(Written(FieldType.TEXT) if kind is None else Written(kind.type, kind.scale))
    return made


def _of_text(name: str, texts: pa.Array, chosen: FieldType | None, mark: str) -> Written:
    """How a field is written whose different values were looked at as text."""
    column = coded_from_arrow(name, pa.chunked_array([texts]))
    judgement = judged(column, mark) if chosen is None else judged_as(column, chosen, decimal_mark=mark)
    typed = judgement.column
    if typed.type is FieldType.TEXT or judgement.text is not None:
        return Written(FieldType.TEXT)
    if len(texts) <= MANY:
        return Written(typed.type, typed.scale, texts, as_arrow(typed))
    if not typed.type.is_number:
        return Written(FieldType.TEXT)
    return Written(typed.type, SCALE if typed.type is FieldType.DECIMAL else 0, varied=True)


def _write(now: Attempt, fields: list[Written], into: Path, progress: Progress) -> None:
    names = now.look.names
    schema = pa.schema([pa.field(name, each.arrow) for name, each in zip(names, fields, strict=True)])
    with pq.ParquetWriter(into, schema, compression="zstd", store_schema=False, write_page_checksum=True) as writer:
        for piece in _pieces(now, progress):
            columns = [_values(now, piece.column(at), fields[at], at) for at in range(len(names))]
            writer.write_table(pa.table(columns, schema=schema), GROUP)


def _values(now: Attempt, values: pa.ChunkedArray, how: Written, at: int) -> pa.Array | pa.ChunkedArray:
    """The values of a field in a piece, as they are written. Raises ArrowInvalid, _MisfitError."""
    name = now.look.names[at]
    if not now.is_text(at):
        return as_arrow(encoded(name, values, now.types[at], at)).cast(how.arrow)
    if how.texts is not None:
        assert how.values is not None
        said = [how.values.take(pc.index_in(each.dictionary, how.texts).take(each.indices)) for each in values.chunks]
        return pa.chunked_array(said, how.values.type).cast(how.arrow)
    if not how.varied:
        return values.cast(pa.string())
    column = coded_from_arrow(name, values)
    judgement = judged(column, now.look.decimal_mark)
    wider = {FieldType.DECIMAL: (FieldType.WHOLE,), FieldType.REAL: (FieldType.WHOLE, FieldType.DECIMAL)}
    fits = judgement.column.type is how.type or judgement.column.type in wider.get(how.type, ())
    if len(column.dictionary) and (judgement.text is not None or not fits):
        raise _MisfitError(at)
    try:
        return as_arrow(judgement.column).cast(how.arrow)
    except pa.ArrowInvalid:
        raise _MisfitError(at) from None


def repack_arrow(path: Path, into: Path, options: Reading, progress: Progress) -> None:
    """Writes the records of an Arrow file, batch by batch. Raises ReadError, OSError, Cancelled."""
    try:
        with (
            batches_of(path, "Keeping", progress) as (schema, batches),
            pq.ParquetWriter(into, schema, compression="zstd", store_schema=False, write_page_checksum=True) as writer,
        ):
            for batch in batches:
                writer.write_batch(batch, GROUP)
    except pa.ArrowException as error:  # a type that Parquet does not have
        raise broken(path, error) from None
