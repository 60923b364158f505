"""One member that holds nearly all, and lists that are too long to be read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction

import msgspec
import numpy as np

from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.noticing.notice import Notice, Seen, Way, notice
from foldbasket.sentence.phrases import measure_heading, placed_heading
from foldbasket.spec.fold import Measure, Placed
from foldbasket.spec.order import Rest
from foldbasket.starters.starter import number
from foldbasket.styling.words import plural, share_text

MOST, LONG, SHOWN = Fraction(95, 100), 60, 10
"""The share that is nearly all; a list of so many members is long; so many of it are offered in its place."""
NEARLY = 0.94
"""What is less of the whole by reals is surely less than `MOST` of it."""
MOST_LINES = 2_000


@notice(30)
def nearly_all(seen: Seen) -> Iterator[Notice]:
    """Of the outermost field of each axis, where one member has nearly all of the first measure."""
    report, fold = seen.report, seen.fold
    if (
        not fold.measures
        or not report.measures[0].is_additive
        or not report.is_number(0)
        or fold.measures[0].compare is not None
    ):
        return
    for words, axis, other, is_rows in (
        (fold.rows, report.rows, report.columns, True),
        (fold.columns, report.columns, report.rows, False),
    ):
        if not words or len(axis) > MOST_LINES:
            continue
        across = _grand(other)
        if across is None:
            continue
        lines = np.flatnonzero(axis.level == 1).tolist()  # each of a whole member
        if not _may_hold(report.blocks[0], *((lines, across) if is_rows else (across, lines))):
            continue
        cells = [
            number(report.exact(0, line, across) if is_rows else report.exact(0, across, line)) or Fraction(0)
            for line in lines
        ]
        total = sum(cells, Fraction(0))
        if len(cells) < 2 or total <= 0 or min(cells) < 0 or max(cells) < MOST * total:
            continue
        line = lines[cells.index(max(cells))]
        said = f"{axis.label(line, 0) or 'One line'} makes up {share_text(max(cells) / total)} of {measure_heading(fold.measures[0])}."
        yield Notice(said, (_share(fold.measures, is_rows=is_rows),))


def _may_hold(block: Block, rows: list[int] | int, columns: list[int] | int) -> bool:
    """Whether one of some cells may hold nearly all of them: by reals, at once. What they cannot tell is told one by one."""
    cells = np.where(block.blank[rows, columns], 0, block.data[rows, columns]).astype(np.float64)
    return not np.isfinite(cells).all() or bool(cells.max(initial=0.0) > NEARLY * cells.sum())


def _share(measures: Sequence[Measure], *, is_rows: bool) -> Way:
    whole = Whole.COLUMN if is_rows else Whole.ROW
    first = msgspec.structs.replace(measures[0], compare=ShareOf(whole), heading=None)
    return Way("Show shares", {"measures": (first, *measures[1:])})


def _grand(axis: Axis) -> int | None:
    """The line over all of an axis; None where it is off."""
    return next(
        (line for line in (0, len(axis) - 1) if len(axis) and (axis.kind[line] == Kind.GRAND or not axis.depth)), None
    )


@notice(50)
def long_list(seen: Seen) -> Iterator[Notice]:
    """Of a single row field with many members, of which only some could be shown."""
    fold, report = seen.fold, seen.report
    if len(fold.rows) != 1 or not fold.measures or not report.is_number(0):
        return
    domain = report.rows.heads[0].domain
    named = (report.rows.codes[:, 0] >= 0) & (report.rows.codes[:, 0] < domain.blank)
    word, many = fold.rows[0], int(((report.rows.kind == Kind.MEMBER) & named).sum())
    if word.keep is not None or many < LONG or (word.part is not None and not word.groups):
        return
    largest: Placed = msgspec.structs.replace(
        word, keep=Top(fold.measures[0].id, rest=Rest.GATHERED, number=str(SHOWN))
    )
    said = f"{many:,} {plural(placed_heading(word))} are too many to read in one report."
    yield Notice(said, (Way(f"Show the {SHOWN} largest, others combined", {"rows": (largest,)}),))
