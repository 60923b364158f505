"""The base of filters on one field: decided on the field's different members where it is coded, on the values where it is a number.

So a filter over ten million records costs one small table and one look-up each. Blank conditions do not hold."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.filters.asked import Asked
from foldbasket.folding.members.domain import Domain, members_of
from foldbasket.links.source import Source
from foldbasket.spec.cut import Cut
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Labels, OneField
from foldbasket.tables.column import NumberColumn

Mask = npt.NDArray[np.bool_]


class Offered(
    msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True, tag_field="kind"
):
    """What all filters have. One with the name of a `picker` is offered to the reader beside the report, and is the same in
    every fold that has it."""

    picker: str = ""

    def as_word(self, id: str, picker: str) -> Any:
        """The same filter as another word of a fold."""
        return msgspec.structs.replace(self, id=id, picker=picker)


class RecordFilter(Offered, OneField, frozen=True):
    """Base of all record filters: a condition on one field, or on a part of a date."""

    id: str
    field: FieldRef
    part: str | None = None

    @property
    def way(self) -> Cut | None:
        """How the field is cut into the members that it decides on."""
        return self.part

    def fields(self) -> list[FieldRef]:
        """The fields it looks at."""
        return [self.field]

    def alternatives(self) -> Sequence[OneField]:
        return (self,)

    def on(self, base: str, ask: Asked) -> RecordFilter:
        return msgspec.structs.replace(self, field=ask.own(base, self.field))

    def phrase(self, labels: Labels) -> str:
        return f"{labels.field(self)}: {self.condition(labels.label(self))}"

    def keeps(self, source: Source, base: str) -> Mask:
        return _passes(self, source, base)

    @property
    def keeps_unmatched(self) -> bool:
        """Whether records that find no partner over a link pass, of a filter decided on plain numbers."""
        return False

    def keeps_codes(self, domain: Domain) -> Mask:
        """Which codes pass, blank and no match included; shape (domain.size,)."""
        raise NotImplementedError

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        """Which records pass, decided on plain numbers; None when this filter wants members instead."""
        return None


def _passes(rule: RecordFilter, source: Source, base: str) -> Mask:
    column = source.column(rule.field)
    rows = source.rows(base, rule.field.table)
    on_numbers = rule.keeps_values(column) if isinstance(column, NumberColumn) and rule.way is None else None
    if on_numbers is not None:
        return on_numbers if rows is None else np.append(on_numbers, rule.keeps_unmatched)[rows]
    codes, domain = members_of(column, rule.way, source.fiscal)
    kept = rule.keeps_codes(domain)
    own: Mask = kept[:-1][codes]
    return own if rows is None else np.append(own, kept[-1])[rows]
