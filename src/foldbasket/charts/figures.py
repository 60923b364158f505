"""The figures of a chart: what stands along its axis, and the values of its series, each with the cell that it is. Nothing is drawn here."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.charts.roles import Roles, is_within_years, level_of, roles_of
from foldbasket.errors import OutputError
from foldbasket.folding.compare.sides import time_of
from foldbasket.folding.lines.axis import Axis, Head, Kind
from foldbasket.folding.report.report import Report
from foldbasket.spec.chart import Chart
from foldbasket.spec.fold import Fold
from foldbasket.tables.distinct import distinct_rows
from foldbasket.turns import give_way

Floats = npt.NDArray[np.float64]
Keys = dict[tuple[int, ...], tuple[int, str]]
"""Members by their codes, those of outer fields first, each with its place and its label."""
MOST_MARKS = 20_000
"""Marks past which a chart cannot be read."""


class Series(msgspec.Struct, frozen=True, eq=False):
    """Values along the axis, shape (places,), not a number where there is none; `cells` names for each the measure and the lines of rows and
    columns that it is, shape (places, 3), -1 for none. `others` says that it stands for members that were gathered."""

    name: str
    values: Floats
    cells: npt.NDArray[np.int64]
    token: str = ""
    others: bool = False


class Panel(msgspec.Struct, frozen=True, eq=False):
    """One of the charts beside one another: what it is of, its series, and the measure that says how its numbers are written."""

    name: str
    series: tuple[Series, ...]
    measure: int

    @property
    def values(self) -> Floats:
        """All values that are there."""
        every = np.concatenate([each.values for each in self.series]) if self.series else np.zeros(0)
        return every[np.isfinite(every)]


class Figures(msgspec.Struct, frozen=True, eq=False):
    """Everything that a chart shows. `labels` stand along its axis at `places`, whole numbers that leave room for periods without records;
    `tokens` name the members. `notes` say what is not seen at once."""

    report: Report
    heading: str
    labels: tuple[str, ...]
    tokens: tuple[str, ...]
    places: npt.NDArray[np.int64]
    is_time: bool
    panels: tuple[Panel, ...]
    series_heading: str
    roles: Roles
    others: npt.NDArray[np.bool_]
    notes: tuple[str, ...] = ()

    @property
    def several(self) -> bool:
        """Whether there is more than one series in a panel."""
        return any(len(panel.series) > 1 for panel in self.panels)

    @property
    def all_values(self) -> Floats:
        """All values that are there, of every panel."""
        return np.concatenate([panel.values for panel in self.panels]) if self.panels else np.zeros(0)

    def adds_up(self) -> bool:
        """Whether parts of its measures make a whole."""
        measures = {panel.measure for panel in self.panels}
        return all(self.report.measures[at].is_additive for at in measures)


def figures_of(report: Report, fold: Fold, chart: Chart) -> Figures:
    """The figures of a fold's chart; `report` is that of `roles.fold_of_chart`. Raises OutputError where there is nothing to draw, or more than can
    be read."""
    numbers = [at for at in range(len(report.measures)) if report.is_number(at)]
    if not numbers:
        raise OutputError("the fold has no measure of numbers to draw.", todo="Add one, such as a sum or a count.")
    chosen = report.measure_at(chart.measure) if chart.measure is not None else None
    first = chosen if chosen in numbers else numbers[0]
    assert first is not None
    roles = roles_of(fold, chart, report)
    found = _Lines(report, roles)
    if not found.along_keys:
        raise OutputError("no records are kept, so there is nothing to draw.", todo="Loosen a filter.")
    measures = [first]
    if roles.series is None and chosen is None and (chart.drawn is None or not type(chart.drawn).alone):
        # Measures in the unit of the first are its fellows; one in another unit gets a chart of its own, never a second axis.
        measures = [at for at in numbers if _unit(report, at) == _unit(report, first)]
    panels = tuple(found.panels(measures))
    if not any(len(panel.values) for panel in panels):
        raise OutputError("all that would be drawn is blank.", todo="Choose another measure.")
    marks = sum(each.values.size for panel in panels for each in panel.series)
    if marks > MOST_MARKS:
        raise _too_many(marks)
    return Figures(
        report, found.heading, found.labels, found.tokens, found.places, found.is_time, panels, found.series_heading, roles, found.others,
        tuple(found.notes),
    )  # fmt: skip


def _too_many(marks: int) -> OutputError:
    return OutputError(
        f"{marks:,} marks cannot be told apart in one chart.",
        todo="Keep fewer members: filter the fold, keep the top of a field, or fold members up.",
    )


def _unit(report: Report, measure: int) -> tuple[object, ...]:
    """What tells apart whether the numbers of two measures can stand at one axis."""
    pattern, style = report.pattern(measure), report.measures[measure].style
    is_amount = report.blocks[measure].type.value != "whole number"
    return "%" in pattern, "¤" in pattern, style.currency if "¤" in pattern else None, is_amount


class _Lines:
    """The lines of a report by the parts that their members play."""

    def __init__(self, report: Report, roles: Roles) -> None:
        self.report, self.roles = report, roles
        self.rows, self.columns = (_Side(axis, roles) for axis in (report.rows, report.columns))
        self.notes: list[str] = []
        along = self._side_of(roles.along)
        many = along.many(roles.along) if along is not None else 0
        if many > MOST_MARKS:  # told before they are named, which takes seconds for a million
            raise _too_many(many)
        head = along.head(roles.along) if along is not None else None
        self.heading = head.heading if head is not None else ""
        series = self._side_of(roles.series)
        self.series_heading = series.head(roles.series).heading if series is not None and roles.series else ""
        keys: Keys = along.keys(roles.along) if along is not None else {(): (0, "")}
        number = _in_time(head, along.outer(roles.along) if along is not None else []) if head is not None else None
        self.is_time = number is not None
        if number is not None and head is not None:
            keys = self._by_time(keys, head, number)
        self.along_keys = list(keys)
        self.labels = tuple(label for _, label in keys.values())
        self.places = np.array([place for place, _ in keys.values()], np.int64)
        self.tokens = tuple(_token(head, key) for key in keys)
        self.others = np.array(
            [head is not None and bool(key) and key[-1] == head.domain.others for key in keys], np.bool_
        )

    def _side_of(self, word: str | None) -> _Side | None:
        return next((side for side in (self.rows, self.columns) if word is not None and side.has(word)), None)

    def _by_time(self, keys: Keys, head: Head, number: Callable[[tuple[int, ...]], int | None]) -> Keys:
        """Members by their place in time; what has none is told and not drawn."""
        numbers = {key: number(key) for key in keys}
        left = [keys[key][1] for key, at in numbers.items() if at is None]
        if left:
            self.notes.append(
                f"{' and '.join(dict.fromkeys(left))} {'have' if len(left) > 1 else 'has'} no place in time."
            )
        known = {key: at for key, at in numbers.items() if at is not None}
        first = min(known.values(), default=0)
        return {key: (at - first, keys[key][1]) for key, at in sorted(known.items(), key=lambda each: each[1])}

    def panels(self, measures: Sequence[int]) -> Iterator[Panel]:
        """The panels: one for each member of a field, and for each unit of the measures."""
        each = self._side_of(self.roles.each)
        names: Keys = each.keys(self.roles.each) if each is not None else {(): (0, "")}
        for key, (_, name) in names.items():
            if len(measures) == 1:
                yield Panel(name, tuple(self._series(measures[0], key)), measures[0])
            else:
                made = (each for at in measures for each in self._series(at, key, self.report.measures[at].heading))
                yield Panel(name, tuple(made), measures[0])

    def _series(self, measure: int, panel: tuple[int, ...], name: str = "") -> Iterator[Series]:
        side = self._side_of(self.roles.series)
        keys: Keys = side.keys(self.roles.series) if side is not None else {(): (0, name)}
        head = side.head(self.roles.series) if side is not None and self.roles.series else None
        for key, (_, label) in keys.items():
            cells = np.full((len(self.along_keys), 3), -1, np.int64)
            wanted = {self.roles.series: key, self.roles.each: panel}
            for at, place in enumerate(self.along_keys):
                give_way()
                row, line = (side.line({**wanted, self.roles.along: place}) for side in (self.rows, self.columns))
                if row is not None and line is not None:
                    cells[at] = (measure, row, line)
            others = head is not None and key[-1] == head.domain.others
            made = Series(label, self._values(measure, cells), cells, _token(head, key), others)
            if np.isfinite(made.values).any() or len(keys) == 1:
                yield made

    def _values(self, measure: int, cells: npt.NDArray[np.int64]) -> Floats:
        block = self.report.blocks[measure]
        found = np.full(len(cells), np.nan)
        there = np.flatnonzero(cells[:, 0] >= 0)
        rows, lines = cells[there, 1], cells[there, 2]
        known = ~block.blank[rows, lines]
        found[there[known]] = block.data[rows, lines][known].astype(np.float64) / 10.0**block.scale
        return found


class _Side:
    """One axis: its lines that name no more than the fields that play a part."""

    def __init__(self, axis: Axis, roles: Roles) -> None:
        self.axis, self.roles = axis, roles
        self.level = level_of(axis, roles.words)
        self.at = {head.id: at for at, head in enumerate(axis.heads) if head.id in roles.words}
        ends = axis.level == self.level
        if not self.level and axis.heads:
            ends &= axis.kind == Kind.GRAND
        # A member that gathers others ends above the fields within it.
        gathered = (axis.level < self.level) & (axis.kind == Kind.MEMBER)
        self.lines = np.flatnonzero(ends | gathered)

    @cached_property
    def _by_key(self) -> dict[tuple[object, ...], int]:
        found: dict[tuple[object, ...], int] = {}
        for line in self.lines.tolist():
            give_way()
            found.setdefault(tuple(self._path(word, line) for word in self.at), line)
        return found

    def has(self, word: str) -> bool:
        return word in self.at

    def outer(self, word: str | None) -> list[Head]:
        """The fields outside one that play no part of their own, and so stand in its keys."""
        assert word is not None
        end = self.at[word]
        after = max((at for other, at in self.at.items() if at < end), default=-1)
        return [self.axis.heads[at] for at in range(after + 1, end)]

    def head(self, word: str | None) -> Head:
        assert word is not None
        return self.axis.heads[self.at[word]]

    def _path(self, word: str, line: int) -> tuple[int, ...]:
        """The member of a field on a line, with those of outer fields that play no part of their own."""
        end = self.at[word]
        start = end - len(self.outer(word))
        return tuple(int(code) for code in self.axis.codes[line, start : end + 1])

    def many(self, word: str | None) -> int:
        """How many members of a field there are to draw."""
        assert word is not None
        end = self.at[word]
        codes = self.axis.codes[self.lines, end - len(self.outer(word)) : end + 1]
        return len(distinct_rows(codes[codes[:, -1] >= 0]))

    def keys(self, word: str | None) -> Keys:
        """The members of a field in their order, each with its place and its label; with those outside it where one label stands for several."""
        assert word is not None
        end = self.at[word]
        found: dict[tuple[int, ...], int] = {}
        for line in self.lines.tolist():
            if self.axis.codes[line, end] >= 0:
                found.setdefault(self._path(word, line), line)
        plain = [" ".join(self.axis.label(line, end).splitlines()) for line in found.values()]
        twice = {label for label, times in Counter(plain).items() if times > 1}
        made = {}
        for place, ((key, line), label) in enumerate(zip(found.items(), plain, strict=True)):
            outer = [self.axis.label(line, end - step) for step in range(len(key) - 1, 0, -1)]
            joint = " " if is_within_years(self.axis.heads[end], self.outer(word)) else " › "
            said = [label, *outer] if joint == " " else [*outer, label]
            made[key] = (place, joint.join(said) if label in twice and outer else label)
        return made

    def line(self, wanted: dict[str | None, tuple[int, ...]]) -> int | None:
        """The line on which every field of this axis stands at a member."""
        return self._by_key.get(tuple(wanted[word] for word in self.at))


def _in_time(head: Head, outer: Sequence[Head]) -> Callable[[tuple[int, ...]], int | None] | None:
    """The place in time of a member by its codes: of a period by itself, of what repeats within the years that stand outside it; None where the
    field has no place in time."""
    time = time_of(head.domain.part, head.domain.dictionary.type)
    if time is None:
        return None
    values = np.asarray(head.domain.dictionary.values)
    if time.is_period:
        return lambda key: int(values[key[-1]]) if key[-1] < head.domain.blank else None
    if not is_within_years(head, outer):
        return None
    part, years = head.domain.part, np.asarray(outer[0].domain.dictionary.values)
    assert part is not None
    blanks = (outer[0].domain.blank, head.domain.blank)
    return lambda key: (
        int(years[key[0]]) * len(part.every) + int(values[key[1]]) - part.every.start
        if key[0] < blanks[0] and key[1] < blanks[1]
        else None
    )


def _token(head: Head | None, key: tuple[int, ...]) -> str:
    return head.domain.token(key[-1]) if head is not None and key else ""
