"""A checked formula as SQL."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import msgspec

from foldbasket.formulas.checking import Checked
from foldbasket.formulas.function import Said
from foldbasket.formulas.functions.calendar import CurrentDate
from foldbasket.formulas.functions.casting import TYPES, Cast
from foldbasket.formulas.tree import Apply, Constant, Name, Node
from foldbasket.formulas.values import Kind, Vec
from foldbasket.later import exp
from foldbasket.spec.field import FieldRef
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, text
from foldbasket.tables.types import MICROS_PER_DAY


def said_in_sql(
    formula: Checked,
    dialect: Dialect,
    field: Callable[[FieldRef], Said],
    today: Callable[[], Sql],
    stands_for: Mapping[Node, Said] | None = None,
) -> Said:
    """A formula as a server reads it. `field` says the fields that it names, `today` its as-of date, `stands_for` its aggregates and
    the measures that it names. Raises NoSqlError, naming what SQL does not say."""
    return _Saying(formula, dialect, field, today, stands_for or {}).said(formula.tree)


class _Saying(msgspec.Struct, frozen=True, eq=False):
    formula: Checked
    dialect: Dialect
    field: Callable[[FieldRef], Said]
    today: Callable[[], Sql]
    stands_for: Mapping[Node, Said]

    def said(self, node: Node) -> Said:
        if node in self.stands_for:
            return Said(self.stands_for[node].sql.copy(), self.stands_for[node].kind)
        if isinstance(node, Constant):
            return self.constant(node.value)
        if isinstance(node, Name):
            return self.field(self.formula.fields[node])
        assert isinstance(node, Apply)
        function = node.function
        if isinstance(function, CurrentDate):
            return Said(self.today(), Kind.DATE)
        below = [self.said(each) for each in node.arguments]
        kinds = [each.kind for each in below]
        kind = TYPES[below[1].sql.name].kind if isinstance(function, Cast) else function.kind(kinds)
        return Said(function.in_sql(below, self.dialect), kind)

    def constant(self, value: Vec) -> Said:
        if value.is_null:
            return Said(exp.Null(), Kind.NOTHING)
        if value.span is None:
            return Said(self.dialect.literal(value.type, value.data[0], value.scale), value.kind)
        months, micros = value.span.months, value.span.micros
        if micros % MICROS_PER_DAY or (months and micros):
            raise NoSqlError("an interval of less than a day")
        count, unit = (months, "MONTH") if months else (micros // MICROS_PER_DAY, "DAY")
        return Said(exp.Interval(this=text(str(count)), unit=exp.var(unit)), Kind.SPAN)
