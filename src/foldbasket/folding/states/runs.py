"""For aggregates that need the values themselves: the different values of each group, sorted, with how often each occurs.

Made once for the cells of a cube by sorting one number per record (group and value together), and regrouped from there for
every level of totals: a total is worked out from the values of all its records, never from the cells.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Runs:
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


# --- what can be made of runs -------------------------------------------------


def different(runs: Runs) -> Ints:
    """How many different values each group has."""
    return runs.stops - runs.starts


def percentile(runs: Runs, share: float) -> npt.NDArray[np.float64]:
    """PERCENTILE_CONT of SQL: linear between the two values nearest to place ``share × (n − 1)``, in stored units."""
    reached = np.cumsum(runs.counts)
    totals = runs.totals
    before = reached[runs.starts] - runs.counts[runs.starts]
    place = share * (totals - 1)
    low = np.floor(place).astype(np.int64)
    high = np.minimum(low + 1, totals - 1)
    lower = runs.values[np.searchsorted(reached, before + low, side="right")]
    upper = runs.values[np.searchsorted(reached, before + high, side="right")]
    part = place - low
    between = lower + (upper.astype(np.float64) - lower) * part
    # Two values whose distance passes every number have a middle all the same.
    between = np.where(np.isfinite(between), between, lower * (1 - part) + upper * part)
    return np.where(part == 0, lower.astype(np.float64), between)


def mode(runs: Runs) -> npt.NDArray:
    """The most frequent value of each group; of several the smallest."""
    most = np.maximum.reduceat(runs.counts, runs.starts)
    group = runs.group_of_run()
    best = np.flatnonzero(runs.counts == most[group])
    first = np.unique(group[best], return_index=True)[1]
    return runs.values[best[first]]


def squares(runs: Runs, scale: int) -> npt.NDArray[np.float64]:
    """Σ (x − mean)² of each group, in two passes with the second's rounding taken back out (Chan, Golub and LeVeque 1983)."""
    values = runs.values / 10.0**scale if scale else runs.values.astype(np.float64)
    group, totals = runs.group_of_run(), runs.totals
    # Shifting by a value of the group first keeps the sums small beside values that lie far from zero.
    shifted = values - values[runs.starts][group]
    means = np.add.reduceat(shifted * runs.counts, runs.starts) / totals
    away = shifted - means[group]
    rest = np.add.reduceat(away * runs.counts, runs.starts)
    return np.add.reduceat(away * away * runs.counts, runs.starts) - rest * rest / totals
