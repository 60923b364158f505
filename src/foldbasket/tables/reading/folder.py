"""Reads a folder, or a pattern such as ``exports/2026-*.csv``, of like files as one table, with each record's file as a field."""

from __future__ import annotations

import glob
import os
from collections.abc import Container, Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.tables.column import CodedColumn, Column, Dictionary, smallest_codes
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Reader, Reading
from foldbasket.tables.stacking import stacked
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

FILE = "File"
"""The field that says which file a record comes from."""


def files_of(path: Path, readers: Sequence[Reader]) -> list[Path]:
    """The files that a folder or pattern stands for, by name. A folder stands for its files of the commonest readable kind."""
    if os.path.isdir(path):
        found = [
            each for each in sorted(path.iterdir()) if os.path.isfile(each) and not each.name.startswith((".", "~"))
        ]
        by_reader = [[each for each in found if each.suffix.lower() in reader.endings] for reader in readers]
        return max(by_reader, key=len, default=[])
    return sorted(Path(each) for each in glob.glob(str(path)) if os.path.isfile(each))


def file_column(files: Sequence[Path], counts: Sequence[int], others: Container[str]) -> CodedColumn:
    """The file that each record comes from, under a name that no other field has."""
    own = FILE
    while own in others:
        own += " name"
    codes = np.repeat(np.arange(len(files), dtype=smallest_codes(len(files))), counts)
    names = pa.array([file.name for file in files], pa.string())
    return CodedColumn(own, codes, Dictionary(FieldType.TEXT, names))


def read_folder(
    path: Path, name: str, reading: Reading, progress: Progress, readers: Sequence[Reader], read_one: object
) -> Table:
    """All the files as one table. Fields are matched by name; what differs between the files is told in its notes."""
    files = files_of(path, readers)
    if not files:
        raise ReadError(
            "no file there can be read.", where=str(path), todo="Choose a folder with CSV, Parquet or workbook files."
        )
    tables: list[Table] = []
    for at, file in enumerate(files):
        progress.step(f"Reading {file.name}", at / len(files))
        tables.append(read_one(file, name, reading, progress))  # type: ignore[operator]
    fields = dict.fromkeys(field for table in tables for field in table.columns)
    notes = []
    for field in fields:
        without = [file.name for file, table in zip(files, tables, strict=True) if field not in table.columns]
        if without:
            few = ", ".join(without[:3]) + (f" and {len(without) - 3} more" if len(without) > 3 else "")
            notes.append(f"“{field}” is not in {few}; it is blank there.")
    columns: dict[str, Column] = {}
    texts: dict[str, CodedColumn] = {}
    for field in fields:
        found = stacked(field, tables)
        columns[field] = found.column
        if found.text is not None:
            texts[field] = found.text
        if found.mixed:
            notes.append(f"“{field}” is not of one type in all files ({found.mixed}).")
    own = file_column(files, [table.count for table in tables], columns)
    columns = {own.name: own, **columns}
    notes += [f"{file.name}: {note}" for file, table in zip(files, tables, strict=True) for note in table.notes]
    titles = sum(table.titles for table in tables)
    mark, chosen = tables[0].decimal_mark, tables[0].chosen
    return Table(name, columns, str(path), texts, tuple(notes), titles, mark, chosen)
