"""Values in the middle, and the most frequent."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states.aggregates.aggregate import (
    Aggregate,
    Block,
    Key,
    Matrix,
    OfReals,
    Operand,
    Settings,
    State,
    aggregate,
    present,
    ranked_block,
)
from foldbasket.folding.states.quantities import Quantity
from foldbasket.folding.states.runs import Grouped
from foldbasket.kinds import Parameter
from foldbasket.sayings import saying
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql
from foldbasket.tables.types import FieldType


def _between(values: list[Any], share: Fraction) -> float | None:
    """The value below which so large a share lies, in proportion between the two nearest; by hand."""
    if not values:
        return None
    ordered = sorted(values)
    place = (len(ordered) - 1) * share
    low = int(place)
    one, two = Fraction(ordered[low]), Fraction(ordered[min(low + 1, len(ordered) - 1)])
    return float(one + (two - one) * (place - low))


@aggregate
class Median(OfReals):
    name, label, said, sql = "median", "Median", "median", "PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY x)"
    is_usual = True
    standing = 70
    short = ("median", "middle")
    meaning = "The value in the middle; between two, half way."

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        return of_runs.percentile(values, 0.5) / 10.0**operand.scale

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return _between(present(values), Fraction(1, 2))

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return dialect.percentile(of.said, Decimal("0.5"))


@aggregate
class Percentile(OfReals):
    name, label, said, sql = "percentile", "Percentile", "percentile", "PERCENTILE_CONT(p) WITHIN GROUP (ORDER BY x)"
    standing = 80
    saying = saying("{percent:ordinal} percentile")
    meaning = "The value below which so many percent of the values lie, in proportion between the two nearest."
    parameters = (
        Parameter(
            "Percent",
            "How many percent of the values lie below.",
            hint="90",
            least=0,
            most=100,
            name="percent",
            type=float,
        ),
    )

    def quantities(self, settings: Settings) -> dict[Key, tuple[Quantity, State]]:
        if not 0 <= settings.percent <= 100:
            raise FoldError(f"there is no percentile {settings.percent:g}.", todo="Type a number from 0 to 100.")
        return {}

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        return of_runs.percentile(values, settings.percent / 100) / 10.0**operand.scale

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return _between(present(values), Fraction(repr(settings.percent)) / 100)

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return dialect.percentile(of.said, Decimal(repr(percent)) / 100)


@aggregate
class Mode(Aggregate):
    name, label, said, sql = "mode", "Most frequent", "most frequent", "MODE() WITHIN GROUP (ORDER BY x)"
    short = ("most frequent", "commonest")
    standing = 90
    meaning = "The value that occurs most often; of several the smallest."
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        return of_runs.mode(values)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        if operand.dictionary is not None:
            return ranked_block(data.astype(np.int64), blank, operand)
        return Block(operand.type, data, blank, operand.scale)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        often = Counter(present(values))
        most = max(often.values(), default=0)
        return min((value for value, many in often.items() if many == most), default=None)
