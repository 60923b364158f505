"""What pickings are made of: numbers as they are typed, exact values, and the first so many of each parent in an order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal, InvalidOperation
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.states.aggregates.aggregate import Block

Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]


def number_of(text: str, least: int | None = None) -> Decimal:
    """A number as it was typed. Raises FoldError for what is none, or is less than `least`."""
    try:
        wanted = Decimal(text.replace(",", ".").strip())
        if not wanted.is_finite():
            raise InvalidOperation
    except InvalidOperation:
        raise FoldError(f"“{text}” is not a number.", todo="Type one such as 10.") from None
    if least is not None and wanted < least:
        raise FoldError(f"{text} members cannot be shown.", todo="Type a number above 0.")
    return wanted


def exact_values(values: Block) -> list[Decimal | None]:
    """The value of each node, exact; None for a blank one. Raises FoldError where they are no numbers."""
    if not values.type.is_number:
        raise FoldError(f"members cannot be picked by {values.type.value}.", todo="Choose a measure of numbers.")
    return [
        None
        if blank
        else Decimal(float(raw))
        if values.data.dtype.kind == "f"
        else Decimal(int(raw)).scaleb(-values.scale)
        for raw, blank in zip(values.data, values.blank, strict=True)
    ]


def first_of_each(
    values: Block,
    parents: Ints,
    many: Callable[[Sequence[Decimal]], int],
    *,
    smallest: bool = False,
    with_equals: bool = True,
) -> Mask:
    """The first nodes of each parent with the largest values, or the smallest: as many as `many` says of the values in that order. Those
    equal to the last one stay as well, unless only the fewest are wanted; equal ones stand by label. Blank ones are never shown."""
    exact = exact_values(values)
    shown = np.zeros(len(exact), np.bool_)
    edges = np.append(np.flatnonzero(np.append(True, parents[1:] != parents[:-1])), len(exact)) if exact else [0]
    for start, stop in pairwise(edges):
        known = {at: value for at in range(int(start), int(stop)) if (value := exact[at]) is not None}
        members = sorted(known, key=lambda at: known[at], reverse=not smallest)
        ordered = [known[at] for at in members]
        count = min(many(ordered), len(ordered))
        while with_equals and 0 < count < len(ordered) and ordered[count] == ordered[count - 1]:
            count += 1
        shown[members[:count]] = True
    return shown
