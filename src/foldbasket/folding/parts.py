"""Parts of a date: periods, which have a place in time, and cycles, which repeat.

One class a part; to add one, add a class here. A part turns days (since 1970-01-01) into whole numbers whose order is the order of the part, and
says how such a number is written, as canonical text and for the reader. Weeks are those of ISO 8601.
"""

from __future__ import annotations

import datetime
import re
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from foldbasket.styling.dates import CALENDAR_YEAR, EPOCH, Fiscal, day_text, month_name, weekday_name

Days = npt.NDArray[np.int64]
MICROS_PER_HOUR = 3_600_000_000


class Part:
    """Base of all parts. `name` is what the document says, `label` what the sentence says before “of order date”."""

    name: str
    label: str
    is_period: bool
    key_form: str
    """A regular expression whose groups are the numbers in the canonical text."""
    fineness: int | None = None
    """How fine it is among the parts of dates, from 0 for years; None for what is no part of a date."""
    a_year = 0
    """How many of a period make a year; 0 where that is no whole number."""
    every: range = range(0)
    """All numbers of a cycle, in calendar order."""
    last: int | None = None
    """A number that stands last in either direction, such as that of values outside all bands."""
    by_time = False
    """Whether it needs the time of day: `of` then takes microseconds since 1970-01-01."""

    def of(self, days: Days) -> Days:
        """The part's number for each day."""
        raise NotImplementedError

    def key(self, number: int) -> str:
        """Canonical text of one of the part's numbers."""
        raise NotImplementedError

    def number(self, *groups: int) -> int:
        """The part's number from the numbers in its canonical text; the inverse of `key`."""
        raise NotImplementedError

    def text(self, number: int, locale: str) -> str:
        """What the reader sees."""
        raise NotImplementedError

    def first_day(self, number: int) -> int:
        """The first day of a period, as days since 1970-01-01. ValueError beyond the calendar."""
        raise NotImplementedError

    def parse(self, key: str) -> int:
        """The number that canonical text names. ValueError with a sentence when it names none."""
        match = re.fullmatch(self.key_form, key.strip())
        if match is None:
            raise ValueError(
                f"“{key}” is not a {self.label.lower()} written like {self.key(self.number(*self._example()))}."
            )
        return self.number(*(int(group) for group in match.groups()))

    def _example(self) -> tuple[int, ...]:
        return (2026, 2)[: re.compile(self.key_form).groups]


def _months(days: Days) -> Days:
    return days.astype("M8[D]").astype("M8[M]").astype(np.int64) + 1970 * 12


def _first_of_month(month: int) -> int:
    return (datetime.date(month // 12, month % 12 + 1, 1) - EPOCH).days


class Year(Part):
    name, label, is_period, key_form = "year", "Year", True, r"(\d{4})"
    fineness = 0
    a_year = 1

    def first_day(self, number: int) -> int:
        return _first_of_month(number * 12)

    def of(self, days: Days) -> Days:
        return _months(days) // 12

    def key(self, number: int) -> str:
        return f"{number:04d}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return str(number)


class Half(Part):
    name, label, is_period, key_form = "half", "Half-year", True, r"(\d{4})-H([12])"
    fineness = 1
    a_year = 2

    def first_day(self, number: int) -> int:
        return _first_of_month(number * 6)

    def of(self, days: Days) -> Days:
        return _months(days) // 6

    def key(self, number: int) -> str:
        return f"{number // 2:04d}-H{number % 2 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 2 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"H{number % 2 + 1} {number // 2}"


class Quarter(Part):
    name, label, is_period, key_form = "quarter", "Quarter", True, r"(\d{4})-Q([1-4])"
    fineness = 2
    a_year = 4

    def first_day(self, number: int) -> int:
        return _first_of_month(number * 3)

    def of(self, days: Days) -> Days:
        return _months(days) // 3

    def key(self, number: int) -> str:
        return f"{number // 4:04d}-Q{number % 4 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 4 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"Q{number % 4 + 1} {number // 4}"


class Month(Part):
    name, label, is_period, key_form = "month", "Month", True, r"(\d{4})-(0[1-9]|1[0-2])"
    fineness = 3
    a_year = 12

    def first_day(self, number: int) -> int:
        return _first_of_month(number)

    def of(self, days: Days) -> Days:
        return _months(days)

    def key(self, number: int) -> str:
        return f"{number // 12:04d}-{number % 12 + 1:02d}"

    def number(self, *groups: int) -> int:
        return groups[0] * 12 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"{month_name(number % 12 + 1, locale, 'abbreviated')} {number // 12}"


class Week(Part):
    """Numbered by its Monday, counted in weeks since the Monday before 1970-01-01."""

    name, label, is_period, key_form = "week", "Week", True, r"(\d{4})-W(0[1-9]|[1-4]\d|5[0-3])"
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


class Day(Part):
    name, label, is_period, key_form = "day", "Day", True, r"\d{4}-\d{2}-\d{2}"
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


class Cycle(Part):
    """Base of the parts that repeat; their numbers stand for themselves."""

    is_period = False

    def number(self, *groups: int) -> int:
        return groups[0]

    def _example(self) -> tuple[int, ...]:
        return (2,)


class QuarterOfYear(Cycle):
    name, label, key_form, every = "quarter of year", "Quarter of the year", r"Q([1-4])", range(1, 5)
    fineness = 2

    def of(self, days: Days) -> Days:
        return _months(days) % 12 // 3 + 1

    def key(self, number: int) -> str:
        return f"Q{number}"

    def text(self, number: int, locale: str) -> str:
        return f"Q{number}"


class HalfOfYear(Cycle):
    name, label, key_form, every = "half of year", "Half of the year", r"H([12])", range(1, 3)
    fineness = 1

    def of(self, days: Days) -> Days:
        return _months(days) % 12 // 6 + 1

    def key(self, number: int) -> str:
        return f"H{number}"

    def text(self, number: int, locale: str) -> str:
        return f"H{number}"


class MonthOfYear(Cycle):
    name, label, key_form, every = "month of year", "Month of the year", r"(0[1-9]|1[0-2])", range(1, 13)
    fineness = 3

    def of(self, days: Days) -> Days:
        return _months(days) % 12 + 1

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def text(self, number: int, locale: str) -> str:
        return month_name(number, locale)


class Weekday(Cycle):
    """1 is Monday, as in ISO 8601."""

    name, label, key_form, every = "weekday", "Weekday", r"([1-7])", range(1, 8)
    fineness = 5

    def of(self, days: Days) -> Days:
        return (days + 3) % 7 + 1

    def key(self, number: int) -> str:
        return str(number)

    def text(self, number: int, locale: str) -> str:
        return weekday_name(number - 1, locale)


class Hour(Cycle):
    """The hour of the day, 0 to 23, of a time stamp."""

    name, label, key_form, every = "hour", "Hour", r"([01]\d|2[0-3])", range(24)
    fineness = 6
    by_time = True

    def of(self, days: Days) -> Days:
        return days // MICROS_PER_HOUR % 24

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def text(self, number: int, locale: str) -> str:
        return f"{number:02d}:00"


class FiscalPart(Part):
    """Base of the parts that go by the firm's own year. `_months` are counted so that its first month is a January."""

    def __init__(self, fiscal: Fiscal) -> None:
        self.fiscal = fiscal
        self._shift = 12 * fiscal.ahead - (fiscal.month - 1)

    def _fiscal_months(self, days: Days) -> Days:
        return _months(days) + self._shift


class FiscalYear(FiscalPart):
    name, label, is_period, key_form = "fiscal year", "Fiscal year", True, r"FY(\d{4})"
    fineness = 0
    a_year = 1

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) // 12

    def key(self, number: int) -> str:
        return f"FY{number:04d}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return f"FY {number}"

    def first_day(self, number: int) -> int:
        return _first_of_month(number * 12 - self._shift)


class FiscalQuarter(FiscalPart):
    name, label, is_period, key_form = "fiscal quarter", "Fiscal quarter", True, r"FY(\d{4})-Q([1-4])"
    fineness = 2
    a_year = 4

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) // 3

    def key(self, number: int) -> str:
        return f"FY{number // 4:04d}-Q{number % 4 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 4 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"Q{number % 4 + 1} FY {number // 4}"

    def first_day(self, number: int) -> int:
        return _first_of_month(number * 3 - self._shift)


class FiscalQuarterOfYear(FiscalPart, Cycle):
    name, label, key_form, every = "fiscal quarter of year", "Quarter of the fiscal year", r"Q([1-4])", range(1, 5)
    fineness = 2

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) % 12 // 3 + 1

    def key(self, number: int) -> str:
        return f"Q{number}"

    def text(self, number: int, locale: str) -> str:
        return f"Q{number}"


class FiscalMonthOfYear(FiscalPart, Cycle):
    """Months by their place in the fiscal year, under their calendar names."""

    name, label, key_form, every = "fiscal month of year", "Month of the fiscal year", r"(0[1-9]|1[0-2])", range(1, 13)
    fineness = 3

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) % 12 + 1

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def text(self, number: int, locale: str) -> str:
        return month_name((number + self.fiscal.month - 2) % 12 + 1, locale)


_CALENDAR: tuple[type[Part], ...] = (
    Year,
    Half,
    Quarter,
    Month,
    Week,
    Day,
    HalfOfYear,
    QuarterOfYear,
    MonthOfYear,
    Weekday,
    Hour,
)
_FISCAL: tuple[type[FiscalPart], ...] = (FiscalYear, FiscalQuarter, FiscalQuarterOfYear, FiscalMonthOfYear)


@lru_cache(maxsize=32)
def parts_by(fiscal: Fiscal) -> dict[str, Part]:
    """Every part by its name, the fiscal ones by the firm's year."""
    made: list[Part] = [part() for part in _CALENDAR] + [part(fiscal) for part in _FISCAL]
    return {part.name: part for part in made}


PARTS = parts_by(CALENDAR_YEAR)
"""Every part by its name, with fiscal years that are calendar years: for what does not depend on when they start."""
