"""Typed, encoded columns: the only form in which records are held.

Two kinds. A *coded* column (text, date, yes/no) holds one small unsigned code per record and a dictionary of its
different values; the code one past the last member means blank. A *number* column (whole, decimal, real, time stamp)
holds one 8-byte value per record and, when any record is blank, a mask of the valid ones. Columns are immutable.
"""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.types import FieldType, canonical, parse_canonical, shifted

Codes = npt.NDArray[np.unsignedinteger]

PUT_OFF = 1_000_000
"""Text columns of more records than this are encoded on first use when their values are mostly different."""
LONGEST = 8
"""So many of the longest texts of a column are measured, since signs are not of one width."""


def smallest_codes(highest: int) -> np.dtype[np.unsignedinteger]:
    """The smallest unsigned type that can hold `highest`."""
    for kind in (np.uint8, np.uint16, np.uint32):
        if highest <= np.iinfo(kind).max:
            return np.dtype(kind)
    return np.dtype(np.uint64)


class Dictionary:
    """The different values of a field, one per code, in no promised order.

    `values` is a `pyarrow.StringArray` for text and a NumPy array in stored form (days, units of 10^-scale, microseconds,
    floats, booleans) for everything else. `nature` is what the field of numbers is taken for, which may say how they are written.
    """

    def __init__(self, kind: FieldType, values: pa.StringArray | npt.NDArray, scale: int = 0, nature: str = "") -> None:
        self.type = kind
        self.values = values
        self.scale, self.nature = scale, nature

    def __len__(self) -> int:
        return len(self.values)

    def raw(self, code: int) -> str | int | float | bool:
        """The stored form of one member."""
        value = self.values[code]
        return value.as_py() if isinstance(value, pa.Scalar) else value.item()

    def key(self, code: int) -> str:
        """Canonical text of one member."""
        return canonical(self.type, self.raw(code), self.scale)

    @property
    def texts(self) -> list[str]:
        """Every member of a text dictionary, in code order."""
        assert isinstance(self.values, pa.Array)
        listed: list[str] = self.values.to_pylist()
        return listed

    @cached_property
    def _codes_by_text(self) -> dict[str, int]:
        return {text: code for code, text in enumerate(self.texts)}

    def code_of(self, key: str) -> int | None:
        """The code of the member that canonical text names, or None when no record has it. ValueError: not such a value."""
        if self.type is FieldType.TEXT:
            return self._codes_by_text.get(key)
        wanted = parse_canonical(self.type, key)
        if self.type in (FieldType.DECIMAL, FieldType.WHOLE):
            assert not isinstance(wanted, str)
            units = shifted(wanted, self.scale) if isinstance(wanted, Decimal) else wanted
            if units != int(units):
                return None
            wanted = int(units)
        elif self.type is FieldType.REAL:
            wanted = float(wanted)
        found = np.flatnonzero(self.values == wanted)
        return int(found[0]) if len(found) else None

    @cached_property
    def binary_ranks(self) -> npt.NDArray[np.int64]:
        """Rank of each member by value; text by code point, which is how smallest and largest compare it."""
        if isinstance(self.values, pa.Array):
            order = pc.sort_indices(self.values).to_numpy()
        else:
            order = np.argsort(self.values, kind="stable")
        ranks = np.empty(len(order), np.int64)
        ranks[order] = np.arange(len(order))
        return ranks

    def of(self, codes: npt.NDArray[np.integer]) -> Dictionary:
        """A dictionary of some of the members, by their codes, in that order."""
        some = self.values.take(pa.array(codes)) if isinstance(self.values, pa.Array) else self.values[codes]
        return Dictionary(self.type, some, self.scale, self.nature)

    def longest(self, codes: npt.NDArray[np.integer]) -> list[str]:
        """Of members that are texts, by their codes, the few that have the most signs."""
        assert isinstance(self.values, pa.Array)
        texts = self.values.take(pa.array(codes.astype(np.int64)))
        signs = pc.utf8_length(texts).to_numpy()
        most = np.argpartition(signs, -LONGEST)[-LONGEST:] if len(signs) > LONGEST else np.arange(len(signs))
        return [str(texts[int(at)]) for at in most]

    @property
    def nbytes(self) -> int:
        return int(self.values.nbytes)


@dataclass(frozen=True, eq=False)
class CodedColumn:
    """A column of codes into a dictionary. `codes` has shape (records,); the code ``len(dictionary)`` is blank."""

    name: str
    codes: Codes
    dictionary: Dictionary
    nature: str = ""
    """What it is taken for where somebody has said so, or its file does; see `nature.py`."""

    @property
    def type(self) -> FieldType:
        return self.dictionary.type

    @property
    def scale(self) -> int:
        return self.dictionary.scale

    def __len__(self) -> int:
        return len(self.codes)

    @cached_property
    def blank_count(self) -> int:
        return int(np.count_nonzero(self.codes == len(self.dictionary)))

    def coded(self) -> CodedColumn:
        """Itself: the form in which every column can be grouped by."""
        return self

    def weights(self) -> npt.NDArray[np.int64]:
        """How many records have each member, shape (members,)."""
        members = len(self.dictionary)
        return np.bincount(self.codes, minlength=members + 1)[:members].astype(np.int64)

    @property
    def nbytes(self) -> int:
        return self.codes.nbytes + self.dictionary.nbytes

    def text(self, record: int) -> str | None:
        """Canonical text of one record's value; None when blank."""
        code = int(self.codes[record])
        return None if code == len(self.dictionary) else self.dictionary.key(code)


class DeferredColumn(CodedColumn):
    """A text column that is encoded when it is first grouped by, linked or looked at.

    For text whose values are mostly different (order numbers, remarks): one dictionary over all of it costs as much as
    reading the file, and most such columns are never placed. Until then it holds the text as Arrow read it.
    """

    def __init__(self, name: str, values: pa.ChunkedArray) -> None:
        object.__setattr__(self, "name", name)
        object.__setattr__(self, "_state", [values, None])
        object.__setattr__(self, "_count", len(values))
        object.__setattr__(self, "_lock", threading.Lock())

    def coded(self) -> CodedColumn:
        with self._lock:
            state = self._state
            if state[1] is None:
                state[1] = coded_from_arrow(self.name, state[0])
                state[0] = None
            made: CodedColumn = state[1]
            return made

    def as_held(self) -> pa.ChunkedArray | None:
        """The text as Arrow read it; None once it is encoded."""
        held: pa.ChunkedArray | None = self._state[0]
        return held

    def peek(self, record: int) -> str | None:
        """Canonical text of one record's value, without encoding the others; None when blank."""
        values, made = self._state
        if made is not None:
            return self.text(record)
        said = values[record].as_py()
        return said if said and said.strip() else None

    def sample(self, most: int) -> list[str | None]:
        """The text of some records at even steps, without encoding all of them."""
        return [self.peek(record) for record in range(0, len(self), max(1, len(self) // most))]

    @property
    def type(self) -> FieldType:
        return FieldType.TEXT

    def __len__(self) -> int:
        count: int = self._count
        return count

    @property
    def nbytes(self) -> int:
        values, made = self._state
        return int(values.nbytes) if made is None else int(made.nbytes)

    def __getattr__(self, name: str) -> Any:
        if name in ("codes", "dictionary"):
            return getattr(self.coded(), name)
        raise AttributeError(name)


@dataclass(frozen=True, eq=False)
class NumberColumn:
    """A column of numbers: `values` int64 in units of 10^-scale (or microseconds), or float64 for reals.

    `valid` is None when no record is blank, otherwise a boolean array, True where there is a value. Values under a
    blank are 0.
    """

    name: str
    type: FieldType
    values: npt.NDArray[np.int64] | npt.NDArray[np.float64]
    valid: npt.NDArray[np.bool_] | None = None
    scale: int = 0
    nature: str = ""

    def __len__(self) -> int:
        return len(self.values)

    @cached_property
    def blank_count(self) -> int:
        return 0 if self.valid is None else len(self.values) - int(np.count_nonzero(self.valid))

    @cached_property
    def largest_magnitude(self) -> int:
        """Bound on |value| in stored units, for deciding whether a sum fits 64 bits. 0 for reals."""
        if self.values.dtype.kind == "f" or not len(self.values):
            return 0
        return max(abs(int(self.values.min())), abs(int(self.values.max())))

    @cached_property
    def _coded(self) -> CodedColumn:
        values = self.values if self.valid is None else self.values[self.valid]
        different, inverse = np.unique(values, return_inverse=True)
        kind = smallest_codes(len(different))
        if self.valid is None:
            codes = inverse.astype(kind)
        else:
            codes = np.full(len(self.values), len(different), kind)
            codes[self.valid] = inverse
        return CodedColumn(self.name, codes, Dictionary(self.type, different, self.scale, self.nature))

    def coded(self) -> CodedColumn:
        """The same column as codes into its sorted different values, made on first use and kept."""
        return self._coded

    @property
    def nbytes(self) -> int:
        return self.values.nbytes + (0 if self.valid is None else self.valid.nbytes)

    def text(self, record: int) -> str | None:
        """Canonical text of one record's value; None when blank."""
        if self.valid is not None and not self.valid[record]:
            return None
        return canonical(self.type, self.values[record].item(), self.scale)


Column = CodedColumn | NumberColumn


def picked(column: Column, at: npt.NDArray[np.integer]) -> Column:
    """The values of some records, by their numbers, in that order."""
    if isinstance(column, NumberColumn):
        valid = None if column.valid is None else column.valid[at]
        return NumberColumn(column.name, column.type, column.values[at], valid, column.scale, column.nature)
    coded = column.coded()
    return CodedColumn(coded.name, coded.codes[at], coded.dictionary, column.nature)


def weights_of(column: CodedColumn) -> npt.NDArray[np.int64]:
    """How many records have each member of a column."""
    return column.weights()


def compacted(column: Column) -> Column:
    """The same column with only the members that a record has, as after records were dropped."""
    if isinstance(column, NumberColumn):
        return column
    coded = column.coded()
    members = len(coded.dictionary)
    used = weights_of(coded) > 0
    if used.all():
        return coded
    kept = np.flatnonzero(used)
    target = np.full(members + 1, len(kept), smallest_codes(len(kept)))
    target[kept] = np.arange(len(kept))
    return CodedColumn(coded.name, target[coded.codes], coded.dictionary.of(kept))


def renamed(column: Column, name: str) -> Column:
    """The same column under another name."""
    if isinstance(column, NumberColumn):
        return NumberColumn(name, column.type, column.values, column.valid, column.scale, column.nature)
    coded = column.coded()
    return CodedColumn(name, coded.codes, coded.dictionary, column.nature)


def natured(column: Column, nature: str) -> Column:
    """The same column, taken for something."""
    if isinstance(column, NumberColumn):
        return replace(column, nature=nature)
    coded = column.coded()
    return CodedColumn(coded.name, coded.codes, coded.dictionary, nature)


def blank_mask(column: Column) -> npt.NDArray[np.bool_]:
    """The records without a value, as a mask of shape (records,)."""
    if isinstance(column, NumberColumn):
        return np.zeros(len(column), np.bool_) if column.valid is None else ~column.valid
    coded = column.coded()
    return np.asarray(coded.codes == len(coded.dictionary), np.bool_)


def joined(parts: Sequence[Column]) -> Column:
    """Parts of one column, read one after the other, as one column. All must be of one kind, type and scale."""
    first = parts[0]
    if len(parts) == 1:
        return first
    if isinstance(first, NumberColumn):
        numbers = [part for part in parts if isinstance(part, NumberColumn)]
        valid = None
        if any(part.valid is not None for part in numbers):
            valid = np.concatenate(
                [np.ones(len(part), np.bool_) if part.valid is None else part.valid for part in numbers]
            )
        return NumberColumn(
            first.name, first.type, np.concatenate([part.values for part in numbers]), valid, first.scale, first.nature
        )
    coded = [part for part in parts if isinstance(part, CodedColumn)]
    different, inverse = np.unique(np.concatenate([part.dictionary.values for part in coded]), return_inverse=True)
    codes = np.empty(sum(map(len, coded)), smallest_codes(len(different)))
    at = start = 0
    for part in coded:
        members = len(part.dictionary)
        target = np.append(inverse[start : start + members], len(different)).astype(codes.dtype)
        codes[at : at + len(part)] = target[part.codes]
        at, start = at + len(part), start + members
    return CodedColumn(first.name, codes, Dictionary(first.type, different, first.scale))


def text_column(name: str, values: Sequence[str | None]) -> CodedColumn:
    """A text column from Python strings; None, empty and all-space values are blank."""
    return coded_from_arrow(name, pa.chunked_array([pa.array(values, pa.string())]))


def coded_from_arrow(name: str, values: pa.ChunkedArray) -> CodedColumn:
    """A text column from Arrow text, plain or dictionary-encoded. Empty and all-space values become blank."""
    if not len(values):
        return CodedColumn(name, np.empty(0, np.uint8), Dictionary(FieldType.TEXT, pa.array([], pa.string())))
    if pa.types.is_dictionary(values.type):
        values = values.unify_dictionaries()
    else:  # encoding plain text gives every chunk the same dictionary; unifying them again would cost each chunk anew
        values = values.cast(pa.string()).dictionary_encode()
    dictionary = values.chunk(0).dictionary.cast(pa.string())
    # A dictionary may hold blank spellings, repeats or members that no record uses: map every old code to a kept one.
    spaces = pc.fill_null(pc.equal(pc.utf8_trim_whitespace(dictionary), ""), True)
    kept = dictionary.filter(pc.invert(spaces))
    is_blank = spaces.to_numpy(zero_copy_only=False)
    target = np.cumsum(~is_blank) - 1
    target[is_blank] = len(kept)
    kind = smallest_codes(len(kept))
    identity = not is_blank.any()
    codes = np.empty(len(values), kind)
    at = 0
    for chunk in values.chunks:
        indices = chunk.indices
        part = codes[at : at + len(indices)]
        at += len(indices)
        if indices.null_count:
            raw = indices.fill_null(0).to_numpy()
            part[:] = raw if identity else target[raw] if len(target) else len(kept)
            part[indices.is_null().to_numpy(zero_copy_only=False)] = len(kept)
        else:
            raw = indices.to_numpy()
            part[:] = raw if identity else target[raw]
    return CodedColumn(name, codes, Dictionary(FieldType.TEXT, kept))
