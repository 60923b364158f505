"""What was planned beside what came."""

from __future__ import annotations

import msgspec

from foldbasket.folding.compare.against import AgainstMeasure, How
from foldbasket.folding.report.report import Report
from foldbasket.folding.usual import usual_aggregate
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Placed
from foldbasket.starters.ground import PLANNED, Ground
from foldbasket.starters.starter import Starter, counted, members, sentence, starter
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import plural, share_text

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
        off = replace(
            net, number=NumberStyle(), id="w3", compare=AgainstMeasure("w2", How.CHANGE), heading="Variance to plan"
        )
        return Fold("Actual vs plan", (net, plan, off), (Placed("w4", field),))

    def _shared(self, ground: Ground, planned: FieldRef) -> FieldRef | None:
        """A field of few members that stands for the records of both tables."""
        source = ground.source
        found = [ref for ref in ground.kinds if source.stand_in(planned.table, ref) is not None]
        return next(
            (ref for ref in found if ref != ground.kinds[0]), found[0] if found else None
        )  # the first splits another report

    def finding(self, report: Report, fold: Fold) -> str:
        named = members(report, report.width - 1)
        found = {each.label: each.value for each in named if each.value is not None}
        if not found:
            return ""
        short = {label: value for label, value in found.items() if value < 0}
        of, without = plural(report.rows.heads[0].heading), len(named) - len(found)
        lacking = f"; {counted(without)} cannot be compared" if without else ""
        if not short:
            some = "all" if not without else f"{counted(len(found))} of"
            return sentence(f"{some} {counted(len(named))} {of} met plan{lacking}")
        label, least = min(short.items(), key=lambda each: each[1])
        some = "all" if len(short) == len(named) else f"{counted(len(short))} of"
        are = "is" if len(short) == 1 else "are"
        worst = (
            f"{label} by {share_text(-least, 1)}"
            if len(short) == 1
            else f"furthest {label}, by {share_text(-least, 1)}"
        )
        return sentence(f"{some} {counted(len(named))} {of} {are} below plan, {worst}{lacking}")
