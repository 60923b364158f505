"""Findings of a table that is not held, by what a survey told of its fields: their members, and how many records have each. Which records those are is
looked for when it is asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import partial

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.tables.column import CodedColumn
from foldbasket.tables.findings.finding import Find, Finding, Records
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.findings.inorder import each_in_order, records_in_parts
from foldbasket.tables.nature import nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import stays_elsewhere, stream_behind
from foldbasket.tables.survey import Surveyed, survey
from foldbasket.tables.table import Table
from foldbasket.tables.uniting import united
from foldbasket.tables.unread import at_hand


@dataclass(frozen=True, eq=False)
class _Counted(CodedColumn):
    """A field with each of its members on one record, and how many records have each in truth."""

    counts: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))

    def weights(self) -> npt.NDArray[np.int64]:
        return self.counts[: len(self.dictionary)]


def findings_of_survey(table: Table, told: Mapping[str, Surveyed], progress: Progress | None = None) -> list[Finding]:
    """All findings in those fields of a table whose members a survey has told. Raises Cancelled."""
    found: list[Finding] = []
    for name, each in told.items():
        members, counts = each.members, each.counts
        if name not in table.columns or members is None or counts is None:
            continue
        nature = nature_of(at_hand(table.columns[name])).value
        column = _Counted(name, members.codes, members.dictionary, nature, counts)
        found += [
            replace(finding, find=partial(_having, table, members, finding.find))
            for finding in findings_of(Table(table.name, {name: column}), progress, by_member=True)
        ]
    return found


def findings_by_survey(table: Table, progress: Progress | None = None) -> list[Finding]:
    """The same, and those of whole records, with looks through all records of the table for them. Raises ReadError, Cancelled."""
    stream, progress = stream_behind(table), progress or Progress()
    assert stream is not None
    told = survey(table, stream, progress)
    found = findings_of_survey(table, told, progress)
    return found if stays_elsewhere(table) else [*found, *each_in_order(table, told, progress)]


def _having(table: Table, members: CodedColumn, find: Find, progress: Progress) -> Records:
    """The records that have one of those members that a finding is about, which stand on one record each where it was found."""
    wanted = members.codes[find(progress)]
    if not len(wanted):
        return np.zeros(0, np.int64)
    known, many = wanted[wanted < len(members.dictionary)], len(members.dictionary)
    sought = members.dictionary.of(known.astype(np.int64))

    def which(part: Table) -> npt.NDArray[np.bool_]:
        coded = part.columns[members.name].coded()
        _, mine, theirs = united(sought, coded.dictionary)
        mask: npt.NDArray[np.bool_] = np.append(np.isin(theirs, mine), many in wanted)[coded.codes]
        return mask

    return records_in_parts(table, [members.name], which, progress)
