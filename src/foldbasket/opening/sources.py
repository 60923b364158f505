"""From a source as the basket says it to its table as it is read, before any mend; see `mending.py`."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import msgspec
from msgspec.structs import replace

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.baskets.passwords import password_of
from foldbasket.errors import ReadError, out_of_memory, reason_of
from foldbasket.sql.staying import staying
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, WHOLE, Parts, memory_allowed
from foldbasket.tables.reading.database import is_database, read_server, with_table
from foldbasket.tables.reading.objects import files_at, read_objects
from foldbasket.tables.reading.readers import (
    files_of_source,
    folder_lazily,
    is_many,
    read_table,
    reader_of,
    repack,
    stamp_if_any,
)
from foldbasket.tables.sample import take_sample
from foldbasket.tables.store import STORE, WORTH, State, state_if_any, state_listed, state_of
from foldbasket.tables.table import Table
from foldbasket.tables.unread import BYTES, is_unread

FoldReader = Callable[[str, Progress | None], Table]
"""Gives the summary table of a fold by its name."""


def read_source(
    spec: SourceSpec,
    folder: Path,
    agreed: Agreed,
    progress: Progress | None = None,
    fold_table: FoldReader | None = None,
    parts: Parts = WHOLE,
    *,
    keep: bool = True,
    most: int | None = None,
) -> Table:
    """The table of a source as it is read, not mended, or some parts of it; without `keep` it is neither taken from what was kept of an earlier reading
    nor kept itself. A table that would take more than so many bytes of memory is not held where it can be read part by part; None for what is allowed. Paths are taken from `folder`; what lies outside of it is read only where it
    was agreed to. Raises ReadError."""
    agreed.check(spec, folder)
    stamp = stamp_if_any(folder / spec.path) if spec.is_file else None
    try:
        table = _read(spec, folder, progress, fold_table, parts, keep=keep, most=most)
    except OSError as error:  # whatever reads it, and however it says so
        raise out_of_memory(error, str(spec.path or spec.name)) or ReadError(
            f"it cannot be read ({reason_of(error)}).",
            where=str(spec.path or spec.name),
            todo="Choose the file again on the source's card.",
        ) from None
    return replace(table, stamp=stamp)


def _read(
    spec: SourceSpec,
    folder: Path,
    progress: Progress | None,
    fold_table: FoldReader | None,
    parts: Parts,
    *,
    keep: bool,
    most: int | None,
) -> Table:
    if spec.is_left_there and (spec.server is not None or is_database(folder / spec.path)):
        return _left_there(spec, folder, parts, progress)
    if spec.server is not None:
        return read_server(spec.server, spec.name, spec.reading, password_of(spec.server), progress)
    if spec.fold is not None:
        if fold_table is None:
            raise ReadError(f"the fold “{spec.fold}” cannot be folded here.", where=spec.name)
        return fold_table(spec.fold, progress).named(spec.name)
    if not spec.path:
        raise ReadError(
            "its records were pasted and are not held in the basket.", where=spec.name, todo="Paste them again."
        )
    if spec.is_remote:
        return _remote(spec, parts, progress, keep=keep)
    place = folder / spec.path
    state = state_if_any(place) if keep else None
    large = _not_held(place, spec, memory_allowed() if most is None else most, parts, keep, progress)
    if large is not None:
        return _named_as_found(large, place, state, spec)
    if not keep:
        return read_table(place, spec.name, spec.reading, progress, parts)
    found = STORE.find(place, spec.reading, state) if state is not None else None
    if found is not None and state is not None:
        return replace(found.named(spec.name), found_as=STORE.found_name(place, state, spec.reading))
    began = time.monotonic()
    table = read_table(place, spec.name, spec.reading, progress, parts)
    is_whole = not any(is_unread(column) for column in table.columns.values())
    if state is not None and is_whole and time.monotonic() - began > WORTH:
        STORE.put_by(place, state, spec.reading, table)
    return _named_as_found(table, place, state, spec)


def _named_as_found(table: Table, place: Path, state: State | None, spec: SourceSpec) -> Table:
    """A table with the name under which what is found in it may be kept, read at a place that was in a state before; without where it changed since."""
    now = state_if_any(place) if state is not None else None
    if state is None or now is None or now.said != state.said:
        return table
    return replace(table, found_as=STORE.found_name(place, state, spec.reading))


PACKED = 50
"""A file unpacks to so many times its bytes, at the most, as a rule."""


def too_large(place: Path, spec: SourceSpec, most: int, progress: Progress | None = None) -> Table | None:
    """The table of a file, folder or pattern that would take more bytes of memory than so many, as one that is not held, with its sample taken; None where
    it can be held, or where its format only comes whole. Raises ReadError."""
    try:
        files = files_of_source(place)
        size = sum(os.stat(file).st_size for file in files)
    except (OSError, ValueError):
        return None  # which reading it will say why
    if not files or size * PACKED <= most or any(reader_of(file).stream is None for file in files):
        return None
    table = read_table(place, spec.name, spec.reading, progress, Parts(lazily=True))
    unread = sum(is_unread(column) for column in table.columns.values())
    if table.count * BYTES * unread <= most:
        return None
    take_sample(table, progress)
    return table


def _not_held(
    place: Path, spec: SourceSpec, most: int, parts: Parts, keep: bool, progress: Progress | None
) -> Table | None:
    """The table of what would take more bytes than so many, read part by part; None where it can be held, or where it cannot come so."""
    if not all(mend.by_record or (keep and mend.in_order) for mend in spec.mends):
        return None
    large = too_large(place, spec, most, progress) if parts == WHOLE else None
    return repacked(place, spec, most, parts, progress) if large is None and keep else large


def repacked(place: Path, spec: SourceSpec, most: int, parts: Parts, progress: Progress | None = None) -> Table | None:
    """The table of a file, folder or pattern of more bytes than so many, of a format that only comes whole: not held, but read part by part from what is kept
    of each file as Parquet in the user's cache, made now where it is not there yet. None where it can be held, or there is no room to keep it. Raises
    ReadError, Cancelled."""
    progress = progress or Progress()
    try:
        files = files_of_source(place)
        if sum(os.stat(file).st_size for file in files) <= most or any(
            reader_of(file).repack is None for file in files
        ):
            return None
        kept = [_kept_as_parquet(file, spec, progress) for file in files]
    except (OSError, ValueError):
        return None  # which reading it will say why
    if is_many(place):
        table = folder_lazily(files, place, spec.name, AS_FOUND, kept)
        if table is None:
            return None
    else:
        table = read_table(kept[0], spec.name, progress=progress, parts=Parts(parts.only, lazily=True))
    if not parts.lazily:
        take_sample(table, progress)
    return replace(table, origin=str(place))


def _kept_as_parquet(file: Path, spec: SourceSpec, progress: Progress) -> Path:
    """Where all records of a file are kept as Parquet. Raises ReadError, Cancelled, OSError."""
    return STORE.repacked(file, state_of(file), spec.reading, lambda into: repack(file, into, spec.reading, progress))


def _remote(spec: SourceSpec, parts: Parts, progress: Progress | None, *, keep: bool) -> Table:
    files = files_at(spec.path)
    table = read_objects(spec.path, spec.name, progress, files)
    if not parts.lazily:
        take_sample(table, progress)
    # Its files are read only in the state in which they were listed, so that of another nothing can be told under this name.
    name = STORE.found_name(spec.path, state_listed(files), spec.reading) if keep else ""
    return replace(table, found_as=name)


def _left_there(spec: SourceSpec, folder: Path, parts: Parts, progress: Progress | None) -> Table:
    place = spec.server if spec.server is not None else folder / spec.path
    password = password_of(spec.server) if spec.server is not None else None
    table = staying(place, spec.name, with_table(place, spec.reading), password, progress)
    if not parts.lazily:
        take_sample(table, progress)
    return table


def origin_key(spec: SourceSpec) -> bytes:
    """What decides the records as they are read: two sources with the same key read the same."""
    return msgspec.json.encode((spec.path, spec.reading, spec.data, spec.server, spec.fold, spec.is_left_there))
