"""What builds up along a field: running totals and shares, moving averages."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, ClassVar

import numpy as np
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.around import Around, Path, added, divided, ends, is_alike, is_followed, plain
from foldbasket.folding.compare.along import AlongTime
from foldbasket.folding.compare.cells import Cells, laid, moved, quotient, upright
from foldbasket.folding.compare.figures import Figures
from foldbasket.folding.compare.sides import Targets
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.folding.states.exact import summable
from foldbasket.kinds import entered, set_by
from foldbasket.later import exp
from foldbasket.sayings import Saying, saying
from foldbasket.spec.comparison import Comparison
from foldbasket.sql import pieces
from foldbasket.tables.types import FieldType


@entered
class Running(AlongTime, frozen=True, tag="running"):
    """The running total along a field in displayed order, or its share of the last; starts anew in each parent."""

    standing: ClassVar[int] = 40
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("running total[ along {along:word}]", share=False, restart=True),
        saying("running share[ along {along:word}]", share=True, restart=True),
        saying("running total[ along {along:word}], never anew", share=False, restart=False),
        saying("running share[ along {along:word}], never anew", share=True, restart=False),
        saying("running total[] along {along:word}, anew in each {_:word}", share=False, restart=True),
        saying("running share[] along {along:word}, anew in each {_:word}", share=True, restart=True),
    )
    share: bool = False
    restart: Annotated[
        bool, set_by("Starts anew", "Whether it begins again in each parent.", yes_no=("in each parent", "never"))
    ] = True

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return [(made, made.said) for made in (cls(), cls(share=True))]

    @property
    def said(self) -> str:
        return "running share" if self.share else "running total"

    def direction(self, names: Sequence[str]) -> str:
        anew = (f", anew in each {names[-2]}" if self.restart else ", never anew") if len(names) > 1 else ""
        return f" along {names[-1]}{anew}"

    @property
    def keeps_unit(self) -> bool:
        return not self.share

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        axis, other, key = figures.inner(self.place_in(figures))
        if not self.restart and len(axis.keys) > 1:
            raise pieces.NoSqlError("a running total that never starts anew")
        known = exp.Coalesce(this=value, expressions=[pieces.number(0)])
        rows = exp.WindowSpec(kind="ROWS", start="UNBOUNDED", start_side="PRECEDING", end="CURRENT ROW")
        reached = figures.series(exp.Sum(this=known), axis, other, figures.in_order(key), rows)
        if self.share:
            reached = pieces.quotient(reached, figures.series(exp.Sum(this=known.copy()), axis, other))
        return pieces.chosen([(pieces.is_known(value.copy()), reached)])

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        series = side.series(at, self.restart)
        data, blank = upright(block, is_columns)
        known = np.where(blank, 0, data)
        known = summable(known)
        order = np.argsort(series, kind="stable")
        sums = np.zeros_like(known)
        starts = np.flatnonzero(np.append(True, series[order][1:] != series[order][:-1])[: len(order)])
        stops = np.append(starts[1:], len(order))[: len(starts)]
        lasts = np.zeros_like(known)
        for start, stop in zip(starts, stops, strict=True):
            lines = order[start:stop]
            sums[lines] = np.cumsum(known[lines], axis=0)
            lasts[lines] = sums[lines[-1]]
        blank = blank | (series < 0)[:, None]
        if not self.restart:  # said on the line by which the report knows those others
            others = np.flatnonzero(side.unnamed(at))
            for each in (sums, lasts, blank):
                each[side.same[others]] = each[others]
        made = replace(block, data=laid(sums, is_columns), blank=laid(blank, is_columns))
        return quotient(made, laid(lasts, is_columns), laid(blank, is_columns)) if self.share else made

    def by_hand(self, around: Around) -> Any:
        axis, path, at, is_columns = around.along(self)
        # All others of an outer field go on in a total that never restarts.
        are_others = not self.restart and 0 < len(path) <= at and path[-1] == axis.others(len(path) - 1)
        if (len(path) <= at and not are_others) or around.own() is None:
            return None
        size = max(len(path), at + 1)
        if size > at + 1 and not is_followed(axis, at, size, restart=self.restart):
            return None
        series = [each for each in ends(axis, size) if is_alike(each, path, at, restart=self.restart)]
        known = [around.at(each, is_columns) for each in series]
        reached = added([each for each in known[: series.index(path) + 1] if each is not None])
        return divided(reached, added([each for each in known if each is not None])) if self.share else plain(reached)


@entered
class MovingAverage(AlongTime, frozen=True, tag="moving average"):
    """The average of a member and those before it, so many in all; blank where there are fewer."""

    standing: ClassVar[int] = 60
    sayings: ClassVar[tuple[Saying, ...]] = (saying("average over {members:number}[ along {along:word}]"),)
    members: Annotated[
        int, set_by("Members", "How many are averaged, this one among them.", unit="members", hint="3", least=1)
    ] = 3

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return ((cls(), "moving average"),)

    def direction(self, names: Sequence[str]) -> str:
        return f" along {names[-1]}"

    @property
    def keeps_unit(self) -> bool:
        return True

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        place = self.place_in(figures)
        many, total = (
            figures.periods(node(this=value.copy()), place, 1 - self.members, 0) for node in (exp.Count, exp.Sum)
        )
        enough = pieces.applied(exp.EQ, many, pieces.number(self.members))
        return pieces.chosen([(enough, pieces.quotient(total, pieces.number(self.members)))])

    def of(self, block: Block, cells: Cells) -> Block:
        if self.members < 1:
            raise FoldError("a moving average takes at least one member.", todo="Type a number such as 3.")
        side, at, is_columns = self._side(cells)
        back = side.step(at, -1)
        targets: Targets = np.where(side.named(at), np.arange(len(side)), -1)
        total, missing = None, None
        for _ in range(self.members):
            data, blank = moved(block, targets, is_columns)
            values = np.where(blank, 0, data).astype(object if block.data.dtype.kind != "f" else np.float64)
            total = values if total is None else total + values
            missing = blank if missing is None else missing | blank
            targets = np.where(targets >= 0, back[targets], -1)
        assert total is not None
        assert missing is not None
        divisor = self.members * 10**block.scale
        means = np.array([each / divisor for each in total.flat], np.float64).reshape(total.shape)
        return Block(FieldType.REAL, means, missing, pattern=block.pattern)

    def by_hand(self, around: Around) -> Any:
        axis, path, at, is_columns = around.along(self)
        if len(path) <= at:
            return None
        target: Path | None = path
        found = []
        for _ in range(self.members):
            value = around.at(target, is_columns)
            if target is None or value is None:
                return None
            found.append(value)
            target = axis.step(target, at, -1)
        return float(added(found) / self.members)
