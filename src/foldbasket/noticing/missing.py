"""Members that should perhaps not be there: records that are blank in a field, or find no partner in its table."""

from __future__ import annotations

from collections.abc import Iterator

from foldbasket.folding.filters.members import Members
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.noticing.notice import Notice, Seen, Way, notice
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Placed


@notice(20)
def without_member(seen: Seen) -> Iterator[Notice]:
    """Of each placed field with a line for blank or unmatched records."""
    report = seen.report
    for words, axis in ((seen.fold.rows, report.rows), (seen.fold.columns, report.columns)):
        for at, word in enumerate(words):
            for blank in (True, False):
                if _stands(axis, at, blank=blank):
                    yield _notice(seen, word, blank=blank)


def _stands(axis: Axis, field: int, *, blank: bool) -> bool:
    domain = axis.heads[field].domain
    code = domain.blank if blank else domain.no_match
    return bool(((axis.codes[:, field] == code) & (axis.kind != Kind.GRAND)).any())


def _notice(seen: Seen, word: Placed, *, blank: bool) -> Notice:
    table, heading = seen.source.called(word.field.table), placed_heading(word)
    said = (
        f"Some records have no {heading}; they stand as (blank)."
        if blank
        else f"Some records find no partner in {table}, so their {heading} stands as (no match)."
    )
    if word.bands is not None:
        return Notice(said)
    rule = Members("noticed", word.field, word.part, blank=blank, no_match=not blank, exclude=True)
    return Notice(said, (Way("Leave them out", rule=rule),))
