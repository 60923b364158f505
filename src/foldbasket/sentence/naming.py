"""What the words of a fold are called where others of its words refer to them: each another name."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from foldbasket.links.source import Source
from foldbasket.sentence.phrases import base_name, headings_of, placed_heading
from foldbasket.spec.fold import Fold

replace = msgspec.structs.replace


def names_of_measures(fold: Fold, source: Source) -> dict[str, str]:
    """What each measure of a fold is called, by id: their headings, without what they are compared with, those that are alike numbered."""
    plain = tuple(each for each in fold.measures if each.compare is None or each.heading)
    headings = headings_of(replace(fold, measures=tuple(replace(each, compare=None) for each in plain)), source)
    named = sorted(fold.measures, key=lambda each: each not in plain)  # one that is compared makes way
    found = _apart([(each.id, headings.get(each.id) or base_name(each)) for each in named])
    return {each.id: found[each.id] for each in fold.measures}


def names_on_axes(fold: Fold) -> dict[str, str]:
    """The fields on the axes of a fold by id: their headings, those that are alike numbered."""
    return _apart([(each.id, placed_heading(each)) for each in (*fold.rows, *fold.columns)])


def _apart(named: Sequence[tuple[str, str]]) -> dict[str, str]:
    seen: dict[str, int] = {}
    found: dict[str, str] = {}
    for id, name in named:
        many = seen[name.casefold()] = seen.get(name.casefold(), 0) + 1
        found[id] = name if many == 1 else f"{name} ({many})"
    return found
