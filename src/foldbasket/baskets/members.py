"""What hands on the members of a placed field make of it: an order by hand, and groups of them. Members are named by their keys."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import msgspec

from foldbasket.errors import BasketError
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.fold import Placed

replace = msgspec.structs.replace


def put_between(
    first: Sequence[str], shown: Sequence[str], moved: Collection[str], at: int, *, whole: bool = False
) -> tuple[str, ...]:
    """Which members stand first by hand once some of those `shown` side by side are put before the one at a place (their number: behind all).

    Only as many are fixed as it takes, all of them with `whole`; what follows them keeps the order that it had. Members fixed elsewhere
    stay so.
    """
    others = [key for key in shown if key not in moved]
    before = sum(key not in moved for key in shown[:at])
    order = [*others[:before], *(key for key in shown if key in moved), *others[before:]]
    if order == list(shown):
        return tuple(first)
    fixed, there = {*first, *moved}, set(order)
    last = len(order) if whole else max(place for place, key in enumerate(order) if key in fixed)
    return (*order[: last + 1], *(key for key in first if key not in there))


def grouped(placed: Placed, chosen: Sequence[str], name: str) -> Groups:
    """The groups of a field with some of what it shows put together under a name; a group among them gives its members. Raises BasketError."""
    name = name.strip()
    if not name:
        raise BasketError("a group needs a name.", todo="Write one.")
    now = placed.groups or Groups((), part=placed.part)
    named = {group.name: group for group in now.groups}
    if name in named and name not in chosen:
        chosen = (*chosen, name)  # to name a group that is there is to put them into it
    if now.rest is not None and now.rest in chosen and now.rest not in named:
        raise BasketError(
            f"“{now.rest}” is what is in no group.", todo="Choose members, or let the others stand as they are."
        )
    members: list[str] = []
    for each in chosen:
        members.extend(named[each].members if each in named else (each,))
    kept = [group for group in now.groups if group.name not in chosen]
    return replace(now, groups=(*kept, Group(name, tuple(dict.fromkeys(members)))))


def taken_apart(placed: Placed, names: Collection[str]) -> Groups | None:
    """The groups of a field without some of them; None where none is left."""
    if placed.groups is None:
        return None
    kept = tuple(group for group in placed.groups.groups if group.name not in names)
    return replace(placed.groups, groups=kept) if kept else None
