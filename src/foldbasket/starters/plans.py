"""What was planned beside what came."""

from __future__ import annotations

import msgspec

from foldbasket.folding.compare.against import AgainstMeasure, How
from foldbasket.folding.report.report import Report
from foldbasket.folding.usual import usual_aggregate
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Placed
from foldbasket.starters.ground import PLANNED, Ground
from foldbasket.starters.starter import Starter, counted, number, sentence, starter
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import plural

replace = msgspec.structs.replace


@starter
class Plans(Starter):
    """The leading amount, what was planned for it, and how far off it is, for each member of a field that both have."""

    key = "plan"
    standing = 25

    def fold(self, ground: Ground) -> Fold | None:
        planned = [
            ref
            for ref in ground.amounts
            if PLANNED.search(ref.field) or PLANNED.search(ground.source.called(ref.table))
        ]
        if not planned or planned[0] == ground.amounts[0]:
            return None
        field = self._shared(ground, planned[0])
        if field is None:
            return None
        net = ground.measure("w1")
        plan = replace(net, id="w2", aggregate=usual_aggregate(ground.source.column(planned[0])), field=planned[0])
        off = replace(net, number=NumberStyle(), id="w3", compare=AgainstMeasure("w2", How.CHANGE), heading="Off plan")
        return Fold("Actual against plan", (net, plan, off), (Placed("w4", field),))

    def _shared(self, ground: Ground, planned: FieldRef) -> FieldRef | None:
        """A field of few members that stands for the records of both tables."""
        source = ground.source
        found = [ref for ref in ground.kinds if source.stand_in(planned.table, ref) is not None]
        return next(
            (ref for ref in found if ref != ground.kinds[0]), found[0] if found else None
        )  # the first splits another report

    def finding(self, report: Report, fold: Fold) -> str:
        rows = report.left
        found = {
            report.rows.label(int(rows.line[line]), 0): value
            for line in range(report.height)
            if not rows.is_total[line] and (value := number(report.value(line, report.width - 1))) is not None
        }
        if not found:
            return ""
        short = {label: value for label, value in found.items() if value < 0}
        of = plural(report.rows.heads[0].heading)
        if not short:
            return f"All {counted(len(found))} {of} reach their plan"
        label, least = min(short.items(), key=lambda each: each[1])
        some = "all" if len(short) == len(found) else f"{counted(len(short))} of"
        are = "is" if len(short) == 1 else "are"
        worst = (
            f"{label} by {float(-least) * 100:.1f} %"
            if len(short) == 1
            else f"most of all {label}, by {float(-least) * 100:.1f} %"
        )
        return sentence(f"{some} {counted(len(found))} {of} {are} short of plan, {worst}")
