"""What a filter asks of the engine when it comes to the records of one table."""

from __future__ import annotations

import datetime
from typing import Protocol

from foldbasket.formulas.checking import Checked
from foldbasket.links.source import Source
from foldbasket.spec.cut import Cut
from foldbasket.spec.field import FieldRef
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql


class Asked(Protocol):
    """The engine, as filters see it."""

    source: Source

    def own(self, base: str, ref: FieldRef) -> FieldRef:
        """The field of a table's own that means the same as a field that several tables share."""

    def as_of_date(self, ref: FieldRef) -> datetime.date:
        """The day that relative dates of a field go by."""

    def computed(self, formula: Checked, base: str) -> FieldRef:
        """A record expression as a field of the source."""


class Says(Protocol):
    """What says the fields of one table's records in SQL, as filters see it."""

    dialect: Dialect
    base: str
    ask: Asked

    def member(self, ref: FieldRef, cut: Cut | None) -> Field:
        """A field as it is, or cut into members, which are said by their keys."""

    def in_order(self, ref: FieldRef, cut: Cut | None) -> bool:
        """Whether members of a field are in their order when they are sorted by their keys."""

    def literal(self, ref: FieldRef, cut: Cut | None, key: str) -> Sql:
        """A member or value that is written out, by its canonical text. Raises FoldError for what is none."""

    def formula(self, formula: Checked) -> Sql:
        """A record formula."""
