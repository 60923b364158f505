"""Aggregates, one class each: which fields it takes, which states it needs, what it makes of them, and its words.

A *state* is a number kept per group that can be merged: the state of a group is the merge of the states of its parts,
so totals come from the same records as cells do. An aggregate is a function of states, or says that it needs the values
themselves and works on their runs. To add one, add a class here.
Definitions follow SQL (ISO/IEC 9075): blanks are left out, and over no values all but the counts are blank.
"""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import TYPE_CHECKING, Literal

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding import runs as of_runs
from foldbasket.folding.quantities import Quantity
from foldbasket.folding.runs import Runs
from foldbasket.tables.column import CodedColumn, Column, Dictionary
from foldbasket.tables.types import MICROS_PER_DAY, FieldType

if TYPE_CHECKING:
    from foldbasket.spec.fold import Measure

Matrix = npt.NDArray


class State(enum.Enum):
    """The mergeable states: how many records, how many values, their exact sum, the smallest, the largest, the product."""

    RECORDS = "records"
    VALUES = "values"
    SUM = "sum"
    SMALLEST = "smallest"
    LARGEST = "largest"
    PRODUCT = "product"

    @property
    def merge(self) -> np.ufunc:
        return {State.SMALLEST: np.minimum, State.LARGEST: np.maximum, State.PRODUCT: np.multiply}.get(self, np.add)

    def neutral(self, kind: np.dtype) -> int | float:
        """The value that changes nothing when merged, for an array of `kind`."""
        if self is State.PRODUCT:
            return 1
        if self not in (State.SMALLEST, State.LARGEST):
            return 0
        if kind.kind == "f":
            return np.inf if self is State.SMALLEST else -np.inf
        bounds = np.iinfo(np.int64)
        return int(bounds.max if self is State.SMALLEST else bounds.min)


def beyond_numbers() -> np.errstate:
    """Within it a product may pass every number that can be held; it is blank then, and nothing to warn of."""
    return np.errstate(over="ignore", invalid="ignore", under="ignore")


@dataclass(frozen=True, eq=False)
class Block:
    """The values of one measure in every cell; shape (lines, columns of the axis).

    `data` holds stored form: units of 10^-scale (int64, or Python whole numbers where 64 bits are too few), float64, days,
    microseconds, or codes into `dictionary`. Where `blank` is True there is no value. Among exact numbers held as Python objects, a
    float is a number in the same units that is not exact, such as the average of lines in a total.
    """

    type: FieldType
    data: Matrix
    blank: npt.NDArray[np.bool_]
    scale: int = 0
    dictionary: Dictionary | None = None
    pattern: str | None = None
    """The LDML pattern that goes with the numbers, where their type alone does not tell: of shares, percent."""


@dataclass(frozen=True)
class Operand:
    """What an aggregate runs over: the field's type and scale, its dictionary when it is coded, and the column itself.

    `scales` are those of the quantities it asked for; `records` names, for first and last, the record at each place.
    """

    type: FieldType
    scale: int = 0
    dictionary: Dictionary | None = None
    column: Column | None = None
    scales: Mapping[State | str, int] = field(default_factory=dict)
    records: npt.NDArray[np.int64] | None = None


Parameter = Literal["percent", "weight", "order"]
Key = State | str
"""Names a state within an aggregate: the state itself where it is one of the plain field."""


class Aggregate:
    """Base of all aggregates. `label` names it, `said` follows the field's name in the sentence, `meaning` is its help."""

    name: str
    label: str
    said: str
    meaning: str
    sql: str
    states: tuple[State, ...] = ()
    takes: frozenset[FieldType] = frozenset(FieldType)
    needs_field = True
    parameters: tuple[Parameter, ...] = ()
    needs_values = False
    """Whether it works on the values themselves (`of_values`) instead of on states."""
    zero_over_nothing = False
    """Whether it gives 0, not blank, where records have no value."""
    counted = ""
    """What a heading says behind the field, of an aggregate that counts values of which it shows none."""

    def quantities(self, measure: Measure) -> dict[Key, tuple[Quantity, State]]:
        """The states it needs, by key, each with what it is a state of."""
        if measure.field is None:
            return {}
        plain = Quantity(measure.field)
        return {state: (plain, state) for state in self.states if state is not State.RECORDS}

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        """The result of each group of runs, in the stored form of `block_of`; of aggregates that need the values."""
        raise NotImplementedError

    def held_in(self, operand: Operand) -> np.dtype:
        """What results worked out from values are held in until `block_of`."""
        real = FieldType.REAL in (self.result_type(operand), operand.type)
        return np.dtype(np.float64) if real else np.dtype(np.int64)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        """The block of results worked out from values."""
        raise NotImplementedError

    def said_of(self, measure: Measure) -> str:
        """What follows the field's name in the sentence."""
        return self.said

    def result_type(self, operand: Operand) -> FieldType:
        """The type of the result."""
        raise NotImplementedError

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
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

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(operand.type, states[State.SUM], states[State.VALUES] == 0, operand.scale)


class CountRecords(Aggregate):
    name, label, said, sql = "count", "Count records", "counted", "COUNT(*)"
    meaning = "How many records there are, blanks included."
    states = (State.RECORDS,)
    needs_field = False

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.RECORDS], ~present)


class CountValues(Aggregate):
    name, label, said, sql = "count values", "Count values", "values counted", "COUNT(x)"
    meaning = "How many records have a value, blanks left out."
    counted = "counted"
    states = (State.VALUES,)

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        return Block(FieldType.WHOLE, states[State.VALUES], ~present)


class Average(Aggregate):
    name, label, said, sql = "average", "Average", "averaged", "AVG(x)"
    meaning = "The exact sum divided by the number of values, rounded once."
    states = (State.SUM, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
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

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        blank = states[State.VALUES] == 0
        data = np.where(blank, 0, states[self.state])
        if operand.dictionary is None:
            return Block(operand.type, data, blank, operand.scale)
        return ranked_block(data, blank, operand)


def ranked_block(data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
    """Members of a coded field from their ranks, in which such fields are compared."""
    assert operand.dictionary is not None
    members = np.argsort(operand.dictionary.binary_ranks, kind="stable")
    codes = members[data] if len(members) else data
    return member_block(codes, blank, operand)


def member_block(codes: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
    """Members of a coded field from their codes; dates as days."""
    assert operand.dictionary is not None
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


class Range(Aggregate):
    name, label, said, sql = "range", "Range", "ranging over", "MAX(x) - MIN(x)"
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
        return Block(kind, high - low, blank, operand.scale)


class Product(Aggregate):
    name, label, said, sql = "product", "Product", "multiplied", "PRODUCT(x)"
    meaning = "All values multiplied with one another."
    states = (State.PRODUCT, State.VALUES)
    takes = NUMBERS

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        products = states[State.PRODUCT]
        blank = (states[State.VALUES] == 0) | ~np.isfinite(products)  # beyond every number that can be held
        return Block(FieldType.REAL, np.where(blank, 0.0, products), blank)


class WeightedAverage(Aggregate):
    name, label, said, sql = "weighted average", "Weighted average", "averaged by weight", "SUM(x * w) / SUM(w)"
    meaning = "Value times weight added up, divided by the weights, over records that have both."
    takes = NUMBERS
    parameters = ("weight",)

    def quantities(self, measure: Measure) -> dict[Key, tuple[Quantity, State]]:
        if measure.field is None or measure.weight is None:
            raise FoldError(
                "a weighted average needs a weight.", todo="Choose the field to weight by, such as a quantity."
            )
        weight = Quantity(measure.weight, "where", measure.field)
        return {
            "weighted": (Quantity(measure.field, "times", measure.weight), State.SUM),
            "weights": (weight, State.SUM),
            State.VALUES: (weight, State.VALUES),
        }

    def said_of(self, measure: Measure) -> str:
        return f"averaged by {measure.weight.field}" if measure.weight is not None else self.said

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        weighted, weights = states["weighted"], states["weights"]
        blank = (states[State.VALUES] == 0) | (weights == 0)
        shift = operand.scales.get("weights", 0) - operand.scales.get("weighted", 0)
        divisors = np.where(blank, 1, weights)
        whole = "f" not in (weighted.dtype.kind, weights.dtype.kind)
        wide = object in (weighted.dtype, weights.dtype) or bool((np.abs(weighted) > 2**53).any())
        if whole and wide:  # Python divides whole numbers of any size with one rounding
            pairs = zip(weighted.flat, divisors.flat, strict=True)
            found = np.array([_quotient(int(one), int(two), shift) for one, two in pairs]).reshape(weighted.shape)
        else:
            found = weighted.astype(np.float64) / divisors.astype(np.float64) * 10.0**shift
        return Block(FieldType.REAL, np.where(blank, 0.0, found), blank)


def _quotient(one: int, two: int, shift: int) -> float:
    return one * 10**shift / two if shift >= 0 else one / (two * 10**-shift)


class _InOrder(Aggregate):
    state: State
    parameters = ("order",)

    def quantities(self, measure: Measure) -> dict[Key, tuple[Quantity, State]]:
        if measure.field is None or measure.order is None:
            raise FoldError(
                f"“{self.label}” needs a field that says what comes first.", todo="Choose one, such as a date."
            )
        placed = Quantity(measure.field, "rank", measure.order)
        return {self.state: (placed, self.state), State.VALUES: (placed, State.VALUES)}

    def said_of(self, measure: Measure) -> str:
        return f"{self.said} by {measure.order.field}" if measure.order is not None else self.said

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


class First(_InOrder):
    name, label, said, sql = "first", "First", "first", "FIRST_VALUE(x) OVER (ORDER BY o)"
    meaning = "The value of the record that comes first by another field; of several the first in the source."
    state = State.SMALLEST


class Last(_InOrder):
    name, label, said, sql = "last", "Last", "last", "LAST_VALUE(x) OVER (ORDER BY o)"
    meaning = "The value of the record that comes last by another field; of several the last in the source."
    state = State.LARGEST


# --- aggregates that need the values --------------------------------------------


class CountDifferent(Aggregate):
    name, label, said, sql = (
        "count different",
        "Count different values",
        "different values counted",
        "COUNT(DISTINCT x)",
    )
    meaning = "How many different values there are, blanks left out."
    counted = "different ones"
    needs_values = zero_over_nothing = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        return of_runs.different(runs)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        return Block(FieldType.WHOLE, data, blank)


class SumDifferent(Aggregate):
    name, label, said, sql = "sum different", "Sum of different values", "different values summed", "SUM(DISTINCT x)"
    meaning = "The different values added up, each once."
    takes = NUMBERS
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def held_in(self, operand: Operand) -> np.dtype:
        return np.dtype(np.float64 if operand.type is FieldType.REAL else object)

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        values = runs.values.astype(self.held_in(operand))
        return np.add.reduceat(values, runs.starts) if len(runs.starts) else values

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        fits = data.dtype == object and all(-(2**63) <= each < 2**63 for each in data.flat)
        return Block(operand.type, data.astype(np.int64) if fits else data, blank, operand.scale)


class _Real(Aggregate):
    takes = NUMBERS
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        undefined = np.isnan(data)
        return Block(FieldType.REAL, np.where(undefined, 0.0, data), blank | undefined)


class AverageDifferent(_Real):
    name, label, said, sql = (
        "average different",
        "Average of different values",
        "different values averaged",
        "AVG(DISTINCT x)",
    )
    meaning = "The average of the different values, each taken once."

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        sums = SumDifferent().of_values(runs, operand, measure)
        many = of_runs.different(runs)
        unit = 10**operand.scale
        return np.array([float(Fraction(total) / (int(each) * unit)) for total, each in zip(sums, many, strict=True)])


class Median(_Real):
    name, label, said, sql = "median", "Median", "median", "PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY x)"
    meaning = "The value in the middle; between two, half way."

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        return of_runs.percentile(runs, 0.5) / 10.0**operand.scale


def ordinal(number: float) -> str:
    """A number as a place in a row: 1st, 2nd, 11th, 2.5th."""
    last, two = number % 10, number % 100
    ending = {1: "st", 2: "nd", 3: "rd"}.get(int(last), "th") if number == int(number) and not 11 <= two <= 13 else "th"
    return f"{number:g}{ending}"


class Percentile(_Real):
    name, label, said, sql = "percentile", "Percentile", "percentile", "PERCENTILE_CONT(p) WITHIN GROUP (ORDER BY x)"
    meaning = "The value below which so many percent of the values lie, in proportion between the two nearest."
    parameters = ("percent",)

    def said_of(self, measure: Measure) -> str:
        return f"{ordinal(measure.percent)} percentile"

    def quantities(self, measure: Measure) -> dict[Key, tuple[Quantity, State]]:
        if not 0 <= measure.percent <= 100:
            raise FoldError(f"there is no percentile {measure.percent:g}.", todo="Type a number from 0 to 100.")
        return {}

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        return of_runs.percentile(runs, measure.percent / 100) / 10.0**operand.scale


class Mode(Aggregate):
    name, label, said, sql = "mode", "Most frequent", "most frequent", "MODE() WITHIN GROUP (ORDER BY x)"
    meaning = "The value that occurs most often; of several the smallest."
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        return of_runs.mode(runs)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        if operand.dictionary is not None:
            return ranked_block(data.astype(np.int64), blank, operand)
        return Block(operand.type, data, blank, operand.scale)


class _Spread(_Real):
    sample = False
    root = False

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        many = runs.totals - (1 if self.sample else 0)
        # Of one value a sample tells no spread: blank, said as not a number here.
        found = np.where(many > 0, of_runs.squares(runs, operand.scale) / np.maximum(many, 1), np.nan)
        return np.sqrt(np.maximum(found, 0)) if self.root else found


class Deviation(_Spread):
    name, label, said, sql = "standard deviation", "Standard deviation", "standard deviation", "STDDEV_SAMP(x)"
    meaning = "How far values lie from their average, of a sample (n − 1); blank for a single value."
    sample = root = True


class DeviationOfAll(_Spread):
    name, label = "standard deviation of all", "Standard deviation of all"
    said, sql = "standard deviation of all", "STDDEV_POP(x)"
    meaning = "How far values lie from their average, the records being all there are (n)."
    root = True


class Variance(_Spread):
    name, label, said, sql = "variance", "Variance", "variance", "VAR_SAMP(x)"
    meaning = "The square of the standard deviation of a sample (n − 1); blank for a single value."
    sample = True


class VarianceOfAll(_Spread):
    name, label, said, sql = "variance of all", "Variance of all", "variance of all", "VAR_POP(x)"
    meaning = "The square of the standard deviation, the records being all there are (n)."


MOST_LISTED = 50


class ListOfValues(Aggregate):
    name, label, said, sql = "list", "List", "listed", "LISTAGG(DISTINCT x, ', ')"
    meaning = (
        f"The different values in order, with commas between; after {MOST_LISTED} it says how many more there are."
    )
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.TEXT

    def held_in(self, operand: Operand) -> np.dtype:
        return np.dtype(object)

    def of_values(self, runs: Runs, operand: Operand, measure: Measure) -> Matrix:
        """The texts themselves, one Python string for each group."""
        from foldbasket.folding.domain import Domain

        if operand.dictionary is not None:
            members = np.argsort(operand.dictionary.binary_ranks, kind="stable")[runs.values]
            domain = Domain(operand.dictionary)
        else:
            kept, members = np.unique(runs.values, return_inverse=True)
            domain = Domain(Dictionary(operand.type, kept, operand.scale))
        ranks = domain.ranks[members] if len(members) else members
        order = np.lexsort((ranks, runs.group_of_run()))
        texts = []
        for start, stop in zip(runs.starts, runs.stops, strict=True):
            listed = [domain.label(int(members[at]), "en") for at in order[start : min(stop, start + MOST_LISTED)]]
            more = stop - start - len(listed)
            texts.append(", ".join(listed) + (f", … and {more:,} more" if more else ""))
        found = np.empty(len(texts), object)
        found[:] = texts
        return found

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        import pyarrow as pa

        kept, codes = np.unique(np.where(blank, "", data).astype(str), return_inverse=True)
        dictionary = Dictionary(FieldType.TEXT, pa.array(kept.tolist(), pa.string()))
        return Block(FieldType.TEXT, codes.reshape(data.shape), blank, 0, dictionary)


AGGREGATES: dict[str, Aggregate] = {
    node.name: node
    for node in (
        Sum(), CountRecords(), CountValues(), CountDifferent(), Average(), WeightedAverage(), Median(), Percentile(), Mode(), Smallest(),
        Largest(), Range(), First(), Last(), Deviation(), DeviationOfAll(), Variance(), VarianceOfAll(), Product(), ListOfValues(),
    )
}  # fmt: skip


FORMULA_ONLY: dict[str, Aggregate] = {node.name: node for node in (SumDifferent(), AverageDifferent())}
"""What formulas can ask for beyond the aggregates that are offered for a field."""


def real_or_whole(block: Block) -> FieldType:
    """The type of a block's values; of numbers by how they are held, so that days between dates count as whole."""
    if block.type.is_number and block.data.dtype.kind != "f":
        return FieldType.DECIMAL if block.scale else FieldType.WHOLE
    return block.type


def aggregate_named(name: str) -> Aggregate:
    """The aggregate of that name, or a FoldError that lists the known ones."""
    if name in FORMULA_ONLY:
        return FORMULA_ONLY[name]
    if name not in AGGREGATES:
        raise FoldError(f"there is no aggregation “{name}”.", todo="Known are: " + ", ".join(AGGREGATES) + ".")
    return AGGREGATES[name]
