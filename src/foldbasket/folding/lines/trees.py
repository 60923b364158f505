"""Trees of members in display order, and the lines that a report shows of them."""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Sequence
from itertools import pairwise

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.members.domain import Domain
from foldbasket.spec.fold import Placed, Where
from foldbasket.tables.distinct import among_rows, keys_of_rows

Matrix = npt.NDArray


class Tree(msgspec.Struct, frozen=True, eq=False):
    """The members that occur on one axis, in display order.

    `leaf_of_cell` gives each cube cell's leaf, -1 for those that the report leaves out. `codes[leaf, field]` names the leaf's
    members, -1 beyond the fields it names: a leaf that gathers several members, or stands for one without records, may end
    before the innermost field. `starts[k]` is the first leaf of each node of level k (level 0 is everything, level n the
    leaves); `firsts[k]` its first child in level k + 1.
    """

    leaf_of_cell: npt.NDArray[np.int64]
    codes: npt.NDArray[np.int32]
    starts: tuple[npt.NDArray[np.int64], ...]
    firsts: tuple[npt.NDArray[np.int64], ...]
    gathers: bool = False
    """Whether several combinations of members may share a leaf."""

    @property
    def depth(self) -> int:
        return self.codes.shape[1]

    @property
    def leaves(self) -> int:
        return len(self.codes)

    @property
    def ends(self) -> npt.NDArray[np.int64]:
        """How many fields each leaf names; shape (leaves,)."""
        return (self.codes >= 0).sum(axis=1)

    def node_of_leaf(self, level: int) -> npt.NDArray[np.int64]:
        """For each leaf the node of `level` above it; shape (leaves,)."""
        marks = np.zeros(self.leaves, np.int64)
        marks[self.starts[level]] = 1
        return np.cumsum(marks) - 1


def tree_of(ranks: Matrix, codes: npt.NDArray[np.int32], leaf_of_cell: npt.NDArray[np.int64]) -> Tree:
    """The tree of items by the ranks of their members, both of shape (items, fields); items alike in all become one leaf.

    `leaf_of_cell` names an item for each cell, or -1.
    """
    items, depth = ranks.shape
    order, changed = _in_order(ranks)
    is_leaf = changed[-1] if depth else np.arange(items) == 0
    leaf_of_item = np.empty(items + 1, np.int64)
    leaf_of_item[order] = np.cumsum(is_leaf) - 1
    leaf_of_item[items] = -1
    root = np.zeros(min(1, items), np.int64)
    starts = (root, *(np.flatnonzero(each[is_leaf]) for each in changed))
    firsts = tuple(np.searchsorted(lower, upper) for upper, lower in pairwise(starts))
    return Tree(leaf_of_item[leaf_of_cell], codes[order][is_leaf], starts, firsts)


def _in_order(ranks: Matrix) -> tuple[npt.NDArray[np.int64] | slice, list[npt.NDArray[np.bool_]]]:
    """Items in the order of their ranks, outermost first; and of those in order, for each field, which differ from the one before in it or a field outside."""
    items, depth = ranks.shape
    if not depth or not items:
        return slice(0, items), [np.ones(items, np.bool_) for _ in range(depth)]
    order: npt.NDArray[np.int64] | slice = slice(0, items)
    keyed = keys_of_rows(ranks)
    if keyed is None:
        order = np.lexsort(ranks.T[::-1])
        stacked, changed = ranks[order], np.ones(ranks.shape, np.bool_)
        changed[1:] = np.logical_or.accumulate(stacked[1:] != stacked[:-1], axis=1)
        return order, list(changed.T)
    keys, _, spans = keyed
    # Groups that were counted one by one mostly come in order.
    if not (keys[1:] >= keys[:-1]).all():
        order = np.argsort(keys, kind="stable")
        keys = keys[order]
    marks = []
    for span in reversed(spans):
        marks.append(np.append(True, keys[1:] != keys[:-1]))
        keys = keys // span
    return order, marks[::-1]


def grow(
    coords: Sequence[npt.NDArray[np.int32]],
    cells: int,
    domains: Sequence[Domain],
    words: Sequence[Placed],
    more: npt.NDArray[np.int32] | None = None,
    put_off: Collection[int] = (),
) -> Tree:
    """The tree of one axis from each cell's code in each of its fields, outermost first.

    Members stand by label, those that are listed by hand before the others; of the fields whose order is `put_off` (numbers of
    fields) by their codes. `more` adds members without records, one row of codes each, which may end in -1.
    """
    codes = (
        np.stack([*coords], axis=1).astype(np.int32, copy=False)
        if len(coords)
        else np.empty((min(1, cells), 0), np.int32)
    )
    leaf_of_cell = np.arange(cells) if len(coords) else np.zeros(cells, np.int64)
    if more is not None and len(more):
        codes = np.concatenate([codes, more])
    ranks = np.empty(codes.shape, np.int64, order="F")  # each field's are gone through by themselves
    for at, (domain, word) in enumerate(zip(domains, words, strict=True)):
        ranks[:, at] = codes[:, at] if at in put_off else ranks_of(codes[:, at], domain, word)
    return tree_of(ranks, codes, leaf_of_cell)


def ranks_of(codes: npt.NDArray[np.int32], domain: Domain, word: Placed) -> npt.NDArray[np.int64]:
    """The place of each of some members in the order of a field by label and by hand, -1 for none; shape (codes,)."""
    seen = np.zeros(domain.size + 1, np.bool_)
    seen[codes] = True
    members = np.flatnonzero(seen[:-1])
    rank = np.full(domain.size + 1, -1, np.int64)
    rank[members] = domain.ranks_of(members, turned=word.descending and word.by is None)
    for place, key in enumerate(word.first):
        with contextlib.suppress(ValueError):  # a listed member that is no longer one has no place
            code = domain.code_of(key)
            if code is not None:
                rank[code] = place - len(word.first)
    placed: npt.NDArray[np.int64] = rank[codes]
    return placed


class Lines(msgspec.Struct, frozen=True, eq=False):
    """The lines an axis shows: each one's level and its node in that level, and what kind of line it is."""

    level: npt.NDArray[np.int32]
    node: npt.NDArray[np.int64]
    kind: npt.NDArray[np.int8]


def lines_of(
    tree: Tree, subtotals: Sequence[Where], grand: Where, closed: Sequence[npt.NDArray[np.bool_]] = ()
) -> Lines:
    """The lines of an axis in order. `subtotals[k]` places the total over members of field k, `grand` that over everything.

    `closed[k]` tells which nodes of level k are folded up to one line; level 0 has no such nodes.
    """
    depth = tree.depth
    levels, nodes, kinds, places, sides = [], [], [], [], []
    # A node is hidden when any node above it is closed.
    hidden = [np.zeros(len(start), np.bool_) for start in tree.starts]
    for upper, shut in enumerate(closed):
        for level in range(upper + 1, depth + 1):
            hidden[level] |= shut[tree.node_of_leaf(upper)[tree.starts[level]]]
    ends = tree.ends

    def put(level: int, kind: Kind, where: Where, chosen: npt.NDArray[np.bool_]) -> None:
        start = tree.starts[level]
        stop = np.append(start[1:], tree.leaves)[: len(start)]
        chosen = chosen & ~hidden[level]
        levels.append(np.full(int(chosen.sum()), level, np.int32))
        nodes.append(np.flatnonzero(chosen))
        kinds.append(np.full(int(chosen.sum()), kind, np.int8))
        places.append((start if where == Where.BEFORE else stop - 1)[chosen])
        # Before its first leaf outer totals come first; after its last leaf inner ones do.
        side = 0 if level == depth else level - depth if where == Where.BEFORE else depth - level
        sides.append(np.full(int(chosen.sum()), side, np.int64))

    def every(level: int) -> npt.NDArray[np.bool_]:
        return np.ones(len(tree.starts[level]), np.bool_)

    put(depth, Kind.MEMBER, Where.AFTER, every(depth))
    for level in range(depth):
        shut = closed[level] if level < len(closed) else ~every(level)
        if level and shut.any():
            put(level, Kind.CLOSED, Where.AFTER, shut)
        where = grand if level == 0 else subtotals[level - 1]
        if where != Where.OFF:
            # A leaf that ends here says all there is to say, so a total over it would only repeat it.
            more = every(level) if level == 0 else ~shut & (ends[tree.starts[level]] > level)
            put(level, Kind.GRAND if level == 0 else Kind.SUBTOTAL, where, more)
    order = _by_place(np.concatenate(places), np.concatenate(sides), depth)
    return Lines(np.concatenate(levels)[order], np.concatenate(nodes)[order], np.concatenate(kinds)[order])


def _by_place(places: npt.NDArray[np.int64], sides: npt.NDArray, depth: int) -> npt.NDArray[np.int64]:
    """The order of lines by the leaf that they stand at, and on which side of it, at the most `depth` away. Those of a level are in order already, which makes a
    stable sort of one number for each a merge."""
    return np.argsort(places * (2 * depth + 1) + sides, kind="stable")


def closed_of(tree: Tree, words: Sequence[Placed], domains: Sequence[Domain]) -> list[npt.NDArray[np.bool_]]:
    """Which nodes of each level stand folded up; levels from 0 to the last but one. The innermost field has nothing to fold."""
    closed = [np.zeros(len(tree.starts[0]), np.bool_)]
    for level in range(1, tree.depth):
        word, count = words[level - 1], len(tree.starts[level])
        shut = np.full(count, word.closed)
        shut[_named(tree, level, domains, word.turned)] ^= True
        # A leaf that ends at this level or above is one line already.
        closed.append(shut & (tree.ends[tree.starts[level]] > level))
    return closed


def _named(
    tree: Tree, level: int, domains: Sequence[Domain], paths: Collection[tuple[str, ...]]
) -> npt.NDArray[np.bool_]:
    """Which nodes of a level some paths name, each the tokens of members from the outermost to that of the level."""
    named = [domain.code_named for domain in domains[:level]]
    found = [
        [code_of(token) for code_of, token in zip(named, path, strict=False)] for path in paths if len(path) == level
    ]
    known = [codes for codes in found if None not in codes]
    wanted = np.array(known, np.int32).reshape(len(known), level)
    return among_rows(tree.codes[tree.starts[level], :level], wanted)


def every_line(tree: Tree) -> Lines:
    """The lines of an axis with every total, which comparisons need whether they are shown or not."""
    order = [np.arange(len(start)) for start in tree.starts]
    levels = np.concatenate([np.full(len(each), level, np.int32) for level, each in enumerate(order)])
    stops = [np.append(start[1:], tree.leaves)[: len(start)] for start in tree.starts]
    placed = _by_place(np.concatenate(stops), -levels, tree.depth)
    kinds = np.where(levels == tree.depth, Kind.MEMBER, np.where(levels == 0, Kind.GRAND, Kind.SUBTOTAL)).astype(
        np.int8
    )
    return Lines(levels[placed], np.concatenate(order)[placed], kinds[placed])


def positions(shown: Lines, whole: Lines) -> npt.NDArray[np.int64]:
    wide = int(whole.node.max(initial=0)) + 1
    keys = whole.level.astype(np.int64) * wide + whole.node
    order = np.argsort(keys)
    wanted = shown.level.astype(np.int64) * wide + shown.node
    return order[np.searchsorted(keys[order], wanted)]
