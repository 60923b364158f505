"""The lines of a statement's steps: which fields they name at which levels, and records grouped at all of them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

import msgspec

from foldbasket.folding.compare.figures import Axis, Key
from foldbasket.folding.compare.sides import time_of
from foldbasket.folding.records import Names, Records
from foldbasket.later import exp
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Fold, Placed, Where
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, column, number
from foldbasket.tables.types import FieldType

Level = tuple[int, int]
"""How many fields of rows and of columns a line names."""


class Lines(msgspec.Struct, frozen=True, eq=False):
    """The axes of a statement; `shown` are the levels of each that the report shows, `every` all that are worked out."""

    dialect: Dialect
    axes: tuple[Axis, Axis]
    shown: tuple[list[int], list[int]]
    every: list[Level]

    @property
    def has_more(self) -> bool:
        """Whether more levels are worked out than are shown."""
        return len(self.every) > len(self.shown[0]) * len(self.shown[1])

    def keys(self, level: Level | None = None) -> list[Key]:
        """The fields that lines of a level name; all of them without one."""
        rows, columns = level if level is not None else (len(self.axes[0].keys), len(self.axes[1].keys))
        return [*self.axes[0].keys[:rows], *self.axes[1].keys[:columns]]

    @property
    def columns(self) -> list[Sql]:
        """What tells the lines of a step apart."""
        return [*(each for key in self.keys() for each in key.columns), *(column(axis.level) for axis in self.axes)]

    def grouped(self, name: str, made: Sequence[Sql], more: Sequence[str] = ()) -> exp.Query:
        """What a step holds, grouped at every level, and by some further columns; `made` is what is made of each group."""
        further = [column(each) for each in more]
        if not self.dialect.has_grouping_sets or len(self.every) == 1:
            queries = [self._one_level(name, made, level, further) for level in self.every]
            whole: exp.Query = queries[0]
            for each in queries[1:]:
                whole = exp.Union(this=whole, expression=each, distinct=False)
            return whole
        selected = [each for key in self.keys() for each in key.columns]
        counts = [named(_level_said(axis), axis.level) for axis in self.axes]
        sets = [
            exp.Tuple(expressions=[*(each for key in self.keys(level) for each in key.columns), *_copies(further)])
            for level in self.every
        ]
        query = exp.select(*selected, *counts, *further, *_copies(made)).from_(from_query(name))
        query.set("group", exp.Group(expressions=[exp.GroupingSets(expressions=sets)]))
        return query.having(_some())

    def _one_level(self, name: str, made: Sequence[Sql], level: Level, further: Sequence[Sql]) -> exp.Select:
        there = {id(key) for key in self.keys(level)}
        selected = [
            each if id(key) in there else named(exp.Null(), each.name) for key in self.keys() for each in key.columns
        ]
        counts = [named(number(each), axis.level) for each, axis in zip(level, self.axes, strict=True)]
        query = exp.select(*selected, *counts, *_copies(further), *_copies(made)).from_(from_query(name))
        by = [*(each for key in self.keys(level) for each in key.columns), *_copies(further)]
        return query.group_by(*by) if by else query.having(_some())


def lines_of(fold: Fold, records: Sequence[Records], names: Names) -> Lines:
    """The lines of a fold over the records of its base tables, under free names."""
    rows, columns = (
        Axis([_key(word, records, names) for word in words], names.free(f"{side} level"))
        for words, side in ((fold.rows, "row"), (fold.columns, "column"))
    )
    shown = (_levels(fold.rows, fold.row_total), _levels(fold.columns, fold.column_total))
    every = list(product(*shown))
    if any(measure.compare is not None for measure in fold.measures):  # which may look at totals that are not shown
        every = list(product(range(len(rows.keys), -1, -1), range(len(columns.keys), -1, -1)))
    return Lines(records[0].dialect, (rows, columns), shown, every)


def _key(word: Placed, records: Sequence[Records], names: Names) -> Key:
    domain = records[0].domain(word.field, word.cut)
    heading = placed_heading(word)
    linked = any(each.field(word.field).found is not None for each in records)
    by_value = domain.type is not FieldType.TEXT and not word.first and word.by is None
    return Key(
        names.free(heading),
        names.free(f"{heading} found") if linked else None,
        word.id,
        heading,
        time_of(domain.part, domain.dictionary.type),
        domain.part,
        by_value and (domain.part is None or (domain.part.last is None and domain.part.sorts_by_key)),
        word.descending,
    )


def _levels(words: Sequence[Placed], grand: Where) -> list[int]:
    """How many fields the lines of an axis name that are shown, the finest first."""
    depth = len(words)
    inner = [at for at in range(depth - 1, 0, -1) if words[at - 1].subtotal != Where.OFF]
    return [depth, *inner, *([0] if depth and grand != Where.OFF else [])]


def _level_said(axis: Axis) -> Sql:
    said: Sql = number(len(axis.keys))
    for key in axis.keys:
        said = exp.Sub(this=said, expression=exp.Grouping(expressions=[column(key.name)]))
    return said


def named(said: Sql, name: str) -> Sql:
    """A value under a name, which a column of that name has already."""
    if isinstance(said, exp.Column) and said.name == name and not said.table:
        return said
    return exp.Alias(this=said, alias=exp.to_identifier(name, quoted=True))


def from_query(name: str) -> exp.Table:
    """A table or step of the statement, by its name."""
    return exp.Table(this=exp.to_identifier(name, quoted=True))


def _copies(some: Sequence[Sql]) -> list[Sql]:
    return [each.copy() for each in some]


def _some() -> Sql:
    return exp.GT(this=exp.Count(this=exp.Star()), expression=number(0))
