"""Keeping by the members of a field."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Says
from foldbasket.folding.filters.onefield import Mask, RecordFilter
from foldbasket.folding.members.domain import BLANK, NO_MATCH, Domain, domain_of
from foldbasket.kinds import entered
from foldbasket.links.source import Source
from foldbasket.sayings import Saying, saying
from foldbasket.spec.field import FieldRef
from foldbasket.sql.pieces import Sql, either, is_known, negated, never, one_of
from foldbasket.typed import meant

MOST_KNOWN = 5_000
"""Members among which one that was meant is looked for."""
NAMED = 4
"""So many members are named where a filter is said in short."""


@entered
class Members(RecordFilter, frozen=True, tag="members"):
    """Is one of, or is none of, the listed members. `blank` and `no_match` list those two as well."""

    standing: ClassVar[int] = 10
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("anything", members=(), blank=False, no_match=False, exclude=True),
        saying("nothing", members=(), blank=False, no_match=False, exclude=False),
        saying("{members:values}", exclude=False),
        saying("not {members:values}", exclude=True),
    )
    label: ClassVar[str] = "Members"
    meaning: ClassVar[str] = "Tick the members to keep."
    members: tuple[str, ...] = ()
    blank: bool = False
    no_match: bool = False
    exclude: bool = False

    @classmethod
    def started(cls, id: str, field: FieldRef, part: str | None) -> Members:
        return cls(id, field, part, exclude=True)

    @property
    def keeps_all(self) -> bool:
        return self.exclude and not (self.members or self.blank or self.no_match)

    def unknown(self, source: Source) -> list[str]:
        domain = domain_of(source.column(self.field), self.part, source.fiscal)
        missing = [key for key in self.members if domain.code_of(key) is None]
        known = [domain.key(code) for code in range(min(domain.blank, MOST_KNOWN))] if missing else []
        return [
            f"the filter on “{self.field.field}” names “{key}”, which no record has. {meant(key, known)}".rstrip()
            for key in missing
        ]

    def keeps_codes(self, domain: Domain) -> Mask:
        listed = np.zeros(domain.size, np.bool_)
        for key in self.members:
            try:
                code = domain.code_of(key)
            except ValueError as error:
                raise FoldError(str(error), where=f"Filter on “{self.field.field}”") from None
            if code is not None:
                listed[code] = True
        listed[domain.blank], listed[domain.no_match] = self.blank, self.no_match
        return ~listed if self.exclude else listed

    def in_sql(self, say: Says) -> Sql:
        field = say.member(self.field, self.way)
        listed = [say.literal(self.field, self.way, key) for key in self.members]
        named = [one_of(field.said, listed)] if listed else []
        if self.exclude:
            named = [negated(each) for each in named] or [is_known(field.said)]
        if self.blank != self.exclude:
            named.append(field.is_blank)
        if self.no_match != self.exclude and field.found is not None:
            named.append(negated(field.found))
        return either(*named) if named else never()

    def condition(self, label: Callable[[str], str]) -> str:
        many = len(self.members) + self.blank + self.no_match
        if not many:
            return "anything" if self.exclude else "nothing"
        named = [label(key) for key in self.members[:NAMED]]  # of thousands only those are asked for
        named = [*named, *[BLANK] * self.blank, *[NO_MATCH] * self.no_match][:NAMED]
        shown = ", ".join(named) + (f" and {many - NAMED:,} more" if many > NAMED else "")
        return f"not {shown}" if self.exclude else shown


def of_member(id: str, field: FieldRef, part: str | None, token: str, *, exclude: bool = False) -> Members:
    """A filter on one member, by its token: its key, or what blank and unmatched records are called."""
    return of_members(id, field, part, (token,), exclude=exclude)


def of_members(id: str, field: FieldRef, part: str | None, tokens: Sequence[str], *, exclude: bool = False) -> Members:
    """A filter on several members, by their tokens."""
    listed = tuple(token.removeprefix("\\") for token in tokens if token not in (BLANK, NO_MATCH))
    return Members(id, field, part, listed, BLANK in tokens, NO_MATCH in tokens, exclude)
