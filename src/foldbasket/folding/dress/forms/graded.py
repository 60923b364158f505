"""Forms that go by the value: shading, bars in the cell, and a sign for each third."""

from __future__ import annotations

from typing import Annotated, ClassVar

from foldbasket.kinds import Choice, entered, set_by
from foldbasket.spec.look import FormStruct, Look
from foldbasket.styling.styles import Colour, Inks, blended

STEPS = 16
"""So many shades; more cannot be told apart."""


@entered
class Shading(FormStruct, frozen=True, tag="shading"):
    """A ground that goes in a straight line from the paper at the smallest value of the scope to the colour at the largest."""

    colour: Annotated[Colour, set_by("Colour")] = Colour.INDIGO
    standing: ClassVar[int] = 40
    label: ClassVar[str] = "shading"
    steps: ClassVar[int] = STEPS

    def look(self, share: float, inks: Inks) -> Look:
        ink, ground = inks.marks[self.colour]
        return Look(ground=blended(inks.paper, blended(ground, ink, 0.25), share))


@entered
class Bar(FormStruct, frozen=True, tag="bar"):
    """A bar behind the value, as long as the value over the largest magnitude of the scope; zero stands fixed."""

    colour: Annotated[Colour, set_by("Colour")] = Colour.OCHRE
    standing: ClassVar[int] = 50
    label: ClassVar[str] = "bar"
    bars: ClassVar[bool] = True

    def edge(self, inks: Inks) -> str:
        ink, ground = inks.marks[self.colour]
        return blended(ground, ink, 0.18)


class Signs(Choice):
    """Three signs of different shapes, for the lowest, the middle and the highest third."""

    WAYS = "▾ ▸ ▴", "▾ ▸ ▴"
    FULL = "○ ◐ ●", "○ ◐ ●"


@entered
class Thirds(FormStruct, frozen=True, tag="thirds"):
    """A sign of a shape of its own for each third of the way from the smallest value of the scope to the largest."""

    signs: Annotated[Signs, set_by("Signs")] = Signs.WAYS
    standing: ClassVar[int] = 70
    label: ClassVar[str] = "signs by thirds"
    steps: ClassVar[int] = 3

    def look(self, share: float, inks: Inks) -> Look:
        colour = ("madder", "slate", "moss")[min(2, int(share * 3))]
        return Look(ink=inks.marks[colour][0])

    def sign(self, step: int) -> str:
        return self.signs.split()[step]
