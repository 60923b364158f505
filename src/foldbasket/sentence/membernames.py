"""The members of all fields of texts of a source by their words: found once for a source, since there may be a hundred thousand."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from functools import cached_property
from operator import itemgetter
from weakref import WeakKeyDictionary

from foldbasket.errors import FoldBasketError
from foldbasket.folding.members.domain import domain_of
from foldbasket.links.source import Source
from foldbasket.sentence.tokens import Sort, stem, tokens_of
from foldbasket.spec.field import FieldRef
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way

MOST_INDEXED = 50_000
"""Fields with more members are looked through by a member's whole name alone."""
MOST_WORDS = 12
"""The words of the longest name that is looked for."""
Stems = tuple[str, ...]


def stems_of(name: str) -> Stems:
    """The stems of a name's words."""
    return tuple(each.stem if each.sort is not Sort.QUOTED else each.text for each in tokens_of(name)) or (stem(name),)


def lengths_of(names: Iterable[Stems]) -> dict[str, list[int]]:
    """How many words a name can have, the most first, by its first word."""
    found: dict[str, set[int]] = {}
    for each in names:
        give_way()
        if len(each) <= MOST_WORDS:
            found.setdefault(each[0], set()).add(len(each))
    return {first: sorted(lengths, reverse=True) for first, lengths in found.items()}


class MemberNames:
    """Of one source. `by_words` gives the members that some words name, each with its field."""

    def __init__(self, source: Source, fields: Iterable[FieldRef], locale: str) -> None:
        self.by_words: dict[Stems, list[tuple[FieldRef, str]]] = {}
        for ref in fields:
            column = source.column(ref)
            if column.type is not FieldType.TEXT:
                continue
            with suppress(FoldBasketError):
                domain = domain_of(column, None, source.fiscal, locale)
                for code in range(domain.blank if domain.blank <= MOST_INDEXED else 0):
                    give_way()
                    token = domain.token(code)
                    with suppress(FoldBasketError):
                        self.by_words.setdefault(stems_of(token), []).append((ref, token))

    @cached_property
    def lengths(self) -> Mapping[str, list[int]]:
        """How many words a name can have, the most first, by its first word."""
        return lengths_of(self.by_words)

    @cached_property
    def _by_name(self) -> list[tuple[str, FieldRef, str]]:
        """One member for each name, by the name in small letters."""
        firsts = ((token.casefold(), ref, token) for (ref, token), *_ in self.by_words.values())
        return sorted(firsts, key=itemgetter(0))

    def beginning(self, typed: str) -> Iterator[tuple[FieldRef, str]]:
        """Members whose names begin with what was typed, in the order of their names."""
        small, named = typed.casefold(), self._by_name
        for name, ref, token in named[bisect_left(named, small, key=itemgetter(0)) :]:
            if not name.startswith(small):
                return
            yield ref, token


_kept: WeakKeyDictionary[Source, dict[str, MemberNames]] = WeakKeyDictionary()


def member_names(source: Source, fields: Iterable[FieldRef], locale: str) -> MemberNames:
    """The names of a source's members, `fields` being all its fields; kept as long as the source."""
    kept = _kept.setdefault(source, {})
    if locale not in kept:
        kept[locale] = MemberNames(source, fields, locale)
    return kept[locale]
