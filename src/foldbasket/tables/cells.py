"""Columns from cells: Python values as workbooks, JSON and databases hand them over, gathered into typed columns."""

from __future__ import annotations

import datetime
import decimal
from collections.abc import Iterable, Sequence
from typing import Any, Literal

import numpy as np
import pyarrow as pa

from foldbasket.tables.column import CodedColumn, NumberColumn, coded_from_arrow
from foldbasket.tables.conversion import decimals_of, from_arrow
from foldbasket.tables.detection import Judged, judged, judged_as
from foldbasket.tables.types import MICROS_PER_DAY, FieldType

Judging = Literal["text", "dates", "none"]
"""Which text is judged for its type: all of it, only what may be dates (databases), or none."""

_UTC = datetime.UTC


class Gathered:
    """The values of one field, batch by batch. Values of one kind keep it; a mixture becomes text and is judged as such."""

    def __init__(self, name: str, before: int = 0) -> None:
        self.name = name
        self._chunks: list[tuple[str, pa.Array]] = []
        self._count = 0
        self.fill_to(before)

    def add(self, values: Sequence[Any]) -> None:
        """Takes the next values. None and empty text are blank."""
        self._chunks.append(_typed_chunk(values))
        self._count += len(values)

    def fill_to(self, count: int) -> None:
        """Blanks up to so many records."""
        if count > self._count:
            self._chunks.append(("blank", pa.nulls(count - self._count)))
            self._count = count

    def column(self, judging: Judging = "text", wanted: FieldType | None = None, loose: bool = False) -> Judged:
        """The column of all that was gathered. See `contract.gathered` for `loose`."""
        kinds = {kind for kind, _ in self._chunks} - {"blank"}
        if wanted is not None:
            return judged_as(coded_from_arrow(self.name, self._as_text()), wanted)
        if not kinds:
            return Judged(coded_from_arrow(self.name, pa.chunked_array([pa.nulls(self._count, pa.string())])))
        if kinds <= {"whole", "decimal", "real"}:
            return Judged(self._numbers(kinds, loose))
        if kinds <= {"date", "moment"}:
            moments = kinds == {"date", "moment"} or kinds == {"moment"}
            kind = pa.timestamp("us") if moments else pa.date32()
            column = from_arrow(self.name, self._joined(kind))
            return Judged(_days_where_midnight(column) if moments and loose else column)
        if kinds == {"yesno"}:
            return Judged(from_arrow(self.name, self._joined(pa.bool_())))
        text = coded_from_arrow(self.name, self._as_text())
        if judging == "none" or (judging == "dates" and kinds == {"text"} and not _may_be_dates(text)):
            return Judged(text)
        return judged(text)

    def _numbers(self, kinds: set[str], loose: bool) -> Any:
        if "real" not in kinds:
            scale = max((chunk.type.scale for kind, chunk in self._chunks if kind == "decimal"), default=0)
            if kinds == {"whole"}:
                return from_arrow(self.name, self._joined(pa.int64()))
            if scale <= 18:
                try:
                    return from_arrow(self.name, self._joined(pa.decimal128(38, scale)))
                except pa.ArrowInvalid:
                    pass
        column = from_arrow(self.name, self._joined(pa.float64()))
        return decimals_of(column) if loose and isinstance(column, NumberColumn) else column

    def _joined(self, kind: pa.DataType) -> pa.ChunkedArray:
        return pa.chunked_array([_cast(chunk, kind) for _, chunk in self._chunks], kind)

    def _as_text(self) -> pa.ChunkedArray:
        return pa.chunked_array(
            [pa.array([said_plainly(value) for value in chunk.to_pylist()], pa.string()) for _, chunk in self._chunks],
            pa.string(),
        )


def _cast(chunk: pa.Array, kind: pa.DataType) -> pa.Array:
    if pa.types.is_decimal(chunk.type) and pa.types.is_floating(kind):
        return chunk.cast(kind, safe=False)
    if pa.types.is_integer(chunk.type) and pa.types.is_decimal(kind):
        return chunk.cast(pa.decimal128(19, 0)).cast(kind)
    return chunk.cast(kind, safe=not pa.types.is_floating(kind))


def _kind_of(value: Any) -> str:
    if isinstance(value, str):
        return "text"
    if isinstance(value, bool):
        return "yesno"
    if isinstance(value, int):
        return "whole" if -(1 << 63) <= value < 1 << 63 else "text"
    if isinstance(value, float):
        return "real"
    if isinstance(value, decimal.Decimal):
        return "decimal" if value.is_finite() else "real"
    if isinstance(value, datetime.datetime):
        return "moment"
    return "date" if isinstance(value, datetime.date) else "text"


def _typed_chunk(values: Sequence[Any]) -> tuple[str, pa.Array]:
    """A kind and its Arrow array; mixtures of numbers become decimals or reals, other mixtures text."""
    known = [None if value is None or (isinstance(value, str) and not value.strip()) else value for value in values]
    types = {type(value) for value in known}
    types.discard(type(None))
    if types <= {str}:
        return ("text", pa.array(known, pa.string())) if types else ("blank", pa.nulls(len(known)))
    kinds = {_kind_of(value) for value in known if value is not None}
    try:
        if kinds == {"whole"}:
            return "whole", pa.array(known, pa.int64())
        if kinds == {"yesno"}:
            return "yesno", pa.array(known, pa.bool_())
        if kinds == {"date"}:
            return "date", pa.array(known, pa.date32())
        if kinds <= {"date", "moment"}:
            return "moment", pa.array([_moment(value) for value in known], pa.timestamp("us"))
        if kinds <= {"whole", "decimal"}:
            exact = [decimal.Decimal(value) if isinstance(value, int) else value for value in known]
            return "decimal", pa.array(exact)
        if kinds <= {"whole", "decimal", "real"}:
            return "real", pa.array([None if value is None else float(value) for value in known], pa.float64())
    except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError, ValueError):
        if kinds <= {"whole", "decimal"}:
            return "real", pa.array([None if value is None else float(value) for value in known], pa.float64())
    return "text", pa.array([said_plainly(value) for value in known], pa.string())


def _moment(value: Any) -> datetime.datetime | None:
    """A time stamp; one with a zone as its moment in UTC."""
    if value is None:
        return None
    if not isinstance(value, datetime.datetime):
        return datetime.datetime(value.year, value.month, value.day)
    return value.astimezone(_UTC).replace(tzinfo=None) if value.tzinfo is not None else value


def said_plainly(value: Any) -> str | None:
    """A value of a mixed field as text."""
    if value is None or isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.0f}" if value.is_integer() and abs(value) < 1e15 else f"{value:.15g}"
    if isinstance(value, decimal.Decimal):
        return f"{value:f}"
    if isinstance(value, datetime.datetime):
        moment = _moment(value)
        assert moment is not None
        return moment.date().isoformat() if moment.time() == datetime.time() else moment.isoformat(sep=" ")
    if isinstance(value, bytes | bytearray | memoryview):
        return bytes(value).hex()
    return str(value)


def _days_where_midnight(column: Any) -> Any:
    """Time stamps that are all midnights as dates: workbooks know only one kind of both."""
    day = MICROS_PER_DAY
    if not isinstance(column, NumberColumn) or not len(column) or (column.values % day).any():
        return column
    days = pa.array((column.values // day).astype(np.int32), mask=None if column.valid is None else ~column.valid)
    return from_arrow(column.name, pa.chunked_array([days.cast(pa.date32())]))


def _may_be_dates(text: CodedColumn) -> bool:
    members = text.dictionary.texts[:50]
    return bool(members) and all(len(member) >= 8 and member[:4].isdigit() and member[4] == "-" for member in members)


def records(rows: Iterable[Sequence[Any]], names: Sequence[str]) -> dict[str, list[Any]]:
    """Rows as lists of values by field; short rows are blank at their end."""
    values: dict[str, list[Any]] = {name: [] for name in names}
    lists = list(values.values())
    for row in rows:
        for at, gathering in enumerate(lists):
            gathering.append(row[at] if at < len(row) else None)
    return values
