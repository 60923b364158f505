"""A checked record formula as a column of the table that it is about."""

from __future__ import annotations

from collections.abc import Callable

from foldbasket.formulas.checking import Checked
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef

Compute = Callable[[Checked, str], FieldRef]
"""Makes the column of a checked record formula on the records of a table, and names it."""


def on_table(made: Checked, table: str, source: Source, compute: Compute) -> FieldRef:
    """A record expression as a column of a table's records, of the fields that stand there for those it names."""

    def own(ref: FieldRef) -> FieldRef:
        found = source.stand_in(table, ref)
        assert found is not None  # bases are chosen so
        return found

    return compute(made.moved(own), table)
