"""The sections of the card of a fold in which nothing is placed yet: what reports begin with, and where that can be put right."""

from __future__ import annotations

import datetime
from functools import partial

from foldbasket.baskets import edits
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.settings import as_of_choice
from foldbasket.desktop.desk import Desk
from foldbasket.links.link import Link, Match
from foldbasket.spec.field import FieldRef
from foldbasket.starters.ground import Ground
from foldbasket.styling.dates import EPOCH, day_text
from foldbasket.tables.column import Column
from foldbasket.tables.mending.natures import TakeFor, natures_for
from foldbasket.tables.mending.streamed import can_be_mended
from foldbasket.tables.nature import Nature, nature_of

MOST = 12
"""So many fields of numbers are listed, amounts first: there may be thousands, and each can be corrected on its own card."""


def is_first(desk: Desk) -> bool:
    """Whether there are data, and the fold in view has nothing of them yet."""
    fold = desk.fold
    return fold is not None and fold.is_empty and not fold.filters and bool(desk.source.tables)


def first_sections(desk: Desk, body: CardBody) -> None:
    """Adds the sections: links, what counts as money, the date that leads, the as-of date."""
    if len(desk.basket.sources) > 1:
        _links(desk, body)
    _money(desk, body)
    date = Ground(desk.source).date
    if date is not None:
        body.section("Date that leads", date.field)
        body.text(
            "Reports along time begin with the first date of the records, else of those that they lead to.", "quiet"
        )
    body.section("As of", _as_of(desk, date))
    as_of_choice(desk, body, datetime.date.today)
    body.text("“Last quarter” and the like count back from that day.", "quiet")


def _links(desk: Desk, body: CardBody) -> None:
    offered, taken = desk.supply.looker.suggestions, desk.basket.links
    said = [f"{len(taken)} taken"] if taken else []
    said += [f"{len(offered)} suggested"] if offered else []
    body.section("Links", ", ".join(said) or "none")
    for link in (*taken, *offered):
        body.text(_said(desk, link), "quiet")
    if offered:
        body.link(
            "Take the suggested link" if len(offered) == 1 else f"Take the {len(offered)} suggested links",
            desk.sources.accept_links,
        )
    body.link("Look at the map of links", lambda: desk.show_source(desk.basket.sources[0].key))


def _said(desk: Desk, link: Link) -> str:
    match = desk.supply.looker.matches.get(link)
    return link.said(desk.source.called) + (f": {match.label}" if isinstance(match, Match) else "")


def _money(desk: Desk, body: CardBody) -> None:
    """What each field of numbers is taken for, which decides how it is summed up and which of them a report begins with."""
    made = {FieldRef(each.table, each.name) for each in desk.basket.calculated}
    found: list[tuple[FieldRef, Column, Nature]] = [
        (FieldRef(key, name), column, nature_of(column))
        for key, table in desk.source.tables.items()
        if can_be_mended(table)
        for name, column in table.columns.items()
        if column.type.is_number and FieldRef(key, name) not in made
    ]
    if not found:
        return
    amounts = [ref.field for ref, _, nature in found if nature is Nature.AMOUNT]
    body.section(
        "What counts as money",
        ", ".join(amounts[:2]) + (" …" if len(amounts) > 2 else "") or "nothing",
    )
    order = list(Nature)
    for ref, column, nature in sorted(found, key=lambda each: order.index(each[2]))[:MOST]:
        choices = [(each, each.value) for each in natures_for(column)]
        body.choice(
            ref.field, choices, nature, partial(_take, desk, ref), f"{ref.field} of {desk.source.called(ref.table)}"
        )
    if len(found) > MOST:
        body.text(f"{len(found) - MOST:,} more have it on their own cards.", "quiet")


def _take(desk: Desk, ref: FieldRef, nature: Nature) -> None:
    desk.do(edits.AddMends(ref.table, (TakeFor(ref.field, nature),)))


def _as_of(desk: Desk, date: FieldRef | None) -> str:
    if desk.basket.as_of != "latest":
        return desk.basket.as_of
    table = desk.tables.get(date.table) if date is not None else None
    profile = desk.profiles.get((table.serial, date.field)) if table is not None and date is not None else None
    if profile is None or profile.largest is None:
        return "the latest date"
    day = datetime.date.fromisoformat(profile.largest[:10])
    return f"{day_text((day - EPOCH).days, desk.basket.locale)}, the latest"
