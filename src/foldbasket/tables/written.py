"""How values are written: numbers, dates, time stamps and yes/no words in the notations that exports use.

Each function takes the different texts of a column (a dictionary, never the records) and returns stored values beside a
mask of the texts that could be read. What cannot be read is 0 under a False in the mask.
"""

from __future__ import annotations

from functools import cache
from typing import Literal

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.types import MAX_SCALE, MICROS_PER_DAY

Order = Literal["year month day", "day month year", "month day year"]
ORDERS: tuple[Order, ...] = ("year month day", "day month year", "month day year")
MAX_DIGITS = 18
"""Digits that always fit 64 bits; longer whole numbers are names, not amounts, and stay text."""

Bools = npt.NDArray[np.bool_]

_CODES = "EUR|USD|GBP|CHF|SEK|NOK|DKK|PLN|CZK|HUF|RON|BGN|ISK|TRY|CAD|AUD|NZD|JPY|CNY|INR|BRL|MXN|ZAR|ILS|SGD|HKD|KRW"
_CURRENCY = rf"(?:\p{{Sc}}|{_CODES})"
_SPACES = "\u00a0\u202f\u2009 '’"
MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
_TIME = (
    r"(?:[T ]+(?P<hour>\d{1,2}):(?P<minute>\d{2})(?::(?P<second>\d{2})(?:[.,](?P<part>\d{1,9}))?)?"
    r"(?: ?(?P<half>[AaPp])\.?[Mm]\.?)?)? ?(?P<zone>Z|[+-]\d{2}:?\d{2})?"
)
_WORDS = (("yes", "no"), ("true", "false"), ("y", "n"), ("ja", "nein"), ("oui", "non"), ("sí", "no"))
BLANK_WORDS = frozenset((
    "n/a", "na", "#n/a", "#na", "null", "nil", "none", "-", "--", "–", "—", "?", "??", "nan", "n.a.", "missing", "unknown", "tbd",
    "not available", "not known", "#value!", "#ref!", "#div/0!", "#null!", "(blank)", "(none)", "k.a.", "keine angabe",
))  # fmt: skip
"""Words, in lower case, that exports write where a value is missing."""


class Numbers(msgspec.Struct, frozen=True):
    """Numbers as read: `units` of 10^-`scale` where they are exact, else `reals`."""

    fits: Bools
    units: npt.NDArray[np.int64] | None
    reals: npt.NDArray[np.float64] | None
    scale: int
    are_percent: bool = False
    """Whether all of them were written with a percent sign."""


@cache
def _number_pattern(decimal_mark: str) -> str:
    thousands = f"[{_SPACES}{',' if decimal_mark == '.' else '.'}]"
    mark = r"\." if decimal_mark == "." else ","
    digits = rf"(?:\d{{1,3}}(?:{thousands}\d{{3}})+|\d+)"
    body = rf"(?:{digits}(?:{mark}\d*)?|{mark}\d+)(?:[eE][+-]?\d+)?"
    sign = r"[+\-−]?"
    return rf"^\(?\s*{sign}\s*{_CURRENCY}?\s*{sign}\s*{body}\s*(?:%|{_CURRENCY})?\s*[-−]?\)?$"


def number_fits(texts: pa.Array, decimal_mark: str = ".") -> Bools:
    """Which texts are numbers: with thousands separators, a currency sign, a trailing minus, parentheses or a percent sign.

    A number with a leading zero is a code, and one of more than 18 digits a name; neither is a number here.
    """
    trimmed = pc.utf8_trim_whitespace(texts)
    good = _mask(pc.match_substring_regex(trimmed, _number_pattern(decimal_mark)))
    good &= ~_mask(pc.match_substring_regex(trimmed, r"^[+\-−]?0\d|\(.*[^)]$|^[^(]*\)$"))
    if good.any():
        kept = _digits(trimmed, decimal_mark)
        exponent = _mask(pc.match_substring_regex(trimmed, r"\d[eE][+-]?\d"))
        whole = ~_mask(pc.match_substring(kept, "."))
        good &= ~(whole & (pc.utf8_length(kept).to_numpy(zero_copy_only=False) > MAX_DIGITS) & ~exponent)
    return good


def number_styles(texts: pa.Array) -> npt.NDArray[np.int64]:
    """A number for each text: 0 plain, 1 percent, and above that one for each currency sign or code met."""
    trimmed = pc.utf8_trim_whitespace(texts)
    found = pc.struct_field(pc.extract_regex(trimmed, rf"(?P<sign>%|{_CURRENCY})"), "sign")
    styles = np.zeros(len(texts), np.int64)
    encoded = pc.fill_null(found, "").dictionary_encode()
    signs = encoded.dictionary.to_pylist()
    number = np.array([0 if sign == "" else 1 if sign == "%" else at + 2 for at, sign in enumerate(signs)], np.int64)
    if len(styles):
        styles = number[encoded.indices.to_numpy()]
    return styles


def numbers_of(texts: pa.Array, decimal_mark: str = ".") -> Numbers:
    """The numbers that texts write. Decimals of at most 6 digits are exact; anything else makes all of them reals."""
    fits = number_fits(texts, decimal_mark)
    trimmed = pc.utf8_trim_whitespace(texts)
    negative = _mask(pc.match_substring_regex(trimmed, rf"^\(?\s*[-−]|{_CURRENCY}\s*[-−]|[-−]\)?$|^\("))
    percent = _mask(pc.match_substring(trimmed, "%"))
    are_percent = bool(fits.any() and percent[fits].all())
    exponent = _mask(pc.match_substring_regex(trimmed, r"\d[eE][+-]?\d"))
    kept = _digits(trimmed, decimal_mark)
    point = pc.find_substring(kept, ".").to_numpy(zero_copy_only=False)
    length = pc.utf8_length(kept).to_numpy(zero_copy_only=False)
    after = np.where(point >= 0, length - point - 1, 0) + np.where(percent, 2, 0)
    before = np.where(point >= 0, point, length)
    scale = int(after[fits].max()) if fits.any() else 0
    if (
        scale <= MAX_SCALE
        and (before[fits].max() if fits.any() else 0) + scale <= MAX_DIGITS
        and not exponent[fits].any()
    ):
        exact = _units(pc.if_else(pa.array(fits), kept, None), scale)
        units = np.where(percent, exact // 100, exact)
        return Numbers(fits, np.where(negative, -units, units), None, scale, are_percent)
    body = pc.struct_field(pc.extract_regex(trimmed, r"(?P<body>[0-9.,][^eE%]*?(?:[eE][+-]?\d+)?)[^0-9.,]*$"), "body")
    keep = r"[^0-9.eE+\-]" if decimal_mark == "." else r"[^0-9,eE+\-]"
    plain = pc.replace_substring_regex(pc.replace_substring_regex(body, keep, ""), r"[+-]$", "")
    plain = plain if decimal_mark == "." else pc.replace_substring(plain, ",", ".")
    reals = pc.fill_null(pc.if_else(pa.array(fits), plain, None).cast(pa.float64()), 0.0).to_numpy(zero_copy_only=False)
    return Numbers(fits, None, reals * np.where(negative, -1, 1) / np.where(percent, 100, 1), 0, are_percent)


def _digits(trimmed: pa.Array, decimal_mark: str) -> pa.Array:
    """Digits and the decimal mark, as a point."""
    kept = pc.replace_substring_regex(trimmed, r"[^0-9.]" if decimal_mark == "." else r"[^0-9,]", "")
    return kept if decimal_mark == "." else pc.replace_substring(kept, ",", ".")


def _units(plain: pa.Array, scale: int) -> npt.NDArray[np.int64]:
    exact = plain.cast(pa.decimal128(MAX_DIGITS + 2, scale))
    low = np.frombuffer(exact.buffers()[1], np.int64)[::2][: len(exact)]
    return np.where(exact.is_valid().to_numpy(zero_copy_only=False), low, 0)


def _mask(values: pa.Array) -> Bools:
    return np.asarray(pc.fill_null(values, False).to_numpy(zero_copy_only=False), np.bool_)


# --- dates ------------------------------------------------------------------


class Moments(msgspec.Struct, frozen=True):
    """Dates as read: `days` since 1970-01-01, `micros` since its midnight (UTC where a zone is written)."""

    fits: Bools
    days: npt.NDArray[np.int64]
    micros: npt.NDArray[np.int64]
    has_time: Bools
    numeric: Bools
    """Texts that write day and month as two numbers before the year, which one order alone decides."""


def moments_of(texts: pa.Array, order: Order = "day month year") -> Moments:
    """The dates and times that texts write, day and month as numbers read in the given order.

    A year of two digits lies between 1970 and 2069, as POSIX has it. Year first, and months by their English name, need
    no order.
    """
    trimmed = pc.utf8_trim_whitespace(texts)
    count = len(texts)
    fits = np.zeros(count, np.bool_)
    days, micros = np.zeros(count, np.int64), np.zeros(count, np.int64)
    has_time, numeric = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
    patterns = (
        (r"(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})", False),
        (r"(?P<y>\d{4})[/.](?P<m>\d{1,2})[/.](?P<d>\d{1,2})", False),
        (r"(?P<d>\d{1,2})[-/. ](?P<m>\d{1,2})[-/. ](?P<y>\d{4}|\d{2})", True),
        (r"(?:[A-Za-z]{2,9}\.?,? )?(?P<d>\d{1,2})(?:st|nd|rd|th)?\.?[- /]?(?P<m>[A-Za-z]{3,9})\.?,?[- /]?(?P<y>\d{4}|\d{2})", False),
        (r"(?P<m>[A-Za-z]{3,9})\.? (?P<d>\d{1,2})(?:st|nd|rd|th)?,? (?P<y>\d{4})", False),
    )  # fmt: skip
    for pattern, is_numeric in patterns:
        found = pc.extract_regex(trimmed, f"^{pattern}{_TIME}$")
        hit = found.is_valid().to_numpy(zero_copy_only=False) & ~fits
        if not hit.any():
            continue
        at = np.flatnonzero(hit)
        parts = found.take(pa.array(at))
        year, day = _integer(parts, "y"), _integer(parts, "d")
        month = _named_month(parts) if "A-Za-z]{3,9})" in pattern else _integer(parts, "m")
        short = pc.utf8_length(pc.struct_field(parts, "y")).to_numpy(zero_copy_only=False) == 2
        year = np.where(short, year + np.where(year < 70, 2000, 1900), year)
        if is_numeric and order == "month day year":
            day, month = month, day
        good, on = _calendar(year, month, day)
        time, timed, sensible = _time_of_day(parts)
        good &= sensible
        fits[at], days[at], has_time[at] = good, np.where(good, on, 0), timed
        micros[at] = np.where(good, on * MICROS_PER_DAY + time, 0)
        numeric[at] = is_numeric
    return Moments(fits, days, micros, has_time & fits, numeric & fits)


def _integer(parts: pa.Array, name: str) -> npt.NDArray[np.int64]:
    text = pc.struct_field(parts, name)
    known = pc.if_else(pc.equal(text, ""), "0", text)
    return np.asarray(known.cast(pa.int64()).to_numpy(zero_copy_only=False), np.int64)


def _named_month(parts: pa.Array) -> npt.NDArray[np.int64]:
    names = pc.struct_field(parts, "m").dictionary_encode()
    full = [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ]
    numbers = []
    for name in names.dictionary.to_pylist():
        short = name.lower()[:3]
        fine = short in MONTHS and (full[MONTHS.index(short)].startswith(name.lower()) or name.lower() == "sept")
        numbers.append(MONTHS.index(short) + 1 if fine else 0)
    return np.array(numbers, np.int64)[names.indices.to_numpy()]


def _calendar(
    year: npt.NDArray[np.int64], month: npt.NDArray[np.int64], day: npt.NDArray[np.int64]
) -> tuple[Bools, npt.NDArray[np.int64]]:
    good = (month >= 1) & (month <= 12) & (day >= 1) & (year >= 1)
    months = np.where(good, (year - 1970) * 12 + month - 1, 0)
    first = months.astype("M8[M]").astype("M8[D]").astype(np.int64)
    after = (months + 1).astype("M8[M]").astype("M8[D]").astype(np.int64)
    return good & (day <= after - first), first + day - 1


def _time_of_day(parts: pa.Array) -> tuple[npt.NDArray[np.int64], Bools, Bools]:
    hour, minute, second = (_integer(parts, name) for name in ("hour", "minute", "second"))
    timed = pc.utf8_length(pc.struct_field(parts, "hour")).to_numpy(zero_copy_only=False) > 0
    half = np.array([text.lower() for text in pc.struct_field(parts, "half").to_pylist()], object)
    afternoon, morning = half == "p", half == "a"
    sensible = (hour < 24) & (minute < 60) & (second < 60) & ~((afternoon | morning) & ((hour < 1) | (hour > 12)))
    hour = np.where(afternoon & (hour < 12), hour + 12, np.where(morning & (hour == 12), 0, hour))
    part = pc.utf8_slice_codeunits(pc.utf8_rpad(pc.struct_field(parts, "part"), 6, "0"), 0, 6)
    micro = np.asarray(part.cast(pa.int64()).to_numpy(zero_copy_only=False), np.int64)
    zones = pc.struct_field(parts, "zone").dictionary_encode()
    shifts = []
    for zone in zones.dictionary.to_pylist():
        bare = zone.replace(":", "")
        away = 0 if bare in ("", "Z") else (int(bare[1:3]) * 60 + int(bare[3:5])) * (-1 if bare[0] == "-" else 1)
        shifts.append(away)
    shift = np.array(shifts, np.int64)[zones.indices.to_numpy()] if len(shifts) else np.zeros(len(hour), np.int64)
    seconds = (hour * 60 + minute - shift) * 60 + second
    return seconds * 1_000_000 + micro, timed, sensible


# --- yes and no -------------------------------------------------------------


def yesno_of(texts: list[str]) -> tuple[Bools, Bools] | None:
    """Values and mask for texts in which one pair of words says yes and no; None when no pair is used."""
    lowered = [text.strip().lower() for text in texts]
    for yes, no in _WORDS:
        fits = np.array([text in (yes, no) for text in lowered], np.bool_)
        if not fits.any() or (len(yes) == 1 and not {yes, no} <= set(lowered)):
            continue
        if fits.all() or fits.mean() >= 0.4:
            return np.array([text == yes for text in lowered], np.bool_), fits
    return None
