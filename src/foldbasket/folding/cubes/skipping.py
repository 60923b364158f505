"""Which parts of a stream a filter rules out, told by the smallest and the largest values of their fields alone.

The filter itself is asked: of every day that a part can hold, or of the one value that it has. So whatever a filter means, no part is left out that
has a record which passes.
"""

from __future__ import annotations

import datetime
from collections.abc import Collection, Sequence

import pyarrow as pa

from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Span, Stream

MOST_DAYS = 4_000
"""Dates that lie further apart are not looked at one by one."""


def asked_of(base: str, rules: Sequence[Filter], names: Collection[str]) -> list[tuple[str, Filter]]:
    """The filters that look at one field of the base table alone, with that field."""
    found = []
    for rule in rules:
        fields = set(rule.fields())
        if len(fields) == 1 and (field := next(iter(fields))).table == base and field.field in names:
            found.append((field.field, rule))
    return found


def may_pass(piece: Stream, base: str, asked: Sequence[tuple[str, Filter]], source: Source) -> bool:
    """Whether a record of a piece may pass all of some filters."""
    return all(_may(piece.span(name), FieldRef(base, name), rule, source) for name, rule in asked)


def _may(span: Span | None, field: FieldRef, rule: Filter, source: Source) -> bool:
    if span is None:
        return True
    values: list[object] = []
    if isinstance(span.low, datetime.date) and not isinstance(span.low, datetime.datetime):
        days = (span.high - span.low).days
        if days > MOST_DAYS:
            return True
        values = [span.low + datetime.timedelta(day) for day in range(days + 1)]
    elif span.low is not None:
        if span.low != span.high or isinstance(span.low, float | bytes | datetime.datetime):
            return True
        values = [span.low]
    if span.has_blanks or not values:
        values.append(None)
    kind = source.column(field).type
    column = from_arrow(field.field, pa.chunked_array([pa.array(values)]))
    if column.type is not kind:
        return True
    some = Source({field.table: Table.of("some", [column])}, (), (), source.fiscal)
    return bool(rule.keeps(some, field.table).any())
