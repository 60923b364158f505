"""First and last of a table that is not held: of every cell of a part the record that comes first or last, by what it is compared by and with its value.

Within a part such a record is known by its place among all of the part. Parts are put together by comparing what wins in each, which is never more than a few records
a cell; of two alike the one of the earlier part comes first, as it stands in the source.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.states.aggregates.aggregate import State
from foldbasket.folding.states.quantities import Quantity, record_at
from foldbasket.links.source import Source
from foldbasket.tables.column import CodedColumn, Column, picked
from foldbasket.tables.distinct import comparable, distinct
from foldbasket.tables.stacking import stacked_columns

Ints = npt.NDArray[np.int64]
States = dict[tuple[Quantity, State], npt.NDArray]
"""The states of a cube, by the quantity and the state."""


class Winners(msgspec.Struct, frozen=True, eq=False):
    """Records in their order: what each is compared by, and its value; states number them from 0."""

    keys: npt.NDArray
    values: Column

    def __len__(self) -> int:
        return len(self.keys)


def taken(held: States, quantity: Quantity, source: Source) -> Winners:
    """The records that win in the cells of a part, by which the states of a quantity are numbered from now on."""
    assert quantity.other is not None
    states, known, used = _used(held, quantity)
    records = record_at(source, quantity.other)[used]
    for state in states:
        numbers = np.searchsorted(used, held[quantity, state])
        held[quantity, state] = np.where(known, numbers, state.neutral(np.dtype(np.int64)))
    return Winners(_keys(source.column(quantity.other), records), picked(source.column(quantity.field), records))


def _used(held: States, quantity: Quantity) -> tuple[list[State], npt.NDArray[np.bool_], Ints]:
    """The states of a quantity that number records, the cells that have any, and the numbers in use, ascending."""
    states: list[State] = [state for each, state in held if each == quantity and state is not State.VALUES]
    known = held[quantity, State.VALUES] > 0
    used: Ints = distinct(np.concatenate([held[quantity, state][known] for state in states]))
    return states, known, used


def _keys(order: Column, records: Ints) -> npt.NDArray:
    """What records are compared by: numbers, or texts by their signs."""
    if not isinstance(order, CodedColumn):
        return order.values[records]
    dictionary = order.dictionary
    codes = order.codes[records].tolist()
    found = np.empty(len(codes), object)
    found[:] = [dictionary.raw(code) for code in codes]
    return found


def together(one: Winners, two: Winners) -> tuple[Winners, Ints, Ints]:
    """The winners of two parts in one order, and for the number of each of both its new one."""
    keys = np.concatenate([one.keys, two.keys])
    order = np.argsort(comparable(keys), kind="stable")
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    values = stacked_columns(one.values.name, [one.values, two.values], [None, None]).column
    return Winners(keys[order], picked(values, order)), place[: len(one)], place[len(one) :]


def renumbered(held: npt.NDArray, place: Ints) -> npt.NDArray:
    """States by new numbers; what numbers none stays."""
    is_number = (held >= 0) & (held < len(place))
    return np.where(is_number, place[np.where(is_number, held, 0)] if len(place) else held, held)


def kept(held: States, quantity: Quantity, winners: Winners) -> Winners:
    """Those who still win in a cell, by which the states are numbered from now on."""
    states, known, used = _used(held, quantity)
    if len(used) == len(winners):
        return winners
    place = np.zeros(len(winners), np.int64)
    place[used] = np.arange(len(used))
    for state in states:
        held[quantity, state] = np.where(known, renumbered(held[quantity, state], place), held[quantity, state])
    return Winners(winners.keys[used], picked(winners.values, used))
