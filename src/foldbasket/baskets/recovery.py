"""Recovery: unsaved work is written aside now and then, and offered again after a crash.

Each running program has a folder of its own in the user's state folder, with a lock that the system takes away when the program
ends, however it ends. In it stand the plain JSON of the basket with full paths, and the records that no file holds, such as pasted
ones. It goes when the work is saved or the program ends in good order; what is found without its lock was left by a crash.
"""

from __future__ import annotations

import contextlib
import fcntl
import gzip
import hashlib
import json
import os
import shutil
import uuid
from collections.abc import Mapping
from pathlib import Path

import msgspec

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import decode, encode
from foldbasket.baskets.history import Step, Trail
from foldbasket.errors import BasketError, FoldBasketError
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND
from foldbasket.tables.reading.parquet import write_parquet
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table
from foldbasket.whole import write_whole, written_whole

SECONDS = 30
"""How often unsaved work is written aside."""
WORK, STEPS, LOCK, PASTED = "work.json", "steps.gz", "lock", "pasted/"


class Recovered(msgspec.Struct, frozen=True):
    """Work left by a crash: the basket, the file it belonged to (None when never saved), and where it was found."""

    basket: Basket
    path: Path | None
    found: Path

    def tables(self, progress: Progress | None = None) -> dict[str, Table]:
        """The records that were written aside with it, by source; those that cannot be read are not there."""
        tables = {}
        for source in self.basket.sources:
            if _is_pasted(source):
                with contextlib.suppress(FoldBasketError):
                    tables[source.key] = read_table(_records(self.found, source), source.name, AS_FOUND, progress)
        return tables

    def trail(self) -> Trail | None:
        """The steps that led to it; None where they were not kept, or cannot be read, which loses no work."""
        with contextlib.suppress(
            OSError, EOFError, ValueError, KeyError, TypeError, AttributeError, IndexError, BasketError
        ):
            read = json.loads(gzip.decompress((self.found / STEPS).read_bytes()).decode("utf-8", "surrogateescape"))
            steps = tuple(
                Step(str(label), decode(text.encode("utf-8", "surrogateescape"), STEPS))
                for label, text in read["steps"]
            )
            if steps[read["at"]].basket == self.basket:
                return Trail(steps, int(read["at"]))
        return None


def folder() -> Path:
    """Where unsaved work is written aside."""
    import platformdirs

    return Path(platformdirs.user_state_dir("fold-basket")) / "recovery"


def write_aside(
    basket: Basket, path: Path | None, tables: Mapping[str, Table] | None = None, trail: Trail | None = None
) -> bool:
    """Writes the work of this process aside, in place of what was there before; `tables` are its sources' as they were read, `trail` the steps
    that can be undone. Returns whether all records that no other file holds are with it. Raises OSError."""
    own = _own()
    for source in basket.sources:
        table = (tables or {}).get(source.key)
        records = _records(own, source)
        if _is_pasted(source) and table is not None and not records.exists():
            with written_whole(records) as fresh:
                write_parquet(table, fresh)
    content = json.dumps({"path": str(path) if path else None, "basket": encode(basket).decode()})
    write_whole(own / WORK, content.encode("utf-8", "surrogateescape"))
    if trail is not None:
        steps = [(step.label, encode(step.basket).decode("utf-8", "surrogateescape")) for step in trail.steps]
        packed = gzip.compress(json.dumps({"at": trail.at, "steps": steps}).encode("utf-8", "surrogateescape"), 1)
        write_whole(own / STEPS, packed)
    return all(_records(own, source).exists() for source in basket.sources if _is_pasted(source))


def forget(found: Path | None = None) -> None:
    """Removes what this process wrote aside, or what was found."""
    if found is None:
        found = _owned.get(os.getpid(), (None, 0))[0]
        if found is not None:  # the lock stays, since the program goes on
            for file in found.iterdir() if found.is_dir() else ():
                if file.name != LOCK:
                    file.unlink(missing_ok=True)
        return
    if found.is_dir():
        shutil.rmtree(found, ignore_errors=True)
    else:
        found.unlink(missing_ok=True)


def close() -> None:
    """Removes this process's folder with its lock: the program ends in good order."""
    own, lock = _owned.pop(os.getpid(), (None, 0))
    if own is not None:
        shutil.rmtree(own, ignore_errors=True)
        os.close(lock)


def left_over() -> list[Recovered]:
    """Work that programs no longer running have left, newest first. What cannot be read is left alone."""
    found = []
    with contextlib.suppress(OSError):
        for each in folder().iterdir():
            file = each / WORK if each.is_dir() else each
            with contextlib.suppress(OSError, ValueError, KeyError, TypeError, AttributeError, BasketError):
                if file.suffix == ".json" and not _is_held(each):
                    read = json.loads(file.read_text("utf-8", "surrogateescape"))
                    basket = decode(read["basket"].encode(), file.name)
                    path = Path(read["path"]) if read["path"] else None
                    found.append((file.stat().st_mtime, Recovered(basket, path, each)))
    return [each for _, each in sorted(found, key=lambda pair: -pair[0])]


_owned: dict[int, tuple[Path, int]] = {}
"""The folder and the open lock of this process; by its number, so that a forked one has its own."""


def _own() -> Path:
    if os.getpid() not in _owned:
        made = folder() / uuid.uuid4().hex
        made.mkdir(parents=True, mode=0o700)
        lock = os.open(made / LOCK, os.O_RDWR | os.O_CREAT, 0o600)
        fcntl.flock(lock, fcntl.LOCK_EX)
        _owned[os.getpid()] = (made, lock)
    own = _owned[os.getpid()][0]
    own.mkdir(parents=True, exist_ok=True)
    return own


def _is_held(place: Path) -> bool:
    """Whether the program that wrote there still runs: it holds the lock, which no other program can then take."""
    if not (place / LOCK).exists():
        return False
    lock = os.open(place / LOCK, os.O_RDWR)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(lock)
    return False


def _is_pasted(source: SourceSpec) -> bool:
    return source.data is not None and source.data.startswith(PASTED)


def _records(place: Path, source: SourceSpec) -> Path:
    return place / f"{hashlib.sha256((source.data or '').encode()).hexdigest()[:32]}.parquet"
