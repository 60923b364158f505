"""What was found in a table as bytes: profiles of its fields and findings, so that a file that is opened again is not looked through again."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial

import msgspec
from msgspec.structs import replace

from foldbasket import kinds
from foldbasket.tables.findings.finding import Finding, Offer, Records, none_of_them
from foldbasket.tables.profile import Profile
from foldbasket.tables.progress import Progress

Look = Callable[[Progress], Iterator[Finding]]
"""A look through a table, which finds one thing after the other. Raises ReadError, Cancelled."""


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


def from_bytes(kept: bytes, look: Look) -> tuple[dict[str, Profile], list[Finding]] | None:
    """Profiles and findings from bytes; None where these are none of ours. Which records a finding is about is looked for once more when it is asked, by the
    look that found it."""
    try:
        found = kinds.read(msgspec.json.decode(kept), _Found)
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return None
    again = _Again(look)
    findings = [Finding(**msgspec.structs.asdict(each), find=none_of_them) for each in found.findings]
    return found.profiles, [replace(each, find=partial(again.records, each.key)) for each in findings]


class _Again:
    """A look that is taken once more, no further than to what is asked for; one for all the findings of a table."""

    def __init__(self, look: Look) -> None:
        self._look, self._seen = look, list[Finding]()
        self._left: Iterator[Finding] | None = None
        self._progress = Progress()
        self._lock = threading.Lock()

    def records(self, key: str, progress: Progress) -> Records:
        """The records of the finding of a key; none where there is no such finding any more."""
        with self._lock:
            found = self._found(key, progress)
        return (found.find if found is not None else none_of_them)(progress)

    def _found(self, key: str, progress: Progress) -> Finding | None:
        for each in self._seen:
            if each.key == key:
                return each
        self._progress.follow(progress)
        if self._left is None:
            self._left = self._look(self._progress)
        try:
            for each in self._left:
                self._seen.append(each)
                if each.key == key:
                    return each
        except BaseException:  # it was ended in the middle, and begins anew when it is asked again
            self._left, self._seen = None, []
            raise
        return None
