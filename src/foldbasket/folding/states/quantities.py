"""What an aggregate runs over: a field as it is, or a number for each record made of two fields of one table.

A weighted average adds up value × weight; first and last take the record that comes first by another field. Such numbers are
columns like any other to the cube, so they are grouped, merged and counted once per coarser record by the same code.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import KW_ONLY, dataclass
from functools import partial
from typing import Literal

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import CodedColumn, Column, NumberColumn, blank_mask
from foldbasket.tables.types import FieldType

Kind = Literal["plain", "times", "where", "rank"]


class Quantity(msgspec.Struct, frozen=True, order=True):
    """A number for each record of a table.

    `plain`: the field itself. `times`: the field multiplied by `other`, where both are present. `where`: the field, where
    `other` is present. `rank`: the record's place by `other` (ties in the order of the source), where the field is present.
    """

    field: FieldRef
    kind: Kind = "plain"
    other: FieldRef | None = None

    @property
    def table(self) -> str:
        return self.field.table


def column_of(source: Source, quantity: Quantity) -> Column:
    """The column of a quantity, on its own table's records. Raises FoldError when its two fields lie on different tables."""
    column = source.column(quantity.field)
    if quantity.kind == "plain":
        return column
    assert quantity.other is not None
    if quantity.other.table != quantity.field.table:
        raise FoldError(
            f"“{quantity.field.field}” is a field of {source.called(quantity.field.table)}, “{quantity.other.field}” of {source.called(quantity.other.table)}.",
            todo="Take two fields of one table.",
        )
    other = source.column(quantity.other)
    known = ~blank_mask(column) & ~blank_mask(other)
    if quantity.kind == "rank":
        places = _places(other)
        places[~known] = 0
        return NumberColumn(column.name, FieldType.WHOLE, places, known)
    one, two = _number(column), _number(other)
    valid = None if known.all() else known
    if quantity.kind == "where":
        values = one.values.copy()
        values[~known] = 0
        return NumberColumn(one.name, one.type, values, valid, one.scale)
    return _product(one, two, known, valid)


def _number(column: Column) -> NumberColumn:
    if not isinstance(column, NumberColumn) or not column.type.is_number:
        raise FoldError(f"“{column.name}” is {column.type.value}, not a number.", todo="Take a field of numbers.")
    return column


@dataclass(frozen=True, eq=False)
class ProductColumn(NumberColumn):
    """Exact products of two columns of whole units that 64 bits may not hold: `values` are those of the one, `other` those of the other factor, both 0
    where there is no product."""

    _: KW_ONLY
    other: npt.NDArray[np.int64]

    @property
    def limbs(self) -> Sequence[Callable[[int, int], npt.NDArray[np.int64]]]:
        """Functions that return, for the records from a start to a stop, four int64 numbers x0 to x3 with product = Σ xn · 2^(32n). All but the last are
        from 0 to 2^32 − 1, so their sums over 2^31 records fit 64 bits."""
        return [partial(self._limb, at) for at in range(4)]

    def products(self, at: npt.NDArray[np.integer]) -> npt.NDArray[np.object_]:
        """The products of some records, by their numbers, as Python's whole numbers."""
        made: npt.NDArray[np.object_] = self.values[at].astype(object) * self.other[at].astype(object)
        return made

    def _limb(self, at: int, start: int, stop: int) -> npt.NDArray[np.int64]:
        """One limb of each product: the schoolbook multiplication of two numbers of two digits to the base 2^32, their upper digits signed."""
        one: npt.NDArray[np.int64] = self.values[start:stop].astype(np.int64, copy=False)
        two = self.other[start:stop]
        one_low, two_low = (one & LIMB).astype(np.uint64), (two & LIMB).astype(np.uint64)
        lowest = one_low * two_low
        if at == 0:
            return (lowest & np.uint64(LIMB)).astype(np.int64)
        one_high, two_high = one >> 32, two >> 32
        middle = one_high * two_low.astype(np.int64) + (lowest >> np.uint64(32)).astype(np.int64)
        rest = one_low.astype(np.int64) * two_high + (middle & LIMB)
        if at == 1:
            return rest & LIMB
        high = one_high * two_high + (middle >> 32) + (rest >> 32)
        return high & LIMB if at == 2 else high >> 32


LIMB = (1 << 32) - 1


def product_type(one: Column, two: Column) -> tuple[FieldType, int]:
    """The type and the fraction digits of the products of two columns of numbers: exact where both are. It is never shown, so its digits may be more than
    a field can have."""
    if FieldType.REAL in (one.type, two.type):
        return FieldType.REAL, 0
    scale = one.scale + two.scale
    return (FieldType.DECIMAL if scale else FieldType.WHOLE), scale


def _product(
    one: NumberColumn, two: NumberColumn, known: npt.NDArray[np.bool_], valid: npt.NDArray[np.bool_] | None
) -> NumberColumn:
    """The product of each record; 0 where either is blank."""
    kind, scale = product_type(one, two)
    if kind is FieldType.REAL:
        reals = (one.values / 10.0**one.scale) * (two.values / 10.0**two.scale)
        return NumberColumn(one.name, kind, np.where(known, reals, 0.0), valid)
    if one.largest_magnitude * two.largest_magnitude < 1 << 63:
        return NumberColumn(one.name, kind, np.where(known, one.values * two.values, 0), valid, scale)
    factors = (np.where(known, each.values, 0) for each in (one, two))
    return ProductColumn(one.name, kind, next(factors), valid, scale, other=next(factors))


def _places(order: Column) -> npt.NDArray[np.int64]:
    """Each record's place when records are sorted by a field, ties as they stand in the source."""
    if isinstance(order, CodedColumn):
        values: npt.NDArray = np.append(order.dictionary.binary_ranks, np.iinfo(np.int64).max)[order.codes]
    else:
        values = order.values
    at = np.argsort(values, kind="stable")
    places = np.empty(len(at), np.int64)
    places[at] = np.arange(len(at))
    return places


def record_at(source: Source, order: FieldRef) -> npt.NDArray[np.int64]:
    """The record at each place by a field: the inverse of the ranks of a `rank` quantity."""
    places = _places(source.column(order))
    records = np.empty(len(places), np.int64)
    records[places] = np.arange(len(places))
    return records
