"""Keeping what has no value, or has one."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np

from foldbasket.folding.filters.asked import Says
from foldbasket.folding.filters.onefield import Mask, RecordFilter
from foldbasket.folding.members.domain import Domain
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.sql.pieces import Sql, is_known, is_null
from foldbasket.tables.column import NumberColumn


@entered
class Blank(RecordFilter, frozen=True, tag="blank"):
    """Has no value (blank, or no partner found), or with `exclude` has one."""

    standing: ClassVar[int] = 60
    sayings: ClassVar[tuple[Saying, ...]] = (saying("blank", exclude=False), saying("not blank", exclude=True))
    label: ClassVar[str] = "Blank"
    meaning: ClassVar[str] = "Keep records without a value, or with one."
    exclude: Annotated[
        bool,
        set_by("Keep records", "Blank, or no partner found over a link.", yes_no=("with a value", "without a value")),
    ] = False

    @property
    def keeps_unmatched(self) -> bool:
        return not self.exclude

    def keeps_codes(self, domain: Domain) -> Mask:
        kept = np.zeros(domain.size, np.bool_)
        kept[domain.blank :] = True
        return ~kept if self.exclude else kept

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        valid = np.ones(len(column), np.bool_) if column.valid is None else column.valid
        return valid if self.exclude else ~valid

    def in_sql(self, say: Says) -> Sql:
        said = say.member(self.field, self.way).said
        return is_known(said) if self.exclude else is_null(said)
