"""Ways to cut a field into members other than its values: bands of numbers and named groups."""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec

from foldbasket.kinds import Kind
from foldbasket.registry import Kinds
from foldbasket.sayings import Saying, said_by


class Bands(Kind):
    """Base of all bands of numbers: half-open [from, to), the last closed; each kind is a `BandsStruct`."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Bands]]] = Kinds("bands", "foldbasket.folding.members.bands")
    tag: ClassVar[str] = "how"
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""
    label: ClassVar[str] = ""
    """What its choice is called: “bands of one width”."""
    meaning: ClassVar[str] = ""
    by_values: ClassVar[bool] = True
    """Whether their edges depend on which values the field has."""
    by_ends: ClassVar[bool] = False
    """Whether of these the smallest and the largest alone decide."""
    sayings: ClassVar[tuple[Saying, ...]] = ()
    """How the sentence says it: “in bands of 100”."""

    @property
    def said(self) -> str:
        """How the sentence says it."""
        return said_by(self)

    def between(self, numbers: Any) -> Any:
        """The edges of the bands, rising; `numbers` are a `folding.bands.band.Numbers`. Raises FoldError where they make no sense."""
        raise NotImplementedError


class BandsStruct(msgspec.Struct, Bands, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="how"):
    """Base of every kind of bands: the struct that a document holds."""


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
