"""Members that are selected in the headings of the grid: which they are, what of the report is theirs, and the way of the keyboard among them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.desktop.work.members import Seen, paths_of, seen_at, tokens_of
from foldbasket.errors import BasketError
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.report.report import Report
from foldbasket.tables.distinct import among_rows, numbered_rows

Path = tuple[str, ...]

MOST_LINES = 20_000
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

    @cached_property
    def paths(self) -> set[Path]:
        return set(paths_of(self.members))

    @property
    def tokens(self) -> list[str]:
        """What names each of them, once."""
        return list(dict.fromkeys(tokens_of(self.members)))

    @property
    def current(self) -> Seen | None:
        """The member that the keyboard is on."""
        return seen_at(self.margin, self.at, self.place)

    @cached_property
    def mask(self) -> npt.NDArray[np.bool_]:
        """Which rows or columns are theirs; shape (lines of the margin,)."""
        margin, field = self.margin, self.field
        axis = margin.axis
        if not self.members:
            return np.zeros(len(margin), np.bool_)
        return among_rows(axis.codes[:, : field + 1].astype(np.int64), self._wanted())[margin.line]

    def _wanted(self) -> npt.NDArray[np.int64]:
        """The codes of the members' paths, −2 for what is not in the report; shape (members, field + 1)."""
        margin = self.margin
        if all(each.margin is margin for each in self.members):
            return _codes_at(margin, [each.at for each in self.members], self.field)
        named = [head.domain.code_named for head in margin.axis.heads]  # they are another report's
        found = [[named[at](token) for at, token in enumerate(path)] for path in paths_of(self.members)]
        return np.array([[-2 if code is None else code for code in codes] for codes in found], np.int64)

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
        kept = tuple(each for each, path in zip(self.members, paths_of(self.members), strict=True) if path != seen.path)
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
        none where none is selected. Raises BasketError where they are too many."""
        if not self.members:
            return []
        margin, within, first = self.margin, range(len(self.margin)), self.members[0]
        if self.place:
            outer = margin.runs(self.place - 1, range(self.at, self.at + 1))
            within = range(*outer[0]) if outer else within
        runs = margin.runs(self.place, within)
        if len(runs) > MOST_LINES:
            raise BasketError(
                f"{len(runs):,} members stand side by side, of which {MOST_LINES:,} can be put in order by hand.",
                todo="Filter the report down, or order it by a value.",
            )
        codes = _codes_at(margin, [start for start, _ in runs], self.field)
        beside = _is_named(margin, codes) & (codes[:, :-1] == first.codes[:-1]).all(axis=1)
        return [(Seen(margin, runs[at][0], self.field), *runs[at]) for at in np.flatnonzero(beside).tolist()]

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
    field = margin.places[place]
    starts = [start for start, _ in margin.runs(place, within)]
    codes = _codes_at(margin, starts, field)
    named = np.flatnonzero(_is_named(margin, codes))
    _, number = numbered_rows(codes[named])
    _, first = np.unique(number, return_index=True)
    return tuple(Seen(margin, starts[at], field) for at in named[np.sort(first)].tolist())


def _codes_at(margin: Margin, at: Sequence[int], field: int) -> npt.NDArray[np.int64]:
    """The codes of the members that some rows or columns are about, down to a field; shape (rows or columns, field + 1)."""
    return margin.axis.codes[margin.line[np.asarray(at, np.int64)], : field + 1].astype(np.int64)


def _is_named(margin: Margin, codes: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    """Which of some paths end with a member that is no gathering of others."""
    others = margin.axis.heads[codes.shape[1] - 1].domain.others
    last: npt.NDArray[np.int64] = codes[:, -1]
    return (last >= 0) & (last != others)
