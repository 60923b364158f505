"""For aggregates that need the values themselves: the different values of each group, sorted, with how often each occurs.

Made once for the cells of a cube by sorting one number per record (group and value together), and regrouped from there for
every level of totals: a total is worked out from the values of all its records, never from the cells.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import msgspec
import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


class Runs(msgspec.Struct, frozen=True, eq=False):
    """`values` and `counts` run by run; `groups` are the groups that have any, `starts` the first run of each.

    Values ascend within a group. `totals` is how many values each group has, repeats included.
    """

    groups: Ints
    starts: Ints
    values: npt.NDArray
    counts: Ints

    @property
    def stops(self) -> Ints:
        return np.append(self.starts[1:], len(self.values))

    @property
    def totals(self) -> Ints:
        """Values of each group; shape (groups,)."""
        return np.add.reduceat(self.counts, self.starts) if len(self.starts) else np.zeros(0, np.int64)

    def group_of_run(self) -> Ints:
        """For each run the number of its group's place in `groups`."""
        return np.repeat(np.arange(len(self.groups)), self.stops - self.starts)


def runs_of(groups: Ints, values: npt.NDArray, counts: Ints | None = None) -> Runs:
    """Runs from one group, value and count for each entry, in any order."""
    if not len(groups):
        return Runs(np.zeros(0, np.int64), np.zeros(0, np.int64), values[:0], np.zeros(0, np.int64))
    key, low, span = _combined(groups, values)
    if key is not None:
        if counts is None:
            key = np.sort(key)
            firsts = np.flatnonzero(np.append(True, key[1:] != key[:-1]))
            counts = np.diff(np.append(firsts, len(key)))
        else:
            order = np.argsort(key, kind="stable")
            key = key[order]
            firsts = np.flatnonzero(np.append(True, key[1:] != key[:-1]))
            counts = np.add.reduceat(counts[order], firsts)
        owner, offset = np.divmod(key[firsts], span)
        return runs_from(owner, offset + low, counts)
    order = np.lexsort((values, groups))
    owner, sorted_values = groups[order], values[order]
    changed = (owner[1:] != owner[:-1]) | (sorted_values[1:] != sorted_values[:-1])
    firsts = np.flatnonzero(np.append(True, changed))
    weights = np.ones(len(order), np.int64) if counts is None else counts[order]
    return runs_from(owner[firsts], sorted_values[firsts], np.add.reduceat(weights, firsts))


def _combined(groups: Ints, values: npt.NDArray) -> tuple[Ints | None, int, int]:
    """Group and value as one whole number, where both fit."""
    if values.dtype.kind == "f":
        return None, 0, 1
    low, high = int(values.min()), int(values.max())
    span = high - low + 1
    if (int(groups.max()) + 1) * span >= 1 << 62:
        return None, 0, 1
    return groups * span + (values - low), low, span


def runs_from(owner: Ints, values: npt.NDArray, counts: Ints) -> Runs:
    """Runs from entries that are sorted by group and value already, each once."""
    if not len(owner):
        return Runs(owner, owner, values, counts)
    starts = np.flatnonzero(np.append(True, owner[1:] != owner[:-1]))
    return Runs(owner[starts], starts, values, counts)


def regrouped(runs: Runs, target: Ints) -> Runs:
    """The runs with each group become ``target[group]``; groups that meet are merged, those below 0 are left out."""
    owner = target[np.repeat(runs.groups, runs.stops - runs.starts)]
    kept = slice(None) if (target >= 0).all() else owner >= 0
    return runs_of(owner[kept], runs.values[kept], runs.counts[kept])


class Grouped(msgspec.Struct, frozen=True, eq=False):
    """The values of groups. `totals` is how many each has, repeats included; shape (groups,). `blocks` gives them as runs, the values of a block beyond
    all those of the one before: one block where all are held."""

    totals: Ints
    blocks: Callable[[], Iterable[Runs]]

    @property
    def many(self) -> int:
        """How many groups there are, those without a value among them."""
        return len(self.totals)


def held(runs: Runs, many: int) -> Grouped:
    """The values of so many groups in one block."""
    totals = np.zeros(many, np.int64)
    totals[runs.groups] = runs.totals
    return Grouped(totals, lambda: [runs])


# --- what can be made of values: arrays of shape (groups,), of which those of groups without a value say nothing ------


def different(values: Grouped) -> Ints:
    """How many different values each group has."""
    found = np.zeros(values.many, np.int64)
    for runs in values.blocks():
        found[runs.groups] += runs.stops - runs.starts
    return found


def percentile(values: Grouped, share: float) -> npt.NDArray[np.float64]:
    """PERCENTILE_CONT of SQL: linear between the two values nearest to place ``share × (n − 1)``, in stored units."""
    place = share * (values.totals - 1)
    low = np.floor(place).astype(np.int64)
    high = np.minimum(low + 1, values.totals - 1)
    lower = upper = np.zeros(values.many)
    before = np.zeros(values.many, np.int64)
    for at, runs in enumerate(values.blocks()):
        if not at:
            lower, upper = np.zeros(values.many, runs.values.dtype), np.zeros(values.many, runs.values.dtype)
        reached = np.cumsum(runs.counts)
        ahead = reached[runs.starts] - runs.counts[runs.starts] if len(runs.starts) else reached
        own, totals = runs.groups, runs.totals
        for wanted, found in ((low, lower), (high, upper)):
            within = wanted[own] - before[own]  # the place within this block's values of the group
            here = (within >= 0) & (within < totals)
            found[own[here]] = runs.values[np.searchsorted(reached, ahead[here] + within[here], side="right")]
        before[own] += totals
    part = place - low
    between = lower + (upper.astype(np.float64) - lower) * part
    # Two values whose distance passes every number have a middle all the same.
    between = np.where(np.isfinite(between), between, lower * (1 - part) + upper * part)
    return np.where(part == 0, lower.astype(np.float64), between)


def mode(values: Grouped) -> npt.NDArray:
    """The most frequent value of each group; of several the smallest."""
    most, best = np.zeros(values.many, np.int64), np.zeros(values.many, np.int64)
    for runs in values.blocks():
        if not len(runs.starts):
            continue
        best = best.astype(runs.values.dtype, copy=False)
        peak = np.maximum.reduceat(runs.counts, runs.starts)
        group = runs.group_of_run()
        at = np.flatnonzero(runs.counts == peak[group])
        first = at[np.unique(group[at], return_index=True)[1]]
        beats = peak > most[runs.groups]
        best[runs.groups[beats]] = runs.values[first[beats]]
        most[runs.groups[beats]] = peak[beats]
    return best


def squares(values: Grouped, scale: int) -> npt.NDArray[np.float64]:
    """Σ (x − mean)² of each group: of each block in two passes with the second's rounding taken back out, those of several put together by their means (Chan,
    Golub and LeVeque 1983)."""
    many, means, found = np.zeros(values.many), np.zeros(values.many), np.zeros(values.many)
    for runs in values.blocks():
        if not len(runs.starts):
            continue
        own, mean, more = runs.groups, *_squares(runs, scale)
        totals = runs.totals.astype(np.float64)
        before, away = many[own], mean - means[own]
        both = before + totals
        found[own] = np.where(before > 0, found[own] + more + away * away * before * totals / both, more)
        means[own] = np.where(before > 0, means[own] + away * totals / both, mean)
        many[own] = both
    return found


def _squares(runs: Runs, scale: int) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """The mean of each group of a block, and the squares around it."""
    values = runs.values / 10.0**scale if scale else runs.values.astype(np.float64)
    group, totals = runs.group_of_run(), runs.totals
    # Shifting by a value of the group first keeps the sums small beside values that lie far from zero.
    firsts = values[runs.starts]
    shifted = values - firsts[group]
    means = np.add.reduceat(shifted * runs.counts, runs.starts) / totals
    away = shifted - means[group]
    rest = np.add.reduceat(away * runs.counts, runs.starts)
    return firsts + means, np.add.reduceat(away * away * runs.counts, runs.starts) - rest * rest / totals


def added(values: Grouped, kind: np.dtype) -> npt.NDArray:
    """The different values of each group added up, each once."""
    found = np.zeros(values.many, kind)
    for runs in values.blocks():
        if len(runs.starts):
            found[runs.groups] += np.add.reduceat(runs.values.astype(kind), runs.starts)
    return found
