"""The order of steps in words: what is done to the records of a fold before a number stands in a cell."""

from __future__ import annotations

import msgspec

from foldbasket.links.source import Source
from foldbasket.sentence.phrases import (
    base_name,
    comparison_phrase,
    filter_phrase,
    measure_heading,
    measure_phrase,
    placed_heading,
    placed_phrase,
)
from foldbasket.spec.fold import Fold, Placed
from foldbasket.styling.words import lower_first


def steps_of(fold: Fold, source: Source | None = None, locale: str = "en") -> list[str]:
    """Each step of a fold as a sentence, in the order in which it is done. Steps that do nothing are left out."""
    said: list[str] = []
    for rule in fold.filters:
        said.append(f"Records are kept by {lower_first(filter_phrase(rule, source, locale))}.")
    words = fold.rows + fold.columns
    groups = _listed([lower_first(placed_heading(word)) for word in words])
    if fold.measures:
        made = "; ".join(
            measure_phrase(msgspec.structs.replace(measure, compare=None), fold, source) for measure in fold.measures
        )
        said.append(
            f"Records are grouped by {groups}, and each group is summed up: {made}."
            if groups
            else f"All records are summed up: {made}."
        )
    if any(measure.formula for measure in fold.measures):
        said.append("Formulas are worked out on the summaries of every cell and every total.")
    said.append("Every total is summed up from all its records, in the same way.")
    names = {measure.id: measure_heading(measure) for measure in fold.measures}
    said += _picking(fold)
    for measure in fold.measures:
        if measure.total != "records":
            how = (
                "has no totals"
                if measure.total == "none"
                else f"has as its totals the {measure.total} of the lines shown"
            )
            said.append(f"{names[measure.id]} {how}.")
    for measure in fold.measures:
        if measure.compare is not None:
            name = base_name(measure)
            said.append(
                f"{name} is then compared: {comparison_phrase(measure.compare, fold, source)}, totals included."
            )
    said += _ordering(fold, names)
    if any(word.closed or word.turned for word in words):
        said.append("Members that are folded up show their total in one line.")
    said.append("Last, numbers are written in their formats; they stay exact beneath.")
    return said


def _picking(fold: Fold) -> list[str]:
    """Which members stay, and what totals cover then."""
    said = []
    rests = set()
    for word in fold.rows + fold.columns:
        if word.keep is None:
            continue
        rests.add(word.keep.rest)
        gathered = word.keep.rest == "gathered"
        rest = "the others are gathered in one line, All others" if gathered else "the others are not shown"
        outer = _before(fold, word.id)
        within = f" within each {lower_first(placed_heading(outer))}" if outer is not None else ""
        said.append(f"Of these summaries, {lower_first(placed_phrase(word, fold))} stay{within}; {rest}.")
    if "gone" in rests:
        covers = "cover only what is shown" if fold.totals_cover == "shown" else "still cover all records kept"
        said.append(f"Totals {covers}.")
    return said


def _ordering(fold: Fold, names: dict[str, str]) -> list[str]:
    """Which fields are put in order by a measure."""
    said = []
    for word in fold.rows + fold.columns:
        if word.by is not None:
            way = "largest first" if word.descending else "smallest first"
            where = f" in {', '.join(word.by.among)}" if word.by.among else ""
            said.append(
                f"{placed_heading(word)} is put in order by {names.get(word.by.measure, 'a measure')}{where}, {way}."
            )
    return said


def _before(fold: Fold, word: str) -> Placed | None:
    """The field outside a placed one on the same axis, if any."""
    for words in (fold.rows, fold.columns):
        ids = [each.id for each in words]
        if word in ids and ids.index(word) > 0:
            return words[ids.index(word) - 1]
    return None


def _listed(names: list[str]) -> str:
    """Names in a sentence: “line, family and quarter”."""
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
