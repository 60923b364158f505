"""The parts of an axis field's card about depth: folding members up, and drilling into one."""

from __future__ import annotations

from collections import Counter

from foldbasket.baskets import edits
from foldbasket.baskets.placing import fields_for, next_parts
from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.sentence.phrases import field_phrase
from foldbasket.spec.cut import Bands, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed
from foldbasket.tables.nature import Nature, nature_of

COARSE = ("year", "quarter", "month")
"""The parts by which other dates are offered."""


def fold_section(body: CardBody, desk: Desk, placed: Placed, said: str) -> None:
    """Adds the section that folds members up to one line each; for fields with others inside."""
    fold = desk.fold
    assert fold is not None
    body.section("Fold up")
    body.chips(
        (
            (False, "all open", "Every member shows the lines inside it."),
            (True, "all folded up", "Every member is one line, its total."),
        ),
        placed.closed if not placed.turned else None,
        lambda closed: desk.do(edits.FoldLevel(fold.key, placed.id, closed, said)),
        "Fold up",
    )
    if placed.turned:
        many = len(placed.turned)
        way = "open" if placed.closed else "folded up"
        body.text(f"{many} of them {'is' if many == 1 else 'are'} {way}.", "quiet")
    body.text("In the report, – folds the group at the mark up, + opens it.", "quiet")


def drill_section(body: CardBody, desk: Desk, placed: Placed) -> None:
    """Adds the section that opens one member into another field, and goes back."""
    fold = desk.fold
    column = desk.column(placed.field)
    if fold is None or column is None or isinstance(placed.cut, Bands | Groups):
        return
    fields = into_fields(desk, placed)
    members = members_of(desk, placed.field, placed.part)
    opened = " › ".join(drill.heading or drill.field.field for drill in placed.drilled)
    body.section("Drill", f"from {opened}" if opened else "not at all")
    if placed.drilled:
        was = placed.drilled[-1]
        body.link(f"Back to {was.heading or field_phrase(was.field.field, was.part)}", lambda: desk.do(edits.DrillBack(fold.key, placed.id)))  # fmt: skip
    if not fields or not members:
        return
    # What is chosen outlives the card, which is built anew when something else on the desk changes.
    chosen = desk.members.chosen.setdefault(placed.id, {})
    for name, choices in (("member", members), ("into", fields)):
        if chosen.get(name) not in [value for value, _ in choices]:
            chosen[name] = choices[0][0]
    body.choice("Open", members, chosen["member"], lambda key: chosen.update(member=key))
    body.choice("Into", fields, chosen["into"], lambda into: chosen.update(into=into))

    def go() -> None:
        ref, part = chosen["into"]
        desk.do(edits.DrillInto(fold.key, placed.id, chosen["member"], ref, part))

    body.link("Drill into it", go)


def into_fields(desk: Desk, placed: Placed) -> list[tuple[tuple[FieldRef, str | None], str]]:
    """What a member can be opened into: finer parts of its date, other dates by their parts, then the fields that name things, of all
    tables that links reach; none that stands on the same axis."""
    fold, column = desk.fold, desk.column(placed.field)
    if fold is None or column is None:
        return []
    strand = edits.strand_of(fold, placed.id)
    there = {(each.field, each.part) for each in getattr(fold, strand)}
    finer: list[tuple[FieldRef, str | None]] = []
    if column.type.is_time:
        finer = [(placed.field, part) for part in next_parts(placed.part)]
    reached = [(ref, other) for ref, other, fits in fields_for(desk.source, fold, strand) if fits]
    dates = [(ref, part) for ref, other in reached if other.type.is_time and ref != placed.field for part in COARSE]
    names = [(ref, other) for ref, other in reached if not other.type.is_number and not other.type.is_time]
    names.sort(key=lambda each: (each[0].table != placed.field.table, nature_of(each[1]) is Nature.IDENTIFIER))
    offered = [
        each for each in dict.fromkeys([*finer, *dates, *((ref, None) for ref, _ in names)]) if each not in there
    ]
    often = Counter(field_phrase(ref.field, part) for ref, part in offered)

    def said(ref: FieldRef, part: str | None) -> str:
        phrase = field_phrase(ref.field, part)
        return phrase if often[phrase] == 1 else f"{phrase} · {desk.basket.source_name(ref.table)}"

    return [(each, said(*each)) for each in offered]
