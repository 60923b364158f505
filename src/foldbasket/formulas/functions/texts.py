"""Operators and functions of text. Positions count characters from 1, as the standard does."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt

from foldbasket.formulas.function import ANY, NUMBER, NUMBERS, TEXT, TEXTS, YESNO, Function, Operator, Said, listing
from foldbasket.formulas.values import Kind, Mask, Vec, both, common_length
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, text, within
from foldbasket.tables.types import FieldType, canonical


def mapped(kind: FieldType, work: Callable[..., object], *vecs: Vec) -> Vec:
    """A result for each record from Python values; blank where any of them is, or where the work gives None."""
    many = common_length(vecs)
    valid: Mask | None = None
    for vec in vecs:
        valid = both(valid, vec.valid)
    there = np.ones(many, np.bool_) if valid is None else np.broadcast_to(valid, (many,)).copy()
    columns = [np.broadcast_to(vec.data, (many,)) for vec in vecs]
    data: npt.NDArray = np.zeros(many, {FieldType.TEXT: object, FieldType.YESNO: np.bool_}.get(kind, np.int64))
    if kind is FieldType.TEXT:
        data[:] = ""
    for at in np.flatnonzero(there):
        made = work(*(column[at] for column in columns))
        if made is None:
            there[at] = False
        else:
            data[at] = made
    return Vec(kind, data, None if there.all() else there, 0, 1 << 31, own=True)


class _Text(Function):
    takes: tuple[frozenset[Kind], ...] = (TEXTS,)
    gives = TEXT


@listing
class Upper(_Text):
    name, nodes = "UPPER", ("Upper",)
    meaning, example = "The text in capital letters.", "UPPER(Segment)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, str.upper, *vecs)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.letters(exp.Upper, given[0].sql)


@listing
class Lower(_Text):
    name, nodes = "LOWER", ("Lower",)
    meaning, example = "The text in small letters.", "LOWER(Segment)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, str.lower, *vecs)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.letters(exp.Lower, given[0].sql)


@listing
class Trim(_Text):
    name, nodes, most = "TRIM", ("Trim",), 3
    reads = frozenset({"this", "expression", "position"})
    meaning = "The text without spaces, or other given signs, at both ends; or LEADING or TRAILING ones only."
    example = "TRIM(LEADING '0' FROM \"Customer no.\")"

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        signs = node.args.get("expression") or exp.Literal.string(" ")
        side = node.args.get("position")
        return [node.this, signs, exp.Literal.string(str(side or "BOTH").upper())]

    def evaluate(self, *vecs: Vec) -> Vec:
        strip = {"LEADING": str.lstrip, "TRAILING": str.rstrip}.get(str(vecs[2].data[0]), str.strip)
        return mapped(FieldType.TEXT, strip, *vecs[:2])

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        signs = _written_out(given[1])
        if signs is None or len(signs) != 1:
            raise NoSqlError("TRIM of several signs")
        return exp.Trim(this=given[0].sql, expression=text(signs), position=_written_out(given[2]))


@listing
class Substring(_Text):
    name, nodes, least, most = "SUBSTRING", ("Substring",), 2, 3
    reads = frozenset({"this", "start", "length"})
    takes = (TEXTS, NUMBERS, NUMBERS)
    meaning, example = (
        "A piece of the text: from a position, so many characters long.",
        'SUBSTRING("Variety code" FROM 1 FOR 2)',
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        def piece(text: str, start: float, length: float | None = None) -> str | None:
            first = int(start)
            if length is None:
                return text[max(0, first - 1) :]
            return None if length < 0 else text[max(0, first - 1) : max(0, first - 1 + int(length))]

        return mapped(FieldType.TEXT, piece, vecs[0], *(_whole(vec) for vec in vecs[1:]))

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        places = [each.sql for each in given[1:]]
        if not all(isinstance(each, exp.Literal) and each.name.isdigit() and each.name != "0" for each in places):
            raise NoSqlError("SUBSTRING from a place that is worked out")
        return exp.Substring(this=given[0].sql, start=places[0], length=places[1] if len(places) > 1 else None)


@listing
class Position(Function):
    name, nodes, least, most = "POSITION", ("StrPosition",), 2, 2
    reads = frozenset({"this", "substr"})
    takes, gives = (TEXTS,), NUMBER
    meaning, example = (
        "Where a text begins in another, counted from 1; 0 when it is not there.",
        "POSITION('-' IN \"Variety code\")",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.WHOLE, lambda text, part: text.find(part) + 1, *vecs)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return exp.StrPosition(this=within(given[0].sql), substr=within(given[1].sql))


@listing
class Length(Function):
    name, nodes, takes, gives = "CHAR_LENGTH", ("Length",), (TEXTS,), NUMBER
    meaning, example = "How many characters the text has.", "CHAR_LENGTH(Site)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.WHOLE, len, *vecs)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return dialect.length(given[0].sql)


@listing
class Concatenate(Operator):
    name, nodes = "||", ("DPipe",)
    reads = frozenset({"this", "expression", "safe"})  # safe: whether other types are taken as text, which they are
    takes, gives = (ANY,), TEXT
    meaning, example = (
        "One text behind another; numbers and dates as they are written in a basket.",
        "Region || ' · ' || Site",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, lambda one, two: one + two, *(as_text(vec) for vec in vecs))

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        if any(each.kind is not TEXT for each in given):
            raise NoSqlError("“||” with what is no text")
        return super().in_sql(given, dialect)


@listing
class Like(Function):
    name, nodes, least, most, is_operator = "LIKE", ("Like", "Escape"), 2, 3, True
    reads = frozenset({"this", "expression", "negate"})
    takes, gives = (TEXTS,), YESNO
    meaning = "Whether the text is like a pattern, in which % stands for any signs and _ for a single one."
    example = "Site LIKE 'Oak%'"

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        if isinstance(node, exp.Escape):
            return [node.this.this, node.this.expression, node.expression]
        return [node.this, node.expression]

    def inner(self, node: exp.Expression) -> list[exp.Expression]:
        return [node.this] if isinstance(node, exp.Escape) else []

    def evaluate(self, *vecs: Vec) -> Vec:
        known: dict[tuple[str, str], re.Pattern[str]] = {}

        def like(text: str, pattern: str, escape: str = "") -> bool:
            if (pattern, escape) not in known:
                known[pattern, escape] = re.compile(_expression(pattern, escape), re.DOTALL)
            return known[pattern, escape].fullmatch(text) is not None

        return mapped(FieldType.YESNO, like, *vecs)

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        pattern = _written_out(given[1])
        if pattern is None or len(given) > 2 or "\\" in pattern:
            raise NoSqlError("LIKE with a pattern that is worked out, or that has ESCAPE or “\\”,")
        return dialect.like(given[0].sql, pattern)


def _expression(pattern: str, escape: str) -> str:
    """A regular expression whose time is at most the text's length times the pattern's.

    Between two % the first place that fits is as good as any later one, so a part that was found is not looked for again (atomic
    groups); the last part stands at the end.
    """
    parts, at = [""], 0
    while at < len(pattern):
        sign = pattern[at]
        if escape and sign == escape and at + 1 < len(pattern):
            at += 1
            parts[-1] += re.escape(pattern[at])
        elif sign == "%":
            parts.append("")
        else:
            parts[-1] += "." if sign == "_" else re.escape(sign)
        at += 1
    first, *middle = parts
    if not middle:
        return first
    return first + "".join(f"(?>.*?{part})" for part in middle[:-1] if part) + ".*" + middle[-1]


def _written_out(said: Said) -> str | None:
    """The text of a literal; None for what is worked out."""
    return said.sql.name if isinstance(said.sql, exp.Literal) else None


def _whole(vec: Vec) -> Vec:
    if vec.is_exact and not vec.scale:
        return vec
    return Vec(FieldType.WHOLE, np.round(vec.reals()).astype(np.int64), vec.valid)


def as_text(vec: Vec) -> Vec:
    """Any value as text, written as a basket writes it."""
    if vec.type is FieldType.TEXT or vec.is_null:
        return Vec(FieldType.TEXT, vec.data if vec.type is FieldType.TEXT else np.array([""], object), vec.valid)
    return mapped(
        FieldType.TEXT, lambda raw: canonical(vec.type, raw.item() if hasattr(raw, "item") else raw, vec.scale), vec
    )
