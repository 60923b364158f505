"""What an aggregate runs over: a field as it is, or a number for each record made of two fields of one table.

A weighted average adds up value × weight; first and last take the record that comes first by another field. Such numbers are
columns like any other to the cube, so they are grouped, merged and counted once per coarser record by the same code.
"""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import CodedColumn, Column, NumberColumn, blank_mask
from foldbasket.tables.types import MAX_SCALE, FieldType

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


def _product(
    one: NumberColumn, two: NumberColumn, known: npt.NDArray[np.bool_], valid: npt.NDArray[np.bool_] | None
) -> NumberColumn:
    """Exact where scales add up to at most six digits and every product fits 64 bits; real otherwise."""
    scale = one.scale + two.scale
    exact = FieldType.REAL not in (one.type, two.type) and scale <= MAX_SCALE
    if exact and one.largest_magnitude * two.largest_magnitude < 1 << 63:
        kind = FieldType.DECIMAL if scale else FieldType.WHOLE
        return NumberColumn(one.name, kind, np.where(known, one.values * two.values, 0), valid, scale)
    reals = (one.values / 10.0**one.scale) * (two.values / 10.0**two.scale)
    return NumberColumn(one.name, FieldType.REAL, np.where(known, reals, 0.0), valid)


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
