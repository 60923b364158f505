"""What every aggregate is: which fields it takes, which states it needs, what it makes of them, and its words.

A *state* is a number kept per group that can be merged: the state of a group is the merge of the states of its parts,
so totals come from the same records as cells do. An aggregate is a function of states, or says that it needs the values
themselves and works on their runs.
"""

from __future__ import annotations

import enum
import math
from collections.abc import Iterable, Mapping, Sequence
from decimal import localcontext
from typing import Any, Protocol, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.states.quantities import Quantity
from foldbasket.folding.states.runs import Grouped
from foldbasket.kinds import Parameter
from foldbasket.registry import Kinds
from foldbasket.sayings import Saying, Slot, joined
from foldbasket.spec.field import FieldRef
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, NoSqlError, Sql
from foldbasket.styling.words import placed_at
from foldbasket.tables.column import Column, Dictionary
from foldbasket.tables.types import FieldType

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


class Block(msgspec.Struct, frozen=True, eq=False):
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


class Operand(msgspec.Struct, frozen=True):
    """What an aggregate runs over: the field's type and scale, its dictionary when it is coded, and the column itself.

    `scales` are those of the quantities it asked for; `records` names, for first and last, the record at each place; `locale` says how
    values that become text are ordered and written.
    """

    type: FieldType
    scale: int = 0
    dictionary: Dictionary | None = None
    column: Column | None = None
    scales: Mapping[State | str, int] = msgspec.field(default_factory=dict)
    records: npt.NDArray[np.int64] | None = None
    locale: str = "en"


Key = State | str
"""Names a state within an aggregate: the state itself where it is one of the plain field."""


class NotByHandError(Exception):
    """What is not worked out by hand, with the reason in words."""


def present(values: Sequence[Any]) -> list[Any]:
    """The values that are there, blanks left out."""
    return [value for value in values if value is not None]


def added(values: Iterable[Any]) -> Any:
    """Numbers added up one by one: exactly, or reals with one rounding at the end."""
    listed = list(values)
    if any(isinstance(value, float) for value in listed):
        return math.fsum(listed)
    with localcontext() as context:
        context.prec = 80
        total: Any = 0
        for value in listed:
            total = total + value
        return total


class Settings(Protocol):
    """What a measure says of its aggregate: the field, and what the aggregate needs beside it."""

    @property
    def field(self) -> FieldRef | None: ...

    @property
    def percent(self) -> float: ...

    @property
    def weight(self) -> FieldRef | None: ...

    @property
    def order(self) -> FieldRef | None: ...


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
    """What it needs beside its field, each a setting of the measure."""
    is_offered = True
    """Whether it is offered for a field; formulas can ask for the others, too."""
    standing = 1000
    """Where it stands among those that are offered."""
    is_usual = False
    """Whether it is offered first."""
    needs_values = False
    """Whether it works on the values themselves (`of_values`) instead of on states."""
    zero_over_nothing = False
    """Whether it gives 0, not blank, where records have no value."""
    in_its_unit = True
    """Whether its numbers are of the unit of the field's: of percentages, percentages."""
    is_additive = False
    """Whether that of records in separate groups is the sum of that of each group."""
    saying: Saying | None = None
    """How the sentence says it where it names what it needs beside its field: “averaged by {weight:field}”."""
    short: tuple[str, ...] = ()
    """What people call it in front of its field: “average”, “avg”."""
    counted = ""
    """What a heading says behind the field, of an aggregate that counts values of which it shows none."""

    def takes_setting(self, name: str) -> bool:
        """Whether a setting of the measure is one of its parameters."""
        return any(each.name == name for each in self.parameters)

    def quantities(self, settings: Settings) -> dict[Key, tuple[Quantity, State]]:
        """The states it needs, by key, each with what it is a state of."""
        if settings.field is None:
            return {}
        plain = Quantity(settings.field)
        return {state: (plain, state) for state in self.states if state is not State.RECORDS}

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        """The result of each group, in the stored form of `block_of`, whatever of those without a value; of aggregates that need the values. Shape
        (groups,)."""
        raise NotImplementedError

    def held_in(self, operand: Operand) -> np.dtype:
        """What results worked out from values are held in until `block_of`."""
        real = FieldType.REAL in (self.result_type(operand), operand.type)
        return np.dtype(np.float64) if real else np.dtype(np.int64)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        """The block of results worked out from values."""
        raise NotImplementedError

    def said_of(self, settings: Settings) -> str:
        """What follows the field's name in the sentence."""
        if self.saying is None:
            return self.said
        pieces = self.saying.pieces(settings)
        if any(isinstance(each, Slot) and getattr(settings, each.name) is None for each in pieces):
            return self.said
        return joined([self._setting(each, settings) if isinstance(each, Slot) else each for each in pieces])

    def _setting(self, slot: Slot, settings: Settings) -> str:
        value = getattr(settings, slot.name)
        return placed_at(value) if slot.sort == "ordinal" else value.field

    def result_type(self, operand: Operand) -> FieldType:
        """The type of the result."""
        raise NotImplementedError

    def finish(self, states: Mapping[Key, Matrix], present: Matrix, operand: Operand) -> Block:
        """The result in every cell; `present` is True where a cell has records. All arrays have one shape."""
        raise NotImplementedError

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        """Itself over records, as a server reads it; `other` is its weight or order. Raises NoSqlError for what a server answers otherwise."""
        raise NoSqlError(f"the aggregation “{self.label}”")

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        """The result over values, one for each record in the order of the source, None where it is blank; `beside` are those of its weight or order. In plain
        Python, by none of the code that the engine uses. Raises NotByHandError."""
        raise NotByHandError(f"“{self.label}” is not done by hand")

    def check(self, operand: Operand | None, field: str) -> None:
        """Raises FoldError when the aggregate does not fit the field."""
        if operand is None and self.needs_field:
            raise FoldError(f"“{self.label}” needs a field.", todo="Name the field whose values it takes.")
        if operand is not None and operand.type not in self.takes:
            fitting = [other.label for other in offered() if operand.type in other.takes and other.needs_field]
            raise FoldError(
                f"“{field}” is {operand.type.value}, which “{self.label}” cannot take.",
                todo="Take " + ", ".join(fitting).lower() + ".",
            )


AGGREGATES: Kinds[Aggregate] = Kinds("aggregate", "foldbasket.folding.states.aggregates")

A = TypeVar("A", bound=type[Aggregate])


def aggregate(kind: A) -> A:
    """Class decorator: enters an aggregate under its name."""
    AGGREGATES.enter(kind.name, kind())
    return kind


def offered() -> list[Aggregate]:
    """The aggregates that are offered for fields, in order."""
    return [each for each in AGGREGATES if each.is_offered]


NUMBERS = frozenset({FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL})


class OfReals(Aggregate):
    """Base of aggregates that need the values of numbers and give a real one."""

    takes = NUMBERS
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.REAL

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        undefined = np.isnan(data)
        return Block(FieldType.REAL, np.where(undefined, 0.0, data), blank | undefined)


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


def real_or_whole(block: Block) -> FieldType:
    """The type of a block's values; of numbers by how they are held, so that days between dates count as whole."""
    if block.type.is_number and block.data.dtype.kind != "f":
        return FieldType.DECIMAL if block.scale else FieldType.WHOLE
    return block.type


def aggregate_named(name: str) -> Aggregate:
    """The aggregate of that name, or a FoldError that lists the known ones."""
    found = AGGREGATES.get(name)
    if found is None:
        known = ", ".join(each.name for each in offered())
        raise FoldError(f"there is no aggregation “{name}”.", todo=f"Known are: {known}.")
    return found
