"""Dates and their parts as the reader sees them, through Babel's patterns for the locale."""

from __future__ import annotations

import datetime
from functools import lru_cache
from typing import Annotated, Literal

import msgspec
from babel import Locale
from babel.dates import format_date, format_datetime, get_month_names

from foldbasket.errors import PatternError

EPOCH = datetime.date(1970, 1, 1)


class Fiscal(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The firm's fiscal year: the month it starts in, and whether it carries the year in which it ends or starts."""

    month: Annotated[int, msgspec.Meta(ge=1, le=12)] = 1
    named: Literal["end", "start"] = "end"

    @property
    def ahead(self) -> int:
        """How many years the name of a fiscal year is ahead of the calendar year it starts in."""
        return 1 if self.named == "end" and self.month > 1 else 0


CALENDAR_YEAR = Fiscal()


@lru_cache(maxsize=100_000)
def day_text(days: int, locale: str) -> str:
    """A day, given as days since 1970-01-01, like “2 Apr 2026”."""
    day = EPOCH + datetime.timedelta(days=days)
    return str(format_date(day, "d MMM y" if locale.startswith("en") else "medium", locale=locale))


def moment_text(micros: int, locale: str) -> str:
    """A time stamp, given as microseconds since 1970-01-01."""
    moment = datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=micros)
    pattern = "d MMM y HH:mm:ss" if moment.second or moment.microsecond else "d MMM y HH:mm"
    return str(format_datetime(moment, pattern, locale=locale))


def check_dates(pattern: str) -> None:
    """Raises PatternError for what is no LDML date pattern."""
    dates_text(datetime.datetime(2026, 4, 30, 14, 5), pattern, "en")


def dates_text(when: datetime.datetime, pattern: str, locale: str) -> str:
    """A date or moment in an LDML pattern, such as MMM y. Raises PatternError for what is none."""
    try:
        return str(format_datetime(when, pattern, locale=locale))
    except (ValueError, KeyError, IndexError, AttributeError, NotImplementedError) as error:
        raise PatternError(
            f"“{pattern}” is not a date pattern ({error}).", todo="Write it like d MMM y or QQQ y."
        ) from None


def month_name(month: int, locale: str, width: Literal["wide", "abbreviated"] = "wide") -> str:
    """The name of month 1 to 12, standing alone; `width` is wide or abbreviated."""
    return str(get_month_names(width, context="stand-alone", locale=locale)[month])


def weekday_name(weekday: int, locale: str) -> str:
    """The name of weekday 0 (Monday) to 6, standing alone."""
    return str(Locale.parse(locale).days["stand-alone"]["wide"][weekday])
