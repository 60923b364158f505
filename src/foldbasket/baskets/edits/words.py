"""Edits of the words of a fold: placing, moving, changing and taking them out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket, free_name
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.naming import use_of_measure, with_measure_named
from foldbasket.baskets.placing import Word, free_id
from foldbasket.errors import BasketError
from foldbasket.folding.filters.members import of_member
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.cut import Bands, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Drill, Fold, Placed

replace = msgspec.structs.replace
STRANDS = ("measures", "rows", "columns", "filters")


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


class Place(Edit, frozen=True):
    """Puts a new word on a strand, at a position or at its end."""

    fold: str
    strand: str
    word: Word
    said: str
    at: int | None = None

    def label(self, basket: Basket) -> str:
        return f"Place {self.said} on {self.strand}" if self.strand != "filters" else f"Filter by {self.said}"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: _with(fold, self.strand, self.word, self.at))


class Move(Edit, frozen=True):
    """Moves a word to a place on a strand. On a strand of another kind it becomes `becomes`, which keeps its id."""

    fold: str
    word: str
    strand: str
    said: str
    at: int | None = None
    becomes: Word | None = None

    def label(self, basket: Basket) -> str:
        return f"Move {self.said} on {self.strand}"

    def apply(self, basket: Basket) -> Basket:
        def move(fold: Fold) -> Fold:
            word = self.becomes or find_word(fold, self.word)
            return _with(_without(fold, self.word), self.strand, word, self.at)

        return basket.with_fold(self.fold, move)


def _unsaid(fold: Fold, word: str) -> Fold:
    """The fold with nothing said of a word in its look and its chart."""
    chart = fold.chart.without(word) if fold.chart is not None else None
    return replace(fold, look=fold.look.without(word), chart=chart, page=fold.page.without(word))


class Remove(Edit, frozen=True):
    """Takes a word out of the sentence."""

    fold: str
    word: str
    said: str

    def label(self, basket: Basket) -> str:
        return f"Take out {self.said}"

    def apply(self, basket: Basket) -> Basket:
        use = use_of_measure(basket.fold(self.fold), self.word)
        if use is not None:
            raise BasketError(f"{self.said} is used by {use}.", todo="Take it out of that formula first.")
        return basket.with_fold(
            self.fold,
            lambda fold: _without(_unsaid(fold, self.word), self.word),
        )


class Change(Edit, frozen=True):
    """Changes properties of a word: its aggregate, pattern, heading, order, subtotal, or a filter's condition."""

    fold: str
    word: str
    changes: Mapping[str, Any]
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        def change(fold: Fold) -> Fold:
            strand = strand_of(fold, self.word)
            words = tuple(
                replace(each, **self.changes) if each.id == self.word else each for each in getattr(fold, strand)
            )
            changed = replace(fold, **{strand: words})
            return _names_followed(fold, changed, self.word) if strand == "measures" else changed

        return _mirrored(basket.with_fold(self.fold, change), self.fold, self.word)


class Swap(Edit, frozen=True):
    """Puts another word in a word's place, as when a filter becomes one of another kind. The new word keeps the id."""

    fold: str
    word: str
    becomes: Word
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        def swap(fold: Fold) -> Fold:
            strand = strand_of(fold, self.word)
            return replace(
                fold,
                **{strand: tuple(self.becomes if each.id == self.word else each for each in getattr(fold, strand))},
            )

        return _mirrored(basket.with_fold(self.fold, swap), self.fold, self.word)


class FoldUp(Edit, frozen=True):
    """Folds one member up to a single line, or opens it again. `path` names it by its members from the outermost."""

    fold: str
    word: str
    path: tuple[str, ...]

    def label(self, basket: Basket) -> str:
        return f"Fold or open {self.path[-1]}"

    def apply(self, basket: Basket) -> Basket:
        placed = _placed(basket, self.fold, self.word)
        turned = placed.turned
        kept = tuple(path for path in turned if path != self.path)
        new = kept if len(kept) < len(turned) else (*turned, self.path)
        return Change(self.fold, self.word, {"turned": new}, self.label(basket)).apply(basket)


class FoldLevel(Edit, frozen=True):
    """Folds every member of a field up to a single line, or opens all of them."""

    fold: str
    word: str
    closed: bool
    said: str

    def label(self, basket: Basket) -> str:
        return f"{'Fold up' if self.closed else 'Open'} all of {self.said}"

    def apply(self, basket: Basket) -> Basket:
        _placed(basket, self.fold, self.word)
        return Change(self.fold, self.word, {"closed": self.closed, "turned": ()}, self.label(basket)).apply(basket)


class DrillInto(Edit, frozen=True):
    """Opens one member: the field gives way to another, and a filter keeps what belongs to the member."""

    fold: str
    word: str
    member: str
    into: FieldRef
    part: str | None = None

    def label(self, basket: Basket) -> str:
        return f"Drill into {self.member}"

    def apply(self, basket: Basket) -> Basket:
        placed = _placed(basket, self.fold, self.word)
        if isinstance(placed.cut, Bands | Groups):
            raise BasketError(
                "a band or a group cannot be drilled into.", todo="Filter by its members, or place the field as it is."
            )
        keeps = of_member(free_id(basket.fold(self.fold)), placed.field, placed.part, self.member)
        was = Drill(placed.field, keeps.id, placed.part, placed.heading)
        becomes = replace(
            Placed(placed.id, self.into, self.part),
            subtotal=placed.subtotal,
            drilled=(*placed.drilled, was),
        )
        put = Swap(self.fold, self.word, becomes, self.label(basket)).apply(basket)
        return put.with_fold(self.fold, lambda fold: replace(fold, filters=(*fold.filters, keeps)))


class DrillBack(Edit, frozen=True):
    """Goes back to the field that a member was opened from, and takes the filter out that came with it."""

    fold: str
    word: str

    def label(self, basket: Basket) -> str:
        return "Drill back"

    def apply(self, basket: Basket) -> Basket:
        placed = _placed(basket, self.fold, self.word)
        if not placed.drilled:
            raise BasketError("nothing was drilled into here.")
        was = placed.drilled[-1]
        becomes = Placed(
            placed.id, was.field, was.part, heading=was.heading, subtotal=placed.subtotal, drilled=placed.drilled[:-1]
        )
        put = Swap(self.fold, self.word, becomes, self.label(basket)).apply(basket)
        return put.with_fold(
            self.fold,
            lambda fold: replace(fold, filters=tuple(rule for rule in fold.filters if rule.id != was.filter)),
        )


class OfferPicker(Edit, frozen=True):
    """Offers a filter to the reader beside the report, in this fold and in others, or no longer.

    Folds that share it have a filter each under one picker's name; what is picked in one is picked in all.
    """

    fold: str
    word: str
    folds: tuple[str, ...]
    said: str

    def label(self, basket: Basket) -> str:
        return f"Offer {self.said} beside the report" if self.folds else f"Offer {self.said} no longer"

    def apply(self, basket: Basket) -> Basket:
        rule = find_word(basket.fold(self.fold), self.word)
        if not isinstance(rule, Filter):
            raise BasketError("only a filter can be offered beside the report.")
        for name in self.folds:
            basket.fold(name)
        taken = {each.picker for fold in basket.folds for each in fold.filters}
        name = rule.picker or free_name(self.said, taken)

        def offered(fold: Fold) -> Fold:
            others = tuple(each for each in fold.filters if each.picker != name and each is not rule)
            if fold.key not in self.folds:
                if fold.key != self.fold:
                    return replace(fold, filters=others)
                same = tuple(each.as_word(each.id, "") if each is rule else each for each in fold.filters)
                return replace(fold, filters=same)
            if any(each.picker == name or each is rule for each in fold.filters):
                same = tuple(
                    rule.as_word(each.id, name) if each.picker == name or each is rule else each
                    for each in fold.filters
                )
                return replace(fold, filters=same)
            return replace(fold, filters=(*others, rule.as_word(free_id(fold), name)))

        return replace(basket, folds=tuple(offered(fold) for fold in basket.folds))


def _placed(basket: Basket, fold: str, word: str) -> Placed:
    found = find_word(basket.fold(fold), word)
    if not isinstance(found, Placed):
        raise BasketError(f"“{word}” is not on rows or columns.")
    return found


def _names_followed(before: Fold, after: Fold, word: str) -> Fold:
    """The fold with formulas following a measure whose heading has changed."""
    old, new = (next(each for each in fold.measures if each.id == word) for fold in (before, after))
    return with_measure_named(after, measure_heading(old), measure_heading(new))


def _mirrored(basket: Basket, fold: str, word: str) -> Basket:
    """The basket with a picker's filter alike in every fold that shares it."""
    rule = next((each for each in basket.fold(fold).filters if each.id == word), None)
    if rule is None or not rule.picker:
        return basket

    def alike(other: Fold) -> Fold:
        rules = tuple(
            rule.as_word(each.id, rule.picker) if each.picker == rule.picker and other.key != fold else each
            for each in other.filters
        )
        return replace(other, filters=rules)

    return replace(basket, folds=tuple(alike(other) for other in basket.folds))
