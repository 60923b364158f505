"""The types a field can have, and how the values of each are written as canonical text.

Canonical text is how baskets, filters and the command line name a value: text as it is, dates as ISO 8601,
decimals with their digits, yes/no as ``yes`` and ``no``. It never depends on a locale.
"""

from __future__ import annotations

import datetime
import enum
import re
from decimal import Context, Decimal, InvalidOperation

MAX_SCALE = 6
"""Largest number of fraction digits an exact decimal keeps."""

EPOCH = datetime.date(1970, 1, 1)


FIRST_DAY, LAST_DAY = (datetime.date.min - EPOCH).days, (datetime.date.max - EPOCH).days
"""The days of the calendar that can be held, as days since 1970-01-01: those of the years 1 to 9999."""
MICROS_PER_DAY = 86_400_000_000


class FieldType(enum.Enum):
    """The type of a field; the value is the word shown to the user."""

    TEXT = "text"
    WHOLE = "whole number"
    DECIMAL = "decimal"
    REAL = "real number"
    DATE = "date"
    TIMESTAMP = "time stamp"
    YESNO = "yes/no"

    @property
    def is_number(self) -> bool:
        return self in (FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL)

    @property
    def is_time(self) -> bool:
        return self in (FieldType.DATE, FieldType.TIMESTAMP)


_EXACT = Context(prec=100)


def shifted(value: Decimal, digits: int) -> Decimal:
    """Return value × 10^digits with all its digits, where Python's own arithmetic keeps 28."""
    return value.scaleb(digits, _EXACT)


def exact_decimal(units: int, scale: int) -> Decimal:
    """The decimal of a whole number of units of 10^-scale, with all its digits."""
    return shifted(Decimal(units), -scale)


def canonical(kind: FieldType, raw: int | float | str | bool, scale: int = 0) -> str:
    """Canonical text of one stored value.

    `raw` is the stored form: text, days since 1970-01-01, microseconds since then, units of 10^-scale, or a float.
    """
    if kind is FieldType.TEXT:
        return str(raw)
    if kind is FieldType.YESNO:
        return "yes" if raw else "no"
    if kind is FieldType.DATE:
        return (EPOCH + datetime.timedelta(days=int(raw))).isoformat()
    if kind is FieldType.TIMESTAMP:
        return (datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=int(raw))).isoformat(sep=" ")
    if kind is FieldType.REAL:
        return repr(float(raw))
    return f"{exact_decimal(int(raw), scale):f}"


def parse_canonical(kind: FieldType, text: str) -> str | Decimal | float | int | bool:
    """The value that canonical text names: text, exact Decimal for numbers, days, microseconds, or a bool.

    Raises ValueError with a sentence when `text` does not name a value of this type.
    """
    if kind is FieldType.TEXT:
        return text
    stripped = text.strip()
    if kind is FieldType.YESNO:
        if stripped.lower() in ("yes", "true"):
            return True
        if stripped.lower() in ("no", "false"):
            return False
        raise ValueError(f"“{text}” is neither yes nor no.")
    if kind is FieldType.DATE:
        try:
            return (datetime.date.fromisoformat(stripped) - EPOCH).days
        except ValueError:
            raise ValueError(f"“{text}” is not a date written as 2026-04-30.") from None
    if kind is FieldType.TIMESTAMP:
        try:
            moment = datetime.datetime.fromisoformat(stripped)
        except ValueError:
            raise ValueError(f"“{text}” is not a time stamp written as 2026-04-30 14:05:00.") from None
        return (moment.replace(tzinfo=None) - datetime.datetime(1970, 1, 1)) // datetime.timedelta(microseconds=1)
    if not re.fullmatch(r"[+\-−]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?", stripped):
        raise ValueError(f"“{text}” is not a number written as 1234.50.")
    try:
        number = Decimal(stripped.replace("−", "-"))
        if abs(number.adjusted()) > 400:
            raise ValueError(f"“{text}” is beyond every number that can be held.")
        return number
    except InvalidOperation:
        raise ValueError(f"“{text}” is not a number written as 1234.50.") from None
