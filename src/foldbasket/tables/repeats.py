"""Records that repeat an earlier one: found by a number for each record, and compared value by value before it is said.

Long varied text that is not encoded yet is hashed from its bytes by a compiled loop; without the compiler it is encoded.
Of a table that comes part by part each record has a number of 128 bits, kept on the disk: values are not compared there, since two different records with
one number do not happen (in 10^9 records with odds of 1 in 10^21).
"""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from functools import cache, partial
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.column import CodedColumn, Column, DeferredColumn, NumberColumn, blank_mask
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way

_STEP = 1 << 16  # stays in cache
_MIX, _TURN, _LAST = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)


def repeated(table: Table, fields: Sequence[str] = ()) -> npt.NDArray[np.bool_]:
    """The records that are alike to an earlier one in the fields (all, when none are given), as a mask of shape (records,)."""
    columns = [each for pair in _compared(table, fields) for each in pair if each is not None]
    found = np.zeros(table.count, np.bool_)
    hashes = _hashes(columns, table.count)
    if pc.count_distinct(pa.array(hashes)).as_py() == table.count:
        return found
    order = np.argsort(hashes, kind="stable")
    starts = np.flatnonzero(np.append(True, hashes[order[1:]] != hashes[order[:-1]]))
    first = np.repeat(order[starts], np.diff(np.append(starts, len(order))))
    again = order != first
    later, earlier = order[again], first[again]
    for column in columns:
        same = _alike(column, later, earlier)
        later, earlier = later[same], earlier[same]
    found[later] = True
    return found


def _compared(table: Table, fields: Sequence[str]) -> list[tuple[Column, CodedColumn | None]]:
    """What tells records apart: the values of the fields (all, when none are given), each with the texts that did not fit its type, where there are any."""
    names = fields or tuple(table.columns)
    return [(table.column(name), _misfits(table.texts.get(name), table.column(name))) for name in names]


def _misfits(text: CodedColumn | None, column: Column) -> CodedColumn | None:
    if text is None:
        return None
    blank = len(text.dictionary)
    return CodedColumn(text.name, np.where(blank_mask(column), text.codes, blank), text.dictionary)


def _alike(column: Column, one: npt.NDArray[np.int64], other: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    if isinstance(column, NumberColumn):
        same = column.values[one] == column.values[other]
        return same if column.valid is None else same & (column.valid[one] == column.valid[other])
    if isinstance(column, DeferredColumn) and (held := column.as_held()) is not None:
        texts = [pc.fill_null(held.take(pa.array(at)), "") for at in (one, other)]
        return np.asarray(pc.equal(*texts).to_numpy(), np.bool_)
    codes = column.coded().codes
    return np.asarray(codes[one] == codes[other], np.bool_)


def _hashes(columns: Sequence[Column], count: int) -> npt.NDArray[np.uint64]:
    """A number for each record, the same for records with the same values."""
    hashes = np.zeros(count, np.uint64)
    parts = [_numbers(column) for column in columns]
    for start in range(0, count, _STEP):
        part = hashes[start : start + _STEP]
        for column, values in zip(columns, parts, strict=True):
            some = values[start : start + _STEP]
            numbers = some.view(np.uint64) if some.dtype.itemsize == 8 else some.astype(np.uint64)
            if isinstance(column, NumberColumn) and column.valid is not None:
                numbers = numbers ^ (column.valid[start : start + _STEP].astype(np.uint64) << np.uint64(63))
            part ^= numbers * _MIX
            part *= _TURN
            part ^= part >> np.uint64(29)
    return hashes


def _numbers(column: Column) -> npt.NDArray:
    if isinstance(column, NumberColumn):
        return column.values
    if isinstance(column, DeferredColumn) and (held := column.as_held()) is not None:
        hashed = _text_hashes(held)
        if hashed is not None:
            return hashed
    return column.coded().codes


def _text_hashes(values: pa.ChunkedArray) -> npt.NDArray[np.uint64] | None:
    """Hashes of text by its bytes (FNV-1a over them, by Fowler, Noll and Vo); None without the compiler."""
    kernel = _kernel()
    if kernel is None:
        return None
    result = np.zeros(len(values), np.uint64)
    at = 0
    for chunk in values.chunks:
        plain = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
        plain = plain.cast(pa.string())
        own = np.zeros(len(plain), np.uint64)
        if len(plain):
            offsets = np.frombuffer(plain.buffers()[1], np.int32)[plain.offset : plain.offset + len(plain) + 1]
            data = plain.buffers()[2]
            kernel(offsets, np.frombuffer(data, np.uint8) if data is not None else np.zeros(1, np.uint8), own)
        if plain.null_count:
            own[plain.is_null().to_numpy(zero_copy_only=False)] = 0
        if pa.types.is_dictionary(chunk.type):
            codes = chunk.indices.fill_null(0).to_numpy()
            own = own[codes] if len(own) else np.zeros(len(codes), np.uint64)
            if chunk.indices.null_count:
                own = np.where(chunk.indices.is_null().to_numpy(zero_copy_only=False), np.uint64(0), own)
        result[at : at + len(own)] = own
        at += len(own)
    return result


@cache
def _kernel() -> Callable[..., None] | None:
    try:
        import numba
    except ImportError:
        return None

    def hashed(offsets: Any, data: Any, result: Any) -> None:
        for at in range(len(result)):
            number = np.uint64(0xCBF29CE484222325)
            for place in range(offsets[at], offsets[at + 1]):
                number = (number ^ np.uint64(data[place])) * np.uint64(0x100000001B3)
            result[at] = number if offsets[at + 1] > offsets[at] else np.uint64(0)

    compiled: Callable[..., None] = numba.njit(cache=True, nogil=True)(hashed)
    return compiled


# --- part by part ---------------------------------------------------------------

_SHARES = 128
_BLANK = np.array([0x5851F42D4C957F2D, 0x14057B7EF767814F], np.uint64)
_ENTRY = np.dtype([("one", np.uint64), ("other", np.uint64), ("at", np.int64)])
BYTES = _ENTRY.itemsize
"""On the disk, for each record."""


class Marks:
    """Some of many records, a bit for each."""

    def __init__(self, many: int) -> None:
        self.many = many
        self._bits = np.zeros(many // 8 + 1, np.uint8)

    def add(self, at: npt.NDArray[np.int64]) -> None:
        """Marks records by their numbers."""
        np.bitwise_or.at(self._bits, at >> 3, np.uint8(1) << (at & 7).astype(np.uint8))

    def among(self, at: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
        """Which of some records are marked."""
        return ((self._bits[at >> 3] >> (at & 7).astype(np.uint8)) & 1).astype(np.bool_)

    def within(self, start: int, count: int) -> npt.NDArray[np.bool_]:
        """Which of so many records from one on are marked."""
        first = start >> 3
        bits = np.unpackbits(self._bits[first : (start + count + 7) >> 3], bitorder="little")
        return bits[start - 8 * first :][:count].astype(np.bool_)

    def remove(self, others: Marks) -> None:
        """Takes the marks of others away."""
        self._bits &= ~others._bits

    @property
    def count(self) -> int:
        """How many are marked."""
        return int(np.bitwise_count(self._bits).sum(dtype=np.int64))

    def first(self, most: int) -> npt.NDArray[np.int64]:
        """The first of those that are marked, at the most so many."""
        some = np.flatnonzero(self._bits)[:most]  # each has one at least
        at = np.flatnonzero(np.unpackbits(self._bits[some], bitorder="little"))
        return (some[at >> 3] * 8 + (at & 7))[:most]


class Several(NamedTuple):
    """Of what should name records: how many different ones there are, on how many records in all, how many of them stand on several, and on which; and the
    first records of those, as many as were asked for."""

    different: int
    records: int
    keys: int
    on: Marks
    first: npt.NDArray[np.int64]


class Dealt:
    """Records as numbers of 128 bits, kept in files without a name. They are dealt out by their first bits, so that those that are the same come together in
    a share that fits into memory. Raises OSError where there is no room on the disk."""

    def __init__(self, folder: Path, stack: ExitStack) -> None:
        """The files are closed with the stack."""
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        nameless: Any = partial(tempfile.TemporaryFile, dir=folder)
        self._files: list[BinaryIO] = [stack.enter_context(nameless()) for _ in range(_SHARES)]
        self.counts: list[int] = []
        self.many = 0

    def add(self, part: Table, fields: Sequence[str] = ()) -> None:
        """Takes the next records by some fields (all, when none are given)."""
        _dealt(_numbered(_compared(part, fields), part.count, self.many), self._files)
        self.counts.append(part.count)
        self.many += part.count

    def again(self, look: Callable[[], object] = lambda: None) -> Marks:
        """The records that are alike to an earlier one. `look` is called between pieces, and may raise."""
        found = Marks(self.many)
        for entries in self._shares(look):
            some = _that_repeat(entries)
            found.add(some["at"][1:][_as_before(some)])
        return found

    def several(
        self,
        but: Callable[[npt.NDArray[np.int64]], npt.NDArray[np.bool_]],
        most: int,
        look: Callable[[], object] = lambda: None,
    ) -> Several:
        """What names several records, those left out that `but` tells among some, by their numbers."""
        different, records, keys, on, first = 0, 0, 0, Marks(self.many), np.zeros(0, np.int64)
        for whole in self._shares(look):
            entries = whole[~but(whole["at"])]
            some = _that_repeat(entries)
            starts = np.flatnonzero(np.append(True, ~_as_before(some))) if len(some) else np.zeros(0, np.int64)
            sizes = np.diff(np.append(starts, len(some)))
            different, records = different + len(entries) - len(some) + len(starts), records + len(entries)
            keys += int((sizes > 1).sum())
            on.add(some["at"][np.repeat(sizes > 1, sizes)])
            first = np.sort(np.concatenate([first, some["at"][starts[sizes > 1]]]))[:most]
        return Several(different, records, keys, on, first)

    def _shares(self, look: Callable[[], object]) -> Iterator[npt.NDArray]:
        """The entries of each share."""
        for file in self._files:
            look()
            file.seek(0)
            yield np.frombuffer(file.read(), _ENTRY)


def repeated_in_order(parts: Iterator[Table], fields: Sequence[str], folder: Path) -> Iterator[npt.NDArray[np.bool_]]:
    """The records that are alike to an earlier one in the fields (all, when none are given), of one part after the other, as masks. All parts are gone through
    before the first mask is there, with files in a folder. Raises OSError where there is no room on the disk."""
    with ExitStack() as stack:
        dealt = Dealt(folder, stack)
        for part in parts:
            dealt.add(part, fields)
        again = dealt.again()
    start = 0
    for count in dealt.counts:
        yield again.within(start, count)
        start += count


def _numbered(compared: Sequence[tuple[Column, CodedColumn | None]], count: int, start: int) -> npt.NDArray:
    """An entry for each record: two numbers, the same for records with the same values, and its place among all."""
    entries = np.empty(count, _ENTRY)
    entries["one"], entries["other"], entries["at"] = 0, 1, np.arange(start, start + count)
    for column, misfits in compared:
        halves = _halves(column)
        texts = _halves(misfits) if misfits is not None else None
        for at in range(0, count, _STEP):
            some = slice(at, min(at + _STEP, count))
            one, other = halves(some)
            if texts is not None and misfits is not None:
                for own, of_text in zip((one, other), texts(some), strict=True):
                    np.copyto(own, of_text, where=misfits.codes[some] < len(misfits.dictionary))
            entries["one"][some] = _stirred(one ^ entries["one"][some])
            entries["other"][some] = _stirred(other ^ entries["other"][some])
    return entries


_Pair = tuple[npt.NDArray[np.uint64], npt.NDArray[np.uint64]]


def _halves(column: Column) -> Callable[[slice], _Pair]:
    """Gives two numbers for each of some values, the same in whatever part of a table they stand."""
    if isinstance(column, NumberColumn):
        units, scales = _reduced(column)
        blank = blank_mask(column)

        def of_numbers(some: slice) -> _Pair:
            one = units[some] ^ _stirred(scales[some].astype(np.uint64))
            other = _stirred(one)
            one[blank[some]], other[blank[some]] = _BLANK
            return one, other

        return of_numbers
    coded = column.coded()
    if coded.type is FieldType.TEXT:
        said = bytearray()
        for text in coded.dictionary.texts:
            said += hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=16).digest()
            give_way()
        members = np.frombuffer(said, np.uint64).reshape(-1, 2)
    else:
        own = np.asarray(coded.dictionary.values).astype(np.int64).view(np.uint64)
        members = np.column_stack([own, _stirred(own)])
    one, other = np.concatenate([members, _BLANK[None]]).T.copy()
    return lambda some: (one[coded.codes[some]], other[coded.codes[some]])


def _reduced(column: NumberColumn) -> tuple[npt.NDArray[np.uint64], npt.NDArray[np.uint8]]:
    """Exact numbers with as few fraction digits as they need, and those: a part may have been read with fewer than another."""
    scales = np.full(len(column), column.scale, np.uint8)
    units = np.ascontiguousarray(column.values)
    left = np.arange(len(column) if column.scale else 0)
    for _ in range(column.scale):
        left = left[units[left] % 10 == 0]
        if not len(left):
            break
        units = units.copy() if units is column.values else units
        units[left] //= 10
        scales[left] -= 1
    return units.view(np.uint64), scales


def _stirred(numbers: npt.NDArray[np.uint64]) -> npt.NDArray[np.uint64]:
    """Other numbers, one for each, in which each bit depends on all: the last steps of SplitMix64 (Steele, Lea and Flood, 2014)."""
    made = numbers >> np.uint64(30)
    made ^= numbers
    made *= _TURN
    made ^= made >> np.uint64(27)
    made *= _LAST
    made ^= made >> np.uint64(31)
    return made


def _dealt(entries: npt.NDArray, files: Sequence[BinaryIO]) -> None:
    share = (entries["one"] >> np.uint64(57)).astype(np.uint8)
    order = np.argsort(share, kind="stable")  # of such small numbers by their digits
    edges = np.searchsorted(share[order], np.arange(_SHARES + 1))
    for at, file in enumerate(files):
        file.write(entries[order[edges[at] : edges[at + 1]]].tobytes())


def _that_repeat(entries: npt.NDArray) -> npt.NDArray:
    """Those entries of which the first number is that of another, too: by their numbers, and of the same ones in the order of the records."""
    ones = entries["one"]
    order = np.argsort(ones)
    same = ones[order[1:]] == ones[order[:-1]]
    some = entries[order[np.append(same, False) | np.append(False, same)]] if len(entries) else entries
    return some[np.lexsort((some["at"], some["other"], some["one"]))]


def _as_before(entries: npt.NDArray) -> npt.NDArray[np.bool_]:
    """Which entries but the first have the numbers of the one before."""
    same: npt.NDArray[np.bool_] = (entries["one"][1:] == entries["one"][:-1]) & (
        entries["other"][1:] == entries["other"][:-1]
    )
    return same
