"""The section of the page's card that has the records of a report listed: which of their fields, and in which order."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtWidgets import QWidget

from foldbasket.desktop.card.handlist import HandList
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.listing import usual_fields
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import Listing

replace = msgspec.structs.replace


def listing_section(desk: Desk, body: CardBody, fold: Fold, change: Callable[..., None]) -> None:
    """What stands on the pages: the cells, or the records of each group with their fields in order."""
    listing, base = fold.page.listing, desk.report.base if desk.report is not None else None
    if base is None or base not in desk.source.tables:
        return
    # Said by name from the start, so that they can be changed one by one.
    usual = usual_fields(desk.source, base, fold)
    fields = listing.fields or usual if listing is not None else ()

    def put(done: str, listing: Listing | None) -> None:
        change(done, listing=listing)

    body.section("Records", f"{len(fields)} fields of each" if listing is not None else "not listed")
    body.chips(
        [(False, "the cells", "The report as it is shown."), (True, "the records", "One by one, under their groups.")],
        listing is not None,
        lambda wanted: put("List the records", Listing(usual)) if wanted else put("Show the cells", None),
        "On the pages",
    )
    if listing is None:
        return

    _fields(desk, body, base, listing, fields, put)
    body.choice(
        "In order of",
        [(None, "the source"), *((ref, ref.field) for ref in fields)],
        listing.by,
        lambda ref: put("Order the records", replace(listing, by=ref)),
    )
    body.chips(
        [(False, "rising", ""), (True, "falling", "")],
        listing.descending,
        lambda turned: put("Turn the order of the records", replace(listing, descending=turned)),
        "Order of records",
    )


def _fields(
    desk: Desk,
    body: CardBody,
    base: str,
    listing: Listing,
    fields: tuple[FieldRef, ...],
    put: Callable[[str, Listing | None], None],
) -> None:
    """The fields that are listed, to be put in order, taken out and added to."""

    def chosen(done: str, fields: tuple[FieldRef, ...]) -> None:
        by = listing.by if listing.by in fields else None
        put(done, replace(listing, fields=fields, by=by))

    def moved(at: int, to: int) -> None:
        rest = list(fields)
        rest.insert(to, rest.pop(at))
        chosen("Order the fields of the records", tuple(rest))

    def gone(at: int) -> None:
        if len(fields) > 1:
            chosen(f"Leave out {fields[at].field}", (*fields[:at], *fields[at + 1 :]))

    def hand(parent: QWidget) -> QWidget:
        listed = HandList([ref.field for ref in fields], "Fields of the records", parent)
        listed.moved.connect(moved)
        listed.gone.connect(gone)
        return listed

    body.widget(hand)
    more = [ref for ref in _reached(desk, base) if ref not in fields]
    body.choice(
        "Add",
        [(None, "a field…"), *((ref, desk.source.called(ref.table) + " · " + ref.field) for ref in more)],
        None,
        lambda ref: chosen(f"List {ref.field}", (*fields, ref)) if ref is not None else None,
    )
    body.choice(
        "Leave out",
        [(None, "a field…"), *((at, ref.field) for at, ref in enumerate(fields))],
        None,
        lambda at: gone(at) if at is not None else None,
    )


def _reached(desk: Desk, base: str) -> list[FieldRef]:
    return [FieldRef(key, name) for key in desk.source.reachable(base) for name in desk.source.tables[key].columns]
