"""What counts every different value once."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states.aggregates.aggregate import (
    NUMBERS,
    Aggregate,
    Block,
    Matrix,
    OfReals,
    Operand,
    Settings,
    added,
    aggregate,
    present,
)
from foldbasket.folding.states.exact import narrowed
from foldbasket.folding.states.runs import Grouped
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql, quotient
from foldbasket.tables.column import Dictionary
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way


@aggregate
class CountDifferent(Aggregate):
    name, label, said, sql = (
        "count different",
        "Count different values",
        "different values counted",
        "COUNT(DISTINCT x)",
    )
    is_usual = True
    standing = 40
    meaning = "How many different values there are, blanks left out."
    short = (
        "count different",
        "different",
        "distinct",
        "unique",
        "count distinct",
        "count unique",
        "number of different",
        "number of distinct",
        "how many",
        "how many different",
    )
    in_its_unit = False
    counted = "different ones"
    needs_values = zero_over_nothing = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.WHOLE

    def held_in(self, operand: Operand) -> np.dtype:
        return np.dtype(np.int64)

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        return of_runs.different(values)

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        return Block(FieldType.WHOLE, data, blank)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        return len(set(present(values)))

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return exp.Count(this=exp.Distinct(expressions=[of.said]))


@aggregate
class SumDifferent(Aggregate):
    name, label, said, sql = "sum different", "Sum of different values", "different values summed", "SUM(DISTINCT x)"
    standing = 210
    is_offered = False
    meaning = "The different values added up, each once."
    takes = NUMBERS
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return operand.type

    def held_in(self, operand: Operand) -> np.dtype:
        return np.dtype(np.float64 if operand.type is FieldType.REAL else object)

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        return of_runs.added(values, self.held_in(operand))

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        return Block(operand.type, narrowed(data), blank, operand.scale)

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = set(present(values))
        return added(sorted(there)) if there else None

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        assert of is not None
        return dialect.exact(exp.Sum(this=exp.Distinct(expressions=[of.said])), of.scale)


@aggregate
class AverageDifferent(OfReals):
    name, label, said, sql = (
        "average different",
        "Average of different values",
        "different values averaged",
        "AVG(DISTINCT x)",
    )
    standing = 220
    is_offered = False
    meaning = "The average of the different values, each taken once."

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        sums = SumDifferent().of_values(values, operand, settings)
        many = of_runs.different(values)
        unit = 10**operand.scale
        pairs = zip(sums, many.tolist(), strict=True)
        return np.array([float(Fraction(total) / (each * unit)) if each else 0.0 for total, each in pairs])

    def by_hand(self, values: Sequence[Any], beside: Sequence[Any] | None, settings: Settings) -> Any:
        there = set(present(values))
        return float(sum((Fraction(each) for each in there), Fraction(0)) / len(there)) if there else None

    def in_sql(self, of: Field | None, other: Sql | None, percent: float, dialect: Dialect) -> Sql:
        total = SumDifferent().in_sql(of, other, percent, dialect)
        return quotient(total, CountDifferent().in_sql(of, other, percent, dialect).copy())


MOST_LISTED = 50
STEP = 4_096
"""So many texts are handed to Arrow at once."""


def _first_of_each(groups: npt.NDArray[np.int64], ranks: npt.NDArray[np.int64], most: int) -> npt.NDArray[np.int64]:
    """Which of some values come first within their groups, so many of each; by group and rank."""
    order = np.lexsort((ranks, groups))
    of = groups[order]
    starts = np.flatnonzero(np.append(True, of[1:] != of[:-1])) if len(of) else of
    place = np.arange(len(of)) - np.repeat(starts, np.diff(np.append(starts, len(of))))
    return order[place < most]


@aggregate
class ListOfValues(Aggregate):
    name, label, said, sql = "list", "List", "listed", "LISTAGG(DISTINCT x, ', ')"
    short = ("list",)
    standing = 200
    meaning = (
        f"The different values in order, with commas between; after {MOST_LISTED} it says how many more there are."
    )
    needs_values = True

    def result_type(self, operand: Operand) -> FieldType:
        return FieldType.TEXT

    def held_in(self, operand: Operand) -> np.dtype:
        return np.dtype(object)

    def of_values(self, values: Grouped, operand: Operand, settings: Settings) -> Matrix:
        """The texts themselves, one Python string for each group."""
        from foldbasket.folding.members.domain import Domain

        known = Domain(operand.dictionary, None, operand.locale) if operand.dictionary is not None else None
        groups, ranks, labels, passed = np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0, object), 0
        for runs in values.blocks():
            if known is not None:
                domain, codes = known, np.argsort(known.dictionary.binary_ranks, kind="stable")[runs.values]
                order = domain.ranks[codes]
            else:  # numbers rise from block to block
                kept, codes = np.unique(runs.values, return_inverse=True)
                domain = Domain(Dictionary(operand.type, kept, operand.scale), None, operand.locale)
                order, passed = domain.ranks[codes] + passed, passed + len(kept)
            before = len(groups)
            groups = np.concatenate([groups, runs.groups[runs.group_of_run()]])
            ranks, labels = np.concatenate([ranks, order]), np.concatenate([labels, np.zeros(len(order), object)])
            first = _first_of_each(groups, ranks, MOST_LISTED)
            new = first[first >= before]
            labels[new] = [domain.label(int(code), operand.locale) for code in codes[new - before]]
            groups, ranks, labels = groups[first], ranks[first], labels[first]
        listed: list[list[str]] = [[] for _ in range(values.many)]
        for group, label in zip(groups.tolist(), labels.tolist(), strict=True):
            listed[group].append(label)
        found = np.empty(values.many, object)
        for at, (names, many) in enumerate(zip(listed, of_runs.different(values).tolist(), strict=True)):
            more = many - len(names)
            found[at] = ", ".join(names) + (f", … and {more:,} more" if more else "")
        return found

    def block_of(self, data: Matrix, blank: npt.NDArray[np.bool_], operand: Operand) -> Block:
        import pyarrow as pa

        texts = np.where(blank, "", data).ravel()
        pieces = []
        for start in range(0, len(texts), STEP):  # Arrow keeps Python's lock for as long as it takes them
            pieces.append(pa.array(texts[start : start + STEP], pa.string()))
            give_way()
        encoded = pa.chunked_array(pieces, pa.string()).dictionary_encode().combine_chunks()
        codes = encoded.indices.to_numpy().reshape(data.shape)
        return Block(FieldType.TEXT, codes, blank, 0, Dictionary(FieldType.TEXT, encoded.dictionary))
