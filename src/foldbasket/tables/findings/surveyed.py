"""Findings of a table that is not held, by what a survey told of its fields: their members, how many records have each, and the largest numbers. Which records those are is not
known, so none of them is shown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from foldbasket.tables.column import CodedColumn, NumberColumn
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.findings.outliers import far_amounts
from foldbasket.tables.nature import nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import stream_behind
from foldbasket.tables.survey import Surveyed, survey
from foldbasket.tables.table import Table
from foldbasket.tables.unread import at_hand


@dataclass(frozen=True, eq=False)
class _Counted(CodedColumn):
    """A field with each of its members on one record, and how many records have each in truth."""

    counts: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))

    def weights(self) -> npt.NDArray[np.int64]:
        return self.counts[: len(self.dictionary)]


def findings_of_survey(table: Table, told: Mapping[str, Surveyed], progress: Progress | None = None) -> list[Finding]:
    """All findings in those fields of a table whose members, or largest numbers, a survey has told. Raises Cancelled."""
    found: list[Finding] = []
    for name, each in told.items():
        members, counts = each.members, each.counts
        if name not in table.columns:
            continue
        sampled = at_hand(table.columns[name])
        if isinstance(sampled, NumberColumn) and each.largest is not None:
            found += far_amounts(sampled, each.largest, table.count - (each.profile.blanks or 0))
        if members is None or counts is None:
            continue
        nature = nature_of(sampled).value
        column = _Counted(name, members.codes, members.dictionary, nature, counts)
        found += findings_of(Table(table.name, {name: column}), progress, by_member=True)
    return [_as_they_come(finding) for finding in found]


def findings_by_survey(table: Table, progress: Progress | None = None) -> list[Finding]:
    """The same, with a look through all records of the table for it. Raises ReadError, Cancelled."""
    stream, progress = stream_behind(table), progress or Progress()
    assert stream is not None
    return findings_of_survey(table, survey(table, stream, progress), progress)


def _as_they_come(finding: Finding) -> Finding:
    return replace(finding, find=lambda: np.zeros(0, np.int64))
