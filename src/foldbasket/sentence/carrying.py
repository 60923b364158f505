"""A typed fold in place of another: its words keep the ids, looks and history of those that they take over from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import msgspec

from foldbasket.sayings import Slot
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed

replace = msgspec.structs.replace
W = TypeVar("W", Measure, Placed, Filter)

KEPT = ("id", "name", "look", "chart", "page")
"""What a sentence says nothing of."""


def carried(typed: Fold, old: Fold) -> Fold:
    """A fold as it was typed, in place of an old one: whatever a sentence does not say stays. A word takes over from the old one of its strand that is
    most like it; the others get ids of their own."""
    ids: dict[str, str] = {}
    taken = {each.id for each in old.words()}
    words: dict[str, tuple[Any, ...]] = {}
    for strand, alike in (
        ("measures", _LIKE_MEASURES),
        ("rows", _LIKE_WORDS),
        ("columns", _LIKE_WORDS),
        ("filters", _LIKE_FILTERS),
    ):
        # A field that changed to the other axis is still the same word.
        own = old.rows + old.columns if strand in ("rows", "columns") else getattr(old, strand)
        spare = [each for each in own if each.id not in ids.values()]
        partners = _partners(getattr(typed, strand), spare, alike)
        made = []
        for word in getattr(typed, strand):
            partner = partners.get(word.id)
            ids[word.id] = partner.id if partner is not None else _free(word.id, taken)
            taken.add(ids[word.id])
            made.append(_dressed(word, partner, ids[word.id]))
        words[strand] = tuple(made)
    whole = replace(typed, **words, **{name: getattr(old, name) for name in KEPT})
    return renamed(whole, ids)


def renamed(fold: Fold, ids: dict[str, str]) -> Fold:
    """A fold whose words refer to one another by other ids."""

    def measure(id: str) -> str:
        return ids.get(id, id)

    def kind(value: Any) -> Any:
        if value is None:
            return None
        slots = {slot for each in value.sayings for slot in each.slots if slot.sort in ("measure", "word")}
        named: dict[str, str] = {slot.name: getattr(value, slot.name) for slot in slots if _names(value, slot)}
        return replace(value, **{name: measure(id) for name, id in named.items()})

    def placed(word: Placed) -> Placed:
        by = replace(word.by, measure=measure(word.by.measure)) if word.by is not None else None
        return replace(word, keep=kind(word.keep), by=by)

    return replace(
        fold,
        measures=tuple(replace(each, compare=kind(each.compare)) for each in fold.measures),
        rows=tuple(placed(each) for each in fold.rows),
        columns=tuple(placed(each) for each in fold.columns),
    )


def _names(value: Any, slot: Slot) -> bool:
    return not slot.name.startswith("_") and getattr(value, slot.name, None) is not None


Like = Sequence[Callable[[Any], Any]]
_LIKE_MEASURES: Like = (
    lambda each: (each.aggregate, each.field, each.formula, each.heading, each.compare is None),
    lambda each: (each.aggregate, each.field, each.formula, each.compare is None),
    lambda each: (each.field, each.formula, each.compare is None),
)
_LIKE_WORDS: Like = (
    lambda each: (each.field, each.part, each.heading),
    lambda each: (each.field, each.part),
    lambda each: each.field,
)
_LIKE_FILTERS: Like = (lambda each: (type(each), each.field, each.part), lambda each: (each.field, each.part))


def _partners(new: Sequence[W], old: Sequence[W], alike: Like) -> dict[str, W]:
    """By the id of a new word the old one that it takes over from, the most alike first."""
    found: dict[str, W] = {}
    spare = list(old)
    for likeness in alike:
        for word in new:
            partner = (
                next((each for each in spare if likeness(each) == likeness(word)), None)
                if word.id not in found
                else None
            )
            if partner is not None:
                found[word.id] = partner
                spare.remove(partner)
    return found


def _free(wanted: str, taken: set[str]) -> str:
    number, id = 2, wanted
    while id in taken:
        id, number = f"{wanted}-{number}", number + 1
    return id


def _dressed(word: Any, partner: Any, id: str) -> Any:
    """A word under an id, with the looks of the one that it takes over from."""
    if isinstance(word, Filter):
        return word.as_word(id, word.picker)
    if partner is None:
        return replace(word, id=id)
    if isinstance(word, Measure):
        return replace(word, id=id, number=partner.number)
    return replace(
        word,
        id=id,
        dates=partner.dates,
        drilled=partner.drilled if (word.field, word.part) == (partner.field, partner.part) else (),
    )
