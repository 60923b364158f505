"""Ways to cut a field into members other than its values: bands of numbers and named groups."""

from __future__ import annotations

from typing import Literal

import msgspec


class Bands(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Half-open bands [from, to), the last closed.

    `width`: bands of the width `size`, on multiples of it, over all values of the field. `counts`: `size` bands with as equal
    numbers of records of the field's table as its values allow. `edges`: between the given numbers; what lies outside all of
    them makes *(outside)*.
    """

    how: Literal["width", "edges", "counts"] = "width"
    size: str = "100"
    edges: tuple[str, ...] = ()

    @property
    def said(self) -> str:
        """How the sentence says it: “in bands of 100”."""
        return {
            "width": f"in bands of {self.size}",
            "counts": f"in {self.size} bands of equal counts",
            "edges": "in bands at " + ", ".join(self.edges),
        }[self.how]


class Group(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Members, by canonical text, that stand as one under a name."""

    name: str
    members: tuple[str, ...]


class Groups(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Named groups of a field's members. The other members are kept as they are, or gathered under the name `rest`. With a
    `part`, the members are those of a part of its dates."""

    groups: tuple[Group, ...]
    rest: str | None = None
    part: str | None = None

    @property
    def said(self) -> str:
        """How the sentence says it: “in groups”."""
        return "in groups"


Cut = str | Bands | Groups
"""How a field becomes members other than its values: the name of a part of a date, bands, or groups."""


def cut_of(part: str | None, bands: Bands | None, groups: Groups | None) -> Cut | None:
    """How a field becomes members, if not by its values: groups are of the part where there is one."""
    if groups is not None and part is not None:
        return msgspec.structs.replace(groups, part=part)
    return bands or groups or part
