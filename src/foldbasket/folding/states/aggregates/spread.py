"""How far values lie from one another."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import numpy as np

from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states.aggregates.aggregate import (
    Matrix,
    OfReals,
    Operand,
    Settings,
    aggregate,
    present,
)
from foldbasket.folding.states.runs import Grouped
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql


class _Spread(OfReals):
    sample = False
    root = False

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        many = values.totals - (1 if self.sample else 0)
        # Of one value a sample tells no spread: blank, said as not a number here.
        found = np.where(many > 0, of_runs.squares(values, operand.scale) / np.maximum(many, 1), np.nan)
        return np.sqrt(np.maximum(found, 0)) if self.root else found

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = [Fraction(value) for value in present(values)]
        many = len(there) - (1 if self.sample else 0)
        if many <= 0:
            return None
        mean = sum(there, Fraction(0)) / len(there)
        spread = sum(((value - mean) ** 2 for value in there), Fraction(0)) / many
        return math.sqrt(spread) if self.root else float(spread)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return dialect.spread(self.sql.partition("(")[0], of.said)


@aggregate
class Deviation(_Spread):
    name, label, said, sql = "standard deviation", "Standard deviation", "standard deviation", "STDDEV_SAMP(x)"
    short = ("standard deviation",)
    standing = 150
    meaning = "How far values lie from their average, of a sample (n − 1); blank for a single value."
    sample = root = True


@aggregate
class DeviationOfAll(_Spread):
    name, label = "standard deviation of all", "Standard deviation of all"
    said, sql = "standard deviation of all", "STDDEV_POP(x)"
    standing = 160
    meaning = "How far values lie from their average, the records being all there are (n)."
    root = True


@aggregate
class Variance(_Spread):
    name, label, said, sql = "variance", "Variance", "variance", "VAR_SAMP(x)"
    in_its_unit = False
    standing = 170
    meaning = "The square of the standard deviation of a sample (n − 1); blank for a single value."
    sample = True


@aggregate
class VarianceOfAll(_Spread):
    name, label, said, sql = "variance of all", "Variance of all", "variance of all", "VAR_POP(x)"
    in_its_unit = False
    standing = 180
    meaning = "The square of the standard deviation, the records being all there are (n)."
