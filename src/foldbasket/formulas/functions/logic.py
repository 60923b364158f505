"""Conditions in the standard's three-valued logic, choices between values, and changes of type."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.formulas.function import (
    ANY,
    MOMENT,
    NOTHING,
    TEXT,
    TIMES,
    YESNO,
    Function,
    Misfit,
    Operator,
    Said,
    listing,
    only,
)
from foldbasket.formulas.functions.calendar import micros
from foldbasket.formulas.values import Kind, Mask, Vec, aligned, both, known, real
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, chosen, is_null, negated, one_of, within
from foldbasket.sql.pieces import both as all_of
from foldbasket.sql.pieces import either as any_of
from foldbasket.tables.types import FieldType

YESNOS = only(YESNO)


def alike(kinds: Sequence[Kind], first: int = 0) -> Kind:
    """The one kind that values must share to be compared or chosen between; Misfit names the first that does not."""
    shared: Kind | None = None
    for at, kind in enumerate(kinds):
        if kind is NOTHING:
            continue
        if shared is None or (shared in TIMES and kind in TIMES):
            shared = MOMENT if MOMENT in (shared, kind) else kind
        elif kind is not shared:
            raise Misfit(first + at, shared.value)
    return shared or NOTHING


def unified(vecs: Sequence[Vec]) -> list[Vec]:
    """Values brought to one type and unit."""
    there = [vec for vec in vecs if not vec.is_null]
    if not there:
        return list(vecs)
    if all(vec.type.is_number for vec in there):
        scale_by = there[0]
        for vec in there[1:]:
            scale_by = aligned(scale_by, vec)[0]
        return [_numbered(vec, scale_by) for vec in vecs]
    if any(vec.type is FieldType.TIMESTAMP for vec in there):
        return [
            _blank(vec, FieldType.TIMESTAMP, np.int64)
            if vec.is_null
            else Vec(FieldType.TIMESTAMP, micros(vec), vec.valid)
            for vec in vecs
        ]
    kind = there[0].type
    return [_blank(vec, kind, there[0].data.dtype) if vec.is_null else vec for vec in vecs]


def _numbered(vec: Vec, like: Vec) -> Vec:
    if vec.is_null:
        return _blank(vec, like.type, like.data.dtype, like.scale)
    if like.type is FieldType.REAL:
        return real(vec)
    made = aligned(vec, Vec(like.type, like.data[:1], None, like.scale, 0))[0]
    return Vec(like.type, made.data, made.valid, like.scale, max(made.bound, like.bound))


def _blank(vec: Vec, kind: FieldType, held: Any, scale: int = 0) -> Vec:
    data = np.zeros(len(vec.data), held)
    if kind is FieldType.TEXT:
        data[:] = ""
    return Vec(kind, data, np.zeros(len(vec.data), np.bool_), scale)


class _Compared(Operator):
    gives = YESNO

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        alike(kinds)
        return YESNO

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        raise NotImplementedError

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        if all(each.kind is TEXT for each in given):
            given = [Said(dialect.ordered(each.sql), each.kind) for each in given]
        return super().in_sql(given, dialect)

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = unified(vecs)
        return Vec(
            FieldType.YESNO, np.asarray(self.holds(one.data, two.data), np.bool_), both(one.valid, two.valid), own=True
        )


@listing
class Equal(_Compared):
    name, nodes = "=", ("EQ",)
    meaning, example = "Whether two values are equal. Text is compared exactly.", "Channel = 'Web'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one == two


@listing
class Different(_Compared):
    name, nodes = "<>", ("NEQ",)
    meaning, example = "Whether two values differ.", "Channel <> 'Web'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one != two


@listing
class Below(_Compared):
    name, nodes = "<", ("LT",)
    meaning, example = "Whether a value is below another.", "Net < 0"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one < two


@listing
class AtMost(_Compared):
    name, nodes = "<=", ("LTE",)
    meaning, example = "Whether a value is at or below another.", "Quantity <= 10"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one <= two


@listing
class Above(_Compared):
    name, nodes = ">", ("GT",)
    meaning, example = "Whether a value is above another.", "Net > 500"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one > two


@listing
class AtLeast(_Compared):
    name, nodes = ">=", ("GTE",)
    meaning, example = "Whether a value is at or above another.", "\"Order date\" >= DATE '2026-01-01'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one >= two


@listing
class Between(Function):
    name, nodes, least, most, is_operator = "BETWEEN", ("Between",), 3, 3, True
    reads = frozenset({"this", "low", "high", "symmetric"})
    meaning, example = (
        "Whether a value lies between two others, both ends in; with SYMMETRIC in whichever order they come.",
        "Net BETWEEN 100 AND 500",
    )

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        alike(kinds)
        return YESNO

    def evaluate(self, *vecs: Vec) -> Vec:
        value, low, high = vecs
        return And().evaluate(AtLeast().evaluate(value, low), AtMost().evaluate(value, high))

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        value, low, high = (dialect.ordered(each.sql) if each.kind is TEXT else each.sql for each in given)
        return exp.Between(this=within(value), low=within(low), high=within(high))


@listing
class In(Function):
    name, nodes, least, most, is_operator = "IN", ("In",), 2, 10_000, True
    reads = frozenset({"this", "expressions"})
    meaning, example = "Whether a value is one of several.", "Channel IN ('Web', 'Trade')"

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        return [node.this, *node.expressions]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        if len(kinds) < 2:
            raise Misfit(None, "IN takes a list in brackets, such as IN ('Web', 'Trade')")
        alike(kinds)
        return YESNO

    def evaluate(self, *vecs: Vec) -> Vec:
        found = Equal().evaluate(vecs[0], vecs[1])
        for other in vecs[2:]:
            found = Or().evaluate(found, Equal().evaluate(vecs[0], other))
        return found

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return one_of(given[0].sql, [each.sql for each in given[1:]])


@listing
class And(Operator):
    name, nodes = "AND", ("And",)
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether both hold.", "Net > 0 AND Channel = 'Web'"

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return all_of(*(each.sql for each in given))

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = (truth(vec) for vec in vecs)
        data = one.data & two.data
        if one.valid is None and two.valid is None:
            return Vec(FieldType.YESNO, data, None, own=True)
        no = (known(one) & ~one.data) | (known(two) & ~two.data)
        return Vec(FieldType.YESNO, data & ~no, (known(one) & known(two)) | no, own=True)


@listing
class Or(Operator):
    name, nodes = "OR", ("Or",)
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether at least one holds.", "Channel = 'Web' OR Channel = 'Phone'"

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return any_of(*(each.sql for each in given))

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = (truth(vec) for vec in vecs)
        data = one.data | two.data
        if one.valid is None and two.valid is None:
            return Vec(FieldType.YESNO, data, None, own=True)
        yes = (known(one) & one.data) | (known(two) & two.data)
        return Vec(FieldType.YESNO, yes, (known(one) & known(two)) | yes, own=True)


@listing
class Not(Function):
    name, nodes, is_operator = "NOT", ("Not",), True
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether a condition does not hold.", "NOT Channel = 'Web'"

    def evaluate(self, *vecs: Vec) -> Vec:
        one = truth(vecs[0])
        return Vec(FieldType.YESNO, ~one.data, one.valid, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return negated(given[0].sql)


def truth(vec: Vec) -> Vec:
    return Vec(FieldType.YESNO, np.zeros(len(vec.data), np.bool_), vec.valid) if vec.is_null else vec


@listing
class Is(Function):
    name, nodes, least, most, is_operator = "IS NULL", ("Is",), 2, 2, True
    reads = frozenset({"this", "expression", "negate"})
    gives, takes = YESNO, (ANY,)
    meaning, example = (
        "Whether there is no value. IS TRUE and IS FALSE ask for a condition that surely holds, or does not.",
        "Delivered IS NULL",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = vecs
        if two.is_null:
            return Vec(FieldType.YESNO, ~known(one), None, own=True)
        return Vec(FieldType.YESNO, known(one) & (truth(one).data == two.data), None, own=True)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        one, two = given
        if two.kind is NOTHING:
            return is_null(one.sql)
        yes, no = exp.Boolean(this=True), exp.Boolean(this=False)
        wanted = one.sql if two.sql.this else negated(one.sql)
        return chosen([(wanted, yes)], no)

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        if kinds[1] not in (NOTHING, YESNO):
            raise Misfit(1, "NULL, TRUE or FALSE")
        if kinds[1] is YESNO and kinds[0] not in (YESNO, NOTHING):
            raise Misfit(0, YESNO.value)
        return YESNO
