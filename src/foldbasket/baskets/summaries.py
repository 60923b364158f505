"""A fold as a source of other folds: its innermost lines as records, one field for each word and each measure."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from graphlib import CycleError, TopologicalSorter

import numpy as np

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.ready import made_ready
from foldbasket.errors import FoldError
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.report.report import Report
from foldbasket.tables.cells import Gathered
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


def needed_sources(basket: Basket, fold: str) -> tuple[str, ...]:
    """The sources whose records decide a fold: those of its fields, and every one that links lead to or from."""
    names = {ref.table for ref in basket.fold(fold).fields()}
    if basket.calculated or any(getattr(word, "formula", "") for word in basket.fold(fold).words()):
        names = {
            source.key for source in basket.sources if source.fold is None
        } | names  # a formula may name any of them
    grown = True
    while grown:
        linked = {
            end
            for link in basket.links
            if names & {link.from_table, link.to_table}
            for end in (link.from_table, link.to_table)
        }
        grown = not linked <= names
        names |= linked
    return tuple(source.key for source in basket.sources if source.key in names)


def circle_of(basket: Basket) -> tuple[str, ...] | None:
    """Sources made of folds that need, over any number of steps, themselves; None when there is no such circle."""
    try:
        TopologicalSorter(_needs(basket)).prepare()
    except CycleError as error:
        return tuple(reversed(error.args[1]))
    return None


def _needs(basket: Basket) -> dict[str, list[str]]:
    """For each source made of a fold those among the others made so that the fold needs."""
    folds = {fold.key for fold in basket.folds}
    made = {source.key: source.fold for source in basket.sources if source.fold is not None}
    return {
        name: sorted(set(needed_sources(basket, fold)) & made.keys()) if fold in folds else []
        for name, fold in made.items()
    }


def depth_of(basket: Basket) -> int:
    """How many folds stand on one another at the most, where there is no circle."""
    needs = _needs(basket)
    depths: dict[str, int] = {}
    for name in TopologicalSorter(needs).static_order():
        depths[name] = 1 + max((depths[other] for other in needs[name]), default=0)
    return max(depths.values(), default=0)


def summary_of(basket: Basket, fold: str, read: Callable[[str], Table], progress: Progress | None = None) -> Table:
    """The summary table of a fold; its notes tell what may make its numbers differ from what the basket asks for. `read` gives the
    table of a source as it is read. Raises FoldError for a circle."""
    circle = circle_of(basket)
    if circle is not None:
        raise FoldError(
            f"the fold “{basket.fold_name(fold)}” would be made of itself ({' → '.join(map(basket.source_name, circle))}).",
            todo="Take one of the sources out.",
        )
    ready = made_ready(basket, {name: read(name) for name in needed_sources(basket, fold)}, progress)
    report = ready.engine.fold(basket.fold(fold).opened(), progress)
    return replace(table_of(report), notes=(*ready.problems, *report.remarks))


def table_of(report: Report) -> Table:
    """A report as a table: a record for each innermost line of rows and columns that holds any value."""
    rows, columns = _leaves(report.rows), _leaves(report.columns)
    heads = [*report.rows.heads, *report.columns.heads]
    names = field_names([*(head.heading for head in heads), *(measure.heading for measure in report.measures)])
    values: list[list[object]] = [[] for _ in names]
    for row in rows:
        for line in columns:
            cells = [report.exact(at, row, line) for at in range(len(report.measures))]
            if all(cell is None for cell in cells):
                continue
            members = [*_members(report.rows, row), *_members(report.columns, line)]
            for gathering, value in zip(values, [*members, *cells], strict=True):
                gathering.append(value)
    made = {}
    for at, name in enumerate(names):
        gathered = Gathered(name)
        gathered.add(values[at])
        is_text = at >= len(heads) or heads[at].domain.type is FieldType.TEXT
        made[name] = gathered.column("none" if is_text else "text").column
    return Table(report.name, made, f"the fold “{report.name}”")


def _leaves(axis: Axis) -> list[int]:
    """The innermost lines of an axis; the only line of an axis without fields."""
    if not axis.heads:
        return list(range(min(1, len(axis))))
    return np.flatnonzero((axis.kind == Kind.MEMBER) & (axis.level == len(axis.heads))).tolist()


def _members(axis: Axis, line: int) -> Iterator[str | None]:
    for field in range(len(axis.heads)):
        yield axis.key(line, field)
