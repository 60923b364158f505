"""Parts of a date: periods, which have a place in time, and cycles, which repeat.

A part turns days (since 1970-01-01) into whole numbers whose order is the order of the part, and
says how such a number is written, as canonical text and for the reader. Weeks are those of ISO 8601.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from foldbasket.registry import Kinds
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, chosen, one_of, piece, text
from foldbasket.styling.dates import CALENDAR_YEAR, EPOCH, Fiscal
from foldbasket.tables.types import FIRST_DAY, LAST_DAY

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
    standing = 1000
    """Where it stands among those that are offered."""
    is_fiscal = False
    """Whether it is made by when the firm's year starts."""
    unit: str | None = None
    """The unit of time whose first day tells in which of the parts a day lies: year, quarter, month, week or day."""
    sorts_by_key = True
    """Whether its canonical texts sort as its numbers do."""
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

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        """The canonical text of the part of a date, as a server works it out. Raises NoSqlError where it does not."""
        raise NoSqlError(f"“{self.label}”")

    def order_in_sql(self, key: Sql) -> list[Sql]:
        """What a server sorts its members by, from their canonical text."""
        return [key]

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        """A period's number by its canonical text. Raises NoSqlError where servers cannot count it so."""
        raise NoSqlError(f"what stands beside a {self.name}")

    def last_day(self, number: int) -> int:
        """The last day of a period, in days since 1970-01-01; that of the calendar (9999-12-31) where it would end behind it."""
        try:
            return self.first_day(number + 1) - 1
        except (ValueError, OverflowError):
            return (datetime.date.max - EPOCH).days

    def first_day(self, number: int) -> int:
        """The first day of a period, as days since 1970-01-01, looked for among all days where a part has no quicker way. ValueError beyond the calendar."""
        low, high = FIRST_DAY, LAST_DAY + 1
        while low < high:
            middle = (low + high) // 2
            low, high = (middle + 1, high) if int(self.of(np.array([middle]))[0]) < number else (low, middle)
        if low > LAST_DAY:
            raise ValueError(f"{number} begins beyond the calendar")
        return low

    def first_known_day(self, number: int) -> int:
        """The first day of a period; that of the calendar (0001-01-01) where it would begin before it."""
        try:
            return max(self.first_day(number), FIRST_DAY)
        except (ValueError, OverflowError):
            return FIRST_DAY

    def a_day(self, number: int) -> int | None:
        """A day that its members are written by in a date pattern, as days since 1970-01-01; None for what is no date. ValueError
        beyond the calendar."""
        return self.first_day(number) if self.is_period else None

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


def months_of(days: Days) -> Days:
    return days.astype("M8[D]").astype("M8[M]").astype(np.int64) + 1970 * 12


def first_of_month(month: int) -> int:
    return (datetime.date(month // 12, month % 12 + 1, 1) - EPOCH).days


def month_in_sql(date: Sql, dialect: Dialect) -> Sql:
    """The month of a date as two digits."""
    return piece(dialect.day(date), 6, 2)


def split_in_sql(date: Sql, dialect: Dialect, lead: str, many: int, first: int = 1) -> Sql:
    """Which of so many equal pieces of the year, beginning with the month `first`, a date lies in, with a letter before it."""
    size = 12 // many
    cases = []
    for at in range(many):
        months = [text(f"{(first - 1 + at * size + step) % 12 + 1:02d}") for step in range(size)]
        cases.append((one_of(month_in_sql(date.copy(), dialect), months), text(f"{lead}{at + 1}")))
    return chosen(cases)


class Cycle(Part):
    """Base of the parts that repeat; their numbers stand for themselves."""

    is_period = False

    def number(self, *groups: int) -> int:
        return groups[0]

    def _example(self) -> tuple[int, ...]:
        return (2,)


KINDS: Kinds[type[Part]] = Kinds("part", "foldbasket.folding.members.parts")

P = TypeVar("P", bound=type[Part])


def part(kind: P) -> P:
    """Class decorator: enters a part under its name."""
    KINDS.enter(kind.name, kind)
    return kind


def parts_by(fiscal: Fiscal) -> dict[str, Part]:
    """Every part by its name, the fiscal ones by the firm's year."""
    return _made(fiscal, KINDS.version)


@lru_cache(maxsize=32)
def _made(fiscal: Fiscal, version: int) -> dict[str, Part]:
    made: list[Part] = [kind(fiscal) if kind.is_fiscal else kind() for kind in KINDS]  # type: ignore[call-arg]
    return {part.name: part for part in made}


class _Parts(Mapping[str, Part]):
    """Every part by its name, with fiscal years that are calendar years."""

    def __getitem__(self, name: str) -> Part:
        return parts_by(CALENDAR_YEAR)[name]

    def __iter__(self) -> Iterator[str]:
        return iter(parts_by(CALENDAR_YEAR))

    def __len__(self) -> int:
        return len(parts_by(CALENDAR_YEAR))


PARTS: Mapping[str, Part] = _Parts()
"""Every part by its name, with fiscal years that are calendar years: for what does not depend on when they start."""
