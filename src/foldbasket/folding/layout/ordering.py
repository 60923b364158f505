"""Order by value and summary filters: both look at the members of a field within their parent and at a measure's cells.

A summary filter picks *summaries*, not records: which members a report shows is decided after aggregating, and totals still
cover everything that the record filters kept.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.compare.sides import Side
from foldbasket.folding.lines.trees import Lines, Tree, tree_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.spec.order import Keep

Ints = npt.NDArray[np.int64]


class Rearranged(msgspec.Struct, frozen=True, eq=False):
    """A tree with its members in another order and some left out, and for each level the old node of each new one."""

    tree: Tree
    old_nodes: tuple[Ints, ...]

    def then(self, next_: Rearranged) -> Rearranged:
        """What comes of it and of a further step on its tree together."""
        old = tuple(mine[theirs] for mine, theirs in zip(self.old_nodes, next_.old_nodes, strict=True))
        return Rearranged(next_.tree, old)

    def carried(self, asked: Asked) -> Asked:
        """An order that was asked for of the old tree, for this one."""
        at, order = self.old_nodes[asked.level], asked.order
        assert order is not None
        moved = replace(order, data=order.data[at], blank=order.blank[at])
        return replace(asked, order=moved, keep=None, kept_by=None)

    def lines_before(self, lines: Lines, whole: Lines) -> Ints:
        """For lines of the new tree their numbers among the lines `whole` of the old one; shape (lines,)."""
        place = np.full((len(self.old_nodes), int(whole.node.max(initial=0)) + 1), -1, np.int64)
        place[whole.level, whole.node] = np.arange(len(whole.level))
        found = np.empty(len(lines.level), np.int64)
        for level in np.unique(lines.level):
            at = lines.level == level
            found[at] = place[level, self.old_nodes[level][lines.node[at]]]
        return found


class Asked(msgspec.Struct, frozen=True, eq=False):
    """What is asked of one field: its values at each node of its level, an order by them, and a filter on others; or the `places` of its members by
    label, where those were put off."""

    level: int
    order: Block | None = None
    descending: bool = False
    keep: Keep | None = None
    kept_by: Block | None = None
    others: int = -1
    """The code of the field's line for gathered members."""
    places: Ints | None = None


def node_values(block: Block, side: Side, level: int, other: Side, among: tuple[str, ...], is_columns: bool) -> Block:
    """A measure's values at the nodes of a level: in the total of the other axis, or on the line of one of its members.

    The block covers every line of both axes; the result has shape (nodes, 1). Raises FoldError when a member is gone.
    """
    line = other.grand
    if among:
        deep = [at for at in range(len(other)) if other.lines.level[at] == len(among)]
        found = [at for at in deep if tuple(_key(other, at, field) for field in range(len(among))) == among]
        if not found:
            raise FoldError(
                f"“{', '.join(among)}” is no longer in the report, so nothing can be ordered by it.",
                todo="Order by the total, or by another member.",
            )
        line = found[0]
    at = np.flatnonzero(side.lines.level == level)
    nodes = np.empty(len(at), np.int64)
    nodes[side.lines.node[at]] = at
    data, blank = (block.data.T, block.blank.T) if is_columns else (block.data, block.blank)
    if line < 0:
        return Block(block.type, np.zeros(len(nodes)), np.ones(len(nodes), np.bool_), block.scale)
    return Block(block.type, data[nodes, line], blank[nodes, line], block.scale, block.dictionary)


def _key(side: Side, line: int, field: int) -> str | None:
    code = int(side.codes[line, field])
    domain = side.domains[field]
    return None if code < 0 or code >= domain.blank else domain.key(code)


def without_empty(made: Rearranged, other: Tree) -> Rearranged:
    """Without the leaves whose records all are in leaves that the other axis leaves out; those that never had any stay."""
    own = made.tree.leaf_of_cell
    has, had = np.zeros(made.tree.leaves, np.bool_), np.zeros(made.tree.leaves, np.bool_)
    had[own[own >= 0]] = True
    has[own[(own >= 0) & (other.leaf_of_cell >= 0)]] = True
    kept = has | ~had
    return made if kept.all() or not made.tree.depth else made.then(rearranged(made.tree, [], kept))


def rearranged(tree: Tree, asked: list[Asked], only: npt.NDArray[np.bool_] | None = None) -> Rearranged:
    """The tree in the order asked for and without what the filters leave out, of some of its leaves `only`. Blank values come last in either direction, and
    the line of gathered members after them."""
    ranks = [np.arange(len(starts)) for starts in tree.starts]
    kept = np.ones(tree.leaves, np.bool_) if only is None else only.copy()
    for each in asked:
        codes = tree.codes[tree.starts[each.level], each.level - 1]
        is_rest = (codes == each.others) | (codes < 0)
        if each.order is not None:
            ranks[each.level] = np.where(is_rest, len(codes), _ranks(each.order, each.descending))
        if each.places is not None:
            ranks[each.level] = np.where(is_rest, np.iinfo(np.int64).max, each.places)
        if each.keep is not None and each.kept_by is not None:
            kept &= (_kept_nodes(tree, each) | is_rest)[tree.node_of_leaf(each.level)]
    nodes = [tree.node_of_leaf(level) for level in range(len(tree.starts))]
    if not tree.depth:
        return Rearranged(tree, tuple(nodes))
    keys = np.stack([ranks[level][nodes[level]] for level in range(1, len(nodes))], axis=1)[kept]
    made = tree_of(keys, tree.codes[kept], np.arange(len(keys)))
    place = np.full(tree.leaves, -1, np.int64)
    place[kept] = made.leaf_of_cell
    old_leaf = np.empty(made.leaves, np.int64)
    old_leaf[made.leaf_of_cell] = np.flatnonzero(kept)
    old_nodes = tuple(nodes[level][old_leaf[start]] for level, start in enumerate(made.starts))
    leaf_of_cell = np.where(tree.leaf_of_cell >= 0, place[tree.leaf_of_cell], -1) if tree.leaves else tree.leaf_of_cell
    return Rearranged(replace(made, leaf_of_cell=leaf_of_cell, gathers=tree.gathers), old_nodes)


def gathered(tree: Tree, asked: list[Asked]) -> Tree:
    """The tree with the members that filters leave out gathered in one leaf of each parent, which ends there and stands last."""
    ends = np.zeros(tree.leaves, np.int64)  # the level at which a leaf ends early
    codes = tree.codes.copy()
    for each in sorted(asked, key=lambda each: -each.level):
        left = ~_kept_nodes(tree, each)[tree.node_of_leaf(each.level)]
        ends[left] = each.level
        codes[left, each.level - 1] = each.others
        codes[left, each.level :] = -1
    keys = np.stack([tree.node_of_leaf(level) for level in range(1, tree.depth + 1)], axis=1)
    for level in range(tree.depth):
        keys[(ends > 0) & (ends <= level), level] = -1
        keys[ends == level + 1, level] = tree.leaves
    return replace(tree_of(keys, codes, tree.leaf_of_cell), gathers=True)


def _kept_nodes(tree: Tree, asked: Asked) -> npt.NDArray[np.bool_]:
    """Which nodes of its level a summary filter keeps."""
    assert asked.keep is not None
    assert asked.kept_by is not None
    starts = tree.starts[asked.level]
    parents = np.searchsorted(tree.starts[asked.level - 1], starts, side="right") - 1
    shown: npt.NDArray[np.bool_] = asked.keep.kept(asked.kept_by, parents)
    return shown


def _ranks(values: Block, descending: bool) -> Ints:
    """The place of each node by its value; equal ones stay as they stand, blank ones come last."""
    data = values.data
    if values.dictionary is not None:
        # Of a field without a value there are no ranks at all.
        data = np.append(values.dictionary.binary_ranks, 0)[data.astype(np.int64)]
    known = np.flatnonzero(~values.blank)
    order = np.argsort(data[known], kind="stable")
    if descending:  # a stable order the other way round
        order = len(known) - 1 - np.argsort(data[known][::-1], kind="stable")[::-1]
    ranks = np.empty(len(data), np.int64)
    ranks[known[order]] = np.arange(len(known))
    ranks[np.flatnonzero(values.blank)] = np.arange(len(known), len(data))
    return ranks
