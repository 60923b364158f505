"""Edits of sources: where they come from, how they are read, mended and linked."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket, SourceSpec, named, taken
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.naming import uses_of_field, uses_of_source, with_field_named, with_table_named
from foldbasket.errors import BasketError, LinkError
from foldbasket.links.link import Link, where_of
from foldbasket.links.suggest import question_of
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.tables.mending.mend import AnyMend

replace = msgspec.structs.replace


class AddSources(Edit, frozen=True):
    """Adds sources, and links between them and those already there."""

    sources: tuple[SourceSpec, ...]
    links: tuple[Link, ...] = msgspec.field(default=())

    def label(self, basket: Basket) -> str:
        return "Open " + ", ".join(source.name for source in self.sources)

    def apply(self, basket: Basket) -> Basket:
        there = taken(basket.sources)
        for source in self.sources:
            if source.name in there:
                raise BasketError(f"there is a source “{source.name}” already.")
        return replace(basket, sources=basket.sources + self.sources, links=basket.links + self.links)


def _ends(basket: Basket, link: Link) -> tuple[str, str]:
    return basket.source_name(link.from_table), basket.source_name(link.to_table)


class RenameSource(Edit, frozen=True):
    """Gives a source another name. Folds and links go by its key and stay as they are; formulas that name it follow."""

    source: str
    name: str

    def label(self, basket: Basket) -> str:
        return f"Rename {basket.source_name(self.source)} to {self.name}"

    def apply(self, basket: Basket) -> Basket:
        was = basket.source(self.source).name
        if not self.name.strip():
            raise BasketError("a source needs a name.", todo="Type at least one letter.")
        if any(each.name.casefold() == self.name.casefold() for each in basket.sources if each.key != self.source):
            raise BasketError(f"there is a source “{self.name}” already.", todo="Choose another name.")
        renamed = basket.with_source(self.source, lambda source: named(source, self.name))
        return with_table_named(renamed, was, self.name)


class RemoveSource(Edit, frozen=True):
    """Takes a source out, with the links to it. Folds that use it stay, and say what they miss."""

    source: str

    def label(self, basket: Basket) -> str:
        return f"Take out {basket.source_name(self.source)}"

    def leaves(self, basket: Basket) -> dict[str, list[str]]:
        uses = uses_of_source(basket, self.source)
        return {basket.source_name(self.source): uses} if uses else {}

    def apply(self, basket: Basket) -> Basket:
        basket.source(self.source)
        return replace(
            basket,
            sources=tuple(each for each in basket.sources if each.key != self.source),
            links=tuple(link for link in basket.links if self.source not in (link.from_table, link.to_table)),
        )


class ChangeSource(Edit, frozen=True):
    """Changes where a source comes from, how it is read, or which of its findings were left."""

    source: str
    changes: Mapping[str, Any]
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_source(self.source, lambda source: replace(source, **self.changes))


class AddMends(Edit, frozen=True):
    """Adds mends behind the others of a source. What names a field that they rename follows."""

    source: str
    mends: tuple[AnyMend, ...]

    def label(self, basket: Basket) -> str:
        return "; ".join(mend.label for mend in self.mends)

    def apply(self, basket: Basket) -> Basket:
        mended = basket.with_source(self.source, lambda source: replace(source, mends=source.mends + self.mends))
        for mend in self.mends:
            for old, new in mend.renames:
                mended = with_field_named(mended, self.source, old, new)
        return mended

    def leaves(self, basket: Basket) -> dict[str, list[str]]:
        gone = [field for mend in self.mends for field in mend.takes_out]
        return {field: uses for field in gone if (uses := list(uses_of_field(basket, self.source, field)))}


class RemoveMend(Edit, frozen=True):
    """Takes one mend of a source back; the others are done as before. What uses a field by the name that it gave follows back; where a
    later mend is about that name, it is refused."""

    source: str
    at: int

    def label(self, basket: Basket) -> str:
        return f"Take back mend {self.at + 1} of {basket.source_name(self.source)}"

    def apply(self, basket: Basket) -> Basket:
        def without(source: SourceSpec) -> SourceSpec:
            return replace(source, mends=source.mends[: self.at] + source.mends[self.at + 1 :])

        source = basket.source(self.source)
        gone = _mend_at(source, self.at)
        taken_back = basket.with_source(self.source, without)
        for old, new in gone.renames:
            for later in source.mends[self.at + 1 :]:
                if later.is_about(new):
                    raise BasketError(
                        f"“{later.label}” is about the field by the name that this gave it.",
                        todo="Take that back first.",
                    )
            taken_back = with_field_named(taken_back, self.source, new, old)
        return taken_back


class MoveMend(Edit, frozen=True):
    """Does a mend of a source earlier or later."""

    source: str
    at: int
    to: int

    def label(self, basket: Basket) -> str:
        return f"Do mend {self.at + 1} of {basket.source_name(self.source)} as number {self.to + 1}"

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


class AddLinks(Edit, frozen=True):
    """Links tables. One that would make a circle or a second path between two tables is refused, and says why."""

    links: tuple[Link, ...]

    def label(self, basket: Basket) -> str:
        return "Link " + ", ".join(f"{_ends(basket, link)[0]} to {_ends(basket, link)[1]}" for link in self.links)

    def apply(self, basket: Basket) -> Basket:
        links = list(basket.links)
        for link in self.links:
            for end in (link.from_table, link.to_table):
                basket.source(end)
            question = question_of(links, link, basket.source_name)
            if question is not None:
                raise LinkError(
                    question, where=where_of(link, basket.source_name), todo="Take one of the links out first."
                )
            links.append(link)
        return replace(basket, links=tuple(links))


class ChangeLink(Edit, frozen=True):
    """Puts another link in a link's place, as when it is turned round or gets another key."""

    link: Link
    becomes: Link
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return AddLinks((self.becomes,)).apply(RemoveLink(self.link).apply(basket))


class RemoveLink(Edit, frozen=True):
    """Takes a link out."""

    link: Link

    def label(self, basket: Basket) -> str:
        near, far = _ends(basket, self.link)
        return f"Unlink {near} from {far}"

    def apply(self, basket: Basket) -> Basket:
        if self.link not in basket.links:
            raise BasketError(f"“{_ends(basket, self.link)[0]}” has no such link.")
        return replace(basket, links=tuple(link for link in basket.links if link != self.link))


class ShareField(Edit, frozen=True):
    """Says which field of another table means the same as one, or that none does."""

    field: FieldRef
    table: str
    other: FieldRef | None
    said: str

    def label(self, basket: Basket) -> str:
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
