"""What every operator and function of the language is: its names, what it takes and gives, its help, and its rule on values."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple, TypeVar

from foldbasket.formulas.values import Kind, Vec
from foldbasket.later import exp
from foldbasket.registry import Kinds
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, applied

NUMBER, TEXT, DATE, MOMENT, YESNO, SPAN, NOTHING = Kind
Argument = TypeVar("Argument")


class Said(NamedTuple):
    """A value as SQL says it, and its kind."""

    sql: Sql
    kind: Kind


class Misfit(Exception):  # noqa: N818 - told as a FormulaError once its place is known
    """Arguments that do not fit: which one (from 0; None for all), and what was expected."""

    def __init__(self, at: int | None, expected: str) -> None:
        self.at, self.expected = at, expected
        super().__init__(expected)


class Function:
    """Base of all. One class each: to add one, add a class and it is parsed, checked, completed and explained.

    `nodes` are the names of the parser's nodes it stands for, none for one that the parser knows only as some name; `takes` the kinds of its arguments, the last one repeated for any further;
    `gives` the kind of its result where that does not depend on them.
    """

    name: str
    nodes: tuple[str, ...] = ()
    takes: tuple[frozenset[Kind], ...] = ()
    gives: Kind | None = None
    least = 1
    most = 1
    reads: frozenset[str] = frozenset({"this", "expression"})
    """The arguments of its nodes that are accounted for; the parser's reader refuses whatever else a node carries."""
    meaning = ""
    example = ""
    is_operator = False

    def arguments(self, node: exp.Expression) -> list[exp.Expression | None]:
        """The arguments in the order of `takes`; those left out at the end are not there."""
        if isinstance(node, exp.Anonymous):
            return list(node.expressions)
        return [child for key in node.arg_types if isinstance(child := node.args.get(key), exp.Expression)]

    def inner(self, node: exp.Expression) -> list[exp.Expression]:
        """The parser's nodes within this one that are read here and are no arguments, such as the type of a cast."""
        return []

    def valued(self, arguments: Sequence[Argument]) -> Sequence[Argument]:
        """Those of its arguments that its value is made of; the others only decide which of them it is."""
        return arguments

    def kind(self, kinds: Sequence[Kind]) -> Kind:
        """The kind of the result. Raises Misfit for arguments that do not fit; blanks fit everywhere."""
        if not self.least <= len(kinds) <= self.most:
            wanted = str(self.least) if self.least == self.most else f"{self.least} to {self.most}"
            raise Misfit(None, f"{self.name} takes {wanted} argument{'s' if wanted != '1' else ''}, not {len(kinds)}")
        for at, kind in enumerate(kinds):
            fitting = self.takes[min(at, len(self.takes) - 1)]
            if kind is not NOTHING and kind not in fitting:
                raise Misfit(at, listed(fitting))
        assert self.gives is not None
        return self.gives

    def evaluate(self, *vecs: Vec) -> Vec:
        """The result for values of fitting kinds."""
        raise NotImplementedError

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        """Itself over arguments of fitting kinds, as a server reads it. Raises NoSqlError for what it would answer otherwise than we do."""
        raise NoSqlError(self.name)


class Operator(Function):
    """Base of what stands between two values, and means in SQL what it means here."""

    least = most = 2
    is_operator = True

    def in_sql(self, given: Sequence[Said], dialect: Dialect) -> Sql:
        one, two = given
        return applied(getattr(exp, self.nodes[0]), one.sql, two.sql)


def listed(kinds: frozenset[Kind]) -> str:
    """Kinds in words: “a number or a date”."""
    said = [kind.value for kind in Kind if kind in kinds]
    return " or ".join(said)


def only(*kinds: Kind) -> frozenset[Kind]:
    """A set of kinds."""
    return frozenset(kinds)


NUMBERS, TEXTS, TIMES = only(NUMBER), only(TEXT), only(DATE, MOMENT)
ANY = only(NUMBER, TEXT, DATE, MOMENT, YESNO)


FUNCTIONS: Kinds[Function] = Kinds("function", "foldbasket.formulas.functions")
"""All functions and operators, by the names of their classes."""


def listing(kind: type[Function]) -> type[Function]:
    """Class decorator: puts a function into the language."""
    FUNCTIONS.enter(kind.__name__, kind())
    return kind


def function_of(node: exp.Expression) -> Function | None:
    """The function that a node of the parser's stands for; None where the language has none."""
    if isinstance(node, exp.Anonymous):  # a name that the parser does not know may be one of ours
        return _called(FUNCTIONS.version).get(str(node.this).upper())
    return function_at(type(node))


def function_at(kind: type[exp.Expression]) -> Function | None:
    """The function that a kind of the parser's nodes stands for."""
    return _by_node(FUNCTIONS.version).get(kind.__name__)


@lru_cache(maxsize=2)
def _by_node(version: int) -> dict[str, Function]:
    return {node: function for function in FUNCTIONS for node in function.nodes}


@lru_cache(maxsize=2)
def _called(version: int) -> dict[str, Function]:
    return {function.name: function for function in FUNCTIONS if not function.nodes}
