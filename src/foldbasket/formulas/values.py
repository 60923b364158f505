"""Values as formulas work on them: arrays with a type and a mask of those that are not blank, exact where they can be.

A `Vec` of length 1 stands for a constant and is stretched to whatever it meets. Numbers are whole units of 10^-scale while they
fit 64 bits (arrays of Python's own whole numbers where totals need more) and reals beyond; text is an array of strings.
"""

from __future__ import annotations

import enum
from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.tables.column import CodedColumn, Column, Dictionary, NumberColumn, coded_from_arrow, smallest_codes
from foldbasket.tables.types import FieldType

Mask = npt.NDArray[np.bool_]
RANGE = 1 << 63
"""Whole units must stay below this to be held in 64 bits."""


class Kind(enum.Enum):
    """What a value is, as far as the rules of the language care; the value is the word shown to the user."""

    NUMBER = "a number"
    TEXT = "text"
    DATE = "a date"
    MOMENT = "a time stamp"
    YESNO = "yes or no"
    SPAN = "an interval"
    NOTHING = "a blank"


KIND_OF: dict[FieldType, Kind] = {
    FieldType.WHOLE: Kind.NUMBER,
    FieldType.DECIMAL: Kind.NUMBER,
    FieldType.REAL: Kind.NUMBER,
    FieldType.TEXT: Kind.TEXT,
    FieldType.DATE: Kind.DATE,
    FieldType.TIMESTAMP: Kind.MOMENT,
    FieldType.YESNO: Kind.YESNO,
}


class Span(msgspec.Struct, frozen=True):
    """An interval of the calendar: whole months, and microseconds."""

    months: int = 0
    micros: int = 0


class Vec(msgspec.Struct, eq=False):
    """Values of one type; shape (n,), or (1,) for a constant. Data under a blank is of no meaning.

    `bound` limits the size of exact numbers in stored units, so that overflow is foreseen and not met. `own` says that the data
    belongs to nobody else and may be written over. `span` holds the interval of a constant interval.
    """

    type: FieldType
    data: npt.NDArray
    valid: Mask | None = None
    scale: int = 0
    bound: int = 0
    own: bool = False
    span: Span | None = None
    is_null: bool = False

    @property
    def kind(self) -> Kind:
        if self.span is not None:
            return Kind.SPAN
        return Kind.NOTHING if self.is_null else KIND_OF[self.type]

    @property
    def is_exact(self) -> bool:
        """Whether it is a number without rounding."""
        return self.type in (FieldType.WHOLE, FieldType.DECIMAL)

    def reals(self) -> npt.NDArray[np.float64]:
        """Numbers as floats."""
        data = self.data.astype(np.float64)
        return data / 10.0**self.scale if self.scale else data


def constant(kind: FieldType, value: object, scale: int = 0) -> Vec:
    """A constant of a type."""
    data: npt.NDArray = np.empty(1, object if kind is FieldType.TEXT else np.int64)
    if kind is FieldType.REAL:
        data = np.empty(1, np.float64)
    elif kind is FieldType.YESNO:
        data = np.empty(1, np.bool_)
    data[0] = value
    bound = abs(int(data[0])) if data.dtype == np.int64 else 0
    return Vec(kind, data, None, scale, bound)


def nothing() -> Vec:
    """The constant NULL: blank, of any type."""
    return Vec(FieldType.WHOLE, np.zeros(1, np.int64), np.zeros(1, np.bool_), is_null=True)


def both(one: Mask | None, two: Mask | None) -> Mask | None:
    """The mask of what is there in both."""
    if one is None or two is None:
        return two if one is None else one
    return one & two


def known(vec: Vec) -> Mask:
    """The mask of a Vec, written out; shape of its data."""
    return np.ones(len(vec.data), np.bool_) if vec.valid is None else vec.valid


def members_of(column: CodedColumn) -> Vec:
    """The members of a coded column, and one blank behind them."""
    dictionary = column.dictionary
    many = len(dictionary)
    if dictionary.type is FieldType.TEXT:
        data: npt.NDArray = np.empty(many + 1, object)
        data[:many] = dictionary.texts
        data[many] = ""
    else:
        values = np.asarray(dictionary.values)
        data = np.append(values, values.dtype.type(0))
    valid = np.ones(many + 1, np.bool_)
    valid[many] = False
    return Vec(dictionary.type, data, valid, dictionary.scale)


def to_column(vec: Vec, name: str, count: int) -> Column:
    """A column of `count` records from values; constants are repeated."""
    data = np.broadcast_to(vec.data, (count,)) if len(vec.data) != count else vec.data
    valid = None if vec.valid is None else np.broadcast_to(vec.valid, (count,))
    if valid is not None and valid.all():
        valid = None
    if vec.type is FieldType.TEXT:
        texts = pa.array(data, pa.string(), mask=None if valid is None else ~valid)
        return coded_from_arrow(name, pa.chunked_array([texts]))
    if vec.type in (FieldType.DATE, FieldType.YESNO):
        return _coded(vec.type, data, valid, name)
    values: npt.NDArray = np.ascontiguousarray(data, np.float64 if vec.type is FieldType.REAL else np.int64)
    if valid is not None:
        values = np.where(valid, values, values.dtype.type(0))
    return NumberColumn(name, vec.type, values, None if valid is None else np.ascontiguousarray(valid), vec.scale)


def _coded(kind: FieldType, data: npt.NDArray, valid: Mask | None, name: str) -> CodedColumn:
    values = data if valid is None else data[valid]
    different, inverse = np.unique(values, return_inverse=True)
    codes = np.full(len(data), len(different), smallest_codes(len(different)))
    codes[slice(None) if valid is None else valid] = inverse
    return CodedColumn(name, codes, Dictionary(kind, different))


def aligned(one: Vec, two: Vec) -> tuple[Vec, Vec]:
    """Two numbers in one unit: the larger scale while it fits, else as reals."""
    if one.is_exact and two.is_exact:
        scale = max(one.scale, two.scale)
        first, second = rescaled(one, scale), rescaled(two, scale)
        if first is not None and second is not None:
            return first, second
    return real(one), real(two)


def rescaled(vec: Vec, scale: int) -> Vec | None:
    """An exact number with more fraction digits; None where it would pass the exact range."""
    if vec.scale == scale:
        return vec
    factor = 10 ** (scale - vec.scale)
    bound = vec.bound * factor
    if bound >= RANGE and vec.data.dtype != object:
        return None
    return Vec(number_type(scale), vec.data * factor, vec.valid, scale, bound, own=True)


def real(vec: Vec) -> Vec:
    """A number as a real."""
    return vec if vec.type is FieldType.REAL else Vec(FieldType.REAL, vec.reals(), vec.valid, own=True)


def number_type(scale: int) -> FieldType:
    """The type of exact numbers with so many fraction digits."""
    return FieldType.DECIMAL if scale else FieldType.WHOLE


def common_length(vecs: Sequence[Vec]) -> int:
    """For how many records values stand together: constants for as many as the others, which can be none."""
    return int(np.broadcast_shapes(*(vec.data.shape for vec in vecs))[0])


def target(*vecs: Vec) -> npt.NDArray | None:
    """An array that a result of the same type may be written into: one that is owned and as long as the longest."""
    most = common_length(vecs)
    return next((vec.data for vec in vecs if vec.own and len(vec.data) == most), None)
