"""Aggregates, one class each: which fields it takes, which states it needs, what it makes of them, and its words.

A *state* is a number kept per group that can be merged: the state of a group is the merge of the states of its parts,
so totals come from the same records as cells do. An aggregate is a function of states. To add one, add a class here.
Definitions follow SQL (ISO/IEC 9075): blanks are left out, and over no values all but the counts are blank.
"""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.tables.column import Dictionary
from foldbasket.tables.types import FieldType

Matrix = npt.NDArray


class State(enum.Enum):
    """The mergeable states: how many records, how many values, their exact sum, the smallest and the largest."""

    RECORDS = "records"
    VALUES = "values"
    SUM = "sum"
    SMALLEST = "smallest"
    LARGEST = "largest"

    @property
    def merge(self) -> np.ufunc:
        return {State.SMALLEST: np.minimum, State.LARGEST: np.maximum}.get(self, np.add)

    def neutral(self, kind: np.dtype) -> int | float:
        """The value that changes nothing when merged, for an array of `kind`."""
        if self not in (State.SMALLEST, State.LARGEST):
            return 0
        if kind.kind == "f":
            return np.inf if self is State.SMALLEST else -np.inf
        bounds = np.iinfo(np.int64)
        return int(bounds.max if self is State.SMALLEST else bounds.min)


@dataclass(frozen=True, eq=False)
class Block:
    """The values of one measure in every cell; shape (lines, columns of the axis).

    `data` holds stored form: units of 10^-scale (int64, or Python whole numbers where 64 bits are too few), float64, days,
    microseconds, or codes into `dictionary`. Where `blank` is True there is no value.
    """

    type: FieldType
    data: Matrix
    blank: npt.NDArray[np.bool_]
    scale: int = 0
    dictionary: Dictionary | None = None


@dataclass(frozen=True)
class Operand:
    """What an aggregate runs over: the field's type and scale, and its dictionary when it is coded."""

    type: FieldType
    scale: int = 0
    dictionary: Dictionary | None = None


class Aggregate:
    """Base of all aggregates. `label` names it, `said` follows the field's name in the sentence, `meaning` is its help."""

    name: str
    label: str
    said: str
    meaning: str
    sql: str
    states: tuple[State, ...]
    takes: frozenset[FieldType] = frozenset(FieldType)
    needs_field = True

    def result_type(self, operand: Operand) -> FieldType:
        """The type of the result."""
        raise NotImplementedError

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        """The result in every cell; `present` is True where a cell has records. All arrays have one shape."""
        raise NotImplementedError

    def check(self, operand: Operand | None, field: str) -> None:
        """Raises FoldError when the aggregate does not fit the field."""
        if operand is None and self.needs_field:
            raise FoldError(f"“{self.label}” needs a field.", todo="Name the field whose values it takes.")
        if operand is not None and operand.type not in self.takes:
            fitting = [
                other.label for other in AGGREGATES.values() if operand.type in other.takes and other.needs_field
            ]
            raise FoldError(
                f"“{field}” is {operand.type.value}, which “{self.label}” cannot take.",
                todo="Take " + ", ".join(fitting).lower() + ".",
            )


NUMBERS = frozenset({FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL})


class Sum(Aggregate):
    name, label, said, sql = "sum", "Sum", "summed", "SUM(x)"
    meaning = "All values added up, exactly. Blanks add nothing."
    states = (State.SUM, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(operand.type, states[State.SUM], states[State.VALUES] == 0, operand.scale)


class CountRecords(Aggregate):
    name, label, said, sql = "count", "Count records", "counted", "COUNT(*)"
    meaning = "How many records there are, blanks included."
    states = (State.RECORDS,)
    needs_field = False

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.RECORDS], ~present)


class CountValues(Aggregate):
    name, label, said, sql = "count values", "Count values", "values counted", "COUNT(x)"
    meaning = "How many records have a value, blanks left out."
    states = (State.VALUES,)

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.VALUES], ~present)


class Average(Aggregate):
    name, label, said, sql = "average", "Average", "averaged", "AVG(x)"
    meaning = "The exact sum divided by the number of values, rounded once."
    states = (State.SUM, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        sums, values = states[State.SUM], states[State.VALUES]
        blank = values == 0
        if operand.type is FieldType.REAL:
            return Block(FieldType.REAL, sums / np.maximum(values, 1), blank)
        divisors = np.maximum(values, 1).astype(object if sums.dtype == object else np.int64)
        fits = sums.dtype != object
        if fits:
            # Both operands of the one division must be exact as floats, or it would round twice.
            most = 2**53 // 10**operand.scale
            fits = bool((divisors <= most).all() and (np.abs(sums) <= 2**53).all())
        if fits:
            return Block(FieldType.REAL, sums / (divisors * 10**operand.scale), blank)
        means = [
            int(total) / (int(many) * 10**operand.scale) for total, many in zip(sums.flat, divisors.flat, strict=True)
        ]
        return Block(FieldType.REAL, np.array(means).reshape(sums.shape), blank)


class _Extreme(Aggregate):
    state: State

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def finish(self, states: Mapping[State, Matrix], present: Matrix, operand: Operand) -> Block:
        blank = states[State.VALUES] == 0
        data = np.where(blank, 0, states[self.state])
        if operand.dictionary is None:
            return Block(operand.type, data, blank, operand.scale)
        # Coded fields are compared by rank; back from rank to code.
        members = np.argsort(operand.dictionary.binary_ranks, kind="stable")
        codes = members[data] if len(members) else data
        if operand.type is FieldType.DATE:
            values = np.asarray(operand.dictionary.values)
            return Block(operand.type, values[codes] if len(values) else codes, blank)
        return Block(operand.type, codes, blank, operand.scale, operand.dictionary)


class Smallest(_Extreme):
    name, label, said, sql = "smallest", "Smallest", "smallest", "MIN(x)"
    meaning = "The smallest value; of dates the earliest, of text the first by its characters."
    states = (State.SMALLEST, State.VALUES)
    state = State.SMALLEST


class Largest(_Extreme):
    name, label, said, sql = "largest", "Largest", "largest", "MAX(x)"
    meaning = "The largest value; of dates the latest, of text the last by its characters."
    states = (State.LARGEST, State.VALUES)
    state = State.LARGEST


AGGREGATES: dict[str, Aggregate] = {
    node.name: node for node in (Sum(), CountRecords(), CountValues(), Average(), Smallest(), Largest())
}


def aggregate_named(name: str) -> Aggregate:
    """The aggregate of that name, or a FoldError that lists the known ones."""
    if name not in AGGREGATES:
        raise FoldError(f"there is no aggregation “{name}”.", todo="Known are: " + ", ".join(AGGREGATES) + ".")
    return AGGREGATES[name]
