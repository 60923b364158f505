"""Cached columns: tables as they were read, in the user's cache folder, so that opening a file again costs copying it and not parsing it.

An entry is found by the place of its file, by everything that tells one state of the file from another, and by how it was read. It is written
aside and takes its name when it is whole, so that a process that is killed leaves nothing that could be taken for one. What cannot be read
is read from its own file again, without a word. Only the user may read the entries, and the oldest go where they take too much room.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import struct
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import msgspec
import numpy as np
import platformdirs
import xxhash
from msgspec.structs import replace

from foldbasket import __version__
from foldbasket.tables.held import read_held, write_held
from foldbasket.tables.reading.contract import COPIES, Reading, changed_since
from foldbasket.tables.reading.objects import ObjectFile, files_at, is_remote
from foldbasket.tables.reading.readers import files_of_source
from foldbasket.tables.table import Table

FORM = 3
"""Of the entries; one of another form is not read."""
MARK = b"FOLDCOLS"
HEAD = struct.Struct("<8sIQQQ16s")
"""At the start of an entry: its mark and form, where its head begins behind the columns and how long it is, the length of all, and a digest of all that
follows."""
START = 128
DIGEST = 16
"""Bytes of a digest."""
WORTH = 0.3
"""What took fewer seconds to read is not kept."""
SETTLED = 2.0
"""A file that changed less than so many seconds before it was read may change again without showing it, so it is not kept yet."""
MOST = 8 << 30
"""Bytes that all entries take together, at the most; and not more than a quarter of what is free on the disk."""
ENDS = 1 << 16
TABLES = (".columns", ".parquet")
TOLD, FOUND, FOOTER = ".told", ".found", ".footer"
ENDINGS = (*TABLES, TOLD, FOUND, FOOTER)
"""Of entries: columns and records that are not held; what a look through such records has told of their fields, what was found in a table, and the digest of
the end of a Parquet file, which says where its pages are and what they hold; the pages have digests of their own."""


Place = Path | str
"""Of a file, a folder or a pattern; or an address in an object store."""


class State(NamedTuple):
    """What tells one state of a file, or of those of a folder, from another; and when the latest of them changed."""

    said: tuple[tuple[str, int, int, int, int, int, str], ...]
    changed: float


def place_of(said: str) -> Place:
    """The place that a source or an origin says."""
    return said if is_remote(said) else Path(said)


def state_of(path: Place) -> State:
    """The state of what stands at a place: names, sizes, times, numbers of the files on the disk, and a digest of their ends; in an object store without the
    latter. Raises OSError, ReadError where the store does not answer."""
    said, changed = [], 0.0
    if isinstance(path, str):
        return state_listed(files_at(path))
    for file in files_of_source(path):
        found = os.stat(file)
        said.append(
            (os.path.realpath(file), found.st_size, found.st_mtime_ns, found.st_ctime_ns, found.st_ino, found.st_dev, _ends(file))
        )  # fmt: skip
        changed = max(changed, found.st_mtime, found.st_ctime)
    return State(tuple(said), changed)


def state_listed(files: Sequence[ObjectFile]) -> State:
    """The state that a listing of an object store tells."""
    of_each = tuple((str(file), file.size, file.time, 0, 0, 0, "") for file in files)
    return State(of_each, max(file.time for file in files) / 1e9)


def state_if_any(path: Path) -> State | None:
    """The state of what stands at a place; None where it cannot be told, which reading it will say why."""
    try:
        return state_of(path)
    except (OSError, ValueError):
        return None


def _ends(file: Path) -> str:
    """A digest of the beginning and the end of a file."""
    digest = hashlib.blake2b(digest_size=16)
    with open(file, "rb") as opened:
        digest.update(opened.read(ENDS))
        opened.seek(max(0, os.fstat(opened.fileno()).st_size - ENDS))
        digest.update(opened.read(ENDS))
    return digest.hexdigest()


class Store:
    """The entries in a folder, the user's cache folder where none is given. Safe to use from several threads and processes."""

    def __init__(self, folder: Path | None = None, most: int = MOST) -> None:
        self._folder, self.most = folder, most
        self._waiting: list[tuple[Path, State, Reading, Table]] = []
        self._lock = threading.Lock()
        self._lent: set[Path] = set()

    @property
    def folder(self) -> Path:
        """Where the entries are."""
        return self._folder or Path(platformdirs.user_cache_dir("fold-basket")) / "columns"

    # --- reading ------------------------------------------------------------

    def find(self, path: Path, reading: Reading, state: State | None = None) -> Table | None:
        """The table that was read at a place in a way, where the files are still the same; None where it is not kept. `state` is the files' state where
        it is known."""
        try:
            place = self.folder / self._name(path, state or state_of(path), reading)
            with open(place, "rb") as file:
                found = _read(file)
                os.utime(file.fileno())  # it was used now
        except (OSError, ValueError, struct.error, msgspec.MsgspecError):
            return None
        return replace(found, origin=str(path))

    @staticmethod
    def _name(path: Path, state: State, reading: Reading) -> str:
        """Entries of one place and way of reading begin alike, so that outdated ones are found."""
        return f"{_place(path, reading)}-{_digest((FORM, __version__, state.said))}.columns"

    def found_name(self, path: Place, state: State, reading: Reading) -> str:
        """What names that which is found in a table that was read at a place in a state; empty where the files may change without showing it."""
        if time.time() - state.changed <= SETTLED:
            return ""
        return f"{_place(path, reading)}-{_digest((FORM, __version__, state.said))}"

    def found(self, name: str, ending: str) -> bytes | None:
        """What a look through a table has told or found; None where that is not kept, or is damaged."""
        try:
            kept = (self.folder / f"{name}{ending}").read_bytes() if name else b""
        except OSError:
            return None
        said, found = kept[:DIGEST], kept[DIGEST:]
        return found if kept and xxhash.xxh3_128_digest(found) == said else None

    # --- writing ------------------------------------------------------------

    def keep_found(self, name: str, ending: str, found: bytes) -> None:
        """Keeps what a look through a table has told or found. A full disk keeps nothing, without a word."""
        with contextlib.suppress(OSError):
            self._replace(
                f"{name}{ending}",
                f"{name.rpartition('-')[0]}-*{ending}",
                lambda file: file.write(xxhash.xxh3_128_digest(found) + found),
            )
            self._trim()

    def put_by(self, path: Path, state: State, reading: Reading, table: Table) -> None:
        """Has a table kept that was read at a place in a state, when next there is time to write."""
        if time.time() - state.changed > SETTLED:
            with self._lock:
                self._waiting.append((path, state, reading, table))

    @property
    def is_waiting(self) -> bool:
        """Whether anything is to be written."""
        return bool(self._waiting)

    def write(self, look: Callable[[], object] = lambda: None) -> None:
        """Writes what was put by. `look` is called between pieces, and may raise to stop; nothing half written is left. A full disk keeps nothing,
        without a word."""
        while True:
            with self._lock:
                if not self._waiting:
                    return
                path, state, reading, table = self._waiting.pop(0)
            with contextlib.suppress(OSError):
                self._keep(path, state, reading, table, look)
                self._trim()

    def _keep(self, path: Path, state: State, reading: Reading, table: Table, look: Callable[[], object]) -> None:
        if state_of(path).said != state.said:
            return
        self._replace(self._name(path, state, reading), f"{_place(path, reading)}-*.columns", lambda file: _write(file, table, look))  # fmt: skip

    def _replace(self, name: str, others: str, write: Callable[[BinaryIO], object]) -> None:
        """Writes an entry aside, and gives it its name when it is whole; the others of its place go."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        os.chmod(self.folder, 0o700)
        fresh = self.folder / f".{name}.{os.getpid()}-{threading.get_ident()}.new"
        try:
            with open(fresh, "wb", opener=lambda path, flags: os.open(path, flags, 0o600)) as file:
                write(file)
                file.flush()
                os.fsync(file.fileno())
            for old in self.folder.glob(others):
                old.unlink(missing_ok=True)
            os.replace(fresh, self.folder / name)
        finally:
            fresh.unlink(missing_ok=True)

    def repacked(self, path: Place, state: State, reading: object, write: Callable[[Path], object]) -> Path:
        """Where all records of a place stand as Parquet, as they are read in a way, with what is done to them; `write` writes them to a file where they are not there yet. Raises
        ReadError where the place is in another state by then; OSError where there is no room."""
        place = self.folder / f"{_place(path, reading)}-{_digest((FORM, __version__, state.said))}.parquet"
        self._lent.add(place)
        COPIES[place] = str(path)
        with contextlib.suppress(OSError):
            # It was used now, but was not changed: others may be reading from it.
            os.utime(place, ns=(time.time_ns(), place.stat().st_mtime_ns))
            if self.found(place.stem, FOOTER) == _footer(place):
                return place

        def whole(file: BinaryIO) -> None:
            write(Path(file.name))
            if state_of(path).said != state.said:
                raise changed_since(path)

        self._replace(place.name, f"{_place(path, reading)}-*.parquet", whole)
        self.keep_found(place.stem, FOOTER, _footer(place))
        self._trim()
        return place

    # --- room ---------------------------------------------------------------

    def _entries(self) -> list[tuple[float, int, Path]]:
        found = []
        there = (
            [place for ending in ENDINGS for place in self.folder.glob(f"*{ending}")] if self.folder.is_dir() else []
        )
        for place in there:
            with contextlib.suppress(OSError):
                state = place.stat()
                found.append((max(state.st_atime, state.st_mtime), state.st_size, place))
        return sorted(found)

    def size(self) -> tuple[int, int]:
        """How many tables are kept, and how many bytes they take, with what is kept of what was found in them."""
        entries = self._entries()
        return _tables(place for _, _, place in entries), sum(size for _, size, _ in entries)

    def _is_lent(self, place: Path) -> bool:
        """Whether this process reads records from an entry, or goes by it when it does."""
        return (place.with_suffix(".parquet") if place.suffix == FOOTER else place) in self._lent

    def _trim(self) -> None:
        """Takes out the entries that were not used for longest, until the others fit, but not those that this process reads records from; and what a
        process that was stopped left behind."""
        free = os.statvfs(self.folder)
        entries = self._entries()
        total = sum(size for _, size, _ in entries)
        most = min(self.most, (free.f_bavail * free.f_frsize + total) // 4)
        for _, size, place in entries:
            if total <= most:
                break
            if self._is_lent(place):
                continue
            place.unlink(missing_ok=True)
            total -= size
        for left in self.folder.glob(".*.new"):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > 3600:
                    left.unlink()

    def drop(self, path: Place) -> bool:
        """Takes out what is kept of a place, however it was read; whether this process has read records from any of it."""
        with self._lock:
            self._waiting = [each for each in self._waiting if each[0] != path]
        going = [place for _, _, place in self._entries() if place.name.startswith(_at(path))]
        for place in going:
            place.unlink(missing_ok=True)
        return not self._lent.isdisjoint(going)

    def clear(self) -> tuple[int, int]:
        """Takes out everything but what this process reads its records from; how many tables that were, and how many bytes."""
        with self._lock:
            self._waiting.clear()
        going = [(size, place) for _, size, place in self._entries() if not self._is_lent(place)]
        for _, place in going:
            place.unlink(missing_ok=True)
        return _tables(place for _, place in going), sum(size for size, _ in going)


def _footer(file: Path) -> bytes:
    """A digest of what a Parquet file says of itself behind its pages. Raises OSError."""
    with open(file, "rb") as opened:
        opened.seek(-8, os.SEEK_END)
        length = int.from_bytes(opened.read(4), "little")
        opened.seek(-min(length + 8, opened.seek(0, os.SEEK_END)), os.SEEK_END)
        return xxhash.xxh3_128_digest(opened.read())


def _tables(entries: Iterable[Path]) -> int:
    return sum(place.suffix in TABLES for place in entries)


def _digest(what: object) -> str:
    return hashlib.blake2b(repr(what).encode("utf-8", "backslashreplace"), digest_size=20).hexdigest()


def _at(path: Place) -> str:
    return _digest(path if isinstance(path, str) else os.path.realpath(path))[:16]


def _place(path: Place, reading: object) -> str:
    return f"{_at(path)}-{_digest(msgspec.json.encode(reading, order='sorted'))[:16]}"


def _write(file: Any, table: Table, look: Callable[[], object]) -> None:
    file.write(bytes(START))
    digest = xxhash.xxh3_128()

    def write(piece: Any) -> None:
        look()
        digest.update(piece)
        file.write(piece)

    head = write_held(replace(table, origin=""), write)  # the place is known when it is found, and may be no text
    at = file.tell()
    write(head)
    whole = file.tell()
    file.seek(0)
    file.write(HEAD.pack(MARK, FORM, at, len(head), whole, digest.digest()))


def _read(file: BinaryIO) -> Table:
    """The table of an entry. It is copied into memory rather than mapped: a file that is cut while it is mapped ends the process, and bytes that change
    after they were checked would be wrong numbers. Raises ValueError for one that is not whole, or is damaged."""
    size = os.fstat(file.fileno()).st_size
    if size < START:
        raise ValueError("too short")
    mark, form, at, length, whole, digest = HEAD.unpack(file.read(HEAD.size))
    if (mark, form, whole) != (MARK, FORM, size) or at + length != size or at < START:
        raise ValueError("not an entry, or not a whole one")
    file.seek(START)
    body = np.empty(size - START, np.uint8)
    if file.readinto(body.data) != len(body) or xxhash.xxh3_128_digest(body.data) != digest:  # type: ignore[attr-defined]
        raise ValueError("damaged")
    return read_held(body[at - START :].tobytes(), body.data[: at - START])


STORE = Store()
"""That of the user."""
