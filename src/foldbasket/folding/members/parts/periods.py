"""Periods, which have a place in time: years, quarters, months, weeks, days."""

from __future__ import annotations

import datetime

from foldbasket.folding.members.parts.part import Days, Part, first_of_month, months_of, part, split_in_sql
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, joined, piece, times_plus
from foldbasket.styling.dates import EPOCH, day_text, month_name


@part
class Year(Part):
    standing = 10
    name, label, is_period, key_form = "year", "Year", True, r"(\d{4})"
    unit = "year"
    fineness = 0
    a_year = 1

    def first_day(self, number: int) -> int:
        return first_of_month(number * 12)

    def of(self, days: Days) -> Days:
        return months_of(days) // 12

    def key(self, number: int) -> str:
        return f"{number:04d}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return str(number)

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return piece(dialect.day(date), 1, 4)

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return dialect.whole(key)


@part
class Half(Part):
    standing = 20
    name, label, is_period, key_form = "half", "Half-year", True, r"(\d{4})-H([12])"
    unit = "month"
    fineness = 1
    a_year = 2

    def first_day(self, number: int) -> int:
        return first_of_month(number * 6)

    def of(self, days: Days) -> Days:
        return months_of(days) // 6

    def key(self, number: int) -> str:
        return f"{number // 2:04d}-H{number % 2 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 2 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"H{number % 2 + 1} {number // 2}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return joined(piece(dialect.day(date), 1, 4), split_in_sql(date, dialect, "-H", 2))

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return times_plus(dialect.whole(piece(key, 1, 4)), 2, dialect.whole(piece(key.copy(), 7, 1)))


@part
class Quarter(Part):
    standing = 30
    name, label, is_period, key_form = "quarter", "Quarter", True, r"(\d{4})-Q([1-4])"
    unit = "quarter"
    fineness = 2
    a_year = 4

    def first_day(self, number: int) -> int:
        return first_of_month(number * 3)

    def of(self, days: Days) -> Days:
        return months_of(days) // 3

    def key(self, number: int) -> str:
        return f"{number // 4:04d}-Q{number % 4 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 4 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"Q{number % 4 + 1} {number // 4}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return joined(piece(dialect.day(date), 1, 4), split_in_sql(date, dialect, "-Q", 4))

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return times_plus(dialect.whole(piece(key, 1, 4)), 4, dialect.whole(piece(key.copy(), 7, 1)))


@part
class Month(Part):
    standing = 40
    name, label, is_period, key_form = "month", "Month", True, r"(\d{4})-(0[1-9]|1[0-2])"
    unit = "month"
    fineness = 3
    a_year = 12

    def first_day(self, number: int) -> int:
        return first_of_month(number)

    def of(self, days: Days) -> Days:
        return months_of(days)

    def key(self, number: int) -> str:
        return f"{number // 12:04d}-{number % 12 + 1:02d}"

    def number(self, *groups: int) -> int:
        return groups[0] * 12 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"{month_name(number % 12 + 1, locale, 'abbreviated')} {number // 12}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return piece(dialect.day(date), 1, 7)

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return times_plus(dialect.whole(piece(key, 1, 4)), 12, dialect.whole(piece(key.copy(), 6, 2)))


@part
class Week(Part):
    """Numbered by its Monday, counted in weeks since the Monday before 1970-01-01."""

    standing = 50
    name, label, is_period, key_form = "week", "Week", True, r"(\d{4})-W(0[1-9]|[1-4]\d|5[0-3])"
    unit = "week"
    fineness = 4

    def of(self, days: Days) -> Days:
        return (days + 3) // 7

    def first_day(self, number: int) -> int:
        return number * 7 - 3

    def _iso(self, number: int) -> tuple[int, int]:
        year, week, _ = (EPOCH + datetime.timedelta(days=number * 7 - 3)).isocalendar()
        return year, week

    def key(self, number: int) -> str:
        year, week = self._iso(number)
        return f"{year:04d}-W{week:02d}"

    def number(self, *groups: int) -> int:
        return ((datetime.date.fromisocalendar(groups[0], groups[1], 1) - EPOCH).days + 3) // 7

    def text(self, number: int, locale: str) -> str:
        year, week = self._iso(number)
        return f"W{week:02d} {year}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return dialect.week(date)


@part
class Day(Part):
    standing = 60
    name, label, is_period, key_form = "day", "Day", True, r"\d{4}-\d{2}-\d{2}"
    unit = "day"
    fineness = 5

    def first_day(self, number: int) -> int:
        return number

    def of(self, days: Days) -> Days:
        return days

    def key(self, number: int) -> str:
        return (EPOCH + datetime.timedelta(days=number)).isoformat()

    def number(self, *groups: int) -> int:
        return groups[0] if groups else 0

    def parse(self, key: str) -> int:
        try:
            return (datetime.date.fromisoformat(key.strip()) - EPOCH).days
        except ValueError:
            raise ValueError(f"“{key}” is not a day written like 2026-04-30.") from None

    def text(self, number: int, locale: str) -> str:
        return day_text(number, locale)

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return piece(dialect.day(date), 1, 10)
