"""Members that are selected in the headings of the grid: which they are, what of the report is theirs, and the way of the keyboard among them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.desktop.work.members import Seen, seen_at
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.report.report import Report

Path = tuple[str, ...]

MOST_LINES = 100_000
"""Over more rows or columns members are not selected in a stretch, nor put in order by hand."""


@dataclass(frozen=True, eq=False)
class Chosen:
    """Members of one field of a margin. `at` is the row or column that the keyboard is on, `anchor` the one from which a stretch is selected."""

    report: Report
    on_rows: bool
    place: int
    members: tuple[Seen, ...]
    at: int
    anchor: int

    @property
    def margin(self) -> Margin:
        return self.report.left if self.on_rows else self.report.top

    @property
    def field(self) -> int:
        return self.margin.places[self.place]

    @property
    def word(self) -> str:
        """The id of the placed field that they belong to."""
        return self.margin.axis.heads[self.field].id

    @property
    def paths(self) -> set[Path]:
        return {each.path for each in self.members}

    @property
    def tokens(self) -> list[str]:
        """What names each of them, once."""
        return list(dict.fromkeys(each.path[-1] for each in self.members))

    @property
    def current(self) -> Seen | None:
        """The member that the keyboard is on."""
        return seen_at(self.margin, self.at, self.place)

    @cached_property
    def mask(self) -> npt.NDArray[np.bool_]:
        """Which rows or columns are theirs; shape (lines of the margin,)."""
        margin, field = self.margin, self.field
        axis = margin.axis
        held = np.zeros(len(axis), np.bool_)
        if self.members:
            wanted = np.array([self._codes(each) for each in self.members], np.int64)
            codes = axis.codes[:, : field + 1].astype(np.int64)
            key = np.zeros(len(axis), np.int64)
            sought = np.zeros(len(wanted), np.int64)
            for at in range(field + 1):  # one number for each path, made step by step so that it never grows large
                values, number = np.unique(np.concatenate([codes[:, at], wanted[:, at]]), return_inverse=True)
                both = np.concatenate([key, sought]) * len(values) + number
                _, both = np.unique(both, return_inverse=True)
                key, sought = both[: len(key)], both[len(key) :]
            held = np.isin(key, sought)
        return held[margin.line]

    def _codes(self, seen: Seen) -> list[int]:
        heads = self.margin.axis.heads
        found = [heads[at].domain.code_named(token) for at, token in enumerate(seen.path)]
        return [-2 if code is None else code for code in found]

    @cached_property
    def lines(self) -> list[int]:
        """The rows or columns that are theirs."""
        return np.flatnonzero(self.mask).tolist()

    def cells(self) -> tuple[Sequence[int], Sequence[int]]:
        """The rows and the columns of their cells."""
        if self.on_rows:
            return self.lines, range(self.report.width)
        return range(self.report.height), self.lines

    # --- selecting ----------------------------------------------------------

    def to(self, at: int) -> Chosen:
        """All members from the anchor to a row or column, its own among them; of too many none but those that there were."""
        low, high = min(self.anchor, at), max(self.anchor, at)
        if high - low > MOST_LINES:
            return replace(self, at=at)
        return replace(self, members=between(self.margin, self.place, range(low, high + 1)), at=at)

    def toggled(self, seen: Seen, at: int) -> Chosen:
        """With a member more, or without it."""
        kept = tuple(each for each in self.members if each.path != seen.path)
        members = kept if len(kept) < len(self.members) else (*self.members, seen)
        return replace(self, members=members, at=at, anchor=at)

    def following(self, step: int) -> int | None:
        """The row or column of the next member at this place, or of the one before; None at the end."""
        margin, reach = self.margin, 64
        here = margin.runs(self.place, range(self.at, self.at + 1))
        edge = (here[0][1] if step > 0 else here[0][0]) if here else self.at
        while 0 < edge < len(margin) if step < 0 else edge < len(margin):
            near = range(edge, min(len(margin), edge + reach)) if step > 0 else range(max(0, edge - reach), edge)
            for start, _ in margin.runs(self.place, near)[::step]:
                if seen_at(margin, start, self.place) is not None:
                    return start
            edge, reach = (near.stop if step > 0 else near.start), reach * 4
        return None

    @cached_property
    def siblings(self) -> list[tuple[Seen, int, int]]:
        """The members beside the first selected one within its parent, as shown, each with its first row or column and the one behind its last;
        none where none is selected."""
        if not self.members:
            return []
        margin, within, parent = self.margin, range(len(self.margin)), self.members[0].path[:-1]
        if self.place:
            outer = margin.runs(self.place - 1, range(self.at, self.at + 1))
            within = range(*outer[0]) if outer else within
        runs = margin.runs(self.place, within)
        if len(runs) > MOST_LINES:
            return []
        found = ((seen_at(margin, start, self.place), start, stop) for start, stop in runs)
        return [
            (each, start, stop)
            for each, start, stop in found
            if each is not None and not each.is_gathered and each.path[:-1] == parent
        ]

    def renewed(self, report: Report) -> Chosen | None:
        """The same members in another report; None where the field or all of them are gone, or it stands at another level."""
        margin = report.left if self.on_rows else report.top
        place = margin.place_of(self.word)
        if place is None:
            return None
        field = margin.places[place]
        if field != self.field:
            return None
        made = replace(self, report=report, place=place)
        lines = np.flatnonzero(made.mask)
        if not len(lines):
            return None
        _, first = np.unique(margin.axis.codes[margin.line[lines], : field + 1], axis=0, return_index=True)
        listed = tuple(Seen(margin, int(lines[at]), field) for at in sorted(first.tolist()))
        at = int(lines[0])
        return replace(made, members=listed, at=at, anchor=at)


def chosen_at(report: Report, on_rows: bool, place: int, at: int) -> Chosen | None:
    """The one member at a place of a row or column; None where there is none."""
    seen = seen_at(report.left if on_rows else report.top, at, place)
    return Chosen(report, on_rows, place, (seen,), at, at) if seen is not None else None


def between(margin: Margin, place: int, within: range) -> tuple[Seen, ...]:
    """The members at a place that rows or columns of a range are about, each once."""
    found: dict[Path, Seen] = {}
    for start, _ in margin.runs(place, within):
        seen = seen_at(margin, start, place)
        if seen is not None and not seen.is_gathered:
            found.setdefault(seen.path, seen)
    return tuple(found.values())
