"""Bands between edges that the analyst gives."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from itertools import pairwise
from typing import Annotated, ClassVar

from foldbasket.errors import FoldError
from foldbasket.folding.members.bands.band import Numbers
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.cut import BandsStruct


@entered
class Edges(BandsStruct, frozen=True, tag="edges"):
    """Bands between the given numbers; what lies outside all of them makes *(outside)*."""

    edges: Annotated[
        tuple[str, ...],
        set_by("Edges", "An edge belongs to the band above it; the last band has both its edges.", hint="0, 100, 1000"),
    ] = ("0", "100", "1000")
    standing: ClassVar[int] = 30
    by_values: ClassVar[bool] = False
    label: ClassVar[str] = "bands at edges"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("in bands at {edges:numbers}"),)
    meaning: ClassVar[str] = "Between the numbers you give; the rest is outside."

    def between(self, numbers: Numbers) -> Sequence[Decimal]:
        edges = [numbers.typed(text) for text in self.edges]
        if len(edges) < 2 or any(low >= high for low, high in pairwise(edges)):
            raise FoldError(
                f"the edges of the bands of “{numbers.field}” must rise, and be two or more.",
                todo="Write them like 0, 100, 500.",
            )
        return edges
