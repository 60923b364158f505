"""The chart of a fold, as it is asked for. Its kinds stand in `charts/kinds/`, each with what it draws and what it refuses."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

import msgspec

from foldbasket.kinds import Choice, Kind, set_by
from foldbasket.registry import Kinds


class Beside(Choice):
    """Where a chart stands in the window."""

    UNDER = "under", "under the grid"
    BESIDE = "beside", "beside the grid"
    INSTEAD = "instead", "instead of the grid"


class Names(Choice):
    """Where the names of several series stand."""

    THERE = "there", "at what they name"
    LEGEND = "legend", "in a legend"
    NONE = "none", "nowhere"


class Values(Choice):
    """Which values are written out."""

    NONE = "none", "none"
    ENDS = "ends", "at the ends"
    ALL = "all", "all"


class Mean(Choice):
    """What a line across the chart stands at."""

    NOTHING = "nothing", "nothing"
    NUMBER = "number", "a number"
    AVERAGE = "average", "the average"
    MEASURE = "measure", "another measure"


class Reference(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A line to compare with: at a number, at the average of what is drawn, or at another measure in each place."""

    at: Mean = Mean.NOTHING
    number: str = ""
    measure: str = ""


class Drawn(Kind):
    """Base of all kinds of charts; each kind is a `DrawnStruct`."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Drawn]]] = Kinds("chart", "foldbasket.charts.kinds")
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""
    label: ClassVar[str] = ""
    """What its choice is called: “columns”."""
    meaning: ClassVar[str] = ""
    from_zero: ClassVar[bool | None] = True
    """Whether its values start at zero; None where that can be chosen."""
    upright: ClassVar[bool] = True
    """Whether values rise; else they go to the right, and members stand below one another."""
    alone: ClassVar[bool] = False
    """Whether it draws a single series where nothing else is said."""
    most_along: ClassVar[int] = 40
    """Members along its axis, other than periods, past which the rest is gathered."""
    in_time: ClassVar[bool] = True
    """Whether it goes along time where nothing else is said."""
    per_member: ClassVar[str] = "A series for each"
    """What the choice of the field of its series is called."""

    def fits(self, figures: Any) -> tuple[int, str]:
        """How well it shows some figures (`charts.figures.Figures`), from 0, and why."""
        return 0, ""

    def refusal(self, figures: Any) -> str:
        """Why it would mislead, and what to take instead; empty where it would not."""
        return ""

    def extent(self, panel: Any) -> tuple[float, float]:
        """The smallest and largest value that it draws of a panel of the figures."""
        return 0.0, 1.0

    def draw(self, plot: Any, panel: Any) -> None:
        """Draws a panel of the figures on a `charts.plot.Plot`."""
        raise NotImplementedError


class DrawnStruct(msgspec.Struct, Drawn, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"):
    """Base of every kind of chart: the struct that a document holds."""


class Chart(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A chart of what the report shows. `drawn` None is the kind that fits best; `along`, `series` and `each` are words of the fold, None for what fits
    best and empty for none; `measure` is the id of the one that is drawn. More members than `most` are gathered. `title` None is made of the
    measure. `share` is how much of the room it takes in the window, None what the grid leaves, `height` how much of a page."""

    drawn: Drawn | None = None
    place: Beside = Beside.UNDER
    along: str | None = None
    series: str | None = None
    each: str | None = None
    measure: str | None = None
    names: Annotated[Names, set_by("Names", "Where the names of the series stand.")] = Names.THERE
    values: Annotated[Values, set_by("Values", "Which values are written out.")] = Values.NONE
    zero: bool | None = None
    most: int = 8
    title: str | None = None
    note: str = ""
    line: Reference = Reference()
    share: float | None = None
    height: float = 0.5

    def without(self, word: str) -> Chart:
        """The chart without a word or measure that is taken out."""
        gone = {name: None for name in ("along", "series", "each", "measure") if getattr(self, name) == word}
        line = Reference() if self.line.measure == word else self.line
        return msgspec.structs.replace(self, line=line, **gone)
