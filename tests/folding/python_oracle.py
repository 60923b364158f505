"""Aggregates worked out in plain Python from the raw values of the records beneath a cell: an answer that shares no code.

Counts and decimals are exact (Fraction), so a result must equal them or lie within 1e-12 of them where it is a real.
"""

import datetime as dt
import math
from collections import Counter
from decimal import Decimal
from fractions import Fraction


def number(value):
    return Fraction(value) if isinstance(value, int | Decimal | float) else value


def percentile(values, share):
    ordered = sorted(map(number, values))
    place = Fraction(share) * (len(ordered) - 1)
    low = math.floor(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (place - low)


def variance(values, sample):
    many = len(values) - sample
    if not many:
        return None
    exact = [number(value) for value in values]
    mean = sum(exact) / len(exact)
    return sum((value - mean) ** 2 for value in exact) / many


def natural(text):
    """Labels in order: digits as numbers, letters without case first; enough for the texts that these tests draw."""
    import re

    return [(0, int(part)) if part.isdigit() else (1, part.casefold()) for part in re.findall(r"\d+|\D+", text)]


def said(value):
    return value if isinstance(value, str) else str(value)


def answer(aggregate, pairs, records, percent=90):
    """The aggregate over `pairs`: (value, weight, order value, position) of each record that counts; `records` is their count."""
    values = [value for value, *_ in pairs if value is not None]
    if aggregate == "count":
        return records
    if aggregate == "count values":
        return len(values)
    if aggregate == "count different":
        return len(set(values))
    if not values:
        return None
    if aggregate == "sum":
        return sum(map(number, values))
    if aggregate == "average":
        return sum(map(number, values)) / len(values)
    if aggregate == "weighted average":
        both = [
            (number(value), number(weight)) for value, weight, *_ in pairs if value is not None and weight is not None
        ]
        weights = sum(weight for _, weight in both)
        return sum(value * weight for value, weight in both) / weights if weights else None
    if aggregate == "median":
        return percentile(values, Fraction(1, 2))
    if aggregate == "percentile":
        return percentile(values, Fraction(percent) / 100)
    if aggregate == "mode":
        counts = Counter(values)
        return min(value for value in counts if counts[value] == max(counts.values()))
    if aggregate == "smallest":
        return min(values)
    if aggregate == "largest":
        return max(values)
    if aggregate == "range":
        span = max(values) - min(values)
        return span.days if isinstance(span, dt.timedelta) else span
    if aggregate in ("first", "last"):
        placed = [(order, at, value) for value, _, order, at in pairs if value is not None and order is not None]
        if not placed:
            return None
        chosen = (min if aggregate == "first" else max)(placed, key=lambda each: each[:2])
        return chosen[2]
    if aggregate == "product":
        found = math.prod(map(number, values))
        return found if abs(found) < 2**1023 else None  # beyond every number that can be held
    if aggregate in ("variance", "variance of all"):
        return variance(values, aggregate == "variance")
    if aggregate in ("standard deviation", "standard deviation of all"):
        found = variance(values, aggregate == "standard deviation")
        return None if found is None else ("root", found)
    if aggregate == "list":
        labels = sorted(set(map(said, values)), key=natural)
        more = len(labels) - 50
        return ", ".join(labels[:50]) + (f", … and {more:,} more" if more > 0 else "")
    raise AssertionError(aggregate)


def agrees(got, wanted):
    """Whether a cell's value is the answer: exactly for counts, decimals, text and dates, to 1e-12 for reals."""
    if wanted is None or got is None:
        return got is None and wanted is None
    if isinstance(wanted, tuple):
        return math.isclose(got, math.sqrt(wanted[1]), rel_tol=1e-11, abs_tol=1e-9)
    if isinstance(got, float):
        return math.isclose(got, float(wanted), rel_tol=1e-12, abs_tol=1e-12)
    if isinstance(got, int | Decimal) and not isinstance(got, bool):
        return Fraction(got) == wanted
    return got == wanted
