"""Adding up by hand: a measure worked out from the records behind a cell in plain Python, value by value.

Nothing of the engine's grouping, states or kernels is used, so what goes wrong there cannot go wrong here in the same way. Each aggregate says
itself how it is done by hand.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterator
from decimal import Decimal

import numpy as np
import numpy.typing as npt

from foldbasket.folding.behind import Behind
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, NotByHandError
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Measure
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.column import Column, NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType

Value = Decimal | int | float | str | bool | datetime.date | datetime.datetime | None

MOST = 1_000_000
"""More records are not added up one by one: it would take longer than anybody waits."""
PIECE = 50_000


def worked_out(measure: Measure, base: str, behind: Behind, progress: Progress) -> Value:
    """What a measure without its comparison gives over the records behind a cell. Raises NotByHandError, with the reason in words, for what is not done by
    hand; Cancelled."""
    if measure.aggregate == FORMULA or measure.aggregate not in AGGREGATES:
        raise NotByHandError("a formula is made of its parts")
    if len(behind.at) < behind.many:
        raise NotByHandError(f"its {behind.many:,} records are not held")
    if behind.many > MOST:
        raise NotByHandError(f"{behind.many:,} records are too many to be added up one by one")
    aggregate = AGGREGATES[measure.aggregate]
    if measure.field is None or not aggregate.needs_field:
        return behind.many or None
    at = _records(behind.source, base, measure.field.table, behind.at)
    other = (
        measure.weight
        if aggregate.takes_setting("weight")
        else measure.order
        if aggregate.takes_setting("order")
        else None
    )
    if other is not None and other.table != measure.field.table:
        raise NotByHandError("its two fields are of two tables")
    values = list(_values(behind.source, measure.field, at, progress))
    beside = list(_values(behind.source, other, at, progress)) if other is not None else None
    if not behind.many:
        return None
    try:
        return aggregate.by_hand(values, beside, measure)
    except (OverflowError, ValueError, ArithmeticError):
        raise NotByHandError("it holds what is no number") from None


def _records(source: Source, base: str, table: str, at: npt.NDArray[np.int64]) -> list[int]:
    """The records of a table that some of a base lead to, each once, in the order of the source."""
    if table == base:
        return [int(each) for each in at]
    rows = source.rows(base, table)
    if rows is None:
        return [int(each) for each in at]
    return sorted({int(rows[each]) for each in at.tolist()} - {-1})


def _values(source: Source, ref: FieldRef, at: list[int], progress: Progress) -> Iterator[Value]:
    column = source.column(ref)
    for start in range(0, len(at), PIECE):
        progress.step("Adding up by hand", start / max(1, len(at)))
        for record in at[start : start + PIECE]:
            yield value_at(column, record)


def value_at(column: Column, record: int) -> Value:
    """The value that a record has, as what it is; None where it is blank."""
    raw: object
    if isinstance(column, NumberColumn):
        if column.valid is not None and not column.valid[record]:
            return None
        raw = column.values[record]
    else:
        coded = column.coded()
        code = int(coded.codes[record])
        if code >= len(coded.dictionary):
            return None
        raw = coded.dictionary.raw(code)
    kind = column.type
    if kind is FieldType.REAL:
        return float(raw)  # type: ignore[arg-type]
    if kind is FieldType.TEXT:
        return str(raw)
    if kind is FieldType.YESNO:
        return bool(raw)
    number = int(raw)  # type: ignore[call-overload]
    if kind is FieldType.DECIMAL:
        return Decimal(number).scaleb(-column.scale)
    if kind is FieldType.DATE:
        return EPOCH + datetime.timedelta(days=number)
    if kind is FieldType.TIMESTAMP:
        return datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=number)
    return number
