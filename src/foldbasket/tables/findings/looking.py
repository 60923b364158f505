"""A look through a table that is held: profiles of its fields and findings, from what is kept of an earlier look where its file is still the same."""

from __future__ import annotations

import time
from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

from foldbasket import faults
from foldbasket.tables.column import Column
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.findings.findings import NOT_LOOKED, each_finding, findings_of
from foldbasket.tables.findings.kept import as_bytes, from_bytes
from foldbasket.tables.profile import Profile, profile_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.store import FOUND, STORE, WORTH
from foldbasket.tables.table import Table


class Seen(NamedTuple):
    """What a look has seen: profiles by the names of fields, and the findings; None where they were not asked for."""

    profiles: dict[str, Profile]
    findings: list[Finding] | None


def look_through(
    table: Table, read: Table | None, columns: Sequence[Column], progress: Progress, *, wanted: bool, keeps: bool
) -> Seen:
    """Looks at some fields of a table, and for findings where they are `wanted`. `read` is the table as it was read, whose fields are those that no mend and no
    formula has made; what is found in it is kept where `keeps` allows it and the look took long. Raises Cancelled."""
    name = read.found_as if read is not None and keeps else ""
    own = read.columns if read is not None else {}
    known_profiles, known_findings = _known(name, read) if read is not None else ({}, None)
    is_whole = table.columns == own
    began = time.monotonic()
    profiles: dict[str, Profile] = {}
    for column in columns:
        progress.step("Profiling", 0.0)
        same = known_profiles.get(column.name) if own.get(column.name) is column else None
        profiles[column.name] = same or _profiled(column)
    findings: list[Finding] | None = None
    if wanted:
        findings = known_findings if known_findings is not None and is_whole else findings_of(table, progress)
    if name and known_findings is None and is_whole and findings is not None and time.monotonic() - began > WORTH:
        is_all = profiles.keys() == table.columns.keys() and not any(each.kind == NOT_LOOKED for each in findings)
        if is_all:
            STORE.keep_found(name, FOUND, as_bytes(profiles, findings))
    return Seen(profiles, findings)


def _known(name: str, read: Table) -> tuple[dict[str, Profile], list[Finding] | None]:
    """What is kept of an earlier look at a table as it was read: profiles and findings; none where nothing is."""
    kept = STORE.found(name, FOUND)
    known = from_bytes(kept, partial(each_finding, read)) if kept is not None else None
    return known if known is not None and known[0].keys() == read.columns.keys() else ({}, None)


def _profiled(column: Column) -> Profile:
    """A field's profile; one field that has none for a reason that nobody foresaw does not keep the others from theirs."""
    try:
        return profile_of(column)
    except Exception as error:
        faults.note(error)
        return Profile(None, None, None, None, ())
