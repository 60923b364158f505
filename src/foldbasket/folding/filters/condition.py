"""Keeping the records for which a record formula holds."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from foldbasket.folding.filters.about import on_table
from foldbasket.folding.filters.asked import Asked, Says
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.onefield import Offered
from foldbasket.formulas.checking import Checked, checked_condition, schema_of
from foldbasket.kinds import entered
from foldbasket.links.source import Source
from foldbasket.sayings import Saying, said_by, saying
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, Labels
from foldbasket.sql.pieces import Sql


@entered
class Condition(Offered, Filter, frozen=True, tag="formula"):
    """Records for which a record formula holds."""

    standing: ClassVar[int] = 110
    id: str
    formula: str = ""

    @property
    def field(self) -> FieldRef | None:
        """None: it looks at whatever fields its formula names."""
        return None

    @property
    def part(self) -> str | None:
        """None: it is about no date."""
        return None

    def fields(self) -> list[FieldRef]:
        """None by themselves; those that the formula names are known once it is checked."""
        return []

    def prepared(self, source: Source) -> Holding:
        return Holding(self.id, checked_condition(self.formula, schema_of(source)))

    sayings: ClassVar[tuple[Saying, ...]] = (saying("where {formula:formula}"),)

    def phrase(self, labels: Labels) -> str:
        return said_by(self)


class Holding(Filter, msgspec.Struct, frozen=True, eq=False):
    """A condition whose formula is checked and not yet on the records of a table."""

    id: str
    formula: Checked
    picker: str = ""

    def fields(self) -> list[FieldRef]:
        return self.formula.refs()

    def on(self, base: str, ask: Asked) -> Members:
        """Worked out on those records, so that one which finds no partner over a link is asked like any other."""
        return Members(self.id, on_table(self.formula, base, ask.source, ask.computed), members=("yes",))

    def in_sql(self, say: Says) -> Sql:
        return say.formula(self.formula)
