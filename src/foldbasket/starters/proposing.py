"""Proposals: of every starter for which the data have something, its report folded and what it finds."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from foldbasket.errors import Cancelled, FoldBasketError
from foldbasket.folding.report.report import Report
from foldbasket.spec.fold import Fold
from foldbasket.starters.ground import Ground
from foldbasket.starters.starter import STARTERS

MOST = 6


class Proposal(msgspec.Struct, frozen=True, eq=False):
    """A report to start from, as it is, and what it finds in words."""

    fold: Fold
    report: Report
    finding: str


def _like_for_like(asked: Fold, report: Report, fold: Callable[[Fold], Report]) -> tuple[Fold, Report]:
    """A proposal that compares what is not whole, kept to what both sides have; what it finds is then true of both. Raises FoldBasketError."""
    rule = report.unfinished.filter if report.unfinished is not None else None
    if rule is None:
        return asked, report
    same = msgspec.structs.replace(asked, filters=(*asked.filters, rule.as_word("w9", "")))
    return same, fold(same)


def proposals(ground: Ground, fold: Callable[[Fold], Report]) -> Iterator[Proposal]:
    """The proposals for a source, one after the other, each folded by `fold`. One that cannot be folded, or that would show nothing, is passed over."""
    given = 0
    for each in STARTERS:
        if given == MOST:
            return
        try:
            asked = each.fold(ground)
            report = fold(asked) if asked is not None else None
            if asked is not None and report is not None and report.unfinished is not None:
                asked, report = _like_for_like(asked, report, fold)
        except Cancelled:
            raise
        except FoldBasketError:
            continue
        if asked is not None and report is not None and report.height > 1 and report.width and not report.remarks:
            given += 1
            yield Proposal(asked, report, each.finding(report, asked))
