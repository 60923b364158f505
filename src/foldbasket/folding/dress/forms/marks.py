"""Forms that are the same for every cell: ground, ink, weight, and a sign before the value."""

from __future__ import annotations

from typing import Annotated, ClassVar

from foldbasket.kinds import Choice, entered, set_by
from foldbasket.spec.look import FormStruct, Look
from foldbasket.styling.styles import Colour, Inks

Mark = Annotated[Colour, set_by("Colour")]


@entered
class Ground(FormStruct, frozen=True, tag="ground"):
    """A tinted ground, with a bar in its ink at the cell's edge, so that it is seen without colour."""

    colour: Mark = Colour.OCHRE
    standing: ClassVar[int] = 10
    label: ClassVar[str] = "ground"

    def look(self, share: float, inks: Inks) -> Look:
        return Look(ground=inks.marks[self.colour][1])

    def edge(self, inks: Inks) -> str:
        return inks.marks[self.colour][0]


@entered
class Ink(FormStruct, frozen=True, tag="ink"):
    """Coloured and bold, so that it is seen without colour."""

    colour: Mark = Colour.MADDER
    standing: ClassVar[int] = 20
    label: ClassVar[str] = "ink"

    def look(self, share: float, inks: Inks) -> Look:
        return Look(ink=inks.marks[self.colour][0], bold=True)


@entered
class Weight(FormStruct, frozen=True, tag="weight"):
    """Bold."""

    standing: ClassVar[int] = 30
    label: ClassVar[str] = "weight"

    def look(self, share: float, inks: Inks) -> Look:
        return Look(bold=True)


class Shape(Choice):
    """A sign before a value."""

    DOWN = "▾", "▾"
    UP = "▴", "▴"
    DOT = "●", "●"
    DIAMOND = "◆", "◆"
    SQUARE = "■", "■"


@entered
class SignBefore(FormStruct, frozen=True, tag="sign"):
    """A sign before the value, in a colour."""

    shape: Annotated[Shape, set_by("Sign")] = Shape.DOWN
    colour: Mark = Colour.MADDER
    standing: ClassVar[int] = 60
    label: ClassVar[str] = "sign"

    def look(self, share: float, inks: Inks) -> Look:
        return Look(ink=inks.marks[self.colour][0])

    def sign(self, step: int) -> str:
        return str(self.shape)
