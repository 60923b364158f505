"""How members stand in order, and which of them are shown, by the values of a measure."""

from __future__ import annotations

from typing import Literal

import msgspec


class ByValue(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Order by a measure: in the total of the other axis, or in the line of one of its members (keys, outermost first)."""

    measure: str
    among: tuple[str, ...] = ()


class Keep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which members of a field are shown, by a measure, within each parent.

    `top` and `bottom` so many (those equal to the last stay), so many `percent` of the members, `share`: the fewest that reach
    so many percent of their sum together (of equal ones the first by label), or `where` the measure compares with a number. The `rest` is gone, or gathered in one
    line of its own.
    """

    measure: str
    kind: Literal["top", "bottom", "top percent", "bottom percent", "share", "where"] = "top"
    number: str = "10"
    sign: Literal["=", "≠", "<", "≤", ">", "≥"] = ">"
    rest: Literal["gone", "gathered"] = "gone"

    @property
    def said(self) -> str:
        """How the sentence says it: “top 10”."""
        return {
            "top": f"top {self.number}",
            "bottom": f"bottom {self.number}",
            "top percent": f"top {self.number} %",
            "bottom percent": f"bottom {self.number} %",
            "share": f"the largest up to {self.number} %",
            "where": f"{self.sign} {self.number}",
        }[self.kind]
