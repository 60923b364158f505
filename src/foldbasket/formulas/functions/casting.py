"""CAST, and text turned into values of a type."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.formulas.function import (
    ANY,
    DATE,
    MOMENT,
    NOTHING,
    NUMBER,
    TEXT,
    YESNO,
    Function,
    Misfit,
    Said,
    listed,
    listing,
    only,
)
from foldbasket.formulas.functions.arithmetic import as_scale
from foldbasket.formulas.functions.calendar import days, micros
from foldbasket.formulas.functions.texts import as_text, mapped
from foldbasket.formulas.values import Kind, Vec, both, known, real
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql
from foldbasket.tables.types import MAX_SCALE, FieldType, parse_canonical, shifted


class _Type(msgspec.Struct, frozen=True):
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
    name, nodes, least, most = "CAST", ("Cast",), 3, 3
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

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        into = given[1].sql.name
        if given[0].kind is NUMBER and TYPES[into].held is FieldType.REAL:
            return dialect.real(given[0].sql)
        raise NoSqlError(
            f"CAST of {given[0].kind.value} as {into}"
        )  # servers fail where ours is blank, and round in their own ways


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
                int(shifted(value, scale).to_integral_value("ROUND_HALF_UP")) if kind is FieldType.DECIMAL else value
            )
        except (ValueError, OverflowError, ArithmeticError):
            valid[at] = False
    bound = int(np.abs(data).max(initial=0)) if held is np.int64 else 0
    return Vec(kind, data, valid, scale, bound)
