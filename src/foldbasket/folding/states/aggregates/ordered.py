"""The value of the record that comes first or last by another field."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.states.aggregates.aggregate import (
    Aggregate,
    Block,
    Key,
    Matrix,
    Operand,
    Settings,
    State,
    aggregate,
    member_block,
)
from foldbasket.folding.states.quantities import Quantity
from foldbasket.kinds import Parameter
from foldbasket.sayings import saying
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.types import FieldType


class _InOrder(Aggregate):
    state: State
    parameters = (
        Parameter(
            "In order of", "The field that says what comes first.", of="field", none="the first date", name="order"
        ),
    )

    def quantities(self, settings: Settings) -> dict[Key, tuple[Quantity, State]]:
        if settings.field is None or settings.order is None:
            raise FoldError(
                f"“{self.label}” needs a field that says what comes first.", todo="Choose one, such as a date."
            )
        placed = Quantity(settings.field, "rank", settings.order)
        return {self.state: (placed, self.state), State.VALUES: (placed, State.VALUES)}

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        blank = states[State.VALUES] == 0
        assert operand.records is not None
        assert operand.column is not None
        if not len(operand.records):
            return Block(operand.type, np.zeros(blank.shape, np.int64), blank, operand.scale)
        record = operand.records[np.where(blank, 0, states[self.state])]
        column = operand.column
        if isinstance(column, CodedColumn):
            members = len(column.dictionary)
            codes = column.codes[record].astype(np.int64)
            return member_block(np.where(codes < members, codes, 0), blank, operand)
        return Block(operand.type, np.where(blank, 0, column.values[record]), blank, operand.scale)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        known = [
            (two, at, one)
            for at, (one, two) in enumerate(zip(values, beside or (), strict=True))
            if one is not None and two is not None
        ]
        if not known:
            return None
        first = self.state is State.SMALLEST
        return (min if first else max)(known, key=lambda each: each[:2])[2]


@aggregate
class First(_InOrder):
    name, label, said, sql = "first", "First", "first", "FIRST_VALUE(x) OVER (ORDER BY o)"
    standing = 130
    saying = saying("first[ by {order:field}]")
    meaning = "The value of the record that comes first by another field; of several the first in the source."
    state = State.SMALLEST


@aggregate
class Last(_InOrder):
    name, label, said, sql = "last", "Last", "last", "LAST_VALUE(x) OVER (ORDER BY o)"
    standing = 140
    saying = saying("last[ by {order:field}]")
    meaning = "The value of the record that comes last by another field; of several the last in the source."
    state = State.LARGEST
