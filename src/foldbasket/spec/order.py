"""How members stand in order, and which of them are shown, by the values of a measure. The kinds of picking stand in `folding/pickings/`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, ClassVar

import msgspec

from foldbasket.kinds import Choice, Kind, set_by
from foldbasket.registry import Kinds
from foldbasket.sayings import Saying, plainly, said_by


class ByValue(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Order by a measure: in the total of the other axis, or in the line of one of its members (keys, outermost first)."""

    measure: str
    among: tuple[str, ...] = ()


class Rest(Choice):
    """What becomes of the members that are not shown."""

    GONE = "gone", "is not shown"
    GATHERED = "gathered", "stands as All others"


class Keep(Kind):
    """Base of all pickings: which members of a field are shown, by a `measure`, within each parent. What becomes of the `rest` is said on
    each; each kind is a `KeepStruct`."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Keep]]] = Kinds("picking", "foldbasket.folding.layout.pickings")
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""
    label: ClassVar[str] = ""
    """What its choice is called: “the top”."""
    by_label: ClassVar[bool] = False
    """Whether the order of labels decides between members of equal values."""

    if TYPE_CHECKING:
        measure: str
        rest: Rest

    sayings: ClassVar[tuple[Saying, ...]] = ()
    """How the sentence says it: “top 10 by Net”."""

    @property
    def said(self) -> str:
        """How many it keeps, without its measure: “top 10”."""
        return self.phrase("").removesuffix(" by")

    def phrase(self, measure: str) -> str:
        """How the sentence says it, with the heading of its measure: “top 10 by Net”."""
        return said_by(self, lambda slot, value: measure if slot.sort == "measure" else plainly(slot, value, self))

    def kept(self, values: Any, parents: Any) -> Any:
        """Which nodes are shown; `values` is a `folding.aggregates.Block` with one for each node, `parents` the node of the level above, both
        of shape (nodes,), parents together. Raises FoldError where it makes no sense."""
        raise NotImplementedError


class KeepStruct(msgspec.Struct, Keep, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"):
    """Base of every kind of picking: the struct that a document holds."""

    measure: str
    rest: Annotated[Rest, set_by("The rest")] = Rest.GONE
