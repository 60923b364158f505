"""A report as a sheet: which heading stands where and spans how much. What every tabular output lays out alike.

The sheet has head rows and head columns, one for each place of the report's margins, and the report's cells. The grid on
screen follows the same rules.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import EVERYTHING, Kind
from foldbasket.folding.report.margins import MEASURE, Starts
from foldbasket.folding.report.report import Report
from foldbasket.styling.words import plural

AT_ONCE = 1_000
"""Rows whose names are made at once: each for itself takes five times as long."""


class Span(msgspec.Struct, frozen=True):
    """A heading over cells from `row`, `column` (both from 0, in the sheet's head) for `rows` by `columns`."""

    row: int
    column: int
    rows: int
    columns: int
    text: str
    kind: Kind = Kind.MEMBER
    is_measure: bool = False


class Sheet:
    """The layout of a report's headings."""

    def __init__(self, report: Report) -> None:
        self.report = report
        self.indented = report.look.layout.indented and report.left.axis.depth > 1 and not report.left.has_measures
        """Whether the names of all row fields stand in one column, each level further in."""
        self.head_columns = 1 if self.indented else max(1, len(report.left.places))
        self.head_rows = max(1, len(report.top.places))

    @cached_property
    def gaps(self) -> npt.NDArray[np.bool_]:
        """After which lines a gap sets a group apart: after its total, or before one that stands before its members."""
        rows = self.report.left
        after, before = np.zeros(len(rows), np.bool_), np.zeros(len(rows), np.bool_)
        if self.report.look.layout.gap:
            new_group = (rows.names[1:, :1] != rows.names[:-1, :1]).any(axis=1)
            after[:-1] = (rows.kind[:-1] == Kind.SUBTOTAL) & (rows.kind[1:] != Kind.SUBTOTAL) & new_group
            before[:-1] = (rows.kind[1:] == Kind.SUBTOTAL) & ~rows.is_total[:-1] & new_group
        return after | before

    def corner(self) -> list[str]:
        """Headings of the row fields, which stand on the last head row."""
        left = self.report.left
        headings = [left.heading(place) for place in range(len(left.places))] or [""]
        return [" › ".join(headings)] if self.indented else headings

    def column_heads(self, columns: range | None = None) -> Iterator[Span]:
        """Every heading over the cells, or over some of them, level by level; columns count from the first cell."""
        top = self.report.top
        columns = range(self.report.width) if columns is None else columns
        for place, field in enumerate(top.places):
            for start, stop in top.runs(place, columns):
                kind = Kind(top.kind[start])
                if field == MEASURE:
                    yield Span(place, start, 1, stop - start, top.label(start, place), kind, True)
                    continue
                # A folded member's name reaches down over the places that its members would take.
                ends = kind is Kind.CLOSED and int(top.level[start]) == field + 1 and field + 1 < top.axis.depth
                rows = self._down_from(place + 1) - place if ends else 1
                yield Span(place, start, rows, stop - start, top.label(start, place))
        for start, stop in top.total_runs(columns):
            place = top.caption_place(start)
            yield Span(
                place,
                start,
                self._down_from(place) - place,
                stop - start,
                self.column_caption(start),
                Kind(top.kind[start]),
            )

    def headings_over(self) -> Iterator[tuple[Starts, Starts, list[str]]]:
        """The same in bulk, but for those of measures over one column each: where the headings of each level start and stop, and what they say."""
        top = self.report.top
        for place, field in enumerate(top.places):
            starts, stops = top.all_runs(place)
            if field == MEASURE:
                several = stops - starts > 1
                starts, stops = starts[several], stops[several]
            yield starts, stops, top.called(starts, place)
        runs = np.array(top.total_runs(range(self.report.width)), np.int64).reshape(-1, 2)
        yield runs[:, 0], runs[:, 1], list(map(self.column_caption, runs[:, 0].tolist()))

    def _down_from(self, place: int) -> int:
        """The first place at or below one that belongs to the measures, or the end of the head."""
        places = self.report.top.places
        return places.index(MEASURE) if MEASURE in places[place:] else self.head_rows

    def column_caption(self, column: int) -> str:
        """What a total column is called. It stands below its member's heading, so that need not be said again."""
        top = self.report.top
        if top.kind[column] == Kind.GRAND and top.axis.depth > 1:
            return EVERYTHING
        return f"All {plural(top.axis.heads[int(top.level[column])].heading)}"

    def row_head(self, row: int, repeat: bool, first: int = 0) -> list[str]:
        """The head columns of one row. With `repeat`, group names stand on every row; without, on the first of their run,
        counted from the row `first` on."""
        return self.row_heads(range(row, row + 1), repeat, first)[0]

    def all_row_heads(self, repeat: bool) -> Iterator[list[str]]:
        """The head columns of every row, one after the other."""
        for start in range(0, self.report.height, AT_ONCE):
            yield from self.row_heads(range(start, min(self.report.height, start + AT_ONCE)), repeat)

    def row_heads(self, rows: range, repeat: bool, first: int = 0) -> list[list[str]]:
        """The head columns of several rows, which may lie at even distances."""
        left = self.report.left
        if not left.places:
            return [[EVERYTHING] for _ in rows]
        if self.indented:
            return [[self._in_one(row, first)] for row in rows]
        within = slice(rows.start, rows.stop, rows.step)
        level, is_total = left.level[within], left.is_total[within]
        begins = np.ones((len(rows), len(left.places)), np.bool_) if repeat else left.begins(rows, first)
        # Of a total the member that it is of is said by its caption.
        named = level if repeat else level - is_total
        columns = []
        for at, field in enumerate(left.places):
            shown = begins[:, at] if field == MEASURE else begins[:, at] & (named > field)
            columns.append(
                [text if is_shown else "" for text, is_shown in zip(left.labels(rows, at), shown.tolist(), strict=True)]
            )
        found = list(map(list, zip(*columns, strict=True)))
        for here in np.flatnonzero(is_total).tolist() if left.axis.depth else ():
            row = rows[here]
            place = left.caption_place(row)
            same = row > first and left.line[row - 1] == left.line[row] and MEASURE in left.places[place:]
            found[here][place] = left.caption(row) if repeat or not same else ""
        return found

    def indent(self, row: int) -> int:
        """How many levels in the name of a row stands, where all stand in one column."""
        left = self.report.left
        if not self.indented or left.kind[row] == Kind.GRAND:
            return 0
        return max(0, int(left.level[row]) - 1)

    def _in_one(self, row: int, first: int) -> str:
        """The name of a row in one column: of a member its own, led by those of its groups that no line before names; of a total the
        member's, where it stands before its members, else its caption."""
        left = self.report.left
        level = int(left.level[row])
        if left.is_total[row]:
            after = row > first and left.names[row - 1, :level].tolist() == left.names[row, :level].tolist()
            return left.caption(row) if left.kind[row] == Kind.GRAND or after else left.label(row, level - 1)
        above = range(level - 1)
        unnamed = [place for place in above if left.starts(place, row, first) and not self._named_before(row, place)]
        return " › ".join([*(left.label(row, place) for place in unnamed), left.label(row, level - 1)])

    def _named_before(self, row: int, place: int) -> bool:
        """Whether the line before a row is that of the member at a place, which then is its heading."""
        left = self.report.left
        if row == 0 or left.level[row - 1] > place + 1:
            return False
        return bool(left.names[row - 1, : place + 1].tolist() == left.names[row, : place + 1].tolist())

    def head_grid(self) -> list[list[str]]:
        """The head rows as plain texts over all columns of the sheet, spans said once at their first cell."""
        grid = [[""] * (self.head_columns + self.report.width) for _ in range(self.head_rows)]
        for span in self.column_heads():
            grid[span.row][self.head_columns + span.column] = span.text
        grid[-1][: self.head_columns] = self.corner()
        return grid
