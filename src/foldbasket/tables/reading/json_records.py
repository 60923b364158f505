"""Reads JSON: one flat object a line, or one array of flat objects. Decimals are read as written, so money is exact."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from itertools import islice
from pathlib import Path
from typing import Any

import msgspec

from foldbasket.errors import ReadError
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Batch, Reader, Reading, gathered
from foldbasket.tables.table import Table

Record = dict[str, Any]
MOST_ARRAY = 1 << 30
"""An array is decoded as a whole; one object a line is read at any size."""
LINES = 20_000
FEWEST_CELLS, CELLS_A_BYTE = 20_000_000, 60
"""Records that share few of their fields make a table of blanks. It may have so many cells, and so many for each byte of the file."""

_decoder: msgspec.json.Decoder[Any] = msgspec.json.Decoder(float_hook=Decimal)


def read_json(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in a JSON file. Raises ReadError that names the line or the element that is no flat object."""
    with path.open("rb") as file:
        start = file.read(4096).removeprefix(b"\xef\xbb\xbf").lstrip()
    if not start:
        raise ReadError("the file is empty.", where=path.name, todo="Export it again.")
    if start[:1] not in b"[{":
        raise ReadError(
            "this is not JSON with records.",
            where=path.name,
            todo="It begins with [ and holds flat objects, or has one object a line.",
        )
    records = _array(path) if start[:1] == b"[" else _lines(path)
    return gathered(
        name, str(path), _batches(records, path), progress or Progress(), types=reading.types, judging="dates"
    )


def _lines(path: Path) -> Iterator[tuple[Record, float]]:
    """Each record, and how much of the file is read behind it."""
    size = max(1, path.stat().st_size)
    done = 0
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            done += len(line)
            if number == 1:
                line = line.removeprefix(b"\xef\xbb\xbf")
            if line.strip():
                where = f"{path.name}, line {number}"
                yield _flat(_decoded(line, where), where), done / size


def _array(path: Path) -> Iterator[tuple[Record, float]]:
    """Each record, and how much of the array is taken up with it."""
    if path.stat().st_size > MOST_ARRAY:
        raise ReadError(
            f"one array of more than {MOST_ARRAY >> 30} GB would not fit in memory.",
            where=path.name,
            todo="Export it with one object a line.",
        )
    read = _decoded(path.read_bytes().removeprefix(b"\xef\xbb\xbf"), path.name)
    for number, record in enumerate(read, 1):
        yield _flat(record, f"{path.name}, element {number}"), number / len(read)


def _batches(records: Iterator[tuple[Record, float]], path: Path) -> Iterator[Batch]:
    """The records as columns, so many at a time. Raises ReadError for what would be nearly all blanks, before that takes memory."""
    most = max(FEWEST_CELLS, CELLS_A_BYTE * path.stat().st_size)
    names: set[str] = set()
    count = 0
    while taken := list(islice(records, LINES)):
        count += len(taken)
        own = dict.fromkeys(name for record, _ in taken for name in record)
        names.update(own)
        if count * len(names) > most:
            raise ReadError(
                f"its first {count:,} records have {len(names):,} different fields between them, nearly all of them blank in each.",
                where=path.name,
                todo="Where names hold values, such as dates, write those into a field of their own, and export again.",
            )
        yield Batch({name: [record.get(name) for record, _ in taken] for name in own}, taken[-1][1])


def _decoded(text: bytes, where: str) -> Any:
    try:
        return _decoder.decode(text)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, InvalidOperation) as error:
        raise ReadError(f"this is not valid JSON ({error}).", where=where, todo="Export it again.") from None


def _flat(record: Any, where: str) -> Record:
    if not isinstance(record, dict):
        what = "a record is not a flat object but a list or a bare value."
    elif any(value.__class__ in (dict, list) for value in record.values()):
        field = next(name for name, value in record.items() if value.__class__ in (dict, list))
        what = f"a record is not a flat object: “{field}” holds {'an object' if isinstance(record[field], dict) else 'a list'}."
    else:
        return record
    raise ReadError(what, where=where, todo="Write nested values as fields of their own, and export again.")


READER = READERS.enter(
    "JSON", Reader("JSON", (".jsonl", ".ndjson", ".json"), read_json, ("types",), apart=True, standing=50)
)
