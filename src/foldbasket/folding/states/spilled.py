"""The values of a table that comes part by part, for aggregates that need them: kept in memory up to a bound, and beyond it on disk.

What goes to the disk is put in order by value, a piece at a time, into a file without a name that is gone with whoever holds it. In the end all pieces are
read side by side, one range of values after the other, so that no more than a block of them is ever in memory, whatever the totals.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError, reason_of
from foldbasket.folding.states.runs import Grouped, Runs, runs_of
from foldbasket.tables.column import CodedColumn, Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType
from foldbasket.tables.uniting import united

Ints = npt.NDArray[np.int64]

ENTRIES = 1_000_000
"""So many entries, each a cell with a value and how often it occurs, are in order in memory before they go to the disk, and about so many are in a block."""
STEP = 2_048
"""Of so many entries of a piece the first one's value is known without reading."""


class _Piece(msgspec.Struct, eq=False):
    """Entries on the disk, rising by value. `cells` are the cells that they name, by now; `firsts` the value of each `STEP`-th entry, as stored, and `scale` its
    fraction digits where reals are wanted by now."""

    start: int
    many: int
    cells: Ints
    firsts: npt.NDArray
    scale: int | None = None


class Spilled:
    """Values on disk, by cell. `totals` is how many each cell has."""

    def __init__(self, file: _File, pieces: list[_Piece], stand: Column, totals: Ints) -> None:
        self._file, self._pieces, self._stand, self.totals = file, pieces, stand, totals

    def grouped(self, target: Ints, many: int, progress: Progress) -> Grouped:
        """The values with each cell become one of so many groups, those below 0 left out."""
        kept = target >= 0
        totals = np.bincount(target[kept], self.totals[kept], many).astype(np.int64)
        return Grouped(totals, lambda: self._blocks(target, progress))

    def _blocks(self, target: Ints, progress: Progress) -> Iterator[Runs]:
        edges = self._edges()
        starts = [0] * len(self._pieces)
        for at in range(len(edges) + 1):
            progress.step("Reading values", at / (len(edges) + 1))
            stops = [self._place(piece, edges[at]) if at < len(edges) else piece.many for piece in self._pieces]
            parts = [self._part(*each, target) for each in zip(self._pieces, starts, stops, strict=True)]
            starts = stops
            groups, values, counts = (np.concatenate(each) for each in zip(*parts, strict=True))
            yield progress.meanwhile("Reading values", partial(runs_of, groups, values, counts))

    def _edges(self) -> npt.NDArray:
        """Values between which about a block of entries lies."""
        firsts = np.sort(np.concatenate([self._wanted(piece.firsts, piece) for piece in self._pieces]))
        return np.unique(firsts[max(1, ENTRIES // STEP) :: max(1, ENTRIES // STEP)])

    def _wanted(self, stored: npt.NDArray, piece: _Piece) -> npt.NDArray:
        """Values as aggregates see them: of a coded field the ranks among all members."""
        if isinstance(self._stand, CodedColumn):
            return self._stand.dictionary.binary_ranks[stored]
        return stored if piece.scale is None else stored / 10.0**piece.scale

    def _place(self, piece: _Piece, edge: Any) -> int:
        """The first entry of a piece that is not below a value."""
        after = int(np.searchsorted(self._wanted(piece.firsts, piece), edge, side="left"))
        if not after:
            return 0
        start = (after - 1) * STEP
        near = self._file.values(piece, start, min(start + STEP, piece.many))
        return start + int(np.searchsorted(self._wanted(near, piece), edge, side="left"))

    def _part(self, piece: _Piece, start: int, stop: int, target: Ints) -> tuple[Ints, npt.NDArray, Ints]:
        groups = target[piece.cells[self._file.cells(piece, start, stop)]]
        values = self._wanted(self._file.values(piece, start, stop), piece)
        kept = groups >= 0
        return groups[kept], values[kept], self._file.counts(piece, start, stop)[kept]


class _File:
    """Entries on the disk: of each piece its values, then its cells, then its counts."""

    def __init__(self, folder: Path | None, of: str) -> None:
        self._of = of
        try:
            if folder is not None:
                folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._file = tempfile.TemporaryFile(dir=folder, buffering=0)  # noqa: SIM115 # it lives as long as this
        except OSError as error:
            raise self._full(error) from None
        self._end = 0

    def _full(self, error: OSError) -> FoldError:
        return FoldError(
            f"the values of “{self._of}” are too many for the memory, and could not be put on the disk: {reason_of(error)}.",
            todo="Make room in your cache folder, allow more memory, or filter the fold.",
        )

    def add(self, values: npt.NDArray, cells: npt.NDArray[np.int32], counts: Ints) -> int:
        """Writes a piece; where it begins. Raises FoldError where there is no room."""
        start = self._end
        try:
            for array in (values, cells, counts):
                whole = memoryview(array.tobytes())
                while len(whole):
                    done = os.pwrite(self._file.fileno(), whole, self._end)
                    whole, self._end = whole[done:], self._end + done
        except OSError as error:
            raise self._full(error) from None
        return start

    def _read(self, start: int, kind: Any, many: int) -> npt.NDArray:
        kind = np.dtype(kind)
        return np.frombuffer(os.pread(self._file.fileno(), many * kind.itemsize, start), kind)

    def values(self, piece: _Piece, start: int, stop: int) -> npt.NDArray:
        return self._read(piece.start + start * 8, piece.firsts.dtype, stop - start)

    def cells(self, piece: _Piece, start: int, stop: int) -> npt.NDArray[np.int32]:
        return self._read(piece.start + piece.many * 8 + start * 4, np.int32, stop - start)

    def counts(self, piece: _Piece, start: int, stop: int) -> Ints:
        return self._read(piece.start + piece.many * 12 + start * 8, np.int64, stop - start)


class Gathering:
    """The values of one quantity while parts of its table come. With a `folder` they go to a file in it beyond a bound, else all are held."""

    def __init__(self, folder: Path | None, *, spills: bool = True) -> None:
        self._folder, self._spills = folder, spills
        self._stand: Column | None = None
        self._cells: list[Ints] = []
        self._values: list[npt.NDArray] = []
        self._counts: list[Ints] = []
        self._many = self._settled = 0
        self._pieces: list[_Piece] = []
        self._file: _File | None = None
        self._totals = np.zeros(0, np.int64)

    def add(
        self, runs: Runs, own: Column, stand: Column, places: tuple[Ints, Ints], cells: int, progress: Progress
    ) -> None:
        """Adds what a part has. `own` says what its values are, `stand` what those of all parts are by now; `places` are the cells by now of those before and of the
        part's, so many in all. Raises FoldError, Cancelled."""
        before, here = places
        self._move(before, cells)
        self._become(stand)
        groups = here[np.repeat(runs.groups, runs.stops - runs.starts)]
        np.add.at(self._totals, groups, runs.counts)
        self._cells.append(groups)
        self._values.append(_stored(runs.values, own, stand))
        self._counts.append(runs.counts)
        self._many += len(groups)
        if self._many > self._settled + ENTRIES:
            progress.meanwhile("Putting values in order", self._settle)
            if self._spills and self._settled > ENTRIES:
                progress.meanwhile("Putting values on the disk", self._spill)

    def done(self, progress: Progress) -> Runs | Spilled:
        """The values of all parts: held, or on the disk. Raises FoldError, Cancelled."""
        assert self._stand is not None
        if self._file is not None:
            if self._many:
                progress.meanwhile("Putting values in order", self._settle)
                progress.meanwhile("Putting values on the disk", self._spill)
            return Spilled(self._file, self._pieces, self._stand, self._totals)
        return progress.meanwhile("Putting values in order", self._held)

    def _held(self) -> Runs:
        values = np.concatenate(self._values)
        if isinstance(self._stand, CodedColumn):
            values = self._stand.dictionary.binary_ranks[values]
        return runs_of(np.concatenate(self._cells), values, np.concatenate(self._counts))

    def _move(self, before: Ints, cells: int) -> None:
        totals = np.zeros(cells, np.int64)
        totals[before] = self._totals
        self._totals = totals
        self._cells = [before[each] for each in self._cells]
        for piece in self._pieces:
            piece.cells = before[piece.cells]

    def _become(self, stand: Column) -> None:
        """What was added becomes reals where it was not, and reals are wanted by now."""
        was, self._stand = self._stand, stand
        if was is None or isinstance(stand, CodedColumn) or was.type is stand.type or stand.type is not FieldType.REAL:
            return
        self._values = [_stored(each, was, stand) for each in self._values]
        for piece in self._pieces:
            piece.scale = was.scale

    def _settle(self) -> None:
        """Puts what is in memory together, each value of a cell once."""
        if self._values:
            runs = runs_of(*(np.concatenate(each) for each in (self._cells, self._values, self._counts)))
            self._cells = [np.repeat(runs.groups, runs.stops - runs.starts)]
            self._values, self._counts = [runs.values], [runs.counts]
            self._many = self._settled = len(runs.values)

    def _spill(self) -> None:
        """Puts what was put together on the disk."""
        assert self._stand is not None
        if self._file is None:
            self._file = _File(self._folder, self._stand.name)
        values = self._values[0]
        by = self._stand.dictionary.binary_ranks[values] if isinstance(self._stand, CodedColumn) else values
        order = np.argsort(by, kind="stable")
        values = values[order]
        cells, local = np.unique(self._cells[0][order], return_inverse=True)
        start = self._file.add(values, local.astype(np.int32), self._counts[0][order])
        self._pieces.append(_Piece(start, len(values), cells, values[::STEP].copy()))
        self._cells, self._values, self._counts, self._many, self._settled = [], [], [], 0, 0


def _stored(values: npt.NDArray, own: Column, stand: Column) -> npt.NDArray:
    """Values of a part as they are kept: of a coded field the codes among all members, which never change; of numbers themselves."""
    if isinstance(own, CodedColumn) and isinstance(stand, CodedColumn):
        _, _, place = united(stand.dictionary, own.dictionary)
        return place[np.argsort(own.dictionary.binary_ranks, kind="stable")[values]]
    if stand.type is FieldType.REAL is not own.type:
        return values.astype(np.float64) / 10.0**own.scale
    return values if values.dtype.kind == "f" else values.astype(np.int64, copy=False)
