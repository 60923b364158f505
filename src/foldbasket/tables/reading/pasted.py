"""Reads a block of text from the clipboard: fields between tabs as spreadsheets copy them, or any delimited text."""

from __future__ import annotations

import tempfile
from pathlib import Path

from msgspec.structs import replace

from foldbasket.errors import ReadError
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, Reading
from foldbasket.tables.reading.delimited import read_delimited
from foldbasket.tables.table import Table

ORIGIN = "the clipboard"


def read_pasted(text: str, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table in a pasted block. Raises ReadError when it holds no records."""
    if not text.strip():
        raise ReadError("the clipboard holds no text.", todo="Copy a block of cells with its header line first.")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "pasted.txt"
        path.write_text(text, encoding="utf-8")
        if "\t" in text and reading.delimiter is None:
            reading = replace(reading, delimiter="\t")
        try:
            table = read_delimited(path, name, reading, progress)
        except ReadError as error:
            raise ReadError(error.what, where=error.where.replace("pasted.txt", ORIGIN), todo=error.todo) from None
    return replace(table, origin=ORIGIN)
