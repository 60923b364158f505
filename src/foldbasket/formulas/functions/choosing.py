"""Functions that choose one of several values: CASE, COALESCE, NULLIF, GREATEST, LEAST."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from foldbasket.formulas.function import (
    NOTHING,
    TEXT,
    YESNO,
    Argument,
    Function,
    Misfit,
    Said,
    listing,
)
from foldbasket.formulas.functions.logic import Equal, alike, truth, unified
from foldbasket.formulas.values import Kind, Mask, Vec, both, known
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql
from foldbasket.sql.pieces import chosen as said_by


def chosen(first: Vec, condition: Mask, other: Vec) -> Vec:
    """`first` where a condition holds, `other` elsewhere; both of one type and unit."""
    data = np.where(condition, first.data, other.data)
    valid = None
    if first.valid is not None or other.valid is not None:
        valid = np.broadcast_to(np.where(condition, known(first), known(other)), data.shape)
    return Vec(other.type, data, valid, other.scale, max(first.bound, other.bound), own=True)


@listing
class Case(Function):
    """Conditions and values by turns, the value for all other records last."""

    name, nodes, least, most, is_operator = "CASE", ("Case",), 3, 10_000, True
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
            holds = truth(condition)
            found = chosen(value, holds.data & known(holds), found)
        return found

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        cases = [(when.sql, then.sql) for when, then in zip(given[0:-1:2], given[1:-1:2], strict=True)]
        return said_by(cases, None if given[-1].kind is NOTHING else given[-1].sql)


@listing
class Coalesce(Function):
    name, nodes, least, most = "COALESCE", ("Coalesce",), 1, 1_000
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

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return exp.Coalesce(this=given[0].sql, expressions=[each.sql for each in given[1:]])


@listing
class NullIf(Function):
    name, nodes, least, most = "NULLIF", ("Nullif",), 2, 2
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

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        return exp.Nullif(this=given[0].sql, expression=given[1].sql)


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

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        values = [dialect.ordered(each.sql) if each.kind is TEXT else each.sql for each in given]
        return dialect.least(values, self.largest)


@listing
class Greatest(_Extreme):
    name, nodes, largest = "GREATEST", ("Greatest",), True
    meaning, example = "The largest of several values; blank where any is.", "GREATEST(Net, 0)"


@listing
class Least(_Extreme):
    name, nodes, largest = "LEAST", ("Least",), False
    meaning, example = "The smallest of several values; blank where any is.", "LEAST(Net, 1000)"
