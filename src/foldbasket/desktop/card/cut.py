"""The parts of an axis field's card that make members of its values: parts of dates, bands, groups, and those without records."""

from __future__ import annotations

from functools import partial

import msgspec

from foldbasket.baskets import edits
from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.spec.cut import Bands, Group, Groups
from foldbasket.spec.fold import Placed
from foldbasket.styling.dates import month_name
from foldbasket.tables.column import Column
from foldbasket.tables.types import FieldType


def cut_section(body: CardBody, desk: Desk, placed: Placed, column: Column) -> None:
    """Adds what fits the type of the field."""
    if column.type.is_time:
        _date(body, desk, placed, column)
    elif column.type.is_number:
        _bands(body, desk, placed)
    else:
        _groups(body, desk, placed)
    body.choice(
        "Without records",
        ((False, "not shown"), (True, "shown")),
        placed.empty,
        lambda value: desk.words.change(placed.id, f"Members of {placed.field.field} without records", empty=value),
        "Gaps in the calendar, and members of a linked table that no record has.",
    )


def _date(body: CardBody, desk: Desk, placed: Placed, column: Column) -> None:
    body.section("Part of the date")
    fitting = [part for part in PARTS.values() if not part.by_time or column.type is FieldType.TIMESTAMP]
    body.chips(
        [(part.name, part.label, "has a place in time" if part.is_period else "repeats") for part in fitting],
        placed.part,
        lambda name: desk.words.change(placed.id, f"{PARTS[name].label} of {placed.field.field}", part=name),
        "Part",
    )
    if placed.part is None or not placed.part.startswith("fiscal"):
        return
    fiscal = desk.basket.fiscal

    def change(**changes: object) -> None:
        desk.do(edits.ChangeBasket({"fiscal": msgspec.structs.replace(fiscal, **changes)}, "Change the fiscal year"))

    months = [(month, month_name(month, desk.basket.locale)) for month in range(1, 13)]
    body.choice("It starts in", months, fiscal.month, lambda month: change(month=month))
    body.choice(
        "It is named by", (("end", "the year it ends in"), ("start", "the year it starts in")), fiscal.named,
        lambda named: change(named=named),
    )  # fmt: skip
    body.text("The whole basket goes by this fiscal year.", "quiet")


def _bands(body: CardBody, desk: Desk, placed: Placed) -> None:
    body.section("Bands")
    now, name = placed.bands, placed.field.field

    def set_to(bands: Bands | None) -> None:
        desk.words.change(
            placed.id, f"{name} {bands.said}" if bands is not None else f"{name} by each value", bands=bands
        )

    def become(kind: type[Bands] | None) -> None:
        set_to(kind() if kind is not None else None)

    offered = [(kind, kind.label, kind.meaning) for kind in Bands.kinds]
    body.chips([(None, "each value", "A line for every different number."), *offered], type(now) if now else None, become, "Bands")  # fmt: skip
    if now is not None:
        assert desk.fold is not None
        draw_parameters(body, desk, desk.fold, now, set_to)


def _groups(body: CardBody, desk: Desk, placed: Placed) -> None:
    body.section("Groups")
    now = placed.groups or Groups(())
    labels = dict(members_of(desk, placed.field, None))
    keys = {label.casefold(): key for key, label in labels.items()}

    def set_to(groups: Groups) -> None:
        done = f"Group members of {placed.field.field}"
        desk.words.change(placed.id, done, groups=groups if groups.groups else None)

    def typed(text: str, at: int | None) -> None:
        name, _, rest = text.partition(":")
        listed = [each.strip() for each in rest.split(",") if each.strip()]
        unknown = [each for each in listed if labels and each.casefold() not in keys]
        if unknown:
            desk.sources.complain(f"“{unknown[0]}” is not a member of {placed.field.field}.", "Write a group like Coast: Eastfen, Saltby.")  # fmt: skip
            return
        if text.strip() and not (name.strip() and listed):
            desk.sources.complain("a group needs a name and members.", "Write it like Coast: Eastfen, Saltby.")
            return
        made = Group(name.strip(), tuple(keys.get(each.casefold(), each) for each in listed))
        groups = list(now.groups)
        if at is not None:
            groups[at : at + 1] = [made] if text.strip() else []
        elif text.strip():
            groups.append(made)
        set_to(msgspec.structs.replace(now, groups=tuple(groups)))

    for at, group in enumerate(now.groups):
        shown = ", ".join(labels.get(key, key) for key in group.members)
        body.wide_entry(f"Group {at + 1}", f"{group.name}: {shown}", "clear it to take the group out", partial(typed, at=at))  # fmt: skip
    body.wide_entry("New group", "", "name: member, member", lambda text: typed(text, None))
    if now.groups:
        body.choice(
            "The others", ((None, "stay as they are"), ("Others", "are gathered")), "Others" if now.rest else None,
            lambda rest: set_to(msgspec.structs.replace(now, rest=rest)),
        )  # fmt: skip
    if now.rest:
        body.entry("Under the name", now.rest, "Others", lambda text: set_to(msgspec.structs.replace(now, rest=text.strip() or "Others")))  # fmt: skip
