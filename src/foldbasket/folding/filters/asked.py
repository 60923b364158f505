"""What a filter asks of the engine when it comes to the records of one table."""

from __future__ import annotations

import datetime
from typing import Protocol

from foldbasket.formulas.checking import Checked
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef


class Asked(Protocol):
    """The engine, as filters see it."""

    source: Source

    def own(self, base: str, ref: FieldRef) -> FieldRef:
        """The field of a table's own that means the same as a field that several tables share."""

    def as_of_date(self, ref: FieldRef) -> datetime.date:
        """The day that relative dates of a field go by."""

    def computed(self, formula: Checked, base: str) -> FieldRef:
        """A record expression as a field of the source."""
