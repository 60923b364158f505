"""Edits: everything a user can do to a basket, one small class each, from one basket to the next.

`label` is what the list of steps says. An edit that does not fit raises a FoldBasketError and changes nothing.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket, SourceSpec, free_name
from foldbasket.baskets.placing import Word
from foldbasket.errors import BasketError, LinkError
from foldbasket.folding.spec import Fold
from foldbasket.links.link import Link, where_of
from foldbasket.links.suggest import question_of
from foldbasket.tables.mending.mends import AnyMend

replace = msgspec.structs.replace
STRANDS = ("measures", "rows", "columns", "filters")


class Edit:
    """Base of all edits."""

    @property
    def label(self) -> str:
        """What was done, for the list of steps: “Place Region on rows”."""
        raise NotImplementedError

    def apply(self, basket: Basket) -> Basket:
        """The basket after the edit."""
        raise NotImplementedError


def strand_of(fold: Fold, word: str) -> str:
    """The strand that a word stands on, or a BasketError."""
    for strand in STRANDS:
        if any(each.id == word for each in getattr(fold, strand)):
            return strand
    raise BasketError(f"the fold “{fold.name}” has no word “{word}”.")


def find_word(fold: Fold, word: str) -> Word:
    """The word of that id, or a BasketError."""
    for each in fold.words():
        if each.id == word:
            return each
    raise BasketError(f"the fold “{fold.name}” has no word “{word}”.")


def _without(fold: Fold, word: str) -> Fold:
    strand = strand_of(fold, word)
    return replace(fold, **{strand: tuple(each for each in getattr(fold, strand) if each.id != word)})


def _with(fold: Fold, strand: str, word: Word, at: int | None) -> Fold:
    words = list(getattr(fold, strand))
    words.insert(len(words) if at is None else at, word)
    return replace(fold, **{strand: tuple(words)})


@dataclass(frozen=True)
class Place(Edit):
    """Puts a new word on a strand, at a position or at its end."""

    fold: str
    strand: str
    word: Word
    said: str
    at: int | None = None

    @property
    def label(self) -> str:
        return f"Place {self.said} on {self.strand}" if self.strand != "filters" else f"Filter by {self.said}"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: _with(fold, self.strand, self.word, self.at))


@dataclass(frozen=True)
class Move(Edit):
    """Moves a word to a place on a strand. On a strand of another kind it becomes `becomes`, which keeps its id."""

    fold: str
    word: str
    strand: str
    said: str
    at: int | None = None
    becomes: Word | None = None

    @property
    def label(self) -> str:
        return f"Move {self.said} on {self.strand}"

    def apply(self, basket: Basket) -> Basket:
        def move(fold: Fold) -> Fold:
            word = self.becomes or find_word(fold, self.word)
            return _with(_without(fold, self.word), self.strand, word, self.at)

        return basket.with_fold(self.fold, move)


@dataclass(frozen=True)
class Remove(Edit):
    """Takes a word out of the sentence."""

    fold: str
    word: str
    said: str

    @property
    def label(self) -> str:
        return f"Take out {self.said}"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: _without(fold, self.word))


@dataclass(frozen=True)
class Change(Edit):
    """Changes properties of a word: its aggregate, pattern, heading, order, subtotal, or a filter's condition."""

    fold: str
    word: str
    changes: Mapping[str, Any]
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        def change(fold: Fold) -> Fold:
            strand = strand_of(fold, self.word)
            words = tuple(
                replace(each, **self.changes) if each.id == self.word else each for each in getattr(fold, strand)
            )
            return replace(fold, **{strand: words})

        return basket.with_fold(self.fold, change)


@dataclass(frozen=True)
class Swap(Edit):
    """Puts another word in a word's place, as when a filter becomes one of another kind. The new word keeps the id."""

    fold: str
    word: str
    becomes: Word
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        def swap(fold: Fold) -> Fold:
            strand = strand_of(fold, self.word)
            return replace(
                fold,
                **{strand: tuple(self.becomes if each.id == self.word else each for each in getattr(fold, strand))},
            )

        return basket.with_fold(self.fold, swap)


@dataclass(frozen=True)
class Turn(Edit):
    """Rows become columns and columns rows, totals included."""

    fold: str

    @property
    def label(self) -> str:
        return "Turn the report"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(
            self.fold,
            lambda fold: replace(
                fold, rows=fold.columns, columns=fold.rows, row_total=fold.column_total, column_total=fold.row_total
            ),
        )


@dataclass(frozen=True)
class ChangeFold(Edit):
    """Changes properties of the fold itself, such as where its grand totals stand."""

    fold: str
    changes: Mapping[str, Any]
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: replace(fold, **self.changes))


@dataclass(frozen=True)
class ChangeBasket(Edit):
    """Changes properties of the basket itself, such as the as-of date."""

    changes: Mapping[str, Any]
    done: str

    @property
    def label(self) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        if "as_of" in self.changes and self.changes["as_of"] not in ("latest", "today"):
            try:
                datetime.date.fromisoformat(self.changes["as_of"])
            except ValueError:
                raise BasketError(
                    f"“{self.changes['as_of']}” is not a date.", todo="Write it like 2026-09-30."
                ) from None
        return replace(basket, **self.changes)


@dataclass(frozen=True)
class AddFold(Edit):
    """Adds a fold behind the others."""

    fold: Fold

    @property
    def label(self) -> str:
        return f"Add the fold “{self.fold.name}”"

    def apply(self, basket: Basket) -> Basket:
        name = free_name(self.fold.name, {fold.name for fold in basket.folds})
        return replace(basket, folds=(*basket.folds, replace(self.fold, name=name)))


@dataclass(frozen=True)
class RemoveFold(Edit):
    """Takes a fold out of the basket."""

    fold: str

    @property
    def label(self) -> str:
        return f"Take out the fold “{self.fold}”"

    def apply(self, basket: Basket) -> Basket:
        basket.fold(self.fold)
        return replace(basket, folds=tuple(fold for fold in basket.folds if fold.name != self.fold))


@dataclass(frozen=True)
class RenameFold(Edit):
    """Gives a fold another name."""

    fold: str
    name: str

    @property
    def label(self) -> str:
        return f"Rename “{self.fold}” to “{self.name}”"

    def apply(self, basket: Basket) -> Basket:
        if not self.name.strip():
            raise BasketError("a fold needs a name.", todo="Type at least one letter.")
        if any(fold.name == self.name for fold in basket.folds if fold.name != self.fold):
            raise BasketError(f"there is a fold “{self.name}” already.", todo="Choose another name.")
        return basket.with_fold(self.fold, lambda fold: replace(fold, name=self.name))


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
    """Adds mends behind the others of a source."""

    source: str
    mends: tuple[AnyMend, ...]

    @property
    def label(self) -> str:
        return "; ".join(mend.label for mend in self.mends)

    def apply(self, basket: Basket) -> Basket:
        return basket.with_source(self.source, lambda source: replace(source, mends=source.mends + self.mends))


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
