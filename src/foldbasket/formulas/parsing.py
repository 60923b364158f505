"""From the text of a formula to its tree. The parser is sqlglot's; what is let through is our own list and nothing else.

Before it is parsed the text is scanned once: for its length, for quotes and brackets that are not closed, for nesting, and for
signs that mean nothing in an expression. So no text can make the parser run long or deep, and an error has its place.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from functools import lru_cache
from typing import Any

from foldbasket.errors import FormulaError
from foldbasket.formulas.function import Function, function_of
from foldbasket.formulas.functions.calendar import UNITS
from foldbasket.formulas.language import (
    AGGREGATES,
    FEWER,
    accounted,
    function_names,
    named,
)
from foldbasket.formulas.scanning import check_called, scan, told
from foldbasket.formulas.tree import Aggregated, Apply, Constant, Name, Node
from foldbasket.formulas.values import RANGE, Span, Vec, constant, nothing, number_type
from foldbasket.later import exp, sqlglot
from foldbasket.tables.types import MAX_SCALE, FieldType, parse_canonical
from foldbasket.typed import near


@lru_cache(maxsize=256)
def parsed(text: str) -> Node:
    """The tree of a formula. Raises FormulaError with the place of what is wrong, and nothing else."""
    scan(text)
    try:
        with _quiet():
            tree: Any = sqlglot.parse_one(text, into=exp.Condition)
    except sqlglot.errors.ParseError as error:
        raise told(text, error) from None
    except RecursionError:
        raise _too_deep(text) from None
    except (sqlglot.errors.SqlglotError, ValueError, AttributeError, TypeError, IndexError, KeyError):
        raise FormulaError(
            "this is not a formula.", 0, len(text), todo="Look for a missing bracket, comma or name."
        ) from None
    if tree is None:
        raise FormulaError("there is no formula.", 0, 1, todo="Type one, such as Net - Cost.")
    check_called(text)
    return read_tree(text, tree)


def read_tree(text: str, tree: exp.Expression) -> Node:
    """Our own tree from the parser's. Raises FormulaError for every node, and every argument of a node, that is not on our list."""
    try:
        return _Reader(text).read(tree)
    except RecursionError:
        raise _too_deep(text) from None
    except (
        AttributeError,
        TypeError,
        IndexError,
        KeyError,
        ValueError,
    ):  # a shape of the parser's tree that nothing here expects
        raise FormulaError(
            "this is not a formula.", 0, len(text), todo="Look for words in the wrong order, or a missing bracket."
        ) from None


def _too_deep(text: str) -> FormulaError:
    return FormulaError("this formula is too deeply nested.", 0, len(text), todo="Make it of smaller formulas.")


class _quiet:  # noqa: N801 - used as a statement
    """Keeps the parser's own warnings out of the terminal."""

    def __enter__(self) -> None:
        import logging

        self.logger = logging.getLogger("sqlglot")
        self.level = self.logger.level
        self.logger.setLevel(logging.CRITICAL)

    def __exit__(self, *_: object) -> None:
        self.logger.setLevel(self.level)


class _Reader:
    """Turns the parser's tree into ours, and refuses whatever is not on our list."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.places: dict[int, tuple[int, int] | None] = {}
        self.held: list[exp.Expression] = []

    def place(self, node: exp.Expression) -> tuple[int, int]:
        """Where a node stands: its own mark, and all that its parts span."""
        if id(node) not in self.places:
            self.held.append(node)  # so that no other node takes its number
            # Parts come after what they are part of, so the other way round each finds those of its parts.
            for each in reversed(list(node.walk())):
                found = [self.places.get(id(part)) for part in each.iter_expressions()]
                marks = [place for place in found if place is not None]
                if "start" in each.meta:
                    marks.append((each.meta["start"], each.meta["end"] + 1))
                self.places[id(each)] = (min(one for one, _ in marks), max(two for _, two in marks)) if marks else None
        return self.places[id(node)] or (0, len(self.text))

    def refuse(self, what: str, node: exp.Expression, todo: str = "") -> FormulaError:
        own = node.meta
        start, stop = (own["start"], own["end"] + 1) if "start" in own else self.place(node)
        return FormulaError(what, start, stop, todo=todo)

    def account(self, node: exp.Expression) -> None:
        """Refuses a node that carries an argument which is not read."""
        called = isinstance(node, exp.Anonymous) and function_of(node) is not None
        reads = frozenset({"this", "expressions"}) if called else accounted(type(node))
        if reads is None:
            raise self.unknown(node)
        for key, given in node.args.items():
            if key not in reads and given not in (None, False, []):
                if isinstance(node, exp.In) and key in ("query", "unnest", "field"):
                    raise self.refuse("a formula has no queries.", node, "List the values: IN ('a', 'b').")
                if isinstance(node, exp.Column):
                    raise self.refuse(
                        "a name has at most a table before it.", node, 'Write it like Orders."Order date".'
                    )
                if type(node).__name__ in AGGREGATES:
                    raise self.refuse(f"{self.word(node)} takes one field or expression.", node)
                word = key.strip("_").replace("_", " ").upper()
                raise self.refuse(
                    f"{word} cannot stand here.", node, "Take it out; a formula has the standard's plain forms."
                )

    def read(self, node: exp.Expression) -> Node:
        start, stop = self.place(node)
        self.account(node)
        if isinstance(node, exp.Paren):
            return self.read(node.this)
        if isinstance(node, exp.Literal):
            return Constant(start, stop, self.literal(node))
        if isinstance(node, exp.Boolean):
            return Constant(start, stop, constant(FieldType.YESNO, bool(node.this)))
        if isinstance(node, exp.Null):
            return Constant(start, stop, nothing())
        if isinstance(node, exp.Interval):
            return Constant(start, stop, self.interval(node))
        if isinstance(node, exp.Column):
            return self.name(node)
        if isinstance(node, exp.Cast) and isinstance(node.this, exp.Literal) and node.this.is_string:
            return self.cast_literal(node, start, stop)
        if isinstance(node, exp.Filter | exp.WithinGroup) or type(node).__name__ in AGGREGATES:
            return self.aggregated(node, start, stop)
        function = function_of(node)
        if function is None:
            raise self.unknown(node)
        return self.applied(function, node, start, stop)

    def applied(self, function: Function, node: exp.Expression, start: int, stop: int) -> Node:
        self.check_form(function, node)
        for below in function.inner(node):
            self.account(below)
        arguments = tuple(self.read(each) for each in function.arguments(node) if each is not None)
        made = Apply(start, stop, function, arguments)
        if node.args.get("symmetric"):
            turned = Apply(start, stop, function, (arguments[0], arguments[2], arguments[1]))
            made = Apply(start, stop, named(exp.Or), (made, turned))
        negated = node.this.args.get("negate") if isinstance(node, exp.Escape) else node.args.get("negate")
        return Apply(start, stop, named(exp.Not), (made,)) if negated else made

    def literal(self, node: exp.Literal) -> Vec:
        self.account(node)
        if node.is_string:
            return constant(FieldType.TEXT, node.this)
        try:
            number = Decimal(node.this)
        except InvalidOperation:
            raise self.refuse(f"“{node.this}” is not a number.", node) from None
        exponent = int(number.as_tuple().exponent)
        if "e" in node.this.lower() or -exponent > MAX_SCALE:
            if abs(number.adjusted()) > 300:
                raise self.refuse(f"{node.this[:20]} is beyond every number that can be held.", node)
            return constant(FieldType.REAL, float(number))
        scale = max(0, -exponent)
        units = int(number.scaleb(scale)) if len(node.this) < 60 else RANGE
        if units >= RANGE:
            raise self.refuse(
                f"{node.this[:24]} is past the exact range.",
                node,
                "Write a real number, such as 1e20, or a smaller one.",
            )
        return constant(number_type(scale), units, scale)

    def interval(self, node: exp.Interval) -> Vec:
        for each in node.iter_expressions():
            if not isinstance(each, exp.IntervalSpan):  # told below, as a unit that there is not
                self.account(each)
        unit = str(node.args.get("unit") or "").upper().rstrip("S")
        try:
            count = int(node.this.name) if node.this is not None else 0
        except ValueError:
            raise self.refuse("an interval counts whole units.", node, "Write it like INTERVAL '3' DAY.") from None
        if unit not in UNITS or abs(count) > 1_000_000:
            raise self.refuse(
                f"there is no interval of {count} {unit.lower() or 'nothing'}.",
                node,
                "Units are " + ", ".join(UNITS) + ".",
            )
        one = UNITS[unit]
        made = constant(FieldType.WHOLE, 0)
        made.span = Span(one.months * count, one.micros * count)
        return made

    def name(self, node: exp.Column) -> Node:
        start, stop = self.place(node)
        if isinstance(node.this, exp.Star):
            raise self.refuse("“*” stands only in COUNT(*).", node)
        table = node.args.get("table")
        self.account(node.this)
        if table is not None:
            self.account(table)
        return Name(
            start, stop, node.this.name, table.name if table is not None else None, bool(node.this.args.get("quoted"))
        )

    def cast_literal(self, node: exp.Cast, start: int, stop: int) -> Node:
        to = node.args["to"]
        if not isinstance(to, exp.DataType):  # as of INTERVAL MONTH '1', whose words are the wrong way round
            raise self.refuse(
                "this is not a value of a type.", node, "Write it like DATE '2026-01-31' or INTERVAL '3' DAY."
            )
        into = {"DATE": FieldType.DATE, "TIMESTAMP": FieldType.TIMESTAMP}.get(to.this.value)
        if into is None or to.expressions:
            return self.applied(named(exp.Cast), node, start, stop)
        for each in (to, node.this):
            self.account(each)
        try:
            return Constant(start, stop, constant(into, parse_canonical(into, node.this.this)))
        except ValueError as error:
            raise self.refuse(str(error), node.this) from None

    def aggregated(self, node: exp.Expression, start: int, stop: int) -> Node:
        where = None
        if isinstance(node, exp.Filter):
            self.account(node.expression)
            where = self.read(node.expression.this)
            node = node.this
            if not (isinstance(node, exp.WithinGroup) or type(node).__name__ in AGGREGATES):
                raise self.refuse("FILTER and WITHIN GROUP go with an aggregate, such as SUM.", node)
            self.account(node)
        if isinstance(node, exp.WithinGroup):
            return self.within_group(node, where, start, stop)
        name = AGGREGATES[type(node).__name__]
        if isinstance(node, exp.PercentileCont):
            raise self.refuse("FILTER and WITHIN GROUP go with an aggregate, such as SUM.", node)
        argument = node.this
        if isinstance(argument, exp.Distinct):
            argument, name = self.distinct(node, argument, name)
        if isinstance(argument, exp.Star):
            self.account(argument)
            if name != "count values":
                raise self.refuse("“*” stands only in COUNT(*).", node)
            return Aggregated(start, stop, "count", None, where)
        if argument is None:
            raise self.refuse(f"{self.word(node)} takes one field or expression.", node)
        return Aggregated(start, stop, name, self.read(argument), where)

    def within_group(self, node: exp.WithinGroup, where: Node | None, start: int, stop: int) -> Node:
        """The percentile of what a group is ordered by."""
        order = node.expression
        if not isinstance(order, exp.Order) or len(order.expressions) != 1:
            raise self.refuse("WITHIN GROUP takes one field: (ORDER BY x).", node)
        ordered = order.expressions[0]
        for each in (order, ordered, node.this):
            self.account(each)
        if not isinstance(node.this, exp.PercentileCont) or ordered.args.get("desc"):
            raise self.refuse("WITHIN GROUP goes with PERCENTILE_CONT, in rising order.", node)
        share = self.literal(node.this.this) if isinstance(node.this.this, exp.Literal) else None
        if share is None or not share.type.is_number or not 0 <= float(share.reals()[0]) <= 1:
            raise self.refuse("PERCENTILE_CONT takes a share from 0 to 1.", node.this)
        return Aggregated(start, stop, "percentile", self.read(ordered.this), where, float(share.reals()[0]) * 100)

    def distinct(self, node: exp.Expression, argument: exp.Distinct, name: str) -> tuple[exp.Expression, str]:
        """What an aggregate takes the different values of, and the aggregate that does."""
        self.account(argument)
        if len(argument.expressions) != 1:
            raise self.refuse("DISTINCT takes one field.", node)
        if name not in FEWER:
            raise self.refuse(f"{self.word(node)} has no DISTINCT.", node, "It goes with COUNT, SUM, AVG, MIN and MAX.")
        return argument.expressions[0], FEWER[name]

    def check_form(self, function: Function, node: exp.Expression) -> None:
        """Refuses what the parser takes beyond the standard's form of an expression."""
        if isinstance(node, exp.Extract):
            unit = str(function.arguments(node)[0].name)  # type: ignore[union-attr]
            known = ("YEAR", "QUARTER", "MONTH", "WEEK", "DAY", "HOUR", "MINUTE", "SECOND")
            if unit not in known:
                raise self.refuse(f"there is no part “{unit}” of a date.", node, "Parts are " + ", ".join(known) + ".")
        if isinstance(node, exp.Round) and len(function.arguments(node)) > 1:
            digits = node.args["decimals"]
            plain = digits.this if isinstance(digits, exp.Neg) else digits
            for each in (digits, plain):
                self.account(each)
            if not (isinstance(plain, exp.Literal) and plain.name.isdigit() and int(plain.name) <= 15):
                raise self.refuse("ROUND takes its digits as a whole number up to 15.", node)
            if isinstance(digits, exp.Neg):
                digits.replace(exp.Literal.number(f"-{plain.name}"))

    def word(self, node: exp.Expression) -> str:
        """The word in the text that a node begins with."""
        start = node.meta.get("start", self.place(node)[0])
        match = re.match(r"\w+", self.text[start:])
        return match.group() if match else self.text[start : start + 12]

    def unknown(self, node: exp.Expression) -> FormulaError:
        if isinstance(node, exp.Query | exp.Subquery | exp.Exists | exp.Command | exp.DDL | exp.DML):
            return self.refuse(
                "a formula has no queries.", node, "It is one expression over the fields of a record or of a summary."
            )
        word = self.word(node)
        if isinstance(node, exp.Window):
            return self.refuse("a formula has no OVER.", node, "Compare the measure on its card instead.")
        if isinstance(node, exp.Func):
            other = near(word, function_names())
            hint = f"Did you mean {other}?" if other else "Functions are listed as you type."
            return self.refuse(f"there is no function “{word}”.", node, hint)
        return self.refuse(
            f"“{word}” cannot stand here.", node, "A formula is made of fields, numbers, operators and functions."
        )


def needs_quotes(name: str) -> bool:
    """Whether a name must be written in double quotes to be read as a name."""
    if not re.fullmatch(r"[^\W\d]\w*", name):
        return True
    try:
        tree = parsed(name)
    except FormulaError:
        return True
    return not (isinstance(tree, Name) and tree.name == name and tree.table is None)


def written(name: str, table: str | None = None) -> str:
    """A name as a formula writes it, in double quotes where it needs them."""
    own = '"' + name.replace('"', '""') + '"' if needs_quotes(name) else name
    return f"{written(table)}.{own}" if table is not None else own
