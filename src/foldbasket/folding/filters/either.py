"""Alternatives: several conditions of which one is enough."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import msgspec

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Asked, Says
from foldbasket.folding.filters.onefield import Mask, Offered
from foldbasket.kinds import entered
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, Labels, OneField
from foldbasket.sql.pieces import Sql, either


@entered
class Either(Offered, Filter, frozen=True, tag="either"):
    """A record passes when any one of several conditions holds, on the same field or on others."""

    standing: ClassVar[int] = 100
    id: str
    rules: tuple[OneField, ...] = ()

    @property
    def field(self) -> FieldRef:
        """The field of its first alternative."""
        return self.rules[0].field

    @property
    def part(self) -> str | None:
        """The part of a date that its first alternative looks at."""
        return self.rules[0].part

    def fields(self) -> list[FieldRef]:
        return [rule.field for rule in self.rules]

    def alternatives(self) -> Sequence[OneField]:
        return self.rules

    @property
    def keeps_all(self) -> bool:
        return any(rule.keeps_all for rule in self.rules)

    def on(self, base: str, ask: Asked) -> Either:
        return msgspec.structs.replace(self, rules=tuple(rule.on(base, ask) for rule in self.rules))

    def keeps(self, source: Source, base: str) -> Mask:
        if not self.rules:
            raise FoldError("a filter of alternatives has none.", todo="Add one, or take the filter out.")
        kept: Mask = self.rules[0].keeps(source, base)
        for rule in self.rules[1:]:
            kept = kept | rule.keeps(source, base)
        return kept

    def in_sql(self, say: Says) -> Sql:
        return either(*(rule.in_sql(say) for rule in self.rules))

    def phrase(self, labels: Labels) -> str:
        return ", or ".join(each.phrase(labels) for each in self.rules) or "nothing"

    def unknown(self, source: Source) -> list[str]:
        return [said for rule in self.rules for said in rule.unknown(source)]
