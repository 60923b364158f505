"""What was found in a table as bytes: profiles of its fields and findings, so that a file that is opened again is not looked through again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket import kinds
from foldbasket.tables.findings.finding import Finding, Offer
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.profile import Profile
from foldbasket.tables.table import Table


class _Finding(msgspec.Struct):
    kind: str
    field: str
    about: str
    title: str
    brief: str
    count: int
    offers: tuple[Offer, ...]
    remark: str
    counted: str


class _Found(msgspec.Struct):
    profiles: dict[str, Profile]
    findings: list[_Finding]


def as_bytes(profiles: Mapping[str, Profile], findings: Sequence[Finding]) -> bytes:
    """Profiles, by the names of fields, and findings as bytes."""
    listed = [_Finding(*(getattr(each, name) for name in _Finding.__struct_fields__)) for each in findings]
    return msgspec.json.encode(_Found(dict(profiles), listed))


def from_bytes(kept: bytes, table: Table) -> tuple[dict[str, Profile], list[Finding]] | None:
    """The profiles and findings of a table; None where they are none of ours, or not of its fields. Which records a finding is about is looked for when it is
    asked."""
    try:
        found = kinds.read(msgspec.json.decode(kept), _Found)
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return None
    if found.profiles.keys() != table.columns.keys():
        return None
    return found.profiles, [
        Finding(**msgspec.structs.asdict(each), find=partial(_records, table, (each.kind, each.field, each.about)))
        for each in found.findings
    ]


def _records(table: Table, key: tuple[str, str, str]) -> npt.NDArray[np.int64]:
    """The records that a finding is about, found once more."""
    again = (each for each in findings_of(table) if (each.kind, each.field, each.about) == key)
    found = next(again, None)
    return found.records if found is not None else np.zeros(0, np.int64)
