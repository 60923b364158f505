"""A period that is not over: its numbers are those of a part of it."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

import numpy as np

from foldbasket.folding.filters.members import Members
from foldbasket.folding.members.parts.part import parts_by
from foldbasket.noticing.notice import Notice, Seen, Way, notice
from foldbasket.styling.dates import EPOCH, day_text

SLACK = {"year": 7, "half": 5, "quarter": 4, "month": 3, "fiscal year": 7, "fiscal quarter": 4}
"""Parts of dates, and how many days before their end the last record may be, since nothing is sold on some days."""


@notice(40)
def not_over(seen: Seen) -> Iterator[Notice]:
    """Of each axis of periods whose latest ends after the data do."""
    report, fold = seen.report, seen.fold
    if report.unfinished is not None:  # said already, with what can be done about it
        return
    for words, axis in ((fold.rows, report.rows), (fold.columns, report.columns)):
        for at, word in enumerate(words):
            if word.part not in SLACK or word.bands is not None or word.groups is not None:
                continue
            part, latest = parts_by(seen.source.fiscal)[word.part], seen.as_of(word.field)
            number = int(part.of(np.array([(latest - EPOCH).days]))[0])
            ends = EPOCH + datetime.timedelta(days=part.last_day(number))
            code = axis.heads[at].domain.code_of(part.key(number))
            if (ends - latest).days <= SLACK[word.part] or code is None or not (axis.codes[:, at] == code).any():
                continue
            rule = Members("noticed", word.field, word.part, (part.key(number),), exclude=True)
            said = f"{part.text(number, report.locale)} is not over: the data end on {day_text((latest - EPOCH).days, report.locale)}."
            yield Notice(said, (Way("Leave it out", rule=rule),))
