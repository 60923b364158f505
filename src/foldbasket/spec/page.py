"""How a report stands on paper, as it is asked for."""

from __future__ import annotations

import msgspec

from foldbasket.kinds import Choice
from foldbasket.spec.field import FieldRef


class Paper(Choice):
    """Sizes of paper; `millimetres` gives the short and the long side."""

    A3 = "A3", "A3"
    A4 = "A4", "A4"
    A5 = "A5", "A5"
    LETTER = "letter", "Letter"
    LEGAL = "legal", "Legal"

    @property
    def millimetres(self) -> tuple[float, float]:
        """The short and the long side."""
        sides = {
            "A3": (297.0, 420.0),
            "A4": (210.0, 297.0),
            "A5": (148.0, 210.0),
            "letter": (215.9, 279.4),
            "legal": (215.9, 355.6),
        }
        return sides[self.value]


class Way(Choice):
    """How the paper lies."""

    FITS = "fits", "as fits"
    UPRIGHT = "upright", "upright"
    SIDEWAYS = "sideways", "sideways"


class Fit(Choice):
    """How large the report stands on it."""

    COLUMNS = "columns", "all columns on one page"
    FULL = "full", "at full size"
    PAGES = "pages", "on so many pages"


class Order(Choice):
    """Which page comes next where columns go on beside."""

    DOWN = "down", "down, then beside"
    BESIDE = "beside", "beside, then down"


class ChartOn(Choice):
    """Where the chart stands on paper."""

    AFTER = "after", "after the report"
    OWN = "own", "on a page of its own"
    NONE = "none", "not at all"


FIELDS = {
    "title": "the title", "sentence": "the sentence", "page": "the page", "pages": "how many there are", "group": "the group of the page",
    "date": "today", "asof": "the as-of date", "source": "the sources", "file": "the basket's file", "picked": "what is picked",
}  # fmt: skip
"""What stands in braces in the lines at head and foot, with what becomes of it."""


class Listing(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The records of a report under its groups: which `fields` are shown of each, and by which of them they stand in order within a group, by
    their place in the source where that is None."""

    fields: tuple[FieldRef, ...] = ()
    by: FieldRef | None = None
    descending: bool = False


class Each(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The field, or the `part` of its dates, for each member of which a report is made."""

    field: FieldRef
    part: str | None = None


class Page(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A report on paper. `margin` is in millimetres; `pages` is for what is to fit on so many. A new page begins for each member of the field
    of the word `breaks`. `head` and `foot` are three texts each, at the left, in the middle and at the right, with fields in braces. With a `listing` the records of each group stand
    on it in place of the cells; with `each` the pages are those of one report after the other, each kept to a member."""

    paper: Paper = Paper.A4
    way: Way = Way.FITS
    margin: float = 12.0
    fit: Fit = Fit.COLUMNS
    pages: int = 1
    breaks: str | None = None
    order: Order = Order.DOWN
    chart: ChartOn = ChartOn.AFTER
    listing: Listing | None = None
    each: Each | None = None
    head: tuple[str, str, str] = ("", "", "")
    foot: tuple[str, str, str] = ("{title}", "{group}", "page {page} of {pages}")

    def without(self, word: str) -> Page:
        """The page without a word that is taken out."""
        return msgspec.structs.replace(self, breaks=None) if self.breaks == word else self
