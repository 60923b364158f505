"""Reads JSON: one flat object a line, or one array of flat objects. Decimals are read as written, so money is exact."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import msgspec

from foldbasket.errors import ReadError
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, Batch, Reader, Reading, gathered
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
    batches = _array(path) if start[:1] == b"[" else _lines(path)
    return gathered(name, str(path), batches, progress or Progress(), types=reading.types, judging="dates")


def _lines(path: Path) -> Iterator[Batch]:
    size = max(1, path.stat().st_size)
    done, count = 0, 0
    taken: list[Record] = []
    names: set[str] = set()
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            done += len(line)
            if number == 1:
                line = line.removeprefix(b"\xef\xbb\xbf")
            if line.strip():
                taken.append(_flat(_decoded(line, f"{path.name}, line {number}"), f"{path.name}, line {number}"))
                count += 1
                _check_cells(taken[-1], names, count, path, size)
            if len(taken) == LINES:
                yield _batch(taken, done / size)
                taken = []
    yield _batch(taken, 1.0)


def _array(path: Path) -> Iterator[Batch]:
    if path.stat().st_size > MOST_ARRAY:
        raise ReadError(
            f"one array of more than {MOST_ARRAY >> 30} GB would not fit in memory.",
            where=path.name,
            todo="Export it with one object a line.",
        )
    read = _decoded(path.read_bytes().removeprefix(b"\xef\xbb\xbf"), path.name)
    size, names = path.stat().st_size, set[str]()
    for at in range(0, len(read), LINES):
        taken = []
        for number, record in enumerate(read[at : at + LINES], at + 1):
            taken.append(_flat(record, f"{path.name}, element {number}"))
            _check_cells(taken[-1], names, number, path, size)
        yield _batch(taken, at / len(read))


def _check_cells(record: Record, names: set[str], count: int, path: Path, size: int) -> None:
    """Takes the names of a record's fields to the others, and refuses what would be nearly all blanks before it takes memory."""
    names.update(record)
    if count * len(names) > max(FEWEST_CELLS, CELLS_A_BYTE * size):
        raise ReadError(
            f"its first {count:,} records have {len(names):,} different fields between them, nearly all of them blank in each.",
            where=path.name,
            todo="Where names hold values, such as dates, write those into a field of their own, and export again.",
        )


def _batch(taken: list[Record], share: float) -> Batch:
    names = dict.fromkeys(name for record in taken for name in record)
    return Batch({name: [record.get(name) for record in taken] for name in names}, share)


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


READER = Reader("JSON", (".jsonl", ".ndjson", ".json"), read_json, ("types",), apart=True)
