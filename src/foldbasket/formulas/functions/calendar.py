"""Functions and arithmetic of dates and time stamps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from foldbasket.formulas.function import DATE, NOTHING, NUMBER, TIMES, Function, Misfit, Said, listing
from foldbasket.formulas.values import Kind, Mask, Span, Vec, both
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql
from foldbasket.tables.types import FIRST_DAY, LAST_DAY, MICROS_PER_DAY, FieldType

UNITS = {
    "YEAR": Span(months=12),
    "QUARTER": Span(months=3),
    "MONTH": Span(months=1),
    "WEEK": Span(micros=7 * MICROS_PER_DAY),
    "DAY": Span(micros=MICROS_PER_DAY),
    "HOUR": Span(micros=3_600_000_000),
    "MINUTE": Span(micros=60_000_000),
    "SECOND": Span(micros=1_000_000),
}
"""What one of each unit of an interval is."""


def micros(vec: Vec) -> npt.NDArray[np.int64]:
    """Dates and time stamps as microseconds since 1970-01-01."""
    data = vec.data.astype(np.int64)
    return data * MICROS_PER_DAY if vec.type is FieldType.DATE else data


def days(vec: Vec) -> npt.NDArray[np.int64]:
    """Dates and time stamps as days since 1970-01-01."""
    data = vec.data.astype(np.int64)
    return data if vec.type is FieldType.DATE else data // MICROS_PER_DAY


def moved(vec: Vec, span: Span, sign: int) -> Vec:
    """Dates moved by an interval. Months keep the day of the month, or take the last one there is; hours on a date make a time
    stamp."""
    on, rest = days(vec), np.zeros(1, np.int64)
    if vec.type is FieldType.TIMESTAMP:
        rest = vec.data - on * MICROS_PER_DAY
    if span.months:
        months = on.astype("M8[D]").astype("M8[M]")
        of_month = on - months.astype("M8[D]").astype(np.int64)
        there = months + np.timedelta64(sign * span.months, "M")
        first = there.astype("M8[D]").astype(np.int64)
        length = (there + np.timedelta64(1, "M")).astype("M8[D]").astype(np.int64) - first
        on = first + np.minimum(of_month, length - 1)
    if vec.type is FieldType.DATE and span.micros % MICROS_PER_DAY == 0:
        made = on + sign * (span.micros // MICROS_PER_DAY)
        return Vec(FieldType.DATE, made, _in_calendar(made, vec), own=True)
    # Judged by whole days first: microseconds of a day far outside would pass 64 bits.
    near = _in_calendar(on, vec)
    on = on if near is None else np.where(near, on, 0)
    made = on * MICROS_PER_DAY + rest + sign * span.micros
    moment = Vec(FieldType.TIMESTAMP, made, near)
    return Vec(FieldType.TIMESTAMP, made, _in_calendar(made // MICROS_PER_DAY, moment), own=True)


def _in_calendar(on: npt.NDArray[np.int64], vec: Vec) -> Mask | None:
    """Which results are there: those of values that are, and that lie in the years 1 to 9999."""
    good = (on >= FIRST_DAY) & (on <= LAST_DAY)
    return vec.valid if good.all() else both(vec.valid, good)


def days_between(one: Vec, two: Vec) -> Vec:
    """The days from the second to the first: whole between dates, real where a time of day matters."""
    valid = both(one.valid, two.valid)
    if one.type is FieldType.DATE and two.type is FieldType.DATE:
        return Vec(FieldType.WHOLE, one.data.astype(np.int64) - two.data, valid, 0, 1 << 33, own=True)
    return Vec(FieldType.REAL, (micros(one) - micros(two)) / MICROS_PER_DAY, valid, own=True)


def part_of(unit: str, vec: Vec) -> npt.NDArray[np.int64]:
    """A part of each date as a number; weeks are those of ISO 8601."""
    on = days(vec)
    months = on.astype("M8[D]").astype("M8[M]").astype(np.int64) + 1970 * 12
    within = micros(vec) - on * MICROS_PER_DAY
    if unit == "YEAR":
        return months // 12
    if unit == "QUARTER":
        return months % 12 // 3 + 1
    if unit == "MONTH":
        return months % 12 + 1
    if unit == "DAY":
        return on - on.astype("M8[D]").astype("M8[M]").astype("M8[D]").astype(np.int64) + 1
    if unit == "WEEK":
        thursday = on - (on + 3) % 7 + 3  # a week belongs to the year of its Thursday
        january = thursday.astype("M8[D]").astype("M8[Y]").astype("M8[D]").astype(np.int64)
        return (thursday - january) // 7 + 1
    return (
        within
        // {"HOUR": 3_600_000_000, "MINUTE": 60_000_000, "SECOND": 1_000_000}[unit]
        % (24 if unit == "HOUR" else 60)
    )


@listing
class Extract(Function):
    name, nodes = "EXTRACT", ("Extract",)
    least = most = 2
    meaning = "A part of a date as a number: YEAR, QUARTER, MONTH, WEEK (ISO 8601), DAY, HOUR, MINUTE or SECOND."
    example = 'EXTRACT(YEAR FROM "Order date")'

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        unit = node.this.name.upper() if isinstance(node.this, exp.Var | exp.Column) else str(node.this).upper()
        return [exp.Literal.string(unit), node.expression]

    def inner(self, node: exp.Expression) -> list[exp.Expression]:
        return [node.this]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        if kinds[1] is not NOTHING and kinds[1] not in TIMES:
            raise Misfit(1, "a date or a time stamp")
        return NUMBER

    def evaluate(self, *vecs: Vec) -> Vec:
        unit, when = str(vecs[0].data[0]), vecs[1]
        return Vec(FieldType.WHOLE, part_of(unit, when), when.valid, 0, 1 << 20, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.part(given[0].sql.name, given[1].sql)


@listing
class CurrentDate(Function):
    """The as-of date, which the caller puts in."""

    name, nodes, least, most, gives = "CURRENT_DATE", ("CurrentDate",), 0, 0, DATE
    takes, reads = (TIMES,), frozenset()
    meaning, example = "The as-of date of the basket.", 'CURRENT_DATE - "Order date"'
