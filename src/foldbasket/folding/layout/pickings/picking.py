"""What pickings are made of: numbers as they are typed, values compared with one exactly, and the first so many of each parent in an order.

Members can be millions, so all of it works on arrays of the values as they are held: whole units of 10^-scale, or reals.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal, InvalidOperation

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.tables.types import shifted

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


def check_numbers(values: Block) -> None:
    """Raises FoldError where the values are no numbers."""
    if not values.type.is_number:
        raise FoldError(f"members cannot be picked by {values.type.value}.", todo="Choose a measure of numbers.")


def nearest(values: Block, wanted: Decimal) -> tuple[int | float, int | float, bool]:
    """The values that can be held next to a number, below and above it, both the same where the number itself can be; and whether it can."""
    if values.data.dtype.kind == "f":
        below = above = float(wanted)
        if Decimal(below) > wanted:
            below = float(np.nextafter(below, -np.inf))
        elif Decimal(above) < wanted:
            above = float(np.nextafter(above, np.inf))
        return below, above, below == above
    units = shifted(wanted, values.scale)
    low, high = (int(units.to_integral_value(way)) for way in (ROUND_FLOOR, ROUND_CEILING))
    return low, high, low == high


def in_order(values: Block, parents: Ints, *, smallest: bool = False) -> Ints:
    """The nodes that have a value, those of each parent together, the largest or the smallest first; equal ones as they stand."""
    check_numbers(values)
    known = np.flatnonzero(~values.blank)
    data = values.data[known]
    # Both turn the order of values around, and neither can pass the bounds of its type.
    keys = data if smallest else -data if data.dtype.kind in "fO" else ~data
    found = known[np.argsort(keys, kind="stable")]
    return found[np.argsort(parents[found], kind="stable")]


def starts_of(parents: Ints) -> Ints:
    """Where each run of one parent begins."""
    return np.flatnonzero(np.append(True, parents[1:] != parents[:-1])) if len(parents) else np.zeros(0, np.int64)


def first_of_each(values: Block, parents: Ints, many: Callable[[int], int], *, smallest: bool = False) -> Mask:
    """The first nodes of each parent with the largest values, or the smallest: as many as `many` says of how many there are. Those equal to the
    last one stay as well. Blank ones are never shown."""
    order = in_order(values, parents, smallest=smallest)
    shown = np.zeros(len(values.data), np.bool_)
    starts = starts_of(parents[order])
    if not len(starts):
        return shown
    sizes = np.diff(np.append(starts, len(order)))
    different, which = np.unique(sizes, return_inverse=True)
    wanted = np.minimum(np.array([min(many(int(size)), int(size)) for size in different])[which], sizes)
    place = np.arange(len(order)) - np.repeat(starts, sizes)
    sorted_values = values.data[order]
    last = np.repeat(sorted_values[starts + np.maximum(wanted, 1) - 1], sizes)
    most = np.repeat(wanted, sizes)
    shown[order] = (place < most) | ((most > 0) & (sorted_values == last))
    return shown
