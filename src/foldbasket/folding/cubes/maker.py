"""Makes cubes from plans out of tables that are held here, and keeps what they are made of.

Whatever else makes cubes (a stream, a database, a cluster) takes the same plans.
"""

from __future__ import annotations

from collections import Counter
from functools import partial

import numpy as np
import numpy.typing as npt

from foldbasket.folding.cubes.cube import Cube, add_pairs, add_runs, add_states, build_cube
from foldbasket.folding.members.domain import Domain, placed_codes
from foldbasket.folding.plan.plan import Plan
from foldbasket.folding.states.quantities import Quantity, column_of
from foldbasket.kept import Kept
from foldbasket.links.source import Source
from foldbasket.spec.cut import Cut
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.tables.column import Codes, Column
from foldbasket.tables.progress import Progress

Mask = npt.NDArray[np.bool_]


class LocalMaker:
    """Cubes over one source. `ran` counts how often records were visited, and for what."""

    def __init__(self, source: Source, locale: str, ran: Counter[str]) -> None:
        self.source = source
        self.locale = locale
        self.ran = ran
        self._selections: Kept[Mask] = Kept(8)
        self._codes: Kept[tuple[Codes, Domain]] = Kept(32)
        self._columns: Kept[Column] = Kept(8)
        self._cubes: Kept[Cube] = Kept(8)

    def cube(self, plan: Plan, progress: Progress) -> Cube:
        """The cube of a plan; of one that is kept only what is missing is aggregated. Raises FoldError, or Cancelled."""
        base = plan.base
        mask = self.selection(base, plan.rules, progress)
        count = self.source.table(base).count
        wants = [(each.quantity, each.states) for each in plan.states]

        def build() -> Cube:
            self.ran["cube"] += 1
            coded = [self.coded(base, field.field, field.cut) for field in plan.fields]
            codes, domains = [each for each, _ in coded], [each for _, each in coded]
            return build_cube(plan.fields, codes, domains, mask, count, self.column, wants, progress)

        found = self._cubes.get_or((base, plan.rules, plan.fields), build)
        self.ran["aggregate"] += add_states(found, count, self.column, wants, mask, progress)
        for quantity in plan.runs:
            self.ran["aggregate"] += add_runs(found, quantity, self.column(quantity), mask, progress)
        for table in plan.pairs:
            rows = self.source.rows(base, table)
            assert rows is not None  # bases are chosen so
            self.ran["aggregate"] += add_pairs(found, table, rows, self.source.table(table).count, mask, progress)
        return found

    def selection(self, base: str, rules: tuple[Filter, ...], progress: Progress) -> Mask | None:
        """Which records of a table pass all filters; None when there is no filter."""
        if not rules:
            return None

        def select() -> Mask:
            self.ran["selection"] += 1
            mask: Mask | None = None
            for at, rule in enumerate(rules):
                progress.step("Filtering", at / len(rules))
                kept: Mask = rule.keeps(self.source, base)
                mask = kept if mask is None else mask & kept
            assert mask is not None
            return mask

        return self._selections.get_or((base, rules), select)

    def coded(self, base: str, ref: FieldRef, cut: Cut | None) -> tuple[Codes, Domain]:
        """A field as one code for each record of a table, and what the codes stand for."""

        def code() -> tuple[Codes, Domain]:
            self.ran["codes"] += 1
            return placed_codes(self.source, base, ref, cut, self.locale)

        return self._codes.get_or((base, ref, cut), code)

    def column(self, quantity: Quantity) -> Column:
        """The column of a quantity; those made of two fields are kept."""
        if quantity.kind == "plain":
            return self.source.column(quantity.field)
        return self._columns.get_or(quantity, partial(column_of, self.source, quantity))
