"""Sums and what is made of them: counts, averages, products."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.states.aggregates.aggregate import (
    NUMBERS,
    Aggregate,
    Block,
    Key,
    Matrix,
    NotByHandError,
    Operand,
    Settings,
    State,
    added,
    aggregate,
    present,
)
from foldbasket.folding.states.exact import ratio
from foldbasket.folding.states.quantities import Quantity
from foldbasket.kinds import Parameter
from foldbasket.later import exp
from foldbasket.sayings import saying
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql, chosen, is_known, quotient
from foldbasket.tables.types import FieldType

MOST_MULTIPLIED = 2_000
"""So many values are multiplied by hand, exactly."""


@aggregate
class Sum(Aggregate):
    name, label, said, sql = "sum", "Sum", "summed", "SUM(x)"
    short = ("sum", "total")
    is_usual = True
    standing = 10
    is_additive = True
    meaning = "All values added up, exactly. Blanks add nothing."
    states = (State.SUM, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(operand.type, states[State.SUM], states[State.VALUES] == 0, operand.scale)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = present(values)
        return added(there) if there else None

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return dialect.exact(exp.Sum(this=of.said), of.scale)


@aggregate
class CountRecords(Aggregate):
    name, label, said, sql = "count", "Count records", "counted", "COUNT(*)"
    standing = 20
    in_its_unit = False
    is_additive = True
    meaning = "How many records there are, blanks included."
    states = (State.RECORDS,)
    needs_field = False

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.RECORDS], ~present)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return len(values)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        return exp.Count(this=exp.Star())


@aggregate
class CountValues(Aggregate):
    name, label, said, sql = "count values", "Count values", "values counted", "COUNT(x)"
    short = ("count",)
    is_usual = True
    standing = 30
    in_its_unit = False
    is_additive = True
    meaning = "How many records have a value, blanks left out."
    counted = "counted"
    states = (State.VALUES,)

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.VALUES], ~present)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return len(present(values))

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return exp.Count(this=of.said)


@aggregate
class Average(Aggregate):
    name, label, said, sql = "average", "Average", "averaged", "AVG(x)"
    short = ("average", "avg", "mean")
    is_usual = True
    standing = 50
    meaning = "The exact sum divided by the number of values, rounded once."
    states = (State.SUM, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        sums, values = states[State.SUM], states[State.VALUES]
        return Block(FieldType.REAL, ratio(sums, np.maximum(values, 1), -operand.scale), values == 0)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = present(values)
        return float(Fraction(added(there)) / len(there)) if there else None

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return quotient(dialect.exact(exp.Sum(this=of.said), of.scale), exp.Count(this=of.said.copy()))


@aggregate
class Product(Aggregate):
    name, label, said, sql = "product", "Product", "multiplied", "PRODUCT(x)"
    short = ("product",)
    in_its_unit = False
    standing = 190
    meaning = "All values multiplied with one another."
    states = (State.PRODUCT, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        products = states[State.PRODUCT]
        blank = (states[State.VALUES] == 0) | ~np.isfinite(products)  # beyond every number that can be held
        return Block(FieldType.REAL, np.where(blank, 0.0, products), blank)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = present(values)
        product = math.prod(Fraction(value) for value in there) if len(there) <= MOST_MULTIPLIED else None
        if product is None:
            raise NotByHandError("so long a product is not done by hand")
        try:
            return float(product) if there else None
        except OverflowError:
            return None


@aggregate
class WeightedAverage(Aggregate):
    name, label, said, sql = "weighted average", "Weighted average", "averaged by weight", "SUM(x * w) / SUM(w)"
    standing = 60
    saying = saying("averaged by {weight:field}")
    meaning = "Value times weight added up, divided by the weights, over records that have both."
    takes = NUMBERS
    parameters = (
        Parameter(
            "Weighted by",
            "The field that says how much each value counts.",
            of="number",
            none="choose a field…",
            name="weight",
        ),
    )

    def quantities(self, settings: Settings) -> dict[Key, tuple[Quantity, State]]:
        if settings.field is None or settings.weight is None:
            raise FoldError(
                "a weighted average needs a weight.", todo="Choose the field to weight by, such as a quantity."
            )
        weight = Quantity(settings.weight, "where", settings.field)
        return {
            "weighted": (Quantity(settings.field, "times", settings.weight), State.SUM),
            "weights": (weight, State.SUM),
            State.VALUES: (weight, State.VALUES),
        }

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        weighted, weights = states["weighted"], states["weights"]
        blank = (states[State.VALUES] == 0) | (weights == 0)
        shift = operand.scales.get("weights", 0) - operand.scales.get("weighted", 0)
        found = ratio(weighted, np.where(blank, 1, weights), shift)
        return Block(FieldType.REAL, np.where(blank, 0.0, found), blank)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        pairs = [
            (one, two) for one, two in zip(values, beside or (), strict=True) if one is not None and two is not None
        ]
        weights = sum((Fraction(two) for _, two in pairs), Fraction(0))
        if not weights:
            return None
        return float(sum((Fraction(one) * Fraction(two) for one, two in pairs), Fraction(0)) / weights)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        assert other is not None
        weighted = exp.Sum(this=exp.Mul(this=of.said, expression=other))
        weights = exp.Sum(this=chosen([(is_known(of.said.copy()), other.copy())]))
        return quotient(weighted, weights)
