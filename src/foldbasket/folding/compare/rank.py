"""Places among the members of a field."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np

from foldbasket.folding.around import Around, is_alike, is_followed
from foldbasket.folding.compare.along import Among
from foldbasket.folding.compare.cells import Cells, laid, upright
from foldbasket.folding.compare.figures import Figures
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import entered
from foldbasket.later import exp
from foldbasket.sayings import Saying, saying
from foldbasket.spec.comparison import Comparison
from foldbasket.sql.pieces import Sql, chosen, is_known
from foldbasket.styling.words import plural
from foldbasket.tables.types import FieldType


@entered
class Rank(Among, frozen=True, tag="rank"):
    """The place among the members of a field in the same parent: 1 is the largest, or the smallest; equal values share one."""

    standing: ClassVar[int] = 50
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("rank[ among {along:word}]", smallest_first=False),
        saying("rank from the smallest[ among {along:word}]", smallest_first=True),
        saying("rank[] among {along:word} in each {_:word}", smallest_first=False),
        saying("rank from the smallest[] among {along:word} in each {_:word}", smallest_first=True),
    )
    smallest_first: bool = False

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return ((cls(), "rank, largest first"), (cls(smallest_first=True), "rank, smallest first"))

    def direction(self, names: Sequence[str]) -> str:
        within = f" in each {names[-2]}" if len(names) > 1 else ""
        return f" among {plural(names[-1])}{within}"

    def in_sql(self, value: Sql, figures: Figures) -> Sql:
        axis, other, _ = figures.inner(self.place_in(figures))
        order = figures.blanks_last(value.copy(), descending=not self.smallest_first)
        return chosen([(is_known(value.copy()), figures.series(exp.Rank(), axis, other, order))])

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        series = side.series(at, restart=True)
        data, blank = upright(block, is_columns)
        blank = blank | ((series < 0) | side.gathered(at))[:, None]
        ranks = np.zeros(data.shape, np.int64)
        for column in range(data.shape[1]):
            lines = np.flatnonzero(~blank[:, column])
            values = data[lines, column]
            order = np.argsort(values, kind="stable")
            place = np.empty(len(lines), np.int64)
            changed = np.append(True, values[order][1:] != values[order][:-1]) if len(lines) else np.zeros(0, np.bool_)
            place[order] = np.cumsum(changed)  # equal values share a number, in ascending order
            if not self.smallest_first:
                place = place.max(initial=0) - place
            by = np.lexsort((place, series[lines]))
            group, value = series[lines][by], place[by]
            position = np.arange(len(by))
            starts = np.maximum.accumulate(np.where(np.append(True, group[1:] != group[:-1]), position, 0))
            ties = np.append(True, (group[1:] != group[:-1]) | (value[1:] != value[:-1]))
            firsts = np.maximum.accumulate(np.where(ties, position, 0))
            ranks[lines[by], column] = firsts - starts + 1
        return Block(FieldType.WHOLE, laid(ranks, is_columns), laid(blank, is_columns))

    def by_hand(self, around: Around) -> Any:
        axis, path, at, is_columns = around.along(self)
        if (
            len(path) <= at
            or path[at] == axis.others(at)
            or (len(path) > at + 1 and not is_followed(axis, at, len(path)))
        ):
            return None
        own = around.at(path, is_columns)
        if own is None:
            return None
        beside = [each for each in axis.lines(len(path)) if is_alike(each, path, at) and each[at] != axis.others(at)]
        values = [value for each in beside if (value := around.at(each, is_columns)) is not None]
        return 1 + sum(value < own if self.smallest_first else value > own for value in values)
