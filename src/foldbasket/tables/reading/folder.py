"""Reads a folder, or a pattern such as ``exports/2026-*.csv``, of like files as one table, with each record's file as a field."""

from __future__ import annotations

import glob
import os
import re
import urllib.parse
from collections.abc import Container, Iterator, Sequence
from pathlib import Path, PurePath
from typing import Protocol

import numpy as np
import pyarrow as pa

from foldbasket.errors import ReadError
from foldbasket.tables.column import CodedColumn, Column, Dictionary, picked, smallest_codes, text_column
from foldbasket.tables.detection import judged
from foldbasket.tables.nature import FILE
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.alike import notes_of
from foldbasket.tables.reading.contract import Reader, Reading
from foldbasket.tables.stacking import stacked
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

NAMED = re.compile(r"([^=]+)=(.*)")
"""A folder that is called by a field and the value that all its records have, as programs that write many files at once name them."""
NO_VALUE = "__HIVE_DEFAULT_PARTITION__"


class HasName(Protocol):
    """A file, wherever it is."""

    @property
    def name(self) -> str: ...


def files_of(path: Path, readers: Sequence[Reader], also: Path | None = None) -> list[Path]:
    """The files that a folder or pattern stands for, by name; of a folder, those that it would stand for if there were `also` a further file. A folder stands for its files of the commonest readable kind, or for those in folders within
    it that are called by a field and its value (``region=North``)."""
    if os.path.isdir(path):
        known = {ending for reader in readers for ending in reader.endings}
        found = list(_within(path, known, also))
        by_reader = [[each for each in found if each.suffix.lower() in reader.endings] for reader in readers]
        return max(by_reader, key=len, default=[])
    return sorted(Path(each) for each in glob.glob(str(path)) if os.path.isfile(each))


def _within(path: Path, endings: Container[str], also: Path | None) -> Iterator[Path]:
    """The files with one of some endings in a folder; where it has none, those in folders within it that are named by a field and its value."""
    inner = {*path.iterdir()}
    if also is not None and also.is_relative_to(path):  # itself, or the first of the folders that would be made for it
        inner.add(path / also.relative_to(path).parts[0])
    seen = sorted(each for each in inner if not each.name.startswith((".", "~", "_")))
    files = [each for each in seen if each.suffix.lower() in endings and (os.path.isfile(each) or each == also)]
    yield from files
    for each in seen if not files else ():
        if NAMED.fullmatch(each.name) and each.is_dir() and not each.is_symlink():
            yield from _within(each, endings, also)
        elif NAMED.fullmatch(each.name) and not each.exists() and also is not None:
            yield also


def named_of(path: PurePath, files: Sequence[PurePath]) -> Table | None:
    """A record for each file of a folder, with the fields that the folders above it are called by; None where there are none."""
    said: dict[str, list[str | None]] = {}
    for at, file in enumerate(files):
        for part in file.relative_to(path).parts[:-1] if file.is_relative_to(path) else ():
            found = NAMED.fullmatch(part)
            if found is not None:
                values = said.setdefault(urllib.parse.unquote(found[1]), [None] * len(files))
                values[at] = urllib.parse.unquote(found[2]) if found[2] != NO_VALUE else None
    if not said:
        return None
    return Table("", {name: judged(text_column(name, values)).column for name, values in said.items()})


def repeated(column: Column, counts: Sequence[int]) -> Column:
    """A field that is the same for all records of a file, of which each has so many."""
    return picked(column, np.repeat(np.arange(len(counts)), counts))


def file_column(files: Sequence[HasName], counts: Sequence[int], others: Container[str]) -> CodedColumn:
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
    columns: dict[str, Column] = {}
    texts: dict[str, CodedColumn] = {}
    mixed: dict[str, str] = {}
    for field in fields:
        found = stacked(field, tables)
        columns[field] = found.column
        if found.text is not None:
            texts[field] = found.text
        if found.mixed:
            mixed[field] = found.mixed
    counts = [table.count for table in tables]
    own, named = file_column(files, counts, columns), named_of(path, files)
    more = (
        {field: repeated(column, counts) for field, column in named.columns.items() if field not in columns}
        if named
        else {}
    )
    columns = {own.name: own, **more, **columns}
    notes = notes_of([file.name for file in files], [table.columns for table in tables], mixed)
    notes += [f"{file.name}: {note}" for file, table in zip(files, tables, strict=True) for note in table.notes]
    titles = sum(table.titles for table in tables)
    mark, chosen = tables[0].decimal_mark, tables[0].chosen
    return Table(name, columns, str(path), texts, tuple(notes), titles, mark, chosen)
