"""Edits of sources: where they come from, how they are read, mended and linked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.naming import with_field_named
from foldbasket.errors import BasketError, LinkError
from foldbasket.links.link import Link, where_of
from foldbasket.links.suggest import question_of
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.tables.mending.fields import RenameField
from foldbasket.tables.mending.mend import AnyMend

replace = msgspec.structs.replace


@dataclass(frozen=True)
class AddSources(Edit):
    """Adds sources, and links between them and those already there."""

    sources: tuple[SourceSpec, ...]
    links: tuple[Link, ...] = field(default=())

    @property
    def label(self) -> str:
        return "Open " + ", ".join(source.name for source in self.sources)

    def apply(self, basket: Basket) -> Basket:
        taken = {source.name for source in basket.sources}
        for source in self.sources:
            if source.name in taken:
                raise BasketError(f"there is a source “{source.name}” already.")
        return replace(basket, sources=basket.sources + self.sources, links=basket.links + self.links)


@dataclass(frozen=True)
class RemoveSource(Edit):
    """Takes a source out, with the links to it. Folds that use it stay, and say what they miss."""

    source: str

    @property
    def label(self) -> str:
        return f"Take out {self.source}"

    def apply(self, basket: Basket) -> Basket:
        basket.source(self.source)
        return replace(
            basket,
            sources=tuple(each for each in basket.sources if each.name != self.source),
            links=tuple(link for link in basket.links if self.source not in (link.from_table, link.to_table)),
        )


@dataclass(frozen=True)
class ChangeSource(Edit):
    """Changes where a source comes from, how it is read, or which of its findings were left."""

    source: str
    changes: Mapping[str, Any]
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_source(self.source, lambda source: replace(source, **self.changes))


@dataclass(frozen=True)
class AddMends(Edit):
    """Adds mends behind the others of a source. What names a field that they rename follows."""

    source: str
    mends: tuple[AnyMend, ...]

    @property
    def label(self) -> str:
        return "; ".join(mend.label for mend in self.mends)

    def apply(self, basket: Basket) -> Basket:
        mended = basket.with_source(self.source, lambda source: replace(source, mends=source.mends + self.mends))
        for mend in self.mends:
            if isinstance(mend, RenameField):
                mended = with_field_named(mended, self.source, mend.field, mend.to)
        return mended


@dataclass(frozen=True)
class RemoveMend(Edit):
    """Takes one mend of a source back; the others are done as before."""

    source: str
    at: int

    @property
    def label(self) -> str:
        return f"Take back mend {self.at + 1} of {self.source}"

    def apply(self, basket: Basket) -> Basket:
        def without(source: SourceSpec) -> SourceSpec:
            _mend_at(source, self.at)
            return replace(source, mends=source.mends[: self.at] + source.mends[self.at + 1 :])

        return basket.with_source(self.source, without)


@dataclass(frozen=True)
class MoveMend(Edit):
    """Does a mend of a source earlier or later."""

    source: str
    at: int
    to: int

    @property
    def label(self) -> str:
        return f"Do mend {self.at + 1} of {self.source} as number {self.to + 1}"

    def apply(self, basket: Basket) -> Basket:
        def moved(source: SourceSpec) -> SourceSpec:
            mend = _mend_at(source, self.at)
            _mend_at(source, self.to)
            rest = [*source.mends[: self.at], *source.mends[self.at + 1 :]]
            rest.insert(self.to, mend)
            return replace(source, mends=tuple(rest))

        return basket.with_source(self.source, moved)


def _mend_at(source: SourceSpec, at: int) -> AnyMend:
    if not 0 <= at < len(source.mends):
        raise BasketError(f"“{source.name}” has no mend {at + 1}.", todo=f"It has {len(source.mends)}.")
    return source.mends[at]


@dataclass(frozen=True)
class AddLinks(Edit):
    """Links tables. One that would make a circle or a second path between two tables is refused, and says why."""

    links: tuple[Link, ...]

    @property
    def label(self) -> str:
        return "Link " + ", ".join(f"{link.from_table} to {link.to_table}" for link in self.links)

    def apply(self, basket: Basket) -> Basket:
        links = list(basket.links)
        for link in self.links:
            for end in (link.from_table, link.to_table):
                basket.source(end)
            question = question_of(links, link)
            if question is not None:
                raise LinkError(question, where=where_of(link), todo="Take one of the links out first.")
            links.append(link)
        return replace(basket, links=tuple(links))


@dataclass(frozen=True)
class ChangeLink(Edit):
    """Puts another link in a link's place, as when it is turned round or gets another key."""

    link: Link
    becomes: Link
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return AddLinks((self.becomes,)).apply(RemoveLink(self.link).apply(basket))


@dataclass(frozen=True)
class RemoveLink(Edit):
    """Takes a link out."""

    link: Link

    @property
    def label(self) -> str:
        return f"Unlink {self.link.from_table} from {self.link.to_table}"

    def apply(self, basket: Basket) -> Basket:
        if self.link not in basket.links:
            raise BasketError(f"“{self.link.from_table}” has no such link.")
        return replace(basket, links=tuple(link for link in basket.links if link != self.link))


@dataclass(frozen=True)
class ShareField(Edit):
    """Says which field of another table means the same as one, or that none does."""

    field: FieldRef
    table: str
    other: FieldRef | None
    said: str

    @property
    def label(self) -> str:
        return f"Say what is {self.said}"

    def apply(self, basket: Basket) -> Basket:
        basket.source(self.table)
        group = next((set(each.fields) for each in basket.shared if self.field in each.fields), {self.field})
        rest = [each for each in basket.shared if self.field not in each.fields]
        group = {ref for ref in group if ref.table != self.table}
        if self.other is not None:
            for each in [each for each in rest if self.other in each.fields]:
                group |= set(each.fields)
                rest.remove(each)
            group.add(self.other)
        made = [Shared(tuple(sorted(group)))] if len(group) > 1 else []
        return replace(basket, shared=(*rest, *made))
