"""What can be told about a field at a glance: blanks, different values, range, mean, distribution, most frequent values."""

from __future__ import annotations

import datetime

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.column import CodedColumn, Column, DeferredColumn, Dictionary, NumberColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.types import FieldType, canonical

SAMPLE = 100_000
BARS = 12
FREQUENT = 6
FEW = 0.02
"""Numbers have a commonest value worth telling when it stands on at least this share of the records."""
_MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


class Profile(msgspec.Struct, frozen=True):
    """`blanks` and `different` are None where counting would mean encoding or sorting every record of a long varied text.

    `shape` holds bar heights from 0 to 1: over time for dates, over value for numbers, over members, most frequent first,
    for text. `frequent` are the commonest values with their counts; `mean` is canonical text. All values are canonical.
    """

    blanks: int | None
    different: int | None
    smallest: str | None
    largest: str | None
    shape: tuple[float, ...]
    mean: str | None = None
    frequent: tuple[tuple[str, int], ...] = ()


def profile_of(column: Column) -> Profile:
    """The profile of a column. The shape and the commonest numbers are judged on at most 100,000 records at even steps."""
    if isinstance(column, DeferredColumn):
        return Profile(None, None, None, None, ())
    return _of_codes(column) if isinstance(column, CodedColumn) else _of_numbers(column)


def _of_codes(column: CodedColumn) -> Profile:
    members = len(column.dictionary)
    counts = np.bincount(column.codes, minlength=members + 1)
    return profile_of_members(column.dictionary, counts[:members], int(counts[members]))


def profile_of_members(dictionary: Dictionary, counts: npt.NDArray[np.int64], blanks: int) -> Profile:
    """The profile of a field by its members, how many records have each (shape: (members,)), and how many have none."""
    if not counts.all():  # members that no record has, as formulas leave them
        dictionary, counts = dictionary.of(np.flatnonzero(counts)), counts[counts > 0]
    members = len(dictionary)
    few = min(FREQUENT, members)
    top = np.argpartition(-counts, few - 1)[:few] if few else np.empty(0, np.int64)
    top = top[np.argsort(-counts[top], kind="stable")]
    frequent = tuple((dictionary.key(int(code)), int(counts[code])) for code in top)
    if dictionary.type is FieldType.TEXT:
        heights = np.sort(counts)[::-1][:BARS]
        return Profile(blanks, members, None, None, _scaled(heights), None, frequent)
    values = dictionary.values
    if not members:
        return Profile(blanks, 0, None, None, ())
    low, high = values.min().item(), values.max().item()
    order = np.argsort(values)
    if dictionary.type is FieldType.DATE:
        edges = np.linspace(low, high + 1, min(BARS, members) + 1)
        heights = np.histogram(values[order], edges, weights=counts[order])[0]
    else:
        heights = counts[order]
    return Profile(
        blanks,
        members,
        canonical(dictionary.type, low),
        canonical(dictionary.type, high),
        _scaled(heights),
        None,
        frequent,
    )


def _of_numbers(column: NumberColumn) -> Profile:
    values = column.values if column.valid is None else column.values[column.valid]
    if not len(values):
        return Profile(column.blank_count, 0, None, None, ())

    def said(value: float | int) -> str:
        return canonical(column.type, value, column.scale)

    sample = values[:: max(1, len(values) // SAMPLE)]
    heights = _bars(sample.astype(float))
    kept, counts = np.unique(sample, return_counts=True)
    mean = None
    if column.type.is_number:
        with np.errstate(invalid="ignore", over="ignore"):  # numbers beyond all others have no mean
            mean = f"{float(values.mean()) / 10.0**column.scale:.6g}"
    different = len(kept) if len(sample) == len(values) else _different(values, len(kept) / len(sample))
    frequent: tuple[tuple[str, int], ...] = ()
    if len(sample) == len(values) and counts.max() >= max(2, FEW * len(values)):
        top = np.argsort(-counts, kind="stable")[:FREQUENT]
        frequent = tuple((said(kept[at].item()), int(counts[at])) for at in top)
    return Profile(
        column.blank_count,
        different,
        said(values.min().item()),
        said(values.max().item()),
        _scaled(heights),
        mean,
        frequent,
    )


def _bars(sample: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
    """How many values fall into each of the bars between the usual smallest and largest; those beyond stand in the outer ones.

    Halves are subtracted, since the span of two numbers that can be held may be one that cannot; and values too close together for
    bars of any width stand in one.
    """
    sample = sample[np.isfinite(sample)]
    if not len(sample):
        return np.zeros(BARS, np.int64)
    low, high = np.percentile(sample / 2, [0.5, 95])
    if not high > low:
        return np.bincount([0], [len(sample)], BARS).astype(np.int64)
    places = np.clip((sample / 2 - low) / (high - low), 0, 1)
    return np.bincount(np.minimum((places * BARS).astype(np.int64), BARS - 1), minlength=BARS)


def _different(values: npt.NDArray, varied: float) -> int | None:
    """How many different values, unless a sample says that nearly all are."""
    return None if varied > 0.5 else int(pc.count_distinct(pa.array(values)).as_py())


def _scaled(heights: npt.NDArray) -> tuple[float, ...]:
    top = float(heights.max()) if len(heights) else 0.0
    return tuple(float(height) / top for height in heights) if top else ()


def summary(column: Column, profile: Profile | None) -> str:
    """A field in a few words: “text · 7 different”, “date · Oct 2024 – Sep 2026”, “money, 2 places”."""
    if column.type is FieldType.TEXT:
        if profile is None or profile.different is None:
            return "text"
        return f"text · {profile.different:,} different"
    if column.type is FieldType.DECIMAL:
        noun = "money" if nature_of(column) in (Nature.AMOUNT, Nature.PRICE) else "decimal"
        return f"{noun}, {column.scale} place{'s' if column.scale != 1 else ''}"
    if profile is None or profile.smallest is None or profile.largest is None or column.type is FieldType.YESNO:
        return column.type.value
    if column.type.is_time:
        return f"{column.type.value} · {_month(profile.smallest)} – {_month(profile.largest)}"
    low, high = (_short(text) for text in (profile.smallest, profile.largest))
    return f"{column.type.value} · {low} – {high}"


def _month(text: str) -> str:
    day = datetime.date.fromisoformat(text[:10])
    return f"{_MONTHS[day.month - 1]} {day.year}"


def _short(text: str) -> str:
    number = float(text)
    said = f"{number:,.0f}" if number.is_integer() and abs(number) < 1e15 else f"{number:,.4g}"
    return said.replace("-", "−")
