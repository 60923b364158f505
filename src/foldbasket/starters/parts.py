"""What it is made of: the leading amount for each member of a field, and the share of each."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.folding.report.report import Report
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue, Rest
from foldbasket.starters.ground import Ground
from foldbasket.starters.starter import Starter, counted, grand, members, sentence, starter, values
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.words import plural, share_text

LARGE = Fraction(2, 3)
"""The finding counts the fewest members that make so large a share."""
replace = msgspec.structs.replace


def _with_share(ground: Ground) -> tuple[Measure, Measure]:
    """The leading amount, and its share of the column."""
    net = ground.measure("w1")
    return net, replace(net, number=NumberStyle(), id="w2", compare=ShareOf(Whole.COLUMN), heading="Share")


@starter
class Parts(Starter):
    """Each member of a field with few of them, the largest first, with its share."""

    key = "parts"
    standing = 20

    def fold(self, ground: Ground) -> Fold | None:
        if not ground.kinds:
            return None
        field = ground.kinds[0]
        net, share = _with_share(ground)
        placed = Placed("w3", field, by=ByValue("w1"), descending=True)
        return Fold(f"{net.field.field if net.field else 'Records'} by {field.field}", (net, share), (placed,))

    def finding(self, report: Report, fold: Fold) -> str:
        named = members(report)
        found = sorted((each.value for each in named if each.value is not None), reverse=True)
        whole = grand(report) or Fraction(0)
        if len(found) < 2 or whole <= 0 or found[-1] < 0 or sum(found) < whole * LARGE or sum(found) > whole:
            return ""
        reached, many = Fraction(0), 0
        while reached < whole * LARGE:
            reached, many = reached + found[many], many + 1
        of = plural(report.rows.heads[0].heading)
        makes = "makes up" if many == 1 else "make up"
        return sentence(f"{counted(many)} of {counted(len(named))} {of} {makes} {share_text(reached / whole)}")


@starter
class Largest(Starter):
    """The ten largest members of a field with many of them, the others in one line, with their shares."""

    key = "largest"
    standing = 30
    MANY = 10

    def fold(self, ground: Ground) -> Fold | None:
        if not ground.names:
            return None
        field = ground.names[0]
        net, share = _with_share(ground)
        keep = Top("w1", Rest.GATHERED, str(self.MANY))
        placed = Placed("w3", field, by=ByValue("w1"), descending=True, keep=keep)
        return Fold(f"Top 10: {field.field}", (net, share), (placed,))

    def finding(self, report: Report, fold: Fold) -> str:
        found, shares = values(report)[: self.MANY], values(report, 1)[: self.MANY]
        if len(found) < 2 or shares[0][1] <= 0:
            return ""
        together = sum((share for _, share in shares), Fraction(0))
        largest = f"Largest: {shares[0][0]}, {share_text(shares[0][1], 1)}"
        return f"The top {counted(len(found))} make up {share_text(together)}. {largest}"
