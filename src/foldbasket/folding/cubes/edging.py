"""Bands that depend on a field's values, of a table that is not held: their edges are found before any part is cut, so that all are cut alike."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.members.bands.band import band_of
from foldbasket.folding.members.bands.edges import Edges
from foldbasket.folding.plan.plan import AxisField, Plan
from foldbasket.tables.column import Column, NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Stream

Whole = Callable[[AxisField], Column | None]
"""Gives the whole column of a field where there is room for it."""


def with_edges(plan: Plan, stream: Stream, whole: Whole, progress: Progress) -> Plan:
    """The plan with the edges of its bands said, as far as they can be found. Raises FoldError for bands that make no sense; ReadError; Cancelled."""
    fields = tuple(edged(each, plan.base, stream, whole, progress) for each in plan.fields)
    return plan if fields == plan.fields else msgspec.structs.replace(plan, fields=fields)


def edged(each: AxisField, base: str, stream: Stream, whole: Whole, progress: Progress) -> AxisField:
    """A field with the edges of its bands said, as far as they can be found. Raises as `with_edges` does."""
    if each.bands is None or not each.bands.by_values or each.field.table != base:
        return each
    column = _ends(stream, each.field.field, progress) if each.bands.by_ends else whole(each)
    if not isinstance(column, NumberColumn):
        return each
    values = column.values if column.valid is None else column.values[column.valid]
    band = band_of(each.bands, values, column.type, column.scale, each.field.field)
    return msgspec.structs.replace(each, bands=Edges(tuple(f"{edge:f}" for edge in band.edges)))


def _ends(stream: Stream, name: str, progress: Progress) -> Column | None:
    """A column with the smallest and the largest value of a field alone, of those between which edges can lie."""
    if stream.answers:
        told = stream.told(name, 0, progress)
        return told.column if told is not None else None
    found: list[npt.NDArray] = []
    like: NumberColumn | None = None
    for part in stream.parts([name]):
        progress.step("Looking for the edges of bands", part.start / max(1, stream.count))
        column = part.table.columns[name]
        if not isinstance(column, NumberColumn):
            return None
        like = column
        values = column.values if column.valid is None else column.values[column.valid]
        values = values[np.isfinite(values)] if column.type is FieldType.REAL else values
        if len(values):
            found.append(np.array([values.min(), values.max()]))
    if like is None:
        return None
    ends = np.concatenate(found) if found else like.values[:0]
    return NumberColumn(name, like.type, ends, None, like.scale)
