"""Which reader opens which file, by its ending. A new format is one file beside this one."""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path

from foldbasket.errors import ReadError, reason_of
from foldbasket.tables.column import Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import apart, delimited
from foldbasket.tables.reading.alike import common_kinds, differing, has_no_value, mixed_of, notes_of
from foldbasket.tables.reading.contract import AS_FOUND, READERS, WHOLE, Parts, Reader, Reading, changed_since
from foldbasket.tables.reading.folder import file_column, files_of, named_of, read_folder, repeated
from foldbasket.tables.reading.inside import is_inside
from foldbasket.tables.stacking import stacked_as
from foldbasket.tables.table import Table
from foldbasket.tables.unread import bound, bring, is_unread, unread_columns


def endings() -> tuple[str, ...]:
    """The endings of all files that can be read."""
    return tuple(ending for reader in READERS for ending in reader.endings)


def reader_of(path: Path) -> Reader:
    """The reader for a file, by its ending; delimited text for an unknown one."""
    ending = path.suffix.lower()
    return next((reader for reader in READERS if ending in reader.endings), delimited.READER)


def is_many(path: Path) -> bool:
    """Whether a path stands for several files: a folder or a pattern."""
    return os.path.isdir(path) or (any(sign in path.name for sign in "*?[") and not os.path.exists(path))


def read_table(
    path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None, parts: Parts = WHOLE
) -> Table:
    """The table in the file, or in the like files of the folder or pattern, at `path`, or some parts of it.

    Raises ReadError when it is missing, may not be read, changes while it is read, or is not what its ending says.
    """
    progress = progress or Progress()
    try:
        many = is_many(path)
        files = files_of_source(path)
        if many and parts.lazily:
            made = folder_lazily(files, path, name, reading)
            if made is not None:
                return made
        if not is_inside() and any(reader_of(file).apart for file in files):
            before = stamp(path)
            size = sum(state[1] for state in before)
            with _standing_still(path, before, many):
                read = apart.read_apart(path, name, reading, progress, size, parts=WHOLE if many else parts)
            return _with_rest(read, path, name, reading, before) if parts.lazily and not many else read
        if many:
            return read_folder(path, name, reading, progress, tuple(READERS), read_table)
        _check_plain(path)
        with _standing_still(path, stamp(path), many):
            reader = reader_of(path)
            more = {"only": parts.only, "lazily": parts.lazily} if reader.by_column else {}
            return reader.read(path, name, reading, progress, **more)
    except FileNotFoundError:
        raise ReadError(
            "there is no such file.", where=str(path), todo="Was it moved or renamed? Choose it again."
        ) from None
    except PermissionError:
        raise ReadError("you may not read this file.", where=str(path), todo="Ask for the right to read it.") from None
    except (OSError, ValueError) as error:  # a name with a NUL in it is a ValueError
        raise ReadError(
            f"the file cannot be read ({reason_of(error)}).", where=_shown(path), todo="Choose it again."
        ) from None


def repack(path: Path, into: Path, reading: Reading, progress: Progress) -> None:
    """Writes all records of a file as Parquet, a part of them in memory at a time. Raises ReadError, also where the file is another behind the reading
    than before it; OSError where they cannot be written."""
    reader = reader_of(path)
    assert reader.repack is not None
    with _standing_still(path, stamp(path), many=False):
        if reader.apart and not is_inside():
            apart.repack_apart(path, into, reading, progress)
        else:
            reader.repack(path, into, reading, progress)


def _with_rest(table: Table, path: Path, name: str, reading: Reading, before: State) -> Table:
    """A table whose unread columns are read from the file that it comes from, as long as that is the same."""

    def read(names: Collection[str], progress: Progress) -> Mapping[str, Column]:
        try:
            same = stamp(path) == before
        except OSError:  # it went
            same = False
        if not same:
            raise changed_since(path)
        return read_table(path, name, reading, progress, Parts(tuple(names))).columns

    stream = reader_of(path).stream
    return bound(table, read, stream(name, [path], [table.count]) if stream is not None else None)


def folder_lazily(
    files: Sequence[Path], path: Path, name: str, reading: Reading, places: Sequence[Path] | None = None
) -> Table | None:
    """The table of like files whose columns are read when they are asked for; None where they have columns that must be read to be known. `places` are where
    the records of each file stand, where those are not the files themselves. Raises ReadError."""
    places = files if places is None else places
    if not places or not all(reader_of(place).by_column for place in places):
        return None
    tables = [read_table(place, name, reading, parts=Parts(lazily=True)) for place in places]
    if not all(is_unread(column) for table in tables for column in table.columns.values()):
        return None
    make, counts = reader_of(places[0]).stream, [table.count for table in tables]
    if make is None:
        return None
    own = [{field: (column.type, column.scale) for field, column in table.columns.items()} for table in tables]

    def is_blank(at: int, field: str) -> bool:
        return has_no_value(make(name, [places[at]], [counts[at]]), field)

    kinds = common_kinds(own, is_blank)
    named = named_of(path, files)
    more = {field: column for field, column in named.columns.items() if field not in kinds} if named else {}

    def read(names: Collection[str], progress: Progress) -> Mapping[str, Column]:
        wanted = [field for field in names if field not in more]
        for table in tables:
            bring(table, [field for field in wanted if field in table.columns], progress)
        return {
            field: repeated(more[field], counts) if field in more else stacked_as(field, tables, *kinds[field])
            for field in names
        }

    told = {field: (column.type, column.scale) for field, column in more.items()}
    file = file_column(files, counts, [*kinds, *more])
    columns = {file.name: file, **unread_columns({**told, **kinds}, sum(counts))}
    notes = notes_of([file.name for file in files], own, mixed_of(own, kinds))
    stream = make(name, places, counts, Table("", more) if more else None, differing(own, kinds))
    return bound(Table(name, columns, str(path), notes=tuple(notes)), read, stream)


@contextlib.contextmanager
def _standing_still(path: Path, before: State, many: bool) -> Iterator[None]:
    """Refuses what was read, and replaces what was said against it, where the file is another behind the reading than before it."""
    wrong: ReadError | None = None
    try:
        yield
    except ReadError as error:
        wrong = error
    if not many and stamp(path) != before:
        raise ReadError("the file changed while it was read.", where=path.name, todo="Open it again when it is whole.")
    if wrong is not None:
        raise wrong


def _check_plain(path: Path) -> None:
    """Refuses what never ends or is no file: pipes, devices, sockets."""
    mode = os.stat(path).st_mode
    if not stat.S_ISREG(mode):
        raise ReadError("this is no plain file, so it is not read.", where=_shown(path), todo="Choose a file.")


def _shown(path: Path) -> str:
    """A path that can be written anywhere, whatever bytes its name is made of."""
    return os.fsencode(path).decode("utf-8", "replace") if "\0" not in str(path) else repr(str(path))


def files_of_source(path: Path) -> list[Path]:
    """The files that a place stands for: itself, or those of a folder or pattern."""
    return files_of(path, tuple(READERS)) if is_many(path) else [path]


def is_text_file(path: Path) -> bool:
    """Whether a file is read line by line, so that its last line may be half written."""
    return reader_of(path) is delimited.READER or path.suffix.lower() in (".jsonl", ".ndjson")


State = tuple[tuple[str, int, int, int], ...]


def stamp(path: Path) -> State:
    """What tells one state of a file (or of the files of a folder or pattern) from another: name, size, time, inode."""
    states = []
    for file in files_of_source(path):
        state = os.stat(file)
        states.append((str(file), state.st_size, state.st_mtime_ns, state.st_ino))
    return tuple(states)


def stamp_if_any(path: Path) -> State | None:
    """The same; None where nothing is there, or it cannot be told."""
    try:
        return stamp(path) or None
    except (OSError, ValueError):
        return None


def table_name(path: Path) -> str:
    """A readable name for the table in a file: ``order_lines.csv`` is “Order lines”."""
    words = path.stem.replace("_", " ").replace("-", " ").replace("*", "").strip()
    return words[:1].upper() + words[1:] if words else path.name
