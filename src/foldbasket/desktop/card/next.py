"""The part of the report's card that says what is worth a second look, and offers how to go on."""

from __future__ import annotations

from functools import partial

from foldbasket.baskets import edits
from foldbasket.baskets.placing import free_id
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.noticing.notice import Notice, Seen, Way, noticed
from foldbasket.spec.fold import Fold


def notices_of(desk: Desk) -> list[Notice]:
    """What is worth a second look in the report in view; nothing while another is being made."""
    fold, report = desk.fold, desk.report
    made_of = report.origin.fold if report is not None and report.origin is not None else None
    if fold is None or report is None or made_of is None or not fold.asks_as(made_of):
        return []
    return noticed(Seen(report, fold, desk.source))


def next_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds the section, open from the start, where there is anything to say."""
    found = body.noticed = notices_of(desk)
    if not found:
        return
    many = "one thing to look at" if len(found) == 1 else f"{len(found)} things to look at"
    body.section("What next", many, wanted=True)
    for at, each in enumerate(found):
        if at:
            body.gap(6)
        body.text(each.said, "")
        for way in each.ways:
            body.link(way.name, partial(_go, desk, fold, way))


def _go(desk: Desk, fold: Fold, way: Way) -> None:
    rule = way.rule.as_word(free_id(fold), "") if way.rule is not None else None
    changes = dict(way.changes)
    if rule is not None:
        changes["filters"] = (*fold.filters, rule)
    desk.do(edits.ChangeFold(fold.key, changes, way.name))
