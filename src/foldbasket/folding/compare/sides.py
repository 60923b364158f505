"""One axis as comparisons see it: which line stands before another, a year before it, over it, or for a chosen member.

All answers are line numbers, shape (lines,), -1 where there is none; they are worked out on codes, never on records.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.trees import Lines, Tree
from foldbasket.folding.members.domain import Domain
from foldbasket.folding.members.parts.part import PARTS, Part
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.distinct import numbered_rows
from foldbasket.tables.types import FieldType

if TYPE_CHECKING:
    from foldbasket.spec.fold import Placed

Targets = npt.NDArray[np.int64]


class Time(NamedTuple):
    """How a field stands in time: how fine it is, from 0 for years, and whether it has a place in time or repeats."""

    fineness: int
    is_period: bool


def time_of(part: Part | None, kind: FieldType) -> Time | None:
    """How members stand in time, by the part of a date that they are or, without one, by their type."""
    if part is not None:
        return Time(part.fineness, part.is_period) if part.fineness is not None else None
    return time_of(PARTS["day"], kind) if kind is FieldType.DATE else None


class Side:
    """The rows or the columns of a frame with every total; `words` are its fields, outermost first."""

    def __init__(self, tree: Tree, lines: Lines, words: Sequence[Placed], domains: Sequence[Domain]) -> None:
        self.tree, self.lines, self.words, self.domains = tree, lines, tuple(words), tuple(domains)

    def __len__(self) -> int:
        return len(self.lines.level)

    @cached_property
    def codes(self) -> npt.NDArray[np.int64]:
        """The member of each field on each line, -1 where a line does not name it; shape (lines, fields)."""
        codes = np.full((len(self), self.tree.depth), -1, np.int64)
        for level in range(1, self.tree.depth + 1):
            at = np.flatnonzero(self.lines.level == level)
            codes[at, :level] = self.tree.codes[self.tree.starts[level][self.lines.node[at]], :level]
        return codes

    @property
    def times(self) -> list[Time | None]:
        """How each field stands in time."""
        return [time_of(domain.part, domain.dictionary.type) for domain in self.domains]

    @cached_property
    def grand(self) -> int:
        """The line over everything; the only line of an axis without fields; -1 when there are no lines."""
        found = np.flatnonzero(self.lines.level == 0)
        return int(found[0]) if len(found) else -1

    @cached_property
    def parents(self) -> Targets:
        """The line that totals each line's parent; the grand total is its own."""
        return self._lines_above(np.maximum(self.lines.level.astype(np.int64) - 1, 0))

    @cached_property
    def same(self) -> Targets:
        """The outermost line of the same records as each line: itself, but where its leaf ends before the level of the line, as *All others* of an outer
        field does. That one is a member of the field, beside the others."""
        ends = np.zeros(len(self), np.int64)
        for level in np.unique(self.lines.level):
            at = np.flatnonzero(self.lines.level == level)
            ends[at] = self.tree.ends[self.tree.starts[level][self.lines.node[at]]]
        return self._lines_above(np.minimum(self.lines.level, ends))

    def _lines_above(self, levels: npt.NDArray[np.int64]) -> Targets:
        """The line of a level at or above its own for each line, over the same records and perhaps more."""
        where = np.full((self.tree.depth + 1, max(1, self.tree.leaves)), -1, np.int64)
        where[self.lines.level, self.lines.node] = np.arange(len(self))
        return where[levels, self._ancestors(levels)]

    def _ancestors(self, levels: npt.NDArray[np.int64]) -> Targets:
        """For each line its node on a level at or above its own."""
        found = np.zeros(len(self), np.int64)
        for own in np.unique(self.lines.level):
            for level in np.unique(levels[self.lines.level == own]):
                at = np.flatnonzero((self.lines.level == own) & (levels == level))
                leaves = self.tree.starts[own][self.lines.node[at]]
                found[at] = np.searchsorted(self.tree.starts[level], leaves, side="right") - 1
        return found

    def named(self, field: int) -> npt.NDArray[np.bool_]:
        """The lines that name a member of a field."""
        return np.asarray(self.codes[:, field] >= 0, np.bool_)

    def unnamed(self, field: int) -> npt.NDArray[np.bool_]:
        """The lines of a field's level that name no member of it, as *All others* of an outer field does."""
        return (self.lines.level == field + 1) & ~self.named(field)

    def gathered(self, field: int) -> npt.NDArray[np.bool_]:
        """The lines that stand for several members of a field."""
        return np.asarray(self.codes[:, field] == self.domains[field].others, np.bool_)

    def with_member(self, field: int, members: npt.NDArray[np.int64]) -> Targets:
        """For each line the one with another member of a field and the same of all others; `members` below 0 have none."""
        wanted = self.codes.copy()
        wanted[:, field] = members
        found = self._located(wanted)
        found[~self.named(field) | (members < 0)] = -1
        return found

    def _located(self, wanted: npt.NDArray[np.int64]) -> Targets:
        """Line numbers of rows of codes; levels must agree, which codes of -1 see to."""
        own, asked = np.zeros(len(self), np.int64), np.zeros(len(wanted), np.int64)
        for at in range(self.tree.depth):
            size = int(max(self.codes[:, at].max(initial=0), wanted[:, at].max(initial=0))) + 2
            if int(max(own.max(initial=0), asked.max(initial=0))) > (1 << 62) // size:
                _, inverse = np.unique(np.concatenate([own, asked]), return_inverse=True)
                own, asked = inverse[: len(own)], inverse[len(own) :]
            own, asked = own * size + self.codes[:, at] + 1, asked * size + wanted[:, at] + 1
        order = np.argsort(own)
        at_line = np.minimum(np.searchsorted(own[order], asked), max(0, len(order) - 1))
        hit = own[order][at_line] == asked if len(order) else np.zeros(len(asked), np.bool_)
        return np.where(hit, order[at_line], -1) if len(order) else np.full(len(asked), -1, np.int64)

    def step(self, field: int, away: int) -> Targets:
        """The line of the member before (-1) or after (1): by the calendar for periods, else as displayed in the same parent."""
        domain = self.domains[field]
        if is_period(domain):
            return self.shifted(field, lambda number: number + away)
        level = self._ancestors(np.minimum(self.lines.level.astype(np.int64), field + 1))
        parents = self._parent_nodes(field)
        beside = level + away
        there = (beside >= 0) & (beside < len(parents))
        beside = np.where(there, beside, 0)
        there &= self.named(field)
        if len(parents):
            there[there] &= parents[beside[there]] == parents[level[there]]
        codes = np.full(len(self), -1, np.int64)
        codes[there] = self.tree.codes[self.tree.starts[field + 1][beside[there]], field]
        return self.with_member(field, codes)

    def _parent_nodes(self, field: int) -> Targets:
        """For each node of a field's level the node above it."""
        return np.searchsorted(self.tree.starts[field], self.tree.starts[field + 1], side="right") - 1

    def shifted(self, field: int, move: Callable[[int], int | None]) -> Targets:
        """The line whose period is another's, moved; -1 where the report has no such period."""
        dictionary = self.domains[field].dictionary
        values = [int(value) for value in np.asarray(dictionary.values)]
        code_of = {value: code for code, value in enumerate(values)}
        moved = [code_of.get(number, -1) if (number := move(value)) is not None else -1 for value in values]
        target = np.array([*moved, -1, -1, -1], np.int64)  # blank, unmatched and gathered ones have no time
        codes = self.codes[:, field]
        return self.with_member(field, np.where(codes >= 0, target[codes], -1))

    def year_before(self, field: int) -> Targets:
        """The same period one year earlier."""
        part = self.domains[field].part
        if part is None or part.name == "day":
            return self.shifted(field, _day_a_year_before)
        if part.name == "week":
            return self.shifted(field, lambda number: _week_a_year_before(part, number))
        return self.shifted(field, lambda number: number - part.a_year)

    def series(self, field: int, restart: bool) -> npt.NDArray[np.int64]:
        """A number for each line, the same for lines that follow one another along a field: those with the same other
        members. Without `restart` the outer members do not matter. -1 for lines that do not name the field, and for those further
        in whose members each stand under one member of the field alone: they are its parts, and have nothing to stand beside. *All others* of
        an outer field goes on in a series that does not restart, by its line on the level of the field; any other line that repeats an outer one is in none."""
        codes = self.codes.copy()
        codes[:, field] = 0
        if not restart:
            codes[:, :field] = 0
        keys = np.concatenate([codes, self.lines.level[:, None]], axis=1)
        follows = self.named(field) & (self.same == np.arange(len(self)))
        if not restart:
            follows |= self.unnamed(field)
        found = np.where(follows, numbered_rows(keys)[1], -1)
        for level in range(field + 2, self.tree.depth + 1):
            inner = (self.lines.level == level) & (found >= 0)
            if np.bincount(found[inner]).max(initial=0) < 2:
                found[inner] = -1
        return found


def is_period(domain: Domain) -> bool:
    """Whether members have a place in time, so that the calendar says what comes before."""
    time = time_of(domain.part, domain.dictionary.type)
    return time is not None and time.is_period


def _day_a_year_before(number: int) -> int | None:
    day = EPOCH + datetime.timedelta(days=number)
    try:
        return (day.replace(year=day.year - 1) - EPOCH).days
    except ValueError:
        return None  # 29 February


def _week_a_year_before(part: object, number: int) -> int | None:
    year, week = part.key(number).split("-W")  # type: ignore[attr-defined]
    try:
        return int(part.number(int(year) - 1, int(week)))  # type: ignore[attr-defined]
    except ValueError:
        return None  # a week 53 that the year before does not have
