"""Operators and functions of numbers. Exact while scale and range allow; dividing by zero and what has no answer give blank."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.formulas.function import (
    DATE,
    MOMENT,
    NOTHING,
    NUMBER,
    NUMBERS,
    SPAN,
    Function,
    Misfit,
    Operator,
    Said,
    listing,
)
from foldbasket.formulas.functions.calendar import days_between, moved
from foldbasket.formulas.values import (
    RANGE,
    Kind,
    Mask,
    Vec,
    aligned,
    both,
    number_type,
    real,
    rescaled,
    target,
)
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, applied, called, chosen, number, quotient, within
from foldbasket.tables.types import MAX_SCALE, FieldType


class _Sum(Operator):
    """Addition and subtraction: of numbers, of a date and an interval, and the days between two dates."""

    sign: int
    work: Callable[..., Any]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        one, two = kinds
        if one in (DATE, MOMENT) and two is SPAN:
            return one
        if self.sign > 0 and one is SPAN and two in (DATE, MOMENT):
            return two
        if self.sign < 0 and one in (DATE, MOMENT) and two in (DATE, MOMENT):
            return NUMBER
        if one in (DATE, MOMENT):
            raise Misfit(1, "an interval, such as INTERVAL '3' DAY" + (", or another date" if self.sign < 0 else ""))
        for at, kind in enumerate(kinds):
            if kind not in (NUMBER, NOTHING):
                raise Misfit(at, "a number")
        return NUMBER

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = vecs
        if two.span is not None:
            return moved(one, two.span, self.sign)
        if one.span is not None:
            return moved(two, one.span, 1)
        if one.type.is_time and two.type.is_time and not (one.is_null or two.is_null):
            return days_between(one, two)
        one, two = aligned(one, two)
        valid = both(one.valid, two.valid)
        bound = one.bound + two.bound
        if one.is_exact and bound >= RANGE and object not in (one.data.dtype, two.data.dtype):
            one, two = real(one), real(two)
        with np.errstate(over="ignore", invalid="ignore"):
            data = self.work(one.data, two.data, out=target(one, two))
        return finite(Vec(one.type, data, valid, one.scale, bound, own=True))

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        one, two = given
        if SPAN in (one.kind, two.kind):
            date, span = (one, two) if two.kind is SPAN else (two, one)
            count, unit = int(span.sql.this.name), span.sql.args["unit"].name
            return dialect.moved(date.sql, self.sign * count, unit, date.kind is DATE)
        if one.kind is DATE and two.kind is DATE:
            return dialect.days_between(one.sql, two.sql)
        if MOMENT in (one.kind, two.kind):
            raise NoSqlError("the time between two moments")
        return super().in_sql(given, dialect)


@listing
class Add(_Sum):
    name, nodes, sign, work = "+", ("Add",), 1, np.add
    meaning, example = "Adds two numbers, or an interval to a date.", "Net + Freight"


@listing
class Subtract(_Sum):
    name, nodes, sign, work = "-", ("Sub",), -1, np.subtract
    meaning, example = (
        "Takes a number from another, an interval from a date, or gives the days between two dates.",
        "Net - Cost",
    )


def finite(vec: Vec) -> Vec:
    """Reals past every number that can be held, blanked."""
    if vec.type is FieldType.REAL:
        good = np.isfinite(vec.data)
        if not good.all():
            vec.valid = both(vec.valid, good)
            vec.data = np.where(good, vec.data, 0.0)
    return vec


class _Numeric(Function):
    takes, gives = (NUMBERS,), NUMBER


class _Calculation(_Numeric, Operator):
    pass


@listing
class Multiply(_Calculation):
    name, nodes = "*", ("Mul",)
    meaning, example = "Multiplies; exact up to six fraction digits.", 'Quantity * "Unit price"'

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = vecs
        scale, bound = one.scale + two.scale, max(one.bound, 1) * max(two.bound, 1)
        wide = object in (one.data.dtype, two.data.dtype)
        if not (one.is_exact and two.is_exact) or scale > MAX_SCALE or (bound >= RANGE and not wide):
            one, two, scale = real(one), real(two), 0
        with np.errstate(over="ignore", invalid="ignore"):
            data = np.multiply(one.data, two.data, out=target(one, two))
        kind = number_type(scale) if one.is_exact else FieldType.REAL
        return finite(Vec(kind, data, both(one.valid, two.valid), scale, bound, own=True))


@listing
class Divide(_Calculation):
    name, nodes = "/", ("Div",)
    meaning, example = "Divides; the result is a real number, and blank where one divides by zero.", "Net / Quantity"

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = vecs
        zero = two.data == 0
        above, below = one.data.astype(np.float64), two.data.astype(np.float64)
        if zero.any():
            below[zero] = 1.0
        shift = two.scale - one.scale
        with np.errstate(over="ignore", invalid="ignore"):
            data = np.divide(above, below, out=above if len(above) >= len(below) else below)
            if shift:
                data *= 10.0**shift
        valid = both(one.valid, two.valid)
        if zero.any():
            valid = both(valid, ~zero)
        return finite(Vec(FieldType.REAL, data, valid, own=True))

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return quotient(given[0].sql, given[1].sql)


@listing
class Negative(_Numeric):
    name, nodes, is_operator = "-", ("Neg",), True
    meaning, example = "The number with the other sign.", "-Net"

    def evaluate(self, *vecs: Vec) -> Vec:
        (one,) = vecs
        return Vec(one.type, np.negative(one.data, out=target(one)), one.valid, one.scale, one.bound, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return exp.Neg(this=within(given[0].sql))


@listing
class Absolute(_Numeric):
    name, nodes = "ABS", ("Abs",)
    meaning, example = "The size of a number, without its sign.", "ABS(Net)"

    def evaluate(self, *vecs: Vec) -> Vec:
        (one,) = vecs
        return Vec(one.type, np.abs(one.data), one.valid, one.scale, one.bound, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return exp.Abs(this=given[0].sql)


@listing
class Sign(_Numeric):
    name, nodes = "SIGN", ("Sign",)
    meaning, example = "-1, 0 or 1: whether a number is below, at or above zero.", "SIGN(Net)"

    def evaluate(self, *vecs: Vec) -> Vec:
        (one,) = vecs
        data = (one.data > 0).astype(np.int64) - (one.data < 0).astype(np.int64)
        return Vec(FieldType.WHOLE, data, one.valid, 0, 1, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        one, zero = given[0].sql, number(0)
        signs = [(exp.GT, 1), (exp.LT, -1), (exp.EQ, 0)]
        return chosen([(applied(node, one.copy(), zero.copy()), number(sign)) for node, sign in signs])


class _ToWhole(_Numeric):
    up: int

    def evaluate(self, *vecs: Vec) -> Vec:
        (one,) = vecs
        if not one.is_exact:
            work = np.ceil if self.up else np.floor
            return Vec(FieldType.REAL, work(one.data), one.valid, own=True)
        unit = 10**one.scale
        data = -((-one.data) // unit) if self.up else one.data // unit
        return Vec(FieldType.WHOLE, data, one.valid, 0, one.bound // unit + 1, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return called(self.name, given[0].sql)


@listing
class Floor(_ToWhole):
    name, nodes, up = "FLOOR", ("Floor",), 0
    meaning, example = "The next whole number at or below.", 'FLOOR("Unit price")'


@listing
class Ceiling(_ToWhole):
    name, nodes, up = "CEILING", ("Ceil",), 1
    meaning, example = "The next whole number at or above.", "CEILING(Quantity / 12)"


@listing
class Round(_Numeric):
    name, nodes, most = "ROUND", ("Round",), 2
    reads = frozenset({"this", "decimals"})
    meaning, example = (
        "Rounded to so many fraction digits, halves away from zero; to whole numbers where none are given.",
        "ROUND(Net, 1)",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        one = vecs[0]
        digits = int(vecs[1].data[0]) // 10 ** vecs[1].scale if len(vecs) > 1 else 0
        if not one.is_exact:
            factor = 10.0**digits
            data = np.trunc(np.abs(one.data) * factor + 0.5) / factor * np.sign(one.data)
            return finite(Vec(FieldType.REAL, np.where(np.isfinite(data), data, one.data), one.valid, own=True))
        if digits >= one.scale:
            return one
        unit = 10 ** (one.scale - digits)
        size = (np.abs(one.data) + unit // 2) // unit
        data, scale = size * np.sign(one.data), max(0, digits)
        if digits < 0:
            data = data * 10**-digits
        return Vec(number_type(scale), data, one.valid, scale, one.bound + unit, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.rounded(given[0].sql, given[1].sql if len(given) > 1 else number(0))


@listing
class Mod(_Numeric):
    name, nodes, least, most = "MOD", ("Mod",), 2, 2
    meaning, example = (
        "What is left over when one number is divided by another; it has the sign of the first.",
        "MOD(Quantity, 12)",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = aligned(*vecs)
        zero = two.data == 0
        below = np.where(zero, 1, two.data)
        data = np.sign(one.data) * (np.abs(one.data) % np.abs(below)) if one.is_exact else np.fmod(one.data, below)
        valid = both(both(one.valid, two.valid), ~zero) if zero.any() else both(one.valid, two.valid)
        return Vec(one.type, data, valid, one.scale, two.bound, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.remainder(given[0].sql, given[1].sql)


class _Real(_Numeric):
    """A function of reals that is blank where it has no answer: where it is not `above` a number, or at least at it."""

    above: tuple[str, int] | None = None

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        made = called(self.name, *(dialect.real(each.sql) for each in given))
        if self.above is None:
            return made
        return chosen([(applied(getattr(exp, self.above[0]), given[0].sql.copy(), number(self.above[1])), made)])

    def work(self, *reals: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        raise NotImplementedError

    def evaluate(self, *vecs: Vec) -> Vec:
        valid: Mask | None = None
        for vec in vecs:
            valid = both(valid, vec.valid)
        with np.errstate(all="ignore"):
            data = self.work(*(vec.reals() for vec in vecs))
        return finite(Vec(FieldType.REAL, data, valid, own=True))


@listing
class Power(_Real):
    name, nodes, least, most = "POWER", ("Pow",), 2, 2
    meaning, example = "A number raised to a power.", "POWER(1.02, 12)"
    above = "GT", 0

    def work(self, *reals: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.power(*reals)


@listing
class Root(_Real):
    name, nodes = "SQRT", ("Sqrt",)
    meaning, example = "The square root; blank below zero.", "SQRT(Quantity)"
    above = "GTE", 0

    def work(self, *reals: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.sqrt(*reals)


@listing
class Exponential(_Real):
    name, nodes = "EXP", ("Exp",)
    meaning, example = "e raised to a number.", "EXP(1)"

    def work(self, *reals: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.exp(*reals)


@listing
class Logarithm(_Real):
    name, nodes = "LN", ("Ln",)
    meaning, example = "The natural logarithm; blank at zero and below.", "LN(Net)"
    above = "GT", 0

    def work(self, *reals: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.log(*reals)


def as_scale(vec: Vec, scale: int) -> Vec:
    """An exact or real number as a decimal with so many fraction digits, rounded; blank where it passes the range."""
    if vec.is_exact:
        if scale < vec.scale:
            vec = Round().evaluate(vec, Vec(FieldType.WHOLE, np.array([scale]), None, 0, scale))
        made = rescaled(vec, scale)
        if made is not None:
            return Vec(number_type(scale), made.data, made.valid, scale, made.bound)
    units = np.asarray(real(vec).data) * 10.0**scale
    size = np.trunc(np.abs(units) + 0.5)
    good = size < float(RANGE)
    data = np.where(good, size * np.sign(units), 0.0).astype(np.int64)
    return Vec(number_type(scale), data, both(vec.valid, good), scale, int(np.abs(data).max(initial=0)), own=True)
