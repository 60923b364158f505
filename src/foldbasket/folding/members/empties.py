"""Members without records, shown on request: gaps in a calendar, months without trade, varieties that nobody ordered."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.members.domain import Domain, members_of
from foldbasket.links.source import Source
from foldbasket.spec.fold import Placed
from foldbasket.tables.distinct import distinct, distinct_rows, numbered_rows

Coords = npt.NDArray[np.int32]
MOST = 2_000_000
"""More combinations than this are refused before they are made."""


def without_records(
    coords: Sequence[Coords],
    domains: Sequence[Domain],
    words: Sequence[Placed],
    kept: Sequence[npt.NDArray[np.bool_] | None],
    source: Source,
) -> Coords:
    """Combinations of an axis's members that no cell has, one row of codes each; -1 beyond the last field that asks for them.

    A member is added under every parent that it can belong to: a quarter under its own year, a variety under its own line when
    both are fields of one table, anything else under each. `kept` are the members that filters on the same fields let through.
    """
    depth = len(words)
    there = distinct_rows(np.stack(coords, axis=1)) if len(coords[0]) else np.empty((0, depth), np.int32)
    found: list[Coords] = []
    parents = np.empty((1, 0), np.int32)
    for level, word in enumerate(words):
        known = distinct_rows(there[:, : level + 1])
        children = known
        if word.empty:
            domain, keep = domains[level], kept[level]
            members = np.arange(domain.blank) if keep is None else np.flatnonzero(keep[: domain.blank])
            if word.bands is not None:  # there is nothing to show outside the bands
                members = members[np.asarray(domain.dictionary.values)[members] != domain.part.last]  # type: ignore[union-attr]
            if len(parents) * len(members) > MOST:
                raise FoldError(
                    f"{word.field.field} with all its members would make {len(parents) * len(members):,} combinations.",
                    todo="Show members without records for fewer fields.",
                )
            crossed = np.concatenate(
                [np.repeat(parents, len(members), axis=0), np.tile(members.astype(np.int32), len(parents))[:, None]],
                axis=1,
            )
            for outer in range(level):
                crossed = crossed[_belongs(outer, level, crossed, domains, words, source)]
            children = distinct_rows(np.concatenate([known, crossed]))
        new = _without(children, known)
        if len(new):
            found.append(np.pad(new, ((0, 0), (0, depth - level - 1)), constant_values=-1).astype(np.int32))
        parents = children
        if not any(later.empty for later in words[level + 1 :]):
            break
    if not found:
        return np.empty((0, depth), np.int32)
    # A combination that goes on to a deeper field need not stand for itself.
    rows = np.concatenate(found)
    ends = (rows >= 0).sum(axis=1)
    goes_on = np.zeros(len(rows), np.bool_)
    for level in range(1, depth):
        longer = rows[ends > level][:, :level]
        goes_on |= (ends == level) & ~_absent(rows[:, :level], longer)
    return rows[~goes_on]


def _absent(rows: Coords, among: Coords) -> npt.NDArray[np.bool_]:
    if not len(among):
        return np.ones(len(rows), np.bool_)
    both = np.concatenate([among, rows])
    _, inverse = numbered_rows(both)
    has = np.zeros(int(inverse.max()) + 1, np.bool_)
    has[inverse[: len(among)]] = True
    return ~has[inverse[len(among) :]]


def _without(rows: Coords, among: Coords) -> Coords:
    return rows[_absent(rows, among)]


def _belongs(
    outer: int, inner: int, rows: Coords, domains: Sequence[Domain], words: Sequence[Placed], source: Source
) -> npt.NDArray[np.bool_]:
    """Which rows have a member of the inner field that can stand under that of the outer one."""
    one, two = words[outer], words[inner]
    fits = np.ones(len(rows), np.bool_)
    if one.field == two.field:
        larger, smaller = domains[outer].part, domains[inner].part
        if larger is None or smaller is None or not smaller.is_period or larger.by_time:
            return fits
        numbers = np.asarray(domains[inner].dictionary.values, np.int64)
        days = np.array([smaller.first_known_day(int(number)) for number in numbers], np.int64)
        wanted = np.append(larger.of(days), [-1, -1])[rows[:, inner]]
        is_member = rows[:, outer] < domains[outer].blank
        own = np.append(np.asarray(domains[outer].dictionary.values, np.int64), [0, 0])[rows[:, outer]]
        return fits & (~is_member | (own == wanted))
    if one.field.table != two.field.table:
        return fits
    # Two fields of one table: only what stands together there.
    sides: list[npt.NDArray[np.int64]] = []
    for word, domain in ((one, domains[outer]), (two, domains[inner])):
        codes, members = members_of(source.column(word.field), word.cut, source.fiscal)
        place = {domain.token(code): code for code in range(domain.size)}  # it may be joined with another's, or filled
        sides.append(np.array([place.get(members.token(code), -1) for code in range(members.size)], np.int64)[codes])
    pairs = distinct(sides[0] * domains[inner].size + sides[1])
    asked = rows[:, outer].astype(np.int64) * domains[inner].size + rows[:, inner]
    return fits & (np.isin(asked, pairs) | (rows[:, outer] >= domains[outer].blank))
