"""What can be told about a field at a glance: blanks, different values, range and the shape of its distribution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from foldbasket.tables.column import CodedColumn, Column, DeferredColumn
from foldbasket.tables.types import FieldType, canonical

SAMPLE = 100_000
BARS = 12


@dataclass(frozen=True)
class Profile:
    """`blanks` and `different` are None where counting would mean encoding or sorting every record; `shape` holds bar heights from 0 to 1."""

    blanks: int | None
    different: int | None
    smallest: str | None
    largest: str | None
    shape: tuple[float, ...]


def profile_of(column: Column) -> Profile:
    """The profile of a column. The shape is judged on at most 100,000 records taken at even steps."""
    if isinstance(column, DeferredColumn):
        return Profile(None, None, None, None, ())
    if isinstance(column, CodedColumn):
        members = len(column.dictionary)
        sample = column.codes[:: max(1, len(column) // SAMPLE)]
        counts = np.bincount(sample[sample < members], minlength=members)
        if column.type is FieldType.TEXT:
            heights = np.sort(counts)[::-1][:BARS]
            return Profile(column.blank_count, members, None, None, _scaled(heights))
        low = canonical(column.type, column.dictionary.values.min().item()) if members else None
        high = canonical(column.type, column.dictionary.values.max().item()) if members else None
        heights = np.array([part.sum() for part in np.array_split(counts, min(BARS, max(1, members)))])
        return Profile(column.blank_count, members, low, high, _scaled(heights))
    values = column.values if column.valid is None else column.values[column.valid]
    if not len(values):
        return Profile(column.blank_count, 0, None, None, ())
    smallest, largest = values.min().item(), values.max().item()
    sample = values[:: max(1, len(values) // SAMPLE)].astype(float)
    low, high = np.percentile(sample, [0.5, 95])
    heights = np.histogram(np.clip(sample, low, high), bins=BARS)[0]
    return Profile(
        column.blank_count,
        None,
        canonical(column.type, smallest, column.scale),
        canonical(column.type, largest, column.scale),
        _scaled(heights),
    )


def _scaled(heights: np.ndarray) -> tuple[float, ...]:
    top = float(heights.max()) if len(heights) else 0.0
    return tuple(float(height) / top for height in heights) if top else ()
