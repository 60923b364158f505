"""Which field a name means where several have it: that which the measures' records lead to. Where more than one is left, nothing is guessed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product

import msgspec

from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef

MOST = 8
"""As many readings are offered."""


class Choosing(msgspec.Struct):
    """The fields that the names of one sentence may mean. Names are asked for in order; each way to answer all of them is one `reading`."""

    source: Source
    counted: tuple[str, ...] = ()
    """The tables whose records are counted."""

    def readings(self, asked: Sequence[tuple[list[FieldRef], bool]]) -> Iterator[tuple[FieldRef, ...]]:
        """The ways to understand some names, each the fields it may be and whether a measure is made of it."""
        measured = [self.apart(found) for found, is_measure in asked if is_measure]
        for bases in product(*measured) if measured else [()]:
            tables = list(dict.fromkeys((*self.counted, *(ref.table for ref in bases))))
            taken = iter(bases)
            options = [[next(taken)] if is_measure else self.fitting(found, tables) for found, is_measure in asked]
            yield from product(*options)

    def fitting(self, found: list[FieldRef], tables: Sequence[str]) -> list[FieldRef]:
        """Those that the records of the measures lead to; all where none is."""
        for base in tables:
            reached = [ref for ref in found if self.source.path(base, ref.table) is not None]
            if reached:
                own = [ref for ref in reached if ref.table == base]
                return own if own else self.apart(reached)
        shared = [ref for ref in found if any(self.source.stand_in(base, ref) for base in tables)]
        return self.apart(shared or found)

    def apart(self, found: list[FieldRef]) -> list[FieldRef]:
        """The first of those that mean the same, by what the basket says is shared or by the links that lead from one to the other."""
        kept: list[FieldRef] = []
        for ref in found:
            if not any(self._is_same(one, ref) for one in kept):
                kept.append(ref)
        return kept

    def _is_same(self, one: FieldRef, other: FieldRef) -> bool:
        pairs = ((one, other), (other, one))
        return any(one in shared.fields and other in shared.fields for shared in self.source.shared) or any(
            link.from_table == near.table and link.to_table == far.table and (near.field, far.field) in link.keys
            for link in self.source.links
            for near, far in pairs
        )
