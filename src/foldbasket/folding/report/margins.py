"""The margins of a report: what each of its rows and columns stands for once the measures are laid along one axis.

Measures take a place among an axis's fields: inside all of them, or after any number of the outer ones. Where they stand
outside some fields, each measure repeats the lines of those fields; totals over outer fields hold every measure once.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Axis, Kind

Starts = npt.NDArray[np.int64]

MEASURE = -1
"""Stands among the places of a margin, whose others are numbers of fields, for the measures."""


class Margin:
    """Rows or columns of a report as they are shown.

    `line` and `measure` give for each its line of the axis and its measure, -1 on the axis without measures; shape (lines
    shown,). `places` names what its heads say, from the outermost: numbers of fields, and `MEASURE`.
    """

    def __init__(self, axis: Axis, headings: Sequence[str] | None, at: int | None, alone: bool = False) -> None:
        """`headings` are those of the measures, None where they stand on the other axis; `at` the fields they stand inside; `alone` says that
        a single one is named as well."""
        self.axis = axis
        self.headings = list(headings) if headings is not None else []
        depth = axis.depth
        self.inside = depth if at is None else max(0, min(at, depth))
        fields = list(range(depth))
        if headings is None:
            self.line = np.arange(len(axis))
            self.measure = np.full(len(axis), -1)
            self.places: tuple[int, ...] = tuple(fields)
            return
        many = len(self.headings)
        block = self._blocks()
        lines = np.repeat(np.arange(len(axis)), many)
        measures = np.tile(np.arange(many), len(axis))
        order = np.lexsort((lines, measures, block[lines])) if many else np.empty(0, np.int64)
        self.line, self.measure = lines[order], measures[order]
        # One measure alone need not be named beside fields; without fields there is nothing else to name.
        named = [MEASURE] if many > 1 or not depth or alone else []
        self.places = (*fields[: self.inside], *named, *fields[self.inside :])

    def _blocks(self) -> npt.NDArray[np.int64]:
        """A number for each line of the axis; within a block the measures stand side by side over all its lines."""
        axis, inside = self.axis, self.inside
        if not len(axis):
            return np.empty(0, np.int64)
        if inside == axis.depth:
            return np.arange(len(axis))
        outer, within = axis.codes[:, :inside], axis.level >= inside
        apart = np.ones(len(axis), np.bool_)
        apart[1:] = (outer[1:] != outer[:-1]).any(axis=1) | ~within[1:] | ~within[:-1]
        return np.cumsum(apart)

    def __len__(self) -> int:
        return len(self.line)

    @property
    def has_measures(self) -> bool:
        """Whether the measures are named along it."""
        return MEASURE in self.places

    def place(self, field: int) -> int:
        """Where among the places a field stands."""
        return self.places.index(field)

    def place_of(self, word: str) -> int | None:
        """Where among the places the field of a word stands; None where it is on none of them."""
        heads = self.axis.heads
        return next((at for at, field in enumerate(self.places) if field != MEASURE and heads[field].id == word), None)

    @cached_property
    def kind(self) -> npt.NDArray[np.int8]:
        """What each stands for; shape (lines shown,)."""
        return self.axis.kind[self.line]

    @cached_property
    def level(self) -> npt.NDArray[np.int32]:
        """How many fields each names."""
        return self.axis.level[self.line]

    @cached_property
    def is_total(self) -> npt.NDArray[np.bool_]:
        """Which are totals rather than members."""
        return np.isin(self.kind, (int(Kind.SUBTOTAL), int(Kind.GRAND)))

    @cached_property
    def names(self) -> npt.NDArray[np.int32]:
        """What each is called at every place: a member's code, a measure's number, -1 for nothing; shape (lines shown, places)."""
        columns = [self.measure if place == MEASURE else self.axis.codes[self.line, place] for place in self.places]
        return (np.stack(columns, axis=1) if columns else np.empty((len(self), 0))).astype(np.int32)

    def heading(self, place: int) -> str:
        """The heading over one place's names; the measures need none."""
        return "" if self.places[place] == MEASURE else self.axis.heads[self.places[place]].heading

    def label(self, at: int, place: int) -> str:
        """What one is called at a place; empty where it is not named there."""
        field = self.places[place]
        if field == MEASURE:
            return self.headings[int(self.measure[at])]
        return self.axis.label(int(self.line[at]), field)

    def labels(self, rows: range, place: int) -> list[str]:
        """The same of several."""
        return self.called(slice(rows.start, rows.stop, rows.step), place)

    def called(self, which: slice | Starts, place: int) -> list[str]:
        """The same of a slice of them, or of those with the given numbers."""
        field = self.places[place]
        if field == MEASURE:
            return [self.headings[measure] for measure in self.measure[which].tolist()]
        return self.axis.labels(self.line[which], field)

    def caption(self, at: int) -> str:
        """What a total is called; empty for members."""
        return self.axis.caption(int(self.line[at]))

    def caption_place(self, at: int) -> int:
        """The place at which a total's caption stands: that of the first field it does not name."""
        return self.place(min(int(self.level[at]), self.axis.depth - 1))

    def starts(self, place: int, at: int, first: int = 0) -> bool:
        """Whether a run of one name begins, given that `first` is the first one in view."""
        return at <= first or bool(self._changes[at, place])

    def begins(self, rows: range, first: int = 0) -> npt.NDArray[np.bool_]:
        """The same at every place of some rows or columns; shape (rows, places)."""
        found = self._changes[rows.start : rows.stop : rows.step].copy()
        found[: max(0, first + 1 - rows.start)] = True
        return found

    @cached_property
    def _changes(self) -> npt.NDArray[np.bool_]:
        """Where a name differs from the one before, or one outside it does; shape (lines shown, places)."""
        found = np.ones(self.names.shape, np.bool_)
        if len(self):
            found[1:] = np.logical_or.accumulate(self.names[1:] != self.names[:-1], axis=1)
        return found

    def runs(self, place: int, within: range) -> list[tuple[int, int]]:
        """Start and stop of each run, among those that reach into a range, that shares its names up to a place and has one there."""
        return _reaching(*self._runs[place], within)

    def all_runs(self, place: int) -> tuple[Starts, Starts]:
        """Start and stop of every such run."""
        return self._runs[place]

    @cached_property
    def _runs(self) -> list[tuple[Starts, Starts]]:
        """For each place the starts and stops of its runs."""
        made = []
        changed = np.zeros(max(0, len(self) - 1), np.bool_)
        for place in range(len(self.places)):
            changed = changed | (self.names[1:, place] != self.names[:-1, place])
            made.append(self._named(_edges(changed, len(self)), self.names[:, place] >= 0))
        return made

    def total_runs(self, within: range) -> list[tuple[int, int]]:
        """The same of each total: one run for each measure where those stand inside it, else a single one."""
        return _reaching(*self._total_runs, within)

    @cached_property
    def _total_runs(self) -> tuple[Starts, Starts]:
        if not self.axis.depth:
            return self._named(
                _edges(np.zeros(max(0, len(self) - 1), np.bool_), len(self)), np.zeros(len(self), np.bool_)
            )
        # A total's measures stand inside it where they have a place at or below its caption's.
        places = np.array([self.place(field) for field in range(self.axis.depth)])
        below = self.places.index(MEASURE) if MEASURE in self.places else -1
        inside = places[np.minimum(self.level, self.axis.depth - 1)] <= below
        same = (self.line[1:] == self.line[:-1]) & inside[:-1]
        return self._named(_edges(~same, len(self)), self.is_total)

    @staticmethod
    def _named(edges: Starts, named: npt.NDArray[np.bool_]) -> tuple[Starts, Starts]:
        starts, stops = edges[:-1], edges[1:]
        kept = named[starts] if len(starts) else np.zeros(0, np.bool_)
        return starts[kept], stops[kept]


def _edges(changed: npt.NDArray[np.bool_], count: int) -> Starts:
    """Where runs begin, and the end of the last; `changed` says at each of them but the first whether it differs from the one before."""
    return np.concatenate([[0], np.flatnonzero(changed) + 1, [count]]) if count else np.zeros(0, np.int64)


def _reaching(starts: Starts, stops: Starts, within: range) -> list[tuple[int, int]]:
    first, last = np.searchsorted(stops, within.start, "right"), np.searchsorted(starts, within.stop, "left")
    return list(zip(starts[first:last].tolist(), stops[first:last].tolist(), strict=True))
