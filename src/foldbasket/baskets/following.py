"""What follows an edit by itself: folds that stand on the summary of another go by its headings, so they follow when one changes."""

from __future__ import annotations

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.naming import with_field_named
from foldbasket.sentence.phrases import headings_of, placed_heading
from foldbasket.spec.fold import Fold
from foldbasket.tables.reading.sniffing import field_names


def followed(before: Basket, after: Basket) -> Basket:
    """The basket after an edit, with every reference to a field of a fold's summary following the heading of its word.

    Headings are taken as they are without a source at hand: where one names a time that only the data decide, as some
    comparisons do, the reference is left, and the fold says what it misses.
    """
    if before.folds is after.folds:
        return after
    renamed: set[tuple[str, str, str]] = set()
    while True:
        steps = [step for step in _renames(before, after) if step not in renamed]
        if not steps:
            return after
        renamed.update(steps)
        # One fold at a time, and by names that nothing else has meanwhile, so that two headings may change places.
        source = steps[0][0]
        own = [step for step in steps if step[0] == source]
        for at, (_, old, _new) in enumerate(own):
            after = with_field_named(after, source, old, f"\0{at}")
        for at, (_, _old, new) in enumerate(own):
            after = with_field_named(after, source, f"\0{at}", new)


def _renames(before: Basket, after: Basket) -> list[tuple[str, str, str]]:
    """Fields of summaries whose heading has changed: source, old and new name."""
    folds = {fold.key: fold for fold in before.folds}
    now = {fold.key: fold for fold in after.folds}
    found = []
    for source in after.sources:
        if source.fold is None or source.fold not in folds or source.fold not in now:
            continue
        old, new = summary_fields(folds[source.fold]), summary_fields(now[source.fold])
        found += [(source.key, old[word], new[word]) for word in old if word in new and old[word] != new[word]]
    return found


def summary_fields(fold: Fold) -> dict[str, str]:
    """The field of a fold's summary that each of its words makes, by the word's id."""
    headings = headings_of(fold)
    words = [(word.id, placed_heading(word)) for word in (*fold.rows, *fold.columns)]
    words += [(measure.id, headings[measure.id]) for measure in fold.measures]
    return dict(zip([word for word, _ in words], field_names([heading for _, heading in words]), strict=True))
