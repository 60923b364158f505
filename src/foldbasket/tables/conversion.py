"""Between Arrow's columns and ours: typed values encoded once, exact where they can be, and given back as they were."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import ReadError
from foldbasket.tables.column import (
    CodedColumn,
    Codes,
    Column,
    Dictionary,
    NumberColumn,
    coded_from_arrow,
    smallest_codes,
)
from foldbasket.tables.table import Table
from foldbasket.tables.types import FIRST_DAY, LAST_DAY, MAX_SCALE, MICROS_PER_DAY, FieldType

_CHUNK = 1 << 16  # stays in cache


def decimal_units(values: pa.Array) -> npt.NDArray[np.int64]:
    """Units of 10^-scale of a decimal128 array of at most 18 digits; 0 under blanks. No copy is made of valid data."""
    low = np.frombuffer(values.buffers()[1], np.int64)[2 * values.offset : 2 * (values.offset + len(values)) : 2]
    if values.null_count:
        low = np.where(values.is_valid().to_numpy(zero_copy_only=False), low, 0)
    return low


def exact_units(column: NumberColumn, scale: int) -> NumberColumn | None:
    """A column of reals that were written with at most `scale` fraction digits, as the exact decimals they were; else None.

    Parsing a decimal text as a float and going back is several times as fast as parsing it digit by digit, and exact within
    bounds: a float is off by at most 2^-53 of its value and the product with 10^scale by as much again, so up to 2^43 units
    the result is within 2^-9 of the whole number meant. A value further from a whole number than that error allows had
    more digits; then, as beyond 2^43, None says that this is not the way.
    """
    units = np.empty(len(column), np.int64)
    for at in range(0, len(column), _CHUNK):
        scaled = column.values[at : at + _CHUNK] * float(10**scale)
        rounded = np.rint(scaled)
        size = np.abs(scaled)
        if not (size <= 2.0**43).all() or not (np.abs(scaled - rounded) <= size * 2.0**-51).all():
            return None
        units[at : at + _CHUNK] = rounded
    return NumberColumn(column.name, FieldType.DECIMAL, units, column.valid, scale)


def decimals_of(column: NumberColumn) -> NumberColumn:
    """A column of reals as exact decimals where each has at most 6 fraction digits within the 15 that a spreadsheet keeps.

    Workbooks and JSON hold 0.1 + 0.2 as 0.30000000000000004; 15 significant digits is what their makers show and mean.
    """
    if column.type is not FieldType.REAL or not len(column):
        return column
    largest = float(np.abs(column.values).max())
    if not np.isfinite(largest):
        return column
    for scale in range(MAX_SCALE + 1):
        if largest * 10**scale > 2.0**53:
            return column
        scaled = column.values * 10.0**scale
        units = np.rint(scaled)
        if (np.abs(scaled - units) <= np.maximum(np.abs(scaled), 1e-300) * 4e-15).all():
            kind = FieldType.DECIMAL if scale else FieldType.WHOLE
            return NumberColumn(column.name, kind, units.astype(np.int64), column.valid, scale)
    return column


_ARROW = {
    FieldType.TEXT: pa.string(), FieldType.WHOLE: pa.int64(), FieldType.REAL: pa.float64(), FieldType.DATE: pa.date32(),
    FieldType.TIMESTAMP: pa.timestamp("us"), FieldType.YESNO: pa.bool_(),
}  # fmt: skip


def arrow_of(kind: FieldType, scale: int = 0) -> pa.DataType:
    """Arrow's type for values of one of ours."""
    return pa.decimal128(18, scale) if kind is FieldType.DECIMAL else _ARROW[kind]


def outside_calendar(values: pa.ChunkedArray) -> npt.NDArray[np.bool_] | None:
    """Which dates or time stamps lie outside the years 1 to 9999, shape (records,); None when none does."""
    if pa.types.is_timestamp(values.type):
        units = {"s": 86_400, "ms": 86_400_000, "us": MICROS_PER_DAY, "ns": MICROS_PER_DAY * 1000}[values.type.unit]
        stored = values.cast(pa.int64())
        low, high = FIRST_DAY * units, (LAST_DAY + 1) * units - 1
    elif pa.types.is_date(values.type):
        units = 1 if pa.types.is_date32(values.type) else 86_400_000
        stored = values.cast(pa.int32() if units == 1 else pa.int64()).cast(pa.int64())
        low, high = FIRST_DAY * units, (LAST_DAY + 1) * units - 1
    else:
        return None
    ends = pc.min_max(stored).as_py()
    if ends["min"] is None or (ends["min"] >= low and ends["max"] <= high):
        return None
    held = pc.fill_null(stored, 0).to_numpy()
    return np.asarray((held < low) | (held > high), np.bool_)


def fitted(name: str, values: pa.ChunkedArray) -> tuple[Column, CodedColumn | None]:
    """A typed Arrow column as one of ours, and as text where some of its values cannot be held: dates outside the calendar, which
    are blank then. Raises ReadError as `from_arrow` does."""
    outside = outside_calendar(values)
    if outside is None:
        return from_arrow(name, values), None
    keep = pa.array(~outside)
    clean = pa.chunked_array([pc.if_else(keep, values.combine_chunks(), pa.scalar(None, values.type))])
    # numpy's calendar goes on where the one of dates ends.
    unit = "D" if pa.types.is_date32(values.type) else "ms" if pa.types.is_date64(values.type) else values.type.unit
    stored = pc.fill_null(values.cast(pa.int32() if unit == "D" else pa.int64()), 0).to_numpy().astype(f"M8[{unit}]")
    said = pa.array(np.datetime_as_string(stored).astype(object), pa.string(), mask=~outside)
    column = from_arrow(name, clean)
    plain = column.coded()
    own = pa.array([plain.text(at) for at in range(len(plain))], pa.string())
    return column, coded_from_arrow(name, pa.chunked_array([pc.coalesce(said, own)]))


def from_arrow(name: str, values: pa.ChunkedArray) -> Column:
    """A typed Arrow column (from CSV, Parquet or another program) as one of ours.

    Whole numbers, exact decimals of up to 6 digits, reals, dates, time stamps without a zone, booleans and text, plain or
    dictionary-encoded; text also as views, and as bytes that are UTF-8, as some writers make it. Raises ReadError for other types
    (nested, other bytes, intervals).
    """
    values = as_text(name, values)
    kind = values.type
    if pa.types.is_dictionary(kind):
        if not (pa.types.is_string(kind.value_type) or pa.types.is_large_string(kind.value_type)):
            return from_arrow(name, values.cast(kind.value_type))
        return coded_from_arrow(name, values)
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return coded_from_arrow(name, values)
    if pa.types.is_null(kind):
        return coded_from_arrow(name, values.cast(pa.string()))
    if pa.types.is_boolean(kind):
        filled = pc.fill_null(values, False).to_numpy().astype(np.int32)
        return _coded_numbers(name, FieldType.YESNO, filled, _valid(values))
    if pa.types.is_date(kind):
        days = (
            pc.fill_null(values.cast(pa.date32()).cast(pa.int32()), 0)
            if values.null_count
            else values.cast(pa.date32()).cast(pa.int32())
        )
        return _coded_numbers(name, FieldType.DATE, days.to_numpy(), _valid(values))
    if pa.types.is_timestamp(kind):
        micros = pc.fill_null(values.cast(pa.timestamp("us", kind.tz), safe=False).cast(pa.int64()), 0)
        return NumberColumn(name, FieldType.TIMESTAMP, micros.to_numpy(), _valid(values))
    numbers = _numbers_from_arrow(name, values)
    if numbers is not None:
        return numbers
    raise ReadError(
        f"values of the type “{kind}” cannot be read.",
        where=f"Field “{name}”",
        todo="Leave the field out, or export it as text.",
    )


def _numbers_from_arrow(name: str, values: pa.ChunkedArray) -> Column | None:
    """Numbers of any kind; None for what are none."""
    kind = values.type
    if pa.types.is_uint64(kind) and len(values) and (pc.max(values).as_py() or 0) >= 1 << 63:
        # Whole numbers of more than 18 digits are names: text, in which no digit is lost.
        return coded_from_arrow(name, values.cast(pa.string()))
    if pa.types.is_integer(kind):
        return NumberColumn(
            name, FieldType.WHOLE, pc.fill_null(values, 0).to_numpy().astype(np.int64, copy=False), _valid(values)
        )
    if pa.types.is_decimal(kind) and 0 <= kind.scale <= MAX_SCALE:
        try:
            exact = (
                values if kind.bit_width == 128 and kind.precision <= 18 else values.cast(pa.decimal128(18, kind.scale))
            )
        except pa.ArrowInvalid:  # beyond the exact range: real, as the rules for values say
            return from_arrow(name, values.cast(pa.float64()))
        units = [decimal_units(chunk) for chunk in exact.chunks]
        joined = np.concatenate(units) if units else np.empty(0, np.int64)
        return NumberColumn(
            name, FieldType.DECIMAL if kind.scale else FieldType.WHOLE, joined, _valid(values), kind.scale
        )
    if pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        reals = values.cast(pa.float64())
        filled = pc.fill_null(reals, 0.0).to_numpy()
        valid = _valid(values)
        undefined = np.isnan(filled)
        if undefined.any():  # not a number is no value
            filled = np.where(undefined, 0.0, filled)
            valid = ~undefined if valid is None else valid & ~undefined
        return NumberColumn(name, FieldType.REAL, filled, valid)
    return None


def as_text(name: str, values: pa.ChunkedArray) -> pa.ChunkedArray:
    """Text that is held in another way, as text; anything else as it is. Raises ReadError for bytes that are no text."""
    kind = values.type
    if pa.types.is_string_view(kind):
        return values.cast(pa.large_string())
    if is_bytes(kind):
        try:
            return values.cast(pa.large_binary()).cast(pa.large_string())
        except pa.ArrowInvalid:
            raise ReadError(
                "its values are bytes that are no text.",
                where=f"Field “{name}”",
                todo="Leave the field out, or export it as text.",
            ) from None
    return values


def is_bytes(kind: pa.DataType) -> bool:
    """Whether an Arrow type is one of bytes without a meaning."""
    return bool(
        pa.types.is_binary(kind)
        or pa.types.is_large_binary(kind)
        or pa.types.is_binary_view(kind)
        or pa.types.is_fixed_size_binary(kind)
    )


def _valid(values: pa.ChunkedArray) -> npt.NDArray[np.bool_] | None:
    return values.is_valid().to_numpy() if values.null_count else None


def _coded_numbers(
    name: str, kind: FieldType, values: npt.NDArray[np.int32], valid: npt.NDArray[np.bool_] | None
) -> CodedColumn:
    """Codes by counting where the values lie close together, which dates and booleans do; by sorting otherwise."""
    known = values if valid is None else values[valid]
    if not len(known):
        return CodedColumn(name, np.zeros(len(values), np.uint8), Dictionary(kind, np.empty(0, np.int64)))
    low, high = int(known.min()), int(known.max())
    if high - low <= 1 << 22:
        chunks = range(0, len(values), _CHUNK)
        present = np.zeros(high - low + 1, np.bool_)
        for at in range(0, len(known), _CHUNK):
            present[known[at : at + _CHUNK] - low] = True
        different = np.flatnonzero(present) + low
        target = (np.cumsum(present) - 1).astype(smallest_codes(len(different)))
        codes: Codes = np.empty(len(values), smallest_codes(len(different)))
        for at in chunks:
            part = values[at : at + _CHUNK]
            codes[at : at + _CHUNK] = target[part - low if valid is None else np.clip(part, low, high) - low]
    else:
        different, inverse = np.unique(known, return_inverse=True)
        codes = np.zeros(len(values), smallest_codes(len(different)))
        codes[slice(None) if valid is None else valid] = inverse
    if valid is not None:
        codes[~valid] = len(different)
    members = different.astype(np.bool_) if kind is FieldType.YESNO else different.astype(np.int64)
    return CodedColumn(name, codes, Dictionary(kind, members))


def to_arrow(table: Table) -> pa.Table:
    """A table of ours as an Arrow table, types kept: text dictionary-encoded, decimals as decimal128(18, scale).

    A field with values that did not fit its type is given as the text that was read, so that nothing is lost.
    """
    return pa.table({name: as_arrow(table.texts.get(name, column)) for name, column in table.columns.items()})


def as_arrow(column: Column) -> pa.Array:
    """One column of ours as an Arrow array; see `to_arrow`."""
    if isinstance(column, CodedColumn):
        members = len(column.dictionary)
        indices = pa.array(column.codes.astype("int32"), mask=column.codes == members)
        if column.type is FieldType.TEXT:
            return pa.DictionaryArray.from_arrays(indices, column.dictionary.values)
        kind = pa.bool_() if column.type is FieldType.YESNO else pa.int32()
        values = pa.array(column.dictionary.values).cast(kind).take(indices)
        return values.cast(pa.date32()) if column.type is FieldType.DATE else values
    mask = None if column.valid is None else ~column.valid
    if column.type is FieldType.TIMESTAMP:
        return pa.array(column.values.view("M8[us]"), mask=mask)
    if column.type is not FieldType.DECIMAL:
        return pa.array(column.values, mask=mask)
    units = column.values.astype(np.int64, copy=False)
    words = units.repeat(2)
    words[1::2] = units >> 63  # the upper half of each 128-bit number is its sign
    blank = None if mask is None else pa.array(column.values, mask=mask).buffers()[0]
    return pa.Array.from_buffers(pa.decimal128(18, column.scale), len(column), [blank, pa.py_buffer(words)])
