"""Operators and functions of text. Positions count characters from 1, as the standard does."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from sqlglot import exp

from foldbasket.formulas.function import ANY, NUMBER, NUMBERS, TEXT, TEXTS, YESNO, Function, listing
from foldbasket.formulas.values import Kind, Mask, Vec, both
from foldbasket.tables.types import FieldType, canonical


def mapped(kind: FieldType, work: Callable[..., object], *vecs: Vec) -> Vec:
    """A result for each record from Python values; blank where any of them is, or where the work gives None."""
    many = max(len(vec.data) for vec in vecs)
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
    name, nodes = "UPPER", (exp.Upper,)
    meaning, example = "The text in capital letters.", "UPPER(Segment)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, str.upper, *vecs)


@listing
class Lower(_Text):
    name, nodes = "LOWER", (exp.Lower,)
    meaning, example = "The text in small letters.", "LOWER(Segment)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, str.lower, *vecs)


@listing
class Trim(_Text):
    name, nodes, most = "TRIM", (exp.Trim,), 3
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


@listing
class Substring(_Text):
    name, nodes, least, most = "SUBSTRING", (exp.Substring,), 2, 3
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


@listing
class Position(Function):
    name, nodes, least, most = "POSITION", (exp.StrPosition,), 2, 2
    reads = frozenset({"this", "substr"})
    takes, gives = (TEXTS,), NUMBER
    meaning, example = (
        "Where a text begins in another, counted from 1; 0 when it is not there.",
        "POSITION('-' IN \"Variety code\")",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.WHOLE, lambda text, part: text.find(part) + 1, *vecs)


@listing
class Length(Function):
    name, nodes, takes, gives = "CHAR_LENGTH", (exp.Length,), (TEXTS,), NUMBER
    meaning, example = "How many characters the text has.", "CHAR_LENGTH(Site)"

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.WHOLE, len, *vecs)


@listing
class Concatenate(Function):
    name, nodes, least, most, is_operator = "||", (exp.DPipe,), 2, 2, True
    reads = frozenset({"this", "expression", "safe"})  # safe: whether other types are taken as text, which they are
    takes, gives = (ANY,), TEXT
    meaning, example = (
        "One text behind another; numbers and dates as they are written in a basket.",
        "Region || ' · ' || Site",
    )

    def evaluate(self, *vecs: Vec) -> Vec:
        return mapped(FieldType.TEXT, lambda one, two: one + two, *(as_text(vec) for vec in vecs))


@listing
class Like(Function):
    name, nodes, least, most, is_operator = "LIKE", (exp.Like, exp.Escape), 2, 3, True
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
