"""The smallest, the largest, and the range between."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from foldbasket.folding.states.aggregates.aggregate import (
    NUMBERS,
    Aggregate,
    Block,
    Key,
    Matrix,
    Operand,
    Settings,
    State,
    aggregate,
    present,
    ranked_block,
)
from foldbasket.folding.states.exact import difference, narrowed
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, NoSqlError, Sql, applied
from foldbasket.tables.types import MICROS_PER_DAY, FieldType


class _Extreme(Aggregate):
    state: State

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        blank = states[State.VALUES] == 0
        data = np.where(blank, 0, states[self.state])
        if operand.dictionary is None:
            return Block(operand.type, data, blank, operand.scale)
        return ranked_block(data, blank, operand)


@aggregate
class Smallest(_Extreme):
    name, label, said, sql = "smallest", "Smallest", "smallest", "MIN(x)"
    short = ("smallest", "lowest", "min", "minimum")
    is_usual = True
    standing = 100
    meaning = "The smallest value; of dates the earliest, of text the first by its characters."
    states = (State.SMALLEST, State.VALUES)
    state = State.SMALLEST

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return min(present(values), default=None)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return exp.Min(this=dialect.ordered(of.said) if of.type is FieldType.TEXT else of.said)


@aggregate
class Largest(_Extreme):
    name, label, said, sql = "largest", "Largest", "largest", "MAX(x)"
    short = ("largest", "highest", "max", "maximum")
    is_usual = True
    standing = 110
    meaning = "The largest value; of dates the latest, of text the last by its characters."
    states = (State.LARGEST, State.VALUES)
    state = State.LARGEST

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return max(present(values), default=None)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return exp.Max(this=dialect.ordered(of.said) if of.type is FieldType.TEXT else of.said)


@aggregate
class Range(Aggregate):
    name, label, said, sql = "range", "Range", "ranging over", "MAX(x) - MIN(x)"
    short = ("range",)
    standing = 120
    meaning = "The largest value less the smallest; of dates the days between them."
    states = (State.SMALLEST, State.LARGEST, State.VALUES)
    takes = NUMBERS | {FieldType.DATE, FieldType.TIMESTAMP}

    def result_type(self, operand: Operand) -> FieldType:
        kinds = {FieldType.DATE: FieldType.WHOLE, FieldType.TIMESTAMP: FieldType.REAL}
        return kinds.get(operand.type, operand.type)

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        blank = states[State.VALUES] == 0
        low, high = (np.where(blank, 0, states[state]) for state in (State.SMALLEST, State.LARGEST))
        if operand.dictionary is not None:
            low, high = (ranked_block(each, blank, operand).data for each in (low, high))
        kind = self.result_type(operand)
        if operand.type is FieldType.TIMESTAMP:
            return Block(kind, (high - low) / MICROS_PER_DAY, blank)
        return Block(kind, narrowed(difference(high, low)), blank, operand.scale)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = present(values)
        if not there:
            return None
        span = max(there) - min(there)
        if not isinstance(span, timedelta):
            return span
        return span.days if not isinstance(there[0], datetime) else span / timedelta(days=1)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        low, high = exp.Min(this=of.said), exp.Max(this=of.said.copy())
        if of.type is FieldType.DATE:
            return dialect.days_between(high, low)
        if of.type is FieldType.TIMESTAMP:
            raise NoSqlError("the range of moments")
        return dialect.exact(applied(exp.Sub, high, low), of.scale)
