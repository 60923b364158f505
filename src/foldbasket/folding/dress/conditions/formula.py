"""A condition that is a formula of the measures of the same cell."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Annotated, ClassVar

import numpy as np

from foldbasket.errors import FoldError, FormulaError
from foldbasket.folding.dress.judged import Cells, Mask
from foldbasket.folding.layout.worked import vec_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.formulas.checking import Schema, checked
from foldbasket.formulas.evaluation import value
from foldbasket.formulas.functions.calendar import CurrentDate
from foldbasket.formulas.tree import Apply, Name, Node
from foldbasket.formulas.values import KIND_OF, Kind, Vec
from foldbasket.kinds import entered, set_by
from foldbasket.spec.look import ConditionStruct


@entered
class Holds(ConditionStruct, frozen=True, tag="formula"):
    """Cells for which a formula of the measures in the same place holds, such as Net < 2 * Cost; measures are named by their headings."""

    formula: Annotated[str, set_by("holds", hint="Net < 2 * Cost")] = ""
    standing: ClassVar[int] = 135
    label: ClassVar[str] = "such that a formula"

    @property
    def said(self) -> str:
        return f"where {self.formula}"

    def holds(self, cells: Cells) -> Mask:
        if not self.formula:
            return np.zeros(cells.blank.shape, np.bool_)
        named = cells.named
        kinds = {heading: KIND_OF[block.type] for heading, block in named.items()}
        made = checked(self.formula, Schema({}, {}), measures=kinds, wants="measure")
        if made.kind is not Kind.YESNO:
            raise FoldError(
                f"a highlight needs a condition, and this is {made.kind.value}.",
                todo="Compare it, such as Net < 2 * Cost.",
            )
        found = value(made.tree, lambda node: _leaf(node, made.measures, named), datetime.date.today())
        holds = found.data if found.valid is None else found.data & found.valid
        return cells.known & np.broadcast_to(holds, (cells.blank.size,)).reshape(cells.blank.shape)


def _leaf(node: Node, measures: Mapping[Name, str], named: Mapping[str, Block]) -> Vec | None:
    if isinstance(node, Apply) and isinstance(node.function, CurrentDate):
        raise FormulaError(
            "a highlight has no as-of date.", node.start, node.stop, todo="Write the date out: DATE '2026-09-30'."
        )
    return vec_of(named[measures[node]]) if isinstance(node, Name) and node in measures else None
