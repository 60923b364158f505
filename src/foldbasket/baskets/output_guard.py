"""What no output may replace or join: the files of a basket's sources, the files they would read next time, the basket itself, and what was just written.

Everything that writes a file for the user asks here first: reports, indexes, records, charts, printed files, baskets.
"""

from __future__ import annotations

import contextlib
import fnmatch
import glob
import os
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path

from foldbasket.baskets.basket import Basket
from foldbasket.errors import OutputError
from foldbasket.tables.reading.contract import READERS
from foldbasket.tables.reading.folder import files_of
from foldbasket.tables.reading.readers import files_of_source

Identity = tuple[int, int]


class OutputGuard:
    """Refuses files that are, or would become, data of a basket. Paths are compared as the file system resolves them, over links of either kind.

    `folder` is where the basket's relative paths start; `path` is the basket's own file. What is written within one run is remembered, so that no output of
    the run takes the place of another.
    """

    def __init__(self, basket: Basket | None = None, path: Path | None = None, folder: Path = Path()) -> None:
        self._places = [(each.name, folder / each.path) for each in basket.sources if each.is_file] if basket else []
        self._path = path

    def check(self, target: Path) -> None:
        """Raises OutputError where writing `target` would take the place of data, or add to it."""
        owner = next((self._owners[each] for each in _names(target) if each in self._owners), None)
        if owner is not None:
            raise OutputError(
                f"“{target.name}” {owner}, and would be overwritten.", where=str(target), todo="Choose another name."
            )
        for name, place in self._places:
            if joins(os.path.realpath(target), place):
                raise OutputError(
                    f"the source “{name}” reads files like “{target.name}” in this folder, so this output would be counted as data next time.",
                    where=str(target),
                    todo="Choose another folder.",
                )

    def wrote(self, target: Path) -> None:
        """Remembers a file of this run."""
        self._owners.update(dict.fromkeys(_names(target), "was just written"))

    @cached_property
    def _owners(self) -> dict[str | Identity, str]:
        """What each file is whose place nothing may take, by its resolved path and by its place on the disk."""
        owners: dict[str | Identity, str] = {}
        for name, place in self._places:
            with contextlib.suppress(OSError, ValueError):
                for file in files_of_source(place):
                    owners.update(dict.fromkeys(_names(file), f"belongs to the source “{name}”"))
        if self._path is not None:
            owners.update(dict.fromkeys(_names(self._path), "is the basket itself"))
        return owners


def joins(real: str, place: Path) -> bool:
    """Return whether a file at a resolved path would be read with a source's folder or pattern."""
    folder, name = os.path.split(real)
    if os.path.isdir(place):
        with contextlib.suppress(OSError):
            return Path(real) in files_of(Path(os.path.realpath(place)), tuple(READERS), Path(real))
        return False
    if not glob.has_magic(str(place)) or not fnmatch.fnmatchcase(name, place.name) or name.startswith("."):
        return False
    return any(os.path.realpath(each) == folder for each in _folders_like(place.parent, folder))


def _folders_like(pattern: Path, folder: str) -> Iterator[str]:
    """The folders that a pattern stands for; `folder` too where it is still to be made."""
    yield from glob.glob(str(pattern)) if glob.has_magic(str(pattern)) else [str(pattern)]
    if not os.path.exists(folder) and fnmatch.fnmatchcase(folder, os.path.abspath(pattern)):
        yield folder


def _names(file: Path) -> list[str | Identity]:
    """What a file is known by: its resolved path, and its device and inode where it is there."""
    found: list[str | Identity] = [os.path.realpath(file)]
    with contextlib.suppress(OSError, ValueError):
        state = os.stat(file)
        found.append((state.st_dev, state.st_ino))
    return found
