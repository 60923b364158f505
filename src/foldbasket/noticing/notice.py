"""What every notice is: a sentence about a report that is true of it, and ways to go on from there."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import msgspec

from foldbasket import faults
from foldbasket.errors import FoldBasketError
from foldbasket.folding.report.report import Report
from foldbasket.links.source import Source
from foldbasket.registry import Kinds
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold


class Way(msgspec.Struct, frozen=True):
    """Something that could be done: its name, what becomes of the fold by it, and a filter that is added to it."""

    name: str
    changes: Mapping[str, Any] = msgspec.field(default_factory=dict)
    rule: Filter | None = None


class Notice(msgspec.Struct, frozen=True):
    """What was noticed, in words, and what could be done about it."""

    said: str
    ways: tuple[Way, ...] = ()


class Seen(msgspec.Struct, frozen=True):
    """A report, the fold and the source that it was made of."""

    report: Report
    fold: Fold
    source: Source


Notices = Callable[[Seen], Iterator[Notice]]


class NoticeKind(msgspec.Struct, frozen=True):
    """A way of looking; `standing` says where what it finds is told."""

    look: Notices
    standing: int


NOTICES: Kinds[NoticeKind] = Kinds("notice", "foldbasket.noticing")


def notice(standing: int) -> Callable[[Notices], Notices]:
    """Decorator: enters a way of looking at a report."""

    def enter(look: Notices) -> Notices:
        NOTICES.enter(look.__name__, NoticeKind(look, standing))
        return look

    return enter


def noticed(seen: Seen) -> list[Notice]:
    """All that is worth a second look, the most urgent first. What cannot be looked at, as a field that has gone, is passed over; a
    way of looking that fails for a reason that nobody foresaw is noted and keeps the others from nothing."""
    found: list[Notice] = []
    for kind in NOTICES:
        try:
            found.extend(kind.look(seen))
        except FoldBasketError:
            continue
        except Exception as error:
            faults.note(error)
    return found
