"""How members stand in order, and which of them are shown, by the values of a measure."""

from __future__ import annotations

from typing import Literal

import msgspec

from foldbasket.kinds import Choice


class ByValue(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Order by a measure: in the total of the other axis, or in the line of one of its members (keys, outermost first)."""

    measure: str
    among: tuple[str, ...] = ()


class Picking(Choice):
    """How members are picked by a measure. `said` is filled with the number, and for a comparison with its sign; `meaning` is the number
    that it begins with."""

    TOP = "top", "the top", "top {number}", "10"
    BOTTOM = "bottom", "the bottom", "bottom {number}", "10"
    TOP_PERCENT = "top percent", "the top percent", "top {number} %", "10"
    BOTTOM_PERCENT = "bottom percent", "the bottom percent", "bottom {number} %", "10"
    SHARE = "share", "the largest up to %", "the largest up to {number} %", "80"
    WHERE = "where", "where it is", "{sign} {number}", "0"


class Rest(Choice):
    """What becomes of the members that are not shown."""

    GONE = "gone", "is not shown"
    GATHERED = "gathered", "stands as All others"


class Keep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which members of a field are shown, by a measure, within each parent.

    `top` and `bottom` so many (those equal to the last stay), so many `percent` of the members, `share`: the fewest that reach
    so many percent of their sum together (of equal ones the first by label), or `where` the measure compares with a number. The `rest` is gone, or gathered in one
    line of its own.
    """

    measure: str
    kind: Picking = Picking.TOP
    number: str = "10"
    sign: Literal["=", "≠", "<", "≤", ">", "≥"] = ">"
    rest: Rest = Rest.GONE

    @property
    def said(self) -> str:
        """How the sentence says it: “top 10”."""
        return Picking(self.kind).said.format(number=self.number, sign=self.sign)
