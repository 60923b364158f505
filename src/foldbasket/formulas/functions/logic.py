"""Conditions in the standard's three-valued logic, choices between values, and changes of type."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlglot import exp

from foldbasket.formulas.function import (
    ANY,
    DATE,
    MOMENT,
    NOTHING,
    NUMBER,
    TEXT,
    TIMES,
    YESNO,
    Argument,
    Function,
    Misfit,
    listed,
    listing,
    only,
)
from foldbasket.formulas.functions.arithmetic import as_scale
from foldbasket.formulas.functions.calendar import days, micros
from foldbasket.formulas.functions.texts import as_text, mapped
from foldbasket.formulas.values import Kind, Mask, Vec, aligned, both, known, real
from foldbasket.tables.types import MAX_SCALE, FieldType, parse_canonical

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


class _Compared(Function):
    least = most = 2
    is_operator = True
    gives = YESNO

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        alike(kinds)
        return YESNO

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        raise NotImplementedError

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = unified(vecs)
        return Vec(
            FieldType.YESNO, np.asarray(self.holds(one.data, two.data), np.bool_), both(one.valid, two.valid), own=True
        )


@listing
class Equal(_Compared):
    name, nodes = "=", (exp.EQ,)
    meaning, example = "Whether two values are equal. Text is compared exactly.", "Channel = 'Web'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one == two


@listing
class Different(_Compared):
    name, nodes = "<>", (exp.NEQ,)
    meaning, example = "Whether two values differ.", "Channel <> 'Web'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one != two


@listing
class Below(_Compared):
    name, nodes = "<", (exp.LT,)
    meaning, example = "Whether a value is below another.", "Net < 0"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one < two


@listing
class AtMost(_Compared):
    name, nodes = "<=", (exp.LTE,)
    meaning, example = "Whether a value is at or below another.", "Quantity <= 10"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one <= two


@listing
class Above(_Compared):
    name, nodes = ">", (exp.GT,)
    meaning, example = "Whether a value is above another.", "Net > 500"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one > two


@listing
class AtLeast(_Compared):
    name, nodes = ">=", (exp.GTE,)
    meaning, example = "Whether a value is at or above another.", "\"Order date\" >= DATE '2026-01-01'"

    def holds(self, one: npt.NDArray, two: npt.NDArray) -> Mask:
        return one >= two


@listing
class Between(Function):
    name, nodes, least, most, is_operator = "BETWEEN", (exp.Between,), 3, 3, True
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


@listing
class In(Function):
    name, nodes, least, most, is_operator = "IN", (exp.In,), 2, 10_000, True
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


@listing
class And(Function):
    name, nodes, least, most, is_operator = "AND", (exp.And,), 2, 2, True
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether both hold.", "Net > 0 AND Channel = 'Web'"

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = (_truth(vec) for vec in vecs)
        data = one.data & two.data
        if one.valid is None and two.valid is None:
            return Vec(FieldType.YESNO, data, None, own=True)
        no = (known(one) & ~one.data) | (known(two) & ~two.data)
        return Vec(FieldType.YESNO, data & ~no, (known(one) & known(two)) | no, own=True)


@listing
class Or(Function):
    name, nodes, least, most, is_operator = "OR", (exp.Or,), 2, 2, True
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether at least one holds.", "Channel = 'Web' OR Channel = 'Phone'"

    def evaluate(self, *vecs: Vec) -> Vec:
        one, two = (_truth(vec) for vec in vecs)
        data = one.data | two.data
        if one.valid is None and two.valid is None:
            return Vec(FieldType.YESNO, data, None, own=True)
        yes = (known(one) & one.data) | (known(two) & two.data)
        return Vec(FieldType.YESNO, yes, (known(one) & known(two)) | yes, own=True)


@listing
class Not(Function):
    name, nodes, is_operator = "NOT", (exp.Not,), True
    takes, gives = (YESNOS,), YESNO
    meaning, example = "Whether a condition does not hold.", "NOT Channel = 'Web'"

    def evaluate(self, *vecs: Vec) -> Vec:
        one = _truth(vecs[0])
        return Vec(FieldType.YESNO, ~one.data, one.valid, own=True)


def _truth(vec: Vec) -> Vec:
    return Vec(FieldType.YESNO, np.zeros(len(vec.data), np.bool_), vec.valid) if vec.is_null else vec


@listing
class Is(Function):
    name, nodes, least, most, is_operator = "IS NULL", (exp.Is,), 2, 2, True
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
        return Vec(FieldType.YESNO, known(one) & (_truth(one).data == two.data), None, own=True)

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        if kinds[1] not in (NOTHING, YESNO):
            raise Misfit(1, "NULL, TRUE or FALSE")
        if kinds[1] is YESNO and kinds[0] not in (YESNO, NOTHING):
            raise Misfit(0, YESNO.value)
        return YESNO


def chosen(first: Vec, condition: Mask, other: Vec) -> Vec:
    """`first` where a condition holds, `other` elsewhere; both of one type and unit."""
    many = max(len(first.data), len(condition), len(other.data))
    data = np.where(condition, first.data, other.data)
    valid = None
    if first.valid is not None or other.valid is not None:
        valid = np.broadcast_to(np.where(condition, known(first), known(other)), (many,))
    return Vec(other.type, data, valid, other.scale, max(first.bound, other.bound), own=True)


@listing
class Case(Function):
    """Conditions and values by turns, the value for all other records last."""

    name, nodes, least, most, is_operator = "CASE", (exp.Case,), 3, 10_000, True
    reads = frozenset({"this", "ifs", "default"})
    meaning, example = (
        "The value of the first condition that holds.",
        "CASE WHEN Net >= 500 THEN 'large' ELSE 'small' END",
    )

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        found: list[exp.Expression | None] = []
        for branch in node.args["ifs"]:
            condition = branch.this
            if node.this is not None:
                condition = exp.EQ(this=node.this.copy(), expression=condition.copy())
            found += [condition, branch.args["true"]]
        return [*found, node.args.get("default") or exp.Null()]

    def inner(self, node: exp.Expression) -> list[exp.Expression]:
        return list(node.args["ifs"])

    def valued(self, arguments: Sequence[Argument]) -> Sequence[Argument]:
        return [*arguments[1:-1:2], arguments[-1]]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        for at in range(0, len(kinds) - 1, 2):
            if kinds[at] not in (YESNO, NOTHING):
                raise Misfit(at, "a condition")
        places = [*range(1, len(kinds) - 1, 2), len(kinds) - 1]
        try:
            return alike([kinds[at] for at in places])
        except Misfit as misfit:
            raise Misfit(places[misfit.at or 0], misfit.expected) from None

    def evaluate(self, *vecs: Vec) -> Vec:
        values = unified([*vecs[1:-1:2], vecs[-1]])
        found = values[-1]
        for condition, value in zip(reversed(vecs[0:-1:2]), reversed(values[:-1]), strict=True):
            truth = _truth(condition)
            found = chosen(value, truth.data & known(truth), found)
        return found


@listing
class Coalesce(Function):
    name, nodes, least, most = "COALESCE", (exp.Coalesce,), 1, 1_000
    reads = frozenset({"this", "expressions"})
    meaning, example = "The first value that is not blank.", 'COALESCE(Delivered, "Order date")'

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        return [node.this, *node.expressions]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        return alike(kinds)

    def evaluate(self, *vecs: Vec) -> Vec:
        values = unified(vecs)
        found = values[-1]
        for value in reversed(values[:-1]):
            found = chosen(value, known(value), found)
        return found


@listing
class NullIf(Function):
    name, nodes, least, most = "NULLIF", (exp.Nullif,), 2, 2
    meaning, example = "The first value, or a blank where both are equal.", "NULLIF(Quantity, 0)"

    def valued(self, arguments: Sequence[Argument]) -> Sequence[Argument]:
        return arguments[:1]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        alike(kinds)
        return kinds[0]

    def evaluate(self, *vecs: Vec) -> Vec:
        one = vecs[0]
        same = Equal().evaluate(*vecs)
        equal = same.data & known(same)
        return Vec(one.type, np.broadcast_to(one.data, equal.shape), known(one) & ~equal, one.scale, one.bound)


class _Extreme(Function):
    least, most = 1, 1_000
    reads = frozenset({"this", "expressions", "ignore_nulls"})  # the parser sets it always; ours are blank where any is
    largest: bool

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        return [node.this, *node.expressions]

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        return alike(kinds)

    def evaluate(self, *vecs: Vec) -> Vec:
        values = unified(vecs)
        found = values[0]
        for value in values[1:]:
            better = value.data > found.data if self.largest else value.data < found.data
            valid = both(found.valid, value.valid)
            found = chosen(value, np.asarray(better, np.bool_), found)
            found.valid = valid
        return found


@listing
class Greatest(_Extreme):
    name, nodes, largest = "GREATEST", (exp.Greatest,), True
    meaning, example = "The largest of several values; blank where any is.", "GREATEST(Net, 0)"


@listing
class Least(_Extreme):
    name, nodes, largest = "LEAST", (exp.Least,), False
    meaning, example = "The smallest of several values; blank where any is.", "LEAST(Net, 1000)"


@dataclass(frozen=True)
class _Type:
    """A type that CAST knows: how it is held, what it is to the rules, how many sizes may stand behind it, and its range."""

    held: FieldType
    kind: Kind
    sizes: int = 0
    bits: int = 64


TYPES = {
    "SMALLINT": _Type(FieldType.WHOLE, NUMBER, 0, 16), "INT": _Type(FieldType.WHOLE, NUMBER, 0, 32),
    "BIGINT": _Type(FieldType.WHOLE, NUMBER), "DECIMAL": _Type(FieldType.DECIMAL, NUMBER, 2),
    "FLOAT": _Type(FieldType.REAL, NUMBER), "DOUBLE": _Type(FieldType.REAL, NUMBER),
    "VARCHAR": _Type(FieldType.TEXT, TEXT, 1), "CHAR": _Type(FieldType.TEXT, TEXT, 1), "TEXT": _Type(FieldType.TEXT, TEXT),
    "DATE": _Type(FieldType.DATE, DATE), "TIMESTAMP": _Type(FieldType.TIMESTAMP, MOMENT),
    "BOOLEAN": _Type(FieldType.YESNO, YESNO),
}  # fmt: skip


@listing
class Cast(Function):
    name, nodes, least, most = "CAST", (exp.Cast,), 3, 3
    reads = frozenset({"this", "to"})
    meaning = (
        "The value as another type: SMALLINT, INTEGER, BIGINT, DECIMAL(p, s), REAL, VARCHAR(n), CHAR(n), DATE, TIMESTAMP or BOOLEAN. "
        "Decimals are rounded, text is cut to its length; what cannot be read so, or passes the type's range, is blank."
    )
    example = 'CAST("Customer no." AS VARCHAR)'

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        to = node.args["to"]
        sizes = ",".join(str(each.name) for each in to.expressions)
        return [node.this, exp.Literal.string(to.this.value), exp.Literal.string(sizes)]

    def inner(self, node: exp.Expression) -> list[exp.Expression]:
        to = node.args["to"]
        return [to, *to.expressions, *(each.this for each in to.expressions if isinstance(each.this, exp.Expression))]

    def check(self, kind: Kind, into: str, sizes: str) -> Kind:
        """The kind that a cast gives. Raises Misfit when there is no such type, size or change."""
        if into not in TYPES:
            raise Misfit(
                None,
                "CAST knows INTEGER, SMALLINT, BIGINT, DECIMAL(p, s), REAL, VARCHAR(n), CHAR(n), DATE, TIMESTAMP and BOOLEAN",
            )
        wanted = TYPES[into]
        given = sizes.split(",") if sizes else []
        if len(given) > wanted.sizes or not all(re.fullmatch(r"[0-9]{1,5}", each) for each in given):
            raise Misfit(None, f"{into} takes no such size")
        size, scale = _sizes(sizes)
        if into == "CHAR" and size is None:
            raise Misfit(None, "CHAR takes a length, such as CHAR(3); VARCHAR takes text of any length")
        if wanted.held is FieldType.TEXT and size is not None and not 1 <= size <= 10_000:
            raise Misfit(None, "text has a length from 1 to 10,000")
        if wanted.held is FieldType.DECIMAL and not scale <= min(MAX_SCALE, MAX_SCALE if size is None else size):
            raise Misfit(None, f"a decimal keeps up to {MAX_SCALE} fraction digits, and no more of them than digits")
        if size == 0:
            raise Misfit(None, f"{into}(0) holds nothing")
        fitting = {
            NUMBER: only(NUMBER, TEXT, YESNO),
            TEXT: ANY,
            DATE: only(DATE, MOMENT, TEXT),
            MOMENT: only(DATE, MOMENT, TEXT),
            YESNO: only(YESNO, TEXT),
        }[wanted.kind]
        if kind is not NOTHING and kind not in fitting:
            raise Misfit(0, listed(fitting))
        return wanted.kind

    def evaluate(self, *vecs: Vec) -> Vec:
        one, name = vecs[0], str(vecs[1].data[0])
        size, scale = _sizes(str(vecs[2].data[0]))
        wanted = TYPES[name]
        into = wanted.held
        if one.is_null:
            return one
        if into is FieldType.TEXT:
            return _lettered(as_text(one), name, size)
        if one.type is FieldType.TEXT:
            one = parsed(one, into)
        elif one.type is FieldType.YESNO and into.is_number:
            one = Vec(FieldType.WHOLE, one.data.astype(np.int64), one.valid, 0, 1)
        if into is FieldType.REAL:
            return real(one)
        if into.is_number:
            made = as_scale(one, scale if into is FieldType.DECIMAL else 0)
            return _within(made, 1 << (wanted.bits - 1) if size is None else 10**size)
        if into is FieldType.DATE:
            return Vec(FieldType.DATE, days(one), one.valid)
        if into is FieldType.TIMESTAMP:
            return Vec(FieldType.TIMESTAMP, micros(one), one.valid)
        return one


def _sizes(given: str) -> tuple[int | None, int]:
    """The first size behind a type, None where there is none, and the second."""
    first, _, second = given.partition(",")
    return (int(first) if first else None), int(second or 0)


def _within(vec: Vec, limit: int) -> Vec:
    """Exact numbers whose units pass a limit, blanked: what the type cannot hold."""
    if vec.bound < limit:
        return vec
    good = np.asarray((vec.data < limit) & (vec.data >= (-limit if limit & (limit - 1) == 0 else 1 - limit)), np.bool_)
    return Vec(vec.type, np.where(good, vec.data, 0), both(vec.valid, good), vec.scale, limit)


def _lettered(vec: Vec, name: str, size: int | None) -> Vec:
    """Text cut to a length, and for CHAR filled up to it with spaces."""
    if size is None:
        return vec
    filled = size if name == "CHAR" else 0
    return mapped(FieldType.TEXT, lambda text: text[:size].ljust(filled), vec)


def parsed(texts: Vec, into: FieldType) -> Vec:
    """Text read as another type, as a basket writes it; what cannot be read is blank."""
    kind = FieldType.DECIMAL if into in (FieldType.WHOLE, FieldType.DECIMAL) else into
    scale = MAX_SCALE if kind is FieldType.DECIMAL else 0
    held = {FieldType.REAL: np.float64, FieldType.YESNO: np.bool_}.get(kind, np.int64)
    data: npt.NDArray = np.zeros(len(texts.data), held)
    valid = known(texts).copy()
    for at in np.flatnonzero(valid):
        try:
            value: Any = parse_canonical(kind, str(texts.data[at]).strip())
            data[at] = (
                int(value.scaleb(scale).to_integral_value("ROUND_HALF_UP")) if kind is FieldType.DECIMAL else value
            )
        except (ValueError, OverflowError, ArithmeticError):
            valid[at] = False
    bound = int(np.abs(data).max(initial=0)) if held is np.int64 else 0
    return Vec(kind, data, valid, scale, bound)
