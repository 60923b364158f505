"""Members that should perhaps not be there: records that are blank in a field, or find no partner in its table."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from foldbasket.folding.filters.members import Members
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.noticing.notice import Notice, Seen, Way, notice
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Placed
from foldbasket.tables.unread import is_unread


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
    heading = placed_heading(word)
    said = (
        f"Some records have no {heading}. They are shown as (blank)."
        if blank
        else f"Some records {_lacking(seen, word)}, so their {heading} is shown as (no match)."
    )
    if word.bands is not None:
        return Notice(said)
    rule = Members("noticed", word.field, word.part, blank=blank, no_match=not blank, exclude=True)
    return Notice(said, (Way("Exclude them", rule=rule),))


def _lacking(seen: Seen, word: Placed) -> str:
    """Where on the way from the folded records to a field's table the match is missing; all tables on the way where some are not in memory."""
    source, table = seen.source, word.field.table
    base = next((each.base for each in seen.report.counted if source.path(each.base, table)), None)
    way = source.path(base, table) if base is not None else None
    if base is None or not way:
        return f"have no match in {source.called(table)}"
    tables = [base, *(link.to_table for link in way)]
    found = [False] * len(way)
    if not any(is_unread(column) for each in tables for column in source.tables[each].columns.values()):
        lost = [np.zeros(source.tables[base].count, np.bool_)]
        for far in tables[1:]:
            rows = source.rows(base, far)
            lost.append(rows < 0 if rows is not None else lost[-1])
        found = [bool((lost[at + 1] & ~lost[at]).any()) for at in range(len(way))]
    lacking = [source.called(link.to_table) for link, is_lost in zip(way, found, strict=True) if is_lost]
    return f"have no match in {' or '.join(lacking or [source.called(link.to_table) for link in way])}"
