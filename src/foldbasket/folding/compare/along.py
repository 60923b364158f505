"""Comparisons that go along a field of an axis, and how the field is found where none is named."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated

from foldbasket.errors import FoldError
from foldbasket.folding.compare.cells import Cells
from foldbasket.folding.compare.figures import Figures
from foldbasket.folding.compare.sides import Side, Time
from foldbasket.kinds import set_by
from foldbasket.spec.comparison import ComparisonStruct, Words
from foldbasket.styling.words import lower_first

Place = tuple[bool, int]
"""A field of a fold: whether it stands on columns, and its position there from 0."""


class Along(ComparisonStruct, frozen=True):
    """Comparisons along a field; without `along`, along the one that fits best."""

    along: Annotated[str | None, set_by("Along", "The field along which it goes.", of="word")] = None

    def direction(self, names: Sequence[str]) -> str:
        """What is added about where it goes, from the headings of its axis up to the field along which it goes."""
        return ""

    def phrase(self, words: Words) -> str:
        names = [lower_first(each) for each in words.way(self)]
        return self.said + (self.direction(names) if names else "")  # its axis may have been taken out

    def heading(self, words: Words) -> str:
        names = [lower_first(each.partition(" of ")[0]) for each in words.way(self)]
        return self.said + (self.direction(names[-1:]) if names else "")

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        """The field that fits best, by how the fields of both axes stand in time: the innermost period of columns or rows, else
        the innermost field of rows or columns; None where nothing is placed."""
        for is_columns, times in ((True, columns), (False, rows)):
            for at in reversed(range(len(times))):
                time = times[at]
                if time is not None and time.is_period:
                    return is_columns, at
        return _innermost(columns, rows)

    def place(self, columns: Sequence[str], rows: Sequence[str], times: Callable[[], Times]) -> Place | None:
        """The field along which it goes, from the words of both axes; None where that was taken out or there is none."""
        if self.along is None:
            return self.best(*times())
        if self.along in columns:
            return True, columns.index(self.along)
        return (False, rows.index(self.along)) if self.along in rows else None

    def place_in(self, figures: Figures) -> Place | None:
        """The field along which it goes, in a statement."""
        axes = (figures.columns.keys, figures.rows.keys)
        columns, rows = ([key.word for key in keys] for keys in axes)
        return self.place(columns, rows, lambda: ([key.time for key in axes[0]], [key.time for key in axes[1]]))

    def _side(self, cells: Cells) -> tuple[Side, int, bool]:
        """The axis, the field's position on it, and whether the axis is the columns."""
        sides = (cells.columns, cells.rows)
        columns, rows = ([word.id for word in side.words] for side in sides)
        found = self.place(columns, rows, lambda: (sides[0].times, sides[1].times))
        if found is not None:
            return sides[0 if found[0] else 1], found[1], found[0]
        if self.along is not None:
            raise FoldError("the field to compare along is no longer on rows or columns.", todo="Choose another field.")
        raise FoldError("there is no field to compare along.", todo="Place a field on rows or columns.")


Times = tuple[Sequence[Time | None], Sequence[Time | None]]
"""How the fields of columns and of rows stand in time."""


def _innermost(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
    return (False, len(rows) - 1) if rows else (True, len(columns) - 1) if columns else None


class AlongTime(Along, frozen=True):
    """Comparisons that build up along a field: where there is time, along the finest, be it a period or a cycle such as the
    quarters of each year."""

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        timed = [
            (time.fineness, is_columns, at)
            for is_columns, times in ((True, columns), (False, rows))
            for at, time in enumerate(times)
            if time is not None
        ]
        return max(timed)[1:] if timed else _innermost(columns, rows)


class Among(Along, frozen=True):
    """Comparisons among the members of a field, by themselves those of the innermost field of rows, else of columns."""

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        return _innermost(columns, rows)
