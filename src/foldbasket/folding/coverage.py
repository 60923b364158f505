"""Which days the data of a date cover: from the first to the last that they hold, and to the end of the month, quarter or year where they are dated by those.

The as-of date has no part in it: that says what *today* is, not how far data go.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.formulas.evaluation import day_named, latest_day
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import Fold
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.column import Column, NumberColumn
from foldbasket.tables.table import Table
from foldbasket.tables.types import MICROS_PER_DAY, FieldType
from foldbasket.tables.unread import UnreadCoded, UnreadNumber, at_hand, is_still_made, streamed

SLACK = {"year": 7, "half": 5, "quarter": 4, "month": 3, "fiscal year": 7, "fiscal quarter": 4}
"""Parts of dates, and how many of their days may have no record at either end before they count as incomplete: nothing is sold on some days."""


class Coverage(msgspec.Struct, frozen=True):
    """The days that data cover, as days since 1970-01-01: from `first` to `last`; `latest` is the last that has a record."""

    first: int
    last: int
    latest: int

    @property
    def latest_day(self) -> datetime.date:
        """The last day that has a record."""
        return EPOCH + datetime.timedelta(days=self.latest)


def coverage_of(column: Column) -> Coverage | None:
    """Return what the values of a date or time stamp cover; None where it has none, or is no date. Of a column that is not in memory its ends are asked of
    where it is, and a sample tells by what it is dated; None also where nobody can tell without reading it. Raises ReadError."""
    if not column.type.is_time:
        return None
    stream = streamed(column)
    if stream is None:
        if is_still_made(column):
            return None
        days = _days(column)
        return _covered(days, int(days.min()), int(days.max())) if len(days) else None
    told = stream.span(column.name)
    ends = [_number(each) for each in (told.low, told.high)] if told is not None else [None, None]
    if ends[0] is None or ends[1] is None:
        return None
    sampled = isinstance(column, UnreadCoded | UnreadNumber) and column.unread.sample is not None
    return _covered(_days(at_hand(column)) if sampled else np.zeros(0, np.int64), ends[0], ends[1])


class Dates:
    """What relative dates of a source go by, and what its dates cover, each looked for once. `as_of` is a date, `today`, or the `latest` date of the field."""

    def __init__(self, source: Source, as_of: str) -> None:
        self._source, self._as_of = source, as_of
        self._covered: dict[FieldRef, Coverage | None] = {}
        self._latest: dict[FieldRef, datetime.date] = {}

    def as_of(self, ref: FieldRef) -> datetime.date:
        """The day that relative dates of a field go by; today where the field has no date. Raises FoldError, ReadError."""
        if self._as_of == "today":
            return datetime.date.today()
        if self._as_of != "latest":
            return day_named(self._as_of)
        if ref not in self._latest:
            column, covered = self._source.column(ref), self.coverage(ref)
            found = covered.latest_day if covered is not None else latest_day(column) if column.type.is_time else None
            self._latest[ref] = found or datetime.date.today()
        return self._latest[ref]

    def as_of_at_hand(self, ref: FieldRef) -> datetime.date | None:
        """The same, where it need not be looked for outside this machine's memory; else None."""
        if self._as_of == "latest" and ref not in self._latest and streamed(self._source.column(ref)) is not None:
            return None
        return self.as_of(ref)

    def coverage(self, ref: FieldRef) -> Coverage | None:
        """What the data of a date cover; None where they have no date. Raises ReadError."""
        if ref not in self._covered:
            self._covered[ref] = coverage_of(self._source.column(ref))
        return self._covered[ref]


def kept_days(
    fold: Fold,
    source: Source,
    on_days: Callable[[Source, FieldRef, Sequence[Filter]], list[str]],
    ref: FieldRef,
    days: npt.NDArray[np.int64],
) -> npt.NDArray[np.int64]:
    """Return those of some days of a date that the filters of a fold about it keep, and those about what means the same in other tables. `on_days` gives the
    days, as text, that filters keep of a source that has nothing but days. Raises FoldError."""
    alike = {ref, *(each for shared in source.shared if ref in shared.fields for each in shared.fields)}
    rules: list[Filter] = []
    for rule in fold.filters:
        about = set(rule.prepared(source).fields())
        if about == {ref}:
            rules.append(rule)
        elif about and about <= alike and isinstance(rule, OneField):
            rules.append(msgspec.structs.replace(rule, field=ref))  # type: ignore[type-var] # every kind is a struct
    if not rules or not len(days):
        return days
    own = Source({ref.table: _days_table(source, ref, days)}, fiscal=source.fiscal)
    kept = [datetime.date.fromisoformat(each) for each in on_days(own, ref, rules)]
    return np.array([(each - EPOCH).days for each in kept], np.int64)


def _days_table(source: Source, ref: FieldRef, days: npt.NDArray[np.int64]) -> Table:
    """A table with a record for each of some days, in a field of the type and under the names of a date of a source."""
    kind = source.column(ref).type
    if kind is FieldType.TIMESTAMP:
        column: Column = NumberColumn(ref.field, kind, days * MICROS_PER_DAY + MICROS_PER_DAY // 2)
    else:
        column = NumberColumn(ref.field, kind, days).coded()
    return Table(source.called(ref.table), {ref.field: column})


def _days(column: Column) -> npt.NDArray[np.int64]:
    """The different days of a column in memory."""
    if isinstance(column, NumberColumn):
        values = column.values if column.valid is None else column.values[column.valid]
        return np.unique(values.astype(np.int64) // MICROS_PER_DAY)
    return np.asarray(column.dictionary.values, np.int64)


def _number(value: object) -> int | None:
    if isinstance(value, datetime.datetime):
        value = value.date()
    return (value - EPOCH).days if isinstance(value, datetime.date) else None


def _covered(days: npt.NDArray[np.int64], first: int, last: int) -> Coverage:
    """What is covered by data from one day to another, of which some are known."""
    months = days.astype("M8[D]").astype("M8[M]")
    if len(days) < 2 or (months.astype("M8[D]").astype(np.int64) != days).any():
        return Coverage(first, last, last)
    numbers = months.astype(np.int64)
    step = next(each for each in (12, 6, 3, 1) if not ((numbers - numbers[0]) % each).any())
    after = np.datetime64(last, "D").astype("M8[M]") + step
    return Coverage(first, int(after.astype("M8[D]").astype(np.int64)) - 1, last)
