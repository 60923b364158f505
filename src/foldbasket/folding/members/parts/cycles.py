"""Cycles, which repeat: the month of the year, the weekday, the hour."""

from __future__ import annotations

from foldbasket.folding.members.parts.part import (
    MICROS_PER_HOUR,
    Cycle,
    Days,
    first_of_month,
    month_in_sql,
    months_of,
    part,
    split_in_sql,
)
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, piece
from foldbasket.styling.dates import month_name, weekday_name

A_YEAR = 2001
"""A year whose first day is a Monday, for writing what repeats."""


@part
class QuarterOfYear(Cycle):
    standing = 80
    name, label, key_form, every = "quarter of year", "Quarter of the year", r"Q([1-4])", range(1, 5)
    unit = "month"
    fineness = 2

    def of(self, days: Days) -> Days:
        return months_of(days) % 12 // 3 + 1

    def key(self, number: int) -> str:
        return f"Q{number}"

    def text(self, number: int, locale: str) -> str:
        return f"Q{number}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return split_in_sql(date, dialect, "Q", 4)

    def a_day(self, number: int) -> int | None:
        return first_of_month(A_YEAR * 12 + number * 3 - 3)


@part
class HalfOfYear(Cycle):
    standing = 70
    name, label, key_form, every = "half of year", "Half of the year", r"H([12])", range(1, 3)
    unit = "month"
    fineness = 1

    def of(self, days: Days) -> Days:
        return months_of(days) % 12 // 6 + 1

    def key(self, number: int) -> str:
        return f"H{number}"

    def text(self, number: int, locale: str) -> str:
        return f"H{number}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return split_in_sql(date, dialect, "H", 2)


@part
class MonthOfYear(Cycle):
    standing = 90
    name, label, key_form, every = "month of year", "Month of the year", r"(0[1-9]|1[0-2])", range(1, 13)
    unit = "month"
    fineness = 3

    def of(self, days: Days) -> Days:
        return months_of(days) % 12 + 1

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def text(self, number: int, locale: str) -> str:
        return month_name(number, locale)

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return month_in_sql(date, dialect)

    def a_day(self, number: int) -> int | None:
        return first_of_month(A_YEAR * 12 + number - 1)


@part
class Weekday(Cycle):
    """1 is Monday, as in ISO 8601."""

    standing = 100
    name, label, key_form, every = "weekday", "Weekday", r"([1-7])", range(1, 8)
    fineness = 5

    def of(self, days: Days) -> Days:
        return (days + 3) % 7 + 1

    def key(self, number: int) -> str:
        return str(number)

    def text(self, number: int, locale: str) -> str:
        return weekday_name(number - 1, locale)

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return dialect.weekday(date)

    def a_day(self, number: int) -> int | None:
        return first_of_month(A_YEAR * 12) + number - 1


@part
class Hour(Cycle):
    """The hour of the day, 0 to 23, of a time stamp."""

    standing = 110
    name, label, key_form, every = "hour", "Hour", r"([01]\d|2[0-3])", range(24)
    fineness = 6
    by_time = True

    def of(self, days: Days) -> Days:
        return days // MICROS_PER_HOUR % 24

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def text(self, number: int, locale: str) -> str:
        return f"{number:02d}:00"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return piece(dialect.day(date), 12, 2)
