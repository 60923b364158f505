"""The frame stage: from the shares of a fold to its report, in the order that the meaning of the numbers asks for.

Aggregates on every line, then what summary filters leave out is gathered or gone, then totals made of lines shown, then
comparisons, and last only the lines that are shown. Nothing here sees a record.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from graphlib import TopologicalSorter

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.compare.cells import Cells, compared
from foldbasket.folding.compare.sides import Side
from foldbasket.folding.layout.frame import check_memory, check_size, picked_cells, shown_of, totals_of_shown
from foldbasket.folding.layout.ordering import Asked, Rearranged, gathered, node_values, rearranged, without_empty
from foldbasket.folding.layout.share import Share
from foldbasket.folding.layout.worked import block_of
from foldbasket.folding.lines.trees import Lines, Tree, closed_of, every_line, grow, lines_of, ranks_of
from foldbasket.folding.members.domain import Domain, filled, joined
from foldbasket.folding.members.empties import without_records
from foldbasket.folding.plan.summary import Ready
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.fold import Fold, Measure, Placed, Where
from foldbasket.spec.order import Rest
from foldbasket.tables.distinct import distinct

Coords = npt.NDArray[np.int32]
Mask = npt.NDArray[np.bool_]
MANY = 10_000
"""Members of a field of more than that are put in order only after those that are left out by their values are gone."""


class Word(msgspec.Struct, frozen=True, eq=False):
    """A placed field as all shares see it: one domain, and the code of each cell of each share in it, one after the other.

    `kept` tells which members the record filters on the very same field let through; None where there is no such filter.
    """

    placed: Placed
    domain: Domain
    coords: Coords
    kept: npt.NDArray[np.bool_] | None = None


def word_of(
    placed: Placed,
    domains: Sequence[Domain],
    coords: Sequence[Coords],
    keeps: Callable[[Domain], npt.NDArray[np.bool_] | None],
) -> Word:
    """A placed field over several shares, from each one's members and the codes of its cells."""
    domain, remaps = joined(domains, placed.field.field)
    codes = np.concatenate([remap[each] for remap, each in zip(remaps, coords, strict=True)]).astype(np.int32)
    part = domain.part
    is_calendar = part is not None and (part.is_period or len(part.every) > 0)
    if placed.empty and is_calendar:
        assert part is not None
        there = distinct(codes[codes < domain.blank])
        numbers = np.asarray(domain.dictionary.values, np.int64)[there]
        span = (
            part.every or numbers
        )  # a cycle or bands have all their members, a period those between the first and the last
        if len(span):
            domain, remap = filled(domain, int(min(span)), int(max(span)))
            codes = remap[codes].astype(np.int32)
    return Word(placed, domain, codes, keeps(domain))


class Laying:
    """Lays one fold out. `axes` are the words of rows and columns, `shares` what each base table contributes."""

    def __init__(
        self,
        fold: Fold,
        measures: Sequence[Measure],
        shares: Sequence[Share],
        axes: tuple[list[Word], list[Word]],
        formulas: Mapping[int, Ready],
        today: Callable[[], datetime.date],
    ) -> None:
        """`measures` are those of the fold and behind them those that only its `formulas` need; `today` tells the as-of date."""
        self.fold, self.shares, self.axes = fold, tuple(shares), axes
        self.every, self.formulas, self.today = tuple(measures), formulas, today
        self.measures = self.every[: len(fold.measures)]
        self.cells = sum(share.cube.cells for share in shares)
        self.grand = (fold.row_total, fold.column_total)
        self._put_off = (self._to_put_off(axes[0]), self._to_put_off(axes[1]))
        rows, columns = (self._grown(*each) for each in zip(axes, self._put_off, strict=True))
        self.trees = (rows, columns)

    def _to_put_off(self, words: Sequence[Word]) -> list[int]:
        """The fields, by number, of so many members that those left out by their values are better not put in order first. What is picked must
        not depend on the order: not by label, and not by a measure that is compared along it."""
        compared = {measure.id for measure in self.measures if measure.compare is not None}
        asked = [word.placed for axis in self.axes for word in axis]
        if any(
            (word.by is not None and word.by.measure in compared)
            or (word.keep is not None and (word.keep.measure in compared or word.keep.by_label))
            for word in asked
        ):
            return []
        return [at for at, word in enumerate(words) if word.placed.keep is not None and word.domain.size > MANY]

    def _grown(self, words: Sequence[Word], put_off: Sequence[int]) -> Tree:
        placed, domains = [word.placed for word in words], [word.domain for word in words]
        more = None
        if any(word.empty for word in placed):
            source = self.shares[0].source
            more = without_records([word.coords for word in words], domains, placed, [w.kept for w in words], source)
        return grow([word.coords for word in words], self.cells, domains, placed, more, put_off)

    def blocks(self) -> tuple[tuple[Lines, Lines], list[Block]]:
        """The lines shown on rows and columns, and the block of each measure over them. Raises FoldError."""
        picks = [word.placed for words in self.axes for word in words if word.placed.by or word.placed.keep]
        # Whatever looks beyond the cells shown, to totals that may be off or to members left out, needs every line.
        looks_beyond = bool(picks) or any(
            measure.compare is not None or measure.total != "records" for measure in self.measures
        )
        lines = self.lines()
        if not picks:
            check_size(*lines, len(self.measures))
        whole = self._whole() if looks_beyond else lines
        blocks = self._aggregated(whole)
        if any(word.keep is not None and word.keep.rest == "gathered" for word in picks):
            self.trees = (self._gathered(0, whole, blocks), self._gathered(1, whole, blocks))
            self._look()
            whole = self._whole()
            blocks = self._aggregated(whole)
        if picks:
            whole, blocks = self._picked(whole, blocks)
            lines = self.lines()
            check_size(*lines, len(self.measures))
        blocks = [
            block if measure.total == "records" else totals_of_shown(block, measure.total, *self.trees, *whole)
            for measure, block in zip(self.measures, blocks, strict=True)
        ]
        cells = self._seen(whole, blocks)
        blocks = [
            block if measure.compare is None else self._compared(measure, block, cells)
            for measure, block in zip(self.measures, blocks, strict=True)
        ]
        return lines, [shown_of(block, lines, whole) for block in blocks] if looks_beyond else blocks

    def _look(self) -> None:
        """Raises `Cancelled` when nobody waits for it any more: to work on every line of a fold of which few are shown can take a minute."""
        self.shares[0].progress.look()

    def _compared(self, measure: Measure, block: Block, cells: Cells) -> Block:
        assert measure.compare is not None
        self._look()
        return compared(measure.compare, block, cells, measure_heading(measure))

    def lines(self) -> tuple[Lines, Lines]:
        """The lines that the report shows."""
        rows, columns = (
            lines_of(
                tree,
                [word.placed.subtotal for word in words],
                grand if words else Where.OFF,
                closed_of(tree, [word.placed for word in words], [word.domain for word in words]),
            )
            for tree, words, grand in zip(self.trees, self.axes, self.grand, strict=True)
        )
        return rows, columns

    def _whole(self) -> tuple[Lines, Lines]:
        rows, columns = self.trees
        return every_line(rows), every_line(columns)

    def _aggregated(self, lines: tuple[Lines, Lines]) -> list[Block]:
        """The aggregates of every measure, each from its own share."""
        check_memory(*lines, len(self.measures))
        found: dict[int, Block] = {}
        present: Mask | None = None
        start = 0
        for share in self.shares:
            own = slice(start, start + share.cube.cells)
            rows, columns = (replace(tree, leaf_of_cell=tree.leaf_of_cell[own]) for tree in self.trees)
            blocks, has_records = share.blocks((rows, columns), lines)
            found |= blocks
            present = has_records if present is None else present | has_records
            start += share.cube.cells
        assert present is not None
        by_id = {self.every[at].id: block for at, block in found.items()}
        for at in self._formulas_in_order():
            self._look()
            found[at] = by_id[self.every[at].id] = block_of(self.formulas[at], by_id, present, self.today())
        return [found[at] for at in range(len(self.measures))]

    def _formulas_in_order(self) -> list[int]:
        """Formulas so that each comes after those it names; circles were refused when they were checked."""
        place = {self.every[at].id: at for at in self.formulas}
        named = {
            at: [place[other] for other in formula.stands_for.values() if other in place]
            for at, formula in self.formulas.items()
        }
        return list(TopologicalSorter(named).static_order())

    def _seen(self, whole: tuple[Lines, Lines], blocks: Sequence[Block]) -> Cells:
        rows, columns = (
            Side(tree, every, [word.placed for word in words], [word.domain for word in words])
            for tree, every, words in zip(self.trees, whole, self.axes, strict=True)
        )
        return Cells(rows, columns, {measure.id: block for measure, block in zip(self.measures, blocks, strict=True)})

    def _asked(self, axis: int, whole: tuple[Lines, Lines], blocks: Sequence[Block]) -> list[Asked]:
        """What the fields of an axis ask of the measures: an order, a filter, or both."""
        cells = self._seen(whole, blocks)
        sides = (cells.rows, cells.columns)
        by_id = {measure.id: measure for measure in self.measures}

        def values(word: Placed, measure: str, among: tuple[str, ...], level: int) -> Block:
            if measure not in by_id:
                raise FoldError(
                    f"the measure that {word.field.field} is ordered or picked by was taken out.",
                    where=self.fold.name,
                    todo="Choose another measure on its card.",
                )
            block = cells.measures[measure]
            if by_id[measure].compare is not None:  # members are ordered by what the report shows
                block = self._compared(by_id[measure], block, cells)
            self._look()
            return node_values(block, sides[axis], level, sides[1 - axis], among, axis == 1)

        asked = []
        for level, word in enumerate(self.axes[axis], 1):
            placed = word.placed
            order = values(placed, placed.by.measure, placed.by.among, level) if placed.by is not None else None
            kept_by = values(placed, placed.keep.measure, (), level) if placed.keep is not None else None
            if order is not None or kept_by is not None:
                asked.append(Asked(level, order, placed.descending, placed.keep, kept_by, word.domain.others))
        return asked

    def _gathered(self, axis: int, whole: tuple[Lines, Lines], blocks: Sequence[Block]) -> Tree:
        asked = [each for each in self._asked(axis, whole, blocks) if each.keep and each.keep.rest == "gathered"]
        return gathered(self.trees[axis], asked) if asked else self.trees[axis]

    def _picked(self, whole: tuple[Lines, Lines], blocks: list[Block]) -> tuple[tuple[Lines, Lines], list[Block]]:
        """Members ordered by value, and those left out that summary filters do not show."""
        made = []
        for axis in (0, 1):
            asked = [
                replace(each, keep=None) if each.keep is not None and each.keep.rest == "gathered" else each
                for each in self._asked(axis, whole, blocks)
            ]
            made.append(self._rearranged(axis, asked))
        for axis in (0, 1):  # what has no record but in members that are gone goes with them
            if any(word.placed.keep is not None and word.placed.keep.rest is Rest.GONE for word in self.axes[1 - axis]):
                made[axis] = without_empty(made[axis], made[1 - axis].tree)
        self._look()
        self.trees = (made[0].tree, made[1].tree)
        new = self._whole()
        if self.fold.totals_cover == "shown":
            return new, self._aggregated(new)
        rows, columns = (each.lines_before(lines, old) for each, lines, old in zip(made, new, whole, strict=True))
        found = []
        for block in blocks:
            self._look()
            found.append(picked_cells(block, rows, columns))
        return new, found

    def _rearranged(self, axis: int, asked: list[Asked]) -> Rearranged:
        """The tree of an axis in the order asked for and without what is left out; what is left is put in order by label first, where that was
        put off."""
        if not self._put_off[axis]:
            return rearranged(self.trees[axis], asked)
        picked = rearranged(self.trees[axis], [replace(each, order=None) for each in asked])
        named = picked.then(
            rearranged(picked.tree, [self._places(axis, at, picked.tree) for at in self._put_off[axis]])
        )
        by_value = [named.carried(each) for each in asked if each.order is not None]
        return named.then(rearranged(named.tree, by_value)) if by_value else named

    def _places(self, axis: int, at: int, tree: Tree) -> Asked:
        word = self.axes[axis][at]
        codes = tree.codes[tree.starts[at + 1], at]
        known = np.where(codes == word.domain.others, -1, codes)
        return Asked(at + 1, others=word.domain.others, places=ranks_of(known, word.domain, word.placed))
