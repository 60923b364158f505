"""A sum that means nothing: of prices, rates or identifiers."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.folding.usual import usual_aggregate
from foldbasket.noticing.notice import Notice, Seen, Way, notice
from foldbasket.sentence.phrases import measure_heading
from foldbasket.tables.unread import at_hand


@notice(10)
def meaningless_sums(seen: Seen) -> Iterator[Notice]:
    """Of each measure that sums what is usually averaged or counted."""
    for at, measure in enumerate(seen.fold.measures):
        if measure.aggregate != "sum" or measure.field is None:
            continue
        usual = usual_aggregate(at_hand(seen.source.column(measure.field)))
        if usual == "sum":
            continue
        if usual == "count values":  # of what names things, how many there are
            usual = "count different"
        what = "prices or rates" if usual == "average" else "identifiers"
        better = msgspec.structs.replace(measure, aggregate=usual)
        measures = (*seen.fold.measures[:at], better, *seen.fold.measures[at + 1 :])
        yield Notice(
            f"{measure_heading(measure)} adds up {what}, which is rarely meaningful.",
            (
                Way(
                    f"Use {AGGREGATES[usual].label.lower()}" if usual == "average" else "Use distinct count",
                    {"measures": measures},
                ),
            ),
        )
