"""A formula as a tree of our own few nodes, each with its place in the text."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from foldbasket.formulas.function import Function
from foldbasket.formulas.values import Vec


class Node(msgspec.Struct, frozen=True, eq=False):
    """`start` and `stop` are where in the text it stands, from 0, the end left out."""

    start: int
    stop: int

    @property
    def children(self) -> tuple[Node, ...]:
        """The nodes it is made of."""
        return ()

    def walk(self) -> Iterator[Node]:
        """Itself and all nodes beneath it."""
        yield self
        for child in self.children:
            yield from child.walk()


class Constant(Node, frozen=True, eq=False):
    """A value that is written out."""

    value: Vec


class Name(Node, frozen=True, eq=False):
    """A field, or in a summary a measure. `quoted` says that it was written in double quotes, so that its case counts."""

    name: str
    table: str | None = None
    quoted: bool = False


class Apply(Node, frozen=True, eq=False):
    """An operator or a function over its arguments."""

    function: Function
    arguments: tuple[Node, ...]

    @property
    def children(self) -> tuple[Node, ...]:
        return self.arguments


class Aggregated(Node, frozen=True, eq=False):
    """An aggregate over records: by its name in the engine, over an expression (None counts records), where a condition holds."""

    aggregate: str
    argument: Node | None
    where: Node | None = None
    percent: float = msgspec.field(default=90.0)

    @property
    def children(self) -> tuple[Node, ...]:
        return tuple(each for each in (self.argument, self.where) if each is not None)


def valued_names(node: Node) -> list[Name]:
    """The names that the value of a tree is made of: not those that only a condition looks at, such as that of a CASE."""
    if isinstance(node, Name):
        return [node]
    below = node.function.valued(node.arguments) if isinstance(node, Apply) else node.children
    return [name for each in below for name in valued_names(each)]


def names_in(node: Node) -> list[Name]:
    """Every name in a tree, in the order of the text."""
    return sorted((each for each in node.walk() if isinstance(each, Name)), key=lambda each: each.start)


def is_summary(node: Node) -> bool:
    """Whether a formula sums records up, and so is a measure; without an aggregate it gives a field for each record."""
    return any(isinstance(each, Aggregated) for each in node.walk())
