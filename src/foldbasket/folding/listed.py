"""The records behind a proof as a list: which fields, in what order, and those that hold a text."""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow.compute as pc

from foldbasket.folding.members.domain import Domain
from foldbasket.folding.proof import Proof
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import CodedColumn, Column, DeferredColumn, NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType, canonical

LISTED = 1_000
"""So many records of a proof are listed; their number is told in full."""
NO_PARTNER = "(no match)"
PIECE = 20_000
SAMPLE = 40
"""A column of the list is as wide as the longest text of so many records."""


class Listed(msgspec.Struct, frozen=True, eq=False):
    """A field as it is listed for the records of a proof: its column, and for each of the first records the number of the record there, −1 for none."""

    ref: FieldRef
    column: Column
    at: npt.NDArray[np.integer]

    def text(self, place: int) -> str:
        """What a record of the list has in the field, as canonical text; empty where it is blank."""
        record = int(self.at[place])
        if record < 0:
            return NO_PARTNER
        said = self.column.peek(record) if isinstance(self.column, DeferredColumn) else self.column.text(record)
        return said or ""

    def longest(self) -> str:
        """The longest text of the first records."""
        return max(map(self.text, range(min(SAMPLE, len(self.at)))), key=len, default="")


class Wanted(msgspec.Struct, frozen=True):
    """What is wanted of a list of records: the fields, in which order they stand, and a text that they are to hold."""

    fields: tuple[FieldRef, ...]
    by: FieldRef | None = None
    descending: bool = False
    text: str = ""


class Records(msgspec.Struct, frozen=True, eq=False):
    """The first records of a list, by field; how many there are in all; and of each field the longest text, but where all are wanted."""

    wanted: Wanted
    fields: list[Listed]
    many: int
    longest: list[str]


def usual_fields(fold: Fold, proof: Proof) -> tuple[FieldRef, ...]:
    """The fields that are listed unless others are chosen: those of the base table, then others that the fold uses."""
    source, base = proof.behind.source, proof.base
    own = [FieldRef(base, name) for name in source.table(base).columns]
    more = [ref for ref in fold.fields() if ref.table != base and source.path(base, ref.table) is not None]
    return tuple(dict.fromkeys([*own, *more]))


def all_fields(proof: Proof) -> list[FieldRef]:
    """Every field of the base table and of those that its records lead to."""
    source, base = proof.behind.source, proof.base
    reached = [key for key in source.tables if key == base or source.path(base, key) is not None]
    ordered = sorted(reached, key=lambda key: key != base)
    return [FieldRef(key, name) for key in ordered for name in source.table(key).columns]


def list_records(proof: Proof, wanted: Wanted, progress: Progress | None = None, most: int | None = LISTED) -> Records:
    """The records behind a proof as wanted, the first so many; None for all of them. Raises Cancelled."""
    at = proof.behind.at
    if wanted.text.strip():
        at = at[_holding(proof, wanted, at, progress)]
    if wanted.by is not None:
        keys, last = _keys(_listed(proof, wanted.by, at))
        order = np.argsort(-keys if wanted.descending else keys, kind="stable")
        at = at[np.concatenate([order[~last[order]], order[last[order]]])]
    fields = [_listed(proof, ref, at if most is None else at[:most]) for ref in wanted.fields]
    longest = [each.longest() for each in fields] if most is not None else []
    return Records(wanted, fields, len(at), longest)


def _listed(proof: Proof, ref: FieldRef, at: npt.NDArray[np.integer]) -> Listed:
    source = proof.behind.source
    rows = source.rows(proof.base, ref.table)
    return Listed(ref, source.column(ref), at if rows is None else rows[at])


def _keys(listed: Listed) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    """What records stand by in the order of a field, and which stand last: those that are blank there or have no partner."""
    at, column = listed.at, listed.column
    gone = at < 0
    safe = np.where(gone, 0, at)
    if not len(column):
        return np.zeros(len(at), np.int64), np.ones(len(at), np.bool_)
    if isinstance(column, NumberColumn):
        blank = gone if column.valid is None else gone | ~column.valid[safe]
        values = column.values[safe]
        return (values if values.dtype.kind == "f" else values.astype(np.int64)), blank
    coded = column.coded()
    codes = coded.codes[safe].astype(np.int64)
    ranks = Domain(coded.dictionary).ranks
    return ranks[codes], gone | (codes >= len(coded.dictionary))


def _holding(
    proof: Proof, wanted: Wanted, at: npt.NDArray[np.integer], progress: Progress | None
) -> npt.NDArray[np.bool_]:
    """Which records hold a text in any of the fields, whatever the case."""
    text, held = wanted.text.strip().casefold(), np.zeros(len(at), np.bool_)
    for number, ref in enumerate(wanted.fields):
        if progress is not None:
            progress.step("Finding", number / len(wanted.fields))
        held |= _holds(_listed(proof, ref, at), text, progress)
    return held


def _holds(listed: Listed, text: str, progress: Progress | None) -> npt.NDArray[np.bool_]:
    at, column = listed.at, listed.column
    there = at >= 0
    found = np.zeros(len(at), np.bool_)
    if isinstance(column, CodedColumn):
        coded = column.coded()
        members = coded.dictionary
        if members.type is FieldType.TEXT:
            hit = pc.match_substring(pc.utf8_lower(members.values), text).to_numpy(zero_copy_only=False)
        else:
            hit = np.array([text in members.key(code).casefold() for code in range(len(members))], np.bool_)
        hit = np.append(hit, False)
        found[there] = hit[np.minimum(coded.codes[at[there]], len(members))]
        return found
    values, inverse = np.unique(column.values[at[there]], return_inverse=True)
    hit = np.zeros(len(values), np.bool_)
    for place in range(len(values)):
        if progress is not None and place % PIECE == 0:
            progress.step("Finding", place / max(1, len(values)))
        hit[place] = text in canonical(column.type, values[place].item(), column.scale)
    known = np.ones(int(there.sum()), np.bool_) if column.valid is None else column.valid[at[there]]
    found[there] = hit[inverse.ravel()] & known
    return found
