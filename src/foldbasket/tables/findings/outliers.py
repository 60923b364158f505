"""Values far away from all others: dates outside the years of the rest, amounts beyond all others."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
import numpy.typing as npt

from foldbasket.tables.column import CodedColumn, NumberColumn, blank_mask, weights_of
from foldbasket.tables.findings.finding import Finding, Offer, Records, finder, records_of, some
from foldbasket.tables.findings.rows import totals_in
from foldbasket.tables.mending.texts import ReplaceValues
from foldbasket.tables.nature import nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import EPOCH, FieldType, canonical

GAP = 8.0
"""An amount stands alone when it is so many times the next smaller one …"""
MOST_ALONE = 0.005
"""… and no more than this share of the records stand with it (or five records)."""
FEWEST = 30
SAMPLE = 100_000
LISTED = 200


@finder("outliers", 50, by_member=True)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    for column in table.columns.values():
        if isinstance(column, CodedColumn) and column.type is FieldType.DATE:
            yield from _dates(column)
        elif isinstance(column, NumberColumn) and nature_of(column).is_measured:
            totals = totals_in(table)
            yield from _amounts(column, totals.mask if totals is not None else None)


def _dates(column: CodedColumn) -> Iterator[Finding]:
    weights = weights_of(column)
    total = int(weights.sum())
    if total < FEWEST:
        return
    days = column.dictionary.values
    order = np.argsort(days)
    reached = np.cumsum(weights[order])
    low, high = (int(days[order][np.searchsorted(reached, share * total)]) for share in (0.02, 0.98))
    margin = max(366, (high - low) // 2)
    odd = ((days < low - margin) | (days > high + margin)) & (weights > 0)
    count = int(weights[odd].sum())
    if not count or count > max(5, 0.02 * total):
        return
    dates = [EPOCH + datetime.timedelta(days=int(day)) for day in days[odd]]
    meant = {date: _meant(date, low, high) for date in dates}
    offers = []
    if all(meant.values()):
        values = {date.isoformat(): other.isoformat() for date, other in meant.items() if other is not None}
        years = sorted({other.year for other in meant.values() if other is not None})
        said = f"Make the year {years[0]}" if len(years) == 1 else "Make the years " + " and ".join(map(str, years))
        offers.append(Offer(said, (ReplaceValues(column.name, values),)))
    offers.append(Offer("Blank them", (ReplaceValues(column.name, {date.isoformat(): "" for date in dates}),)))
    first, last = EPOCH + datetime.timedelta(days=low), EPOCH + datetime.timedelta(days=high)
    yield Finding(
        "far dates", column.name, "", f"{count:,} date{'s lie' if count != 1 else ' lies'} far outside the others", f"{count:,} far outside", count,
        tuple(offers), records_of(column, odd), f"{some([date.isoformat() for date in dates])}; nearly all lie from {first.year} to {last.year}.",
    )  # fmt: skip


def _meant(date: datetime.date, low: int, high: int) -> datetime.date | None:
    """The date with two digits of the year swapped or one exchanged, where just one such year is among the others."""
    digits = f"{date.year:04d}"
    years = {digits[:at] + digits[at + 1] + digits[at] + digits[at + 2 :] for at in range(3)}
    years |= {digits[0] + digits[2] + digits[1] + digits[3], digits[:2] + digits[3] + digits[2]}
    swapped = _within(date, years, low, high)
    if len(swapped) == 1:
        return swapped[0]
    exchanged = {digits[:at] + digit + digits[at + 1 :] for at in range(4) for digit in "0123456789"}
    found = _within(date, exchanged, low, high)
    return found[0] if len(found) == 1 else None


def _within(date: datetime.date, years: set[str], low: int, high: int) -> list[datetime.date]:
    found = []
    for year in sorted(years):
        try:
            other = date.replace(year=int(year))
        except ValueError:
            continue
        if low - 31 <= (other - EPOCH).days <= high + 31:
            found.append(other)
    return found


def _amounts(column: NumberColumn, but: npt.NDArray[np.bool_] | None) -> Iterator[Finding]:
    """Of all but some records: a total that was left in the data is another finding."""
    values = values_but(column, but)
    sample = _finite(values[:: max(1, len(values) // SAMPLE)])
    if min(len(values), len(sample)) < FEWEST:
        return
    usual = _usual(sample)
    largest = max(abs(float(values.max())), abs(float(values.min())))
    if largest < GAP * usual:
        return
    high = values[np.abs(values.astype(np.float64)) >= usual]

    yield from _alone(column, sample, high, len(values), lambda bound, _: np.flatnonzero(beyond(column, bound, but)))


def values_but(column: NumberColumn, but: npt.NDArray[np.bool_] | None = None) -> npt.NDArray:
    """The values that there are, without those of some records."""
    if column.valid is None and but is None:
        return column.values
    known = ~blank_mask(column)
    return column.values[known if but is None else known & ~but]


def beyond(column: NumberColumn, bound: float, but: npt.NDArray[np.bool_] | None = None) -> npt.NDArray[np.bool_]:
    """Which records have a value of such a size or more, in units of the last digit, some records left out."""
    odd = np.abs(column.values.astype(np.float64)) >= bound
    odd &= ~blank_mask(column)
    return odd if but is None else odd & ~but


FindBeyond = Callable[[float, Progress], Records]
"""Looks for the records with a value of such a size or more."""


def far_amounts(sampled: NumberColumn, largest: npt.NDArray, many: int, find: FindBeyond) -> Iterator[Finding]:
    """Amounts beyond all others of a field whose records are not held, told by some of its records, the largest values of all (by size, either sign), and how
    many records have one."""
    sample = _finite(values_but(sampled))
    if min(many, len(sample)) < FEWEST or not nature_of(sampled).is_measured:
        return
    high = largest[np.abs(largest.astype(np.float64)) >= _usual(sample)]
    yield from _alone(sampled, sample, high, many, find)


def _finite(values: npt.NDArray) -> npt.NDArray[np.float64]:
    """How large some values are; one beyond every number lies beyond all others, too."""
    sizes = np.abs(values.astype(np.float64))
    return sizes[np.isfinite(sizes)]


def _usual(sizes: npt.NDArray[np.float64]) -> float:
    """How large nearly all of them are at most."""
    return float(np.quantile(sizes, 0.99, method="lower")) or 1.0


def _alone(
    column: NumberColumn,
    sample: npt.NDArray[np.float64],
    high: npt.NDArray,
    many: int,
    find: FindBeyond,
) -> Iterator[Finding]:
    """The finding of those among the `high` values that stand alone, of so many in all."""
    sizes = np.abs(high.astype(np.float64))
    rising = np.sort(sizes)
    with np.errstate(invalid="ignore"):
        ratios = rising[1:] / np.maximum(rising[:-1], 1e-300)
    gaps = np.flatnonzero(ratios >= GAP)
    if not len(gaps):
        return
    alone = len(rising) - int(gaps[0]) - 1
    if alone > max(5, MOST_ALONE * many):
        return
    bound = float(rising[gaps[0] + 1])
    different = np.unique(high[sizes >= bound])[:LISTED]
    texts = [canonical(column.type, value.item(), column.scale) for value in different]
    rest = np.sort(sample[sample < bound])
    yield Finding(
        "far amounts", column.name, "", f"{alone:,} value{'s lie' if alone != 1 else ' lies'} far beyond all others", f"{alone:,} far beyond", alone,
        tuple(_ways_out(column, different, texts, rest)), partial(find, bound), f"{some(texts)}; the largest of the others is {canonical(column.type, _unit(column, rest), column.scale)}.",
    )  # fmt: skip


def _ways_out(
    column: NumberColumn, odd: npt.NDArray, texts: list[str], rest: npt.NDArray[np.float64]
) -> Iterator[Offer]:
    if len(rest):
        low, high = float(np.quantile(rest, 0.02)), float(rest[-1])
        for factor in (100, 1000, 10):
            whole = column.values.dtype.kind == "i" and not (odd % factor).any()
            sizes = np.abs(odd.astype(np.float64)) / factor
            if whole and ((sizes >= low) & (sizes <= high)).all():
                smaller = [canonical(column.type, int(value) // factor, column.scale) for value in odd]
                mend = ReplaceValues(column.name, dict(zip(texts, smaller, strict=True)))
                yield Offer(f"Divide them by {factor:,}", (mend,))
                break
    yield Offer("Blank them", (ReplaceValues(column.name, dict.fromkeys(texts, "")),))


def _unit(column: NumberColumn, rest: npt.NDArray[np.float64]) -> int | float:
    largest = float(rest[-1]) if len(rest) else 0.0
    return largest if column.values.dtype.kind == "f" else int(largest)
