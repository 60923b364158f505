"""The pieces that SQL is said in: fields, literals, conditions. All are nodes of sqlglot's, which writes them for a server."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import TYPE_CHECKING

import msgspec

from foldbasket.errors import FoldError
from foldbasket.later import exp
from foldbasket.tables.types import FieldType

if TYPE_CHECKING:
    Sql = exp.Expr
else:
    Sql = object  # it is loaded when something is said in it


class NoSqlError(FoldError):
    """Something that SQL, or one server's, does not say."""

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} cannot be said in SQL.", todo="Take it out, or write the numbers as CSV or Parquet.")


class Field(msgspec.Struct, frozen=True, eq=False):
    """A value of each record: how it is said, of which type, with how many fraction digits where that is known. `found` says whether
    a partner was found, of a field that is reached over links."""

    said: Sql
    type: FieldType
    scale: int | None = None
    found: Sql | None = None

    @property
    def is_blank(self) -> Sql:
        """Whether there is no value although there is a record."""
        blank = is_null(self.said)
        return blank if self.found is None else both(self.found, blank)


def column(name: str, table: str | None = None) -> exp.Column:
    """A column by its exact name."""
    return exp.column(exp.to_identifier(name, quoted=True), exp.to_identifier(table, quoted=True) if table else None)


def text(value: str) -> Sql:
    """A text that is written out."""
    return exp.Literal.string(value)


def number(value: Decimal | float | int) -> Sql:
    """A number that is written out."""
    if isinstance(value, float):
        return exp.Cast(this=exp.Literal.string(repr(value)), to=exp.DataType.build("double"))
    said = str(abs(value)) if isinstance(value, int) else f"{abs(value):f}"
    return exp.Neg(this=exp.Literal.number(said)) if value < 0 else exp.Literal.number(said)


def called(name: str, *given: Sql) -> Sql:
    """A function of a server's own."""
    return exp.Anonymous(this=name, expressions=list(given))


def piece(said: Sql, start: int, length: int) -> Sql:
    """So many signs of a text, from a place counted from 1."""
    return exp.Substring(this=said, start=number(start), length=number(length))


def joined(*texts: Sql) -> Sql:
    """Texts one behind the other."""
    made = texts[0]
    for each in texts[1:]:
        made = exp.DPipe(this=made, expression=each)
    return made


def times_plus(one: Sql, factor: int, more: Sql) -> Sql:
    """A whole number times another, and something added."""
    return exp.Add(this=exp.Mul(this=one, expression=number(factor)), expression=more)


def within(said: Sql) -> Sql:
    """In brackets where it is made of parts."""
    loose = isinstance(said, exp.Binary | exp.Unary | exp.Between | exp.In) and not isinstance(said, exp.Paren)
    return exp.Paren(this=said) if loose else said


def applied(node: type[exp.Expr], one: Sql, two: Sql) -> Sql:
    """An operator between two values."""
    return node(this=within(one), expression=within(two))


def both(*conditions: Sql) -> Sql:
    """All of some conditions."""
    inner = [exp.Paren(this=each) if isinstance(each, exp.Or) and len(conditions) > 1 else each for each in conditions]
    made = inner[0]
    for each in inner[1:]:
        made = exp.And(this=made, expression=each)
    return made


def either(*conditions: Sql) -> Sql:
    """Any of some conditions."""
    made = conditions[0]
    for each in conditions[1:]:
        made = exp.Or(this=made, expression=each)
    return made


def never() -> Sql:
    """A condition that does not hold."""
    return applied(exp.EQ, number(1), number(0))


def negated(condition: Sql) -> Sql:
    """The other way round; unknown stays unknown."""
    return exp.Not(this=exp.Paren(this=condition) if isinstance(condition, exp.Connector) else condition)


def is_null(said: Sql) -> Sql:
    """Whether there is no value."""
    return applied(exp.Is, said, exp.Null())


def is_known(said: Sql) -> Sql:
    """Whether there is a value."""
    return negated(is_null(said))


def chosen(cases: Sequence[tuple[Sql, Sql]], rest: Sql | None = None) -> Sql:
    """The value of the first condition that holds."""
    return exp.Case(ifs=[exp.If(this=condition, true=value) for condition, value in cases], default=rest)


def one_of(said: Sql, values: Sequence[Sql]) -> Sql:
    """Whether it is one of several values."""
    return exp.In(this=within(said), expressions=list(values)) if values else never()


def quotient(one: Sql, two: Sql, real: Sql | None = None) -> Sql:
    """One number over another as a real one, unknown over zero; `real` is the first as a real number where that is said in its own way."""
    above = exp.Cast(this=one, to=exp.DataType.build("double")) if real is None else real
    below = exp.Nullif(this=two, expression=exp.Literal.number(0))
    return exp.Div(this=within(above), expression=below, typed=True, safe=False)
