"""Parts of a date: periods, which have a place in time, and cycles, which repeat.

One class a part. A part turns days (since 1970-01-01) into whole numbers whose order is the order of the part, and
says how such a number is written, as canonical text and for the reader. Weeks are those of ISO 8601.
"""

from __future__ import annotations

import datetime
import re

import numpy as np
import numpy.typing as npt

from foldbasket.styling.dates import EPOCH, day_text, month_name, weekday_name

Days = npt.NDArray[np.int64]


class Part:
    """Base of all parts. `name` is what the document says, `label` what the sentence says before “of order date”."""

    name: str
    label: str
    is_period: bool
    key_form: str
    """A regular expression whose groups are the numbers in the canonical text."""

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


class Year(Part):
    name, label, is_period, key_form = "year", "Year", True, r"(\d{4})"

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

    def of(self, days: Days) -> Days:
        return (days + 3) // 7

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


class QuarterOfYear(Part):
    name, label, is_period, key_form = "quarter of year", "Quarter of the year", False, r"Q([1-4])"

    def of(self, days: Days) -> Days:
        return _months(days) % 12 // 3 + 1

    def key(self, number: int) -> str:
        return f"Q{number}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return f"Q{number}"

    def _example(self) -> tuple[int, ...]:
        return (2,)


class HalfOfYear(Part):
    name, label, is_period, key_form = "half of year", "Half of the year", False, r"H([12])"

    def of(self, days: Days) -> Days:
        return _months(days) % 12 // 6 + 1

    def key(self, number: int) -> str:
        return f"H{number}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return f"H{number}"

    def _example(self) -> tuple[int, ...]:
        return (2,)


class MonthOfYear(Part):
    name, label, is_period, key_form = "month of year", "Month of the year", False, r"(0[1-9]|1[0-2])"

    def of(self, days: Days) -> Days:
        return _months(days) % 12 + 1

    def key(self, number: int) -> str:
        return f"{number:02d}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return month_name(number, locale)

    def _example(self) -> tuple[int, ...]:
        return (4,)


class Weekday(Part):
    """1 is Monday, as in ISO 8601."""

    name, label, is_period, key_form = "weekday", "Weekday", False, r"([1-7])"

    def of(self, days: Days) -> Days:
        return (days + 3) % 7 + 1

    def key(self, number: int) -> str:
        return str(number)

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return weekday_name(number - 1, locale)

    def _example(self) -> tuple[int, ...]:
        return (2,)


PARTS: dict[str, Part] = {
    part.name: part
    for part in (
        Year(),
        Half(),
        Quarter(),
        Month(),
        Week(),
        Day(),
        HalfOfYear(),
        QuarterOfYear(),
        MonthOfYear(),
        Weekday(),
    )
}
