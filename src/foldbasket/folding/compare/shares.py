"""Shares of a total, and the index against what row and column let expect."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np

from foldbasket.folding.around import Around, divided
from foldbasket.folding.compare.cells import Cells, quotient, taken
from foldbasket.folding.compare.figures import Figures
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import Choice, entered
from foldbasket.later import exp
from foldbasket.sayings import Saying, saying
from foldbasket.spec.comparison import Comparison, ComparisonStruct
from foldbasket.sql import pieces
from foldbasket.tables.types import FieldType


class Whole(Choice):
    """The total that a cell is a share of."""

    EVERYTHING = "everything", "everything", "% of everything"
    ROW = "row", "the row", "% of the row"
    COLUMN = "column", "the column", "% of the column"
    PARENT_ROW = "parent row", "the parent row", "% of the parent row"
    PARENT_COLUMN = "parent column", "the parent column", "% of the parent column"


@entered
class ShareOf(ComparisonStruct, frozen=True, tag="share"):
    """The share of a total: of everything, of the row, of the column, or of the parent on rows or columns."""

    standing: ClassVar[int] = 10
    sayings: ClassVar[tuple[Saying, ...]] = (saying("{whole:choice}"),)
    whole: Whole = Whole.EVERYTHING

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return [(cls(whole), whole.said) for whole in Whole]

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        if self.whole in (Whole.PARENT_ROW, Whole.PARENT_COLUMN):
            below = figures.parent(value, self.whole is Whole.PARENT_ROW)
        else:
            row, column = self.whole is not Whole.ROW, self.whole is not Whole.COLUMN
            below = figures.total(value, row=row, column=column)
        return pieces.quotient(value, below)

    def of(self, block: Block, cells: Cells) -> Block:
        rows, columns = np.arange(len(cells.rows)), np.arange(len(cells.columns))
        if self.whole in ("everything", "column"):
            rows = np.full(len(rows), cells.rows.grand)
        if self.whole in ("everything", "row"):
            columns = np.full(len(columns), cells.columns.grand)
        if self.whole == "parent row":
            rows = cells.rows.parents
        if self.whole == "parent column":
            columns = cells.columns.parents
        return quotient(block, *taken(block, rows, columns))

    def by_hand(self, around: Around) -> Any:
        row, column = around.row, around.column
        if self.whole in ("everything", "column"):
            row = ()
        if self.whole in ("everything", "row"):
            column = ()
        if self.whole == "parent row":
            row = row[:-1]
        if self.whole == "parent column":
            column = column[:-1]
        return divided(around.own(), around.value(row, column))


@entered
class Index(ComparisonStruct, frozen=True, tag="index"):
    """How much weight a cell has, its row and column considered: cell × everything ÷ (row × column). 1 is as expected."""

    standing: ClassVar[int] = 70
    sayings: ClassVar[tuple[Saying, ...]] = (saying("index"),)

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        def real(said: pieces.Sql) -> pieces.Sql:
            return figures.dialect.real(said)

        row, column = figures.total(value, row=False, column=True), figures.total(value, row=True, column=False)
        everything = figures.total(value, row=True, column=True)
        above = pieces.applied(exp.Mul, real(value), real(everything))
        return pieces.quotient(above, pieces.applied(exp.Mul, real(row), real(column)))

    def of(self, block: Block, cells: Cells) -> Block:
        rows, columns = np.arange(len(cells.rows)), np.arange(len(cells.columns))
        grand_row, grand_column = np.full(len(rows), cells.rows.grand), np.full(len(columns), cells.columns.grand)
        row, no_row = taken(block, rows, grand_column)
        column, no_column = taken(block, grand_row, columns)
        everything, nothing = taken(block, grand_row, grand_column)
        blank = block.blank | no_row | no_column | nothing
        below = row.astype(np.float64) * column.astype(np.float64)
        blank = blank | (below == 0)
        above = block.data.astype(np.float64) * everything.astype(np.float64)
        return Block(FieldType.REAL, np.where(blank, 0.0, above / np.where(blank, 1.0, below)), blank)

    def by_hand(self, around: Around) -> Any:
        own, row = around.own(), around.value(around.row, ())
        column, everything = around.value((), around.column), around.value((), ())
        if own is None or row is None or column is None or everything is None:
            return None
        return divided(own * everything, row * column)
