"""A period that the data cover in part: its numbers are those of a part of it."""

from __future__ import annotations

from collections.abc import Iterator

from foldbasket.folding.filters.members import Members
from foldbasket.noticing.notice import Notice, Seen, Way, notice


@notice(40)
def in_part(seen: Seen) -> Iterator[Notice]:
    """Of each axis of periods that begins or ends within one."""
    if seen.report.unfinished is not None:  # said already, with what can be done about it
        return
    for each in seen.report.incomplete:
        rule = Members("noticed", each.word.field, each.word.part, (each.key,), exclude=True)
        yield Notice(f"{each.said}.", (Way("Exclude it", rule=rule),))
