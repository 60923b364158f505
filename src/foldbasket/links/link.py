"""One many-to-one link: which record of the table at its far end each record finds.

A blank key finds nothing. Keys that repeat on the one side are refused, since a record would then count twice.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import LinkError
from foldbasket.tables.column import CodedColumn, blank_mask
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


class Link(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"from_table": "from", "to_table": "to"}):
    """Each record of `from_table` finds at most one of `to_table`, by equal values in every pair of `keys`. Tables are named by the
    keys of their sources."""

    from_table: str
    to_table: str
    keys: tuple[tuple[str, str], ...]

    def said(self, called: Callable[[str], str]) -> str:
        """It in words; `called` says what a table is called by its key: “Order lines to Orders by Order no.”."""
        keys = " and ".join(one if one == other else f"{one} = {other}" for one, other in self.keys)
        return f"{called(self.from_table)} to {called(self.to_table)} by {keys}"


def find_partners(link: Link, near: Table, far: Table) -> npt.NDArray[np.int32]:
    """For each record of `near` the record number in `far`, or -1; shape (records of near,).

    Raises LinkError when a key repeats in `far` or the two fields of a pair hold different types of value.
    """
    keys = _keys(link, near, far)
    order = np.flatnonzero(keys.far_known)[np.argsort(keys.far[keys.far_known], kind="stable")]
    ordered = keys.far[order]
    repeats = np.flatnonzero(ordered[1:] == ordered[:-1])
    if len(repeats):
        shown = _shown(link, far, int(order[repeats[0]]))
        raise LinkError(
            f"{len(np.unique(ordered[repeats])):,} keys stand on more than one record of “{far.name}” (first: {shown}).",
            where=_where(near, far),
            todo="Choose another key, keep one record for each, or turn the link round.",
        )
    found = np.full(near.count, -1, np.int32)
    if len(ordered):
        at = np.minimum(np.searchsorted(ordered, keys.near), len(ordered) - 1)
        hit = keys.near_known & (ordered[at] == keys.near)
        found[hit] = order[at[hit]]
    return found


def where_of(link: Link, called: Callable[[str], str]) -> str:
    """Names a link in a message; `called` gives the name of a table that a link refers to."""
    return f"Link from “{called(link.from_table)}” to “{called(link.to_table)}”"


def _where(near: Table, far: Table) -> str:
    return f"Link from “{near.name}” to “{far.name}”"


class Match(msgspec.Struct, frozen=True):
    """How a link fits: records of the near table that find a partner, that have a key but find none, and that have no key;
    keys that stand on several records of the far table, with how often (the first few); records of the far table unused."""

    matched: int
    not_found: int
    blank: int
    repeats: int
    repeated: tuple[tuple[str, int], ...]
    unused: int

    @property
    def label(self) -> str:
        """In a few words, as the map says it."""
        if self.repeats:
            return f"{self.repeats:,} key{'s' if self.repeats != 1 else ''} repeated"
        if not self.not_found:
            return "all found"
        return f"{self.not_found:,} not found"


def match_of(link: Link, near: Table, far: Table, most: int = 20, many: npt.NDArray[np.int64] | None = None) -> Match:
    """How a link fits, keys repeated on the one side included; `many` says for how many records each of the near table stands, None for itself alone.
    Raises LinkError when the types of a pair do not go together."""
    return match_of_parts(link, [(near, many)], far, most)


def match_of_parts(
    link: Link, parts: Iterable[tuple[Table, npt.NDArray[np.int64] | None]], far: Table, most: int = 20
) -> Match:
    """The same of a near table that comes part by part, at least one, each with how many records each of its own stands for."""
    matched = keyed = every = 0
    used: npt.NDArray[np.bool_] | None = None
    for near, several in parts:
        many = np.ones(near.count, np.int64) if several is None else several
        keys = _keys(link, near, far)
        # The different keys stand in one order whatever the part, so that those of one are those of the next.
        different, first, counts = np.unique(keys.far[keys.far_known], return_index=True, return_counts=True)
        hit = keys.near_known & np.isin(keys.near, different)
        has_key = np.ones(near.count, np.bool_)
        for name, _ in link.keys:
            has_key &= ~blank_mask(near.column(name))
        own = np.isin(different, keys.near[hit])
        used = own if used is None else used | own
        matched, keyed, every = matched + int(many[hit].sum()), keyed + int(many[has_key].sum()), every + int(many.sum())  # fmt: skip
    assert used is not None
    again = np.flatnonzero(counts > 1)
    records = np.flatnonzero(keys.far_known)[first[again[:most]]]
    listed = tuple(
        (_shown(link, far, int(record), bare=True), int(counts[at]))
        for record, at in zip(records, again[:most], strict=True)
    )
    return Match(
        matched,
        keyed - matched,
        every - keyed,
        len(again),
        listed,
        far.count - int(counts[used].sum()),
    )


class _Keys(msgspec.Struct, frozen=True):
    """One number for each record's key in both tables, alike where the keys are; and which records have a whole key (near:
    one whose every part occurs in the far table)."""

    near: npt.NDArray[np.int64]
    far: npt.NDArray[np.int64]
    near_known: npt.NDArray[np.bool_]
    far_known: npt.NDArray[np.bool_]


def _keys(link: Link, near: Table, far: Table) -> _Keys:
    where = _where(near, far)
    if not link.keys:
        raise LinkError("it names no key fields.", where=where, todo="Give at least one pair of fields.")
    near_keys = np.zeros(near.count, np.int64)
    far_keys = np.zeros(far.count, np.int64)
    near_known = np.ones(near.count, np.bool_)
    far_known = np.ones(far.count, np.bool_)
    for near_name, far_name in link.keys:
        one, other = near.column(near_name).coded(), far.column(far_name).coded()
        members = len(other.dictionary)
        if len(far_keys) and int(far_keys.max()) > (1 << 62) // (members + 1):
            _, inverse = np.unique(np.concatenate([near_keys, far_keys]), return_inverse=True)
            near_keys, far_keys = inverse[: near.count], inverse[near.count :]
        matched = _matched_codes(one, other, where)[one.codes]
        near_known &= matched >= 0
        far_known &= other.codes < members
        near_keys = near_keys * (members + 1) + matched
        far_keys = far_keys * (members + 1) + other.codes
    return _Keys(near_keys, far_keys, near_known, far_known)


def _shown(link: Link, far: Table, record: int, bare: bool = False) -> str:
    parts = [(name, far.column(name).text(record)) for _, name in link.keys]
    return ", ".join(str(text) if bare else f"{name} = {text}" for name, text in parts)


def _matched_codes(one: CodedColumn, other: CodedColumn, where: str) -> npt.NDArray[np.int64]:
    """For each code of `one` (blank last) the code in `other` of the same value, or -1."""
    a, b = one.dictionary, other.dictionary
    alike = a.type is b.type or (a.type.is_number and b.type.is_number)
    if not alike:
        raise LinkError(
            f"“{one.name}” is {a.type.value}, “{other.name}” is {b.type.value}: their values cannot be equal.",
            where=where,
            todo="Read both fields as the same type.",
        )
    if a.type is FieldType.TEXT:
        matched = (
            pc.fill_null(pc.index_in(a.values, value_set=b.values), -1).to_numpy() if len(b) else np.full(len(a), -1)
        )
    else:
        left, right = _comparable(a.values, a.scale, b.scale), _comparable(b.values, b.scale, a.scale)
        matched = np.full(len(left), -1, np.int64)
        if len(right):
            order = np.argsort(right, kind="stable")
            at = np.minimum(np.searchsorted(right[order], left), len(right) - 1)
            hit = right[order][at] == left
            matched[hit] = order[at[hit]]
    return np.append(np.asarray(matched, np.int64), -1)


def _comparable(values: npt.NDArray | pa.Array, scale: int, other_scale: int) -> npt.NDArray:
    raised = max(0, other_scale - scale)
    return np.asarray(values) * 10**raised if raised else np.asarray(values)
