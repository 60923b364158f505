"""A fold as a source of other folds: its innermost lines as records, one field for each word and each measure."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from msgspec.structs import replace

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.needs import circle_of, needed_sources
from foldbasket.errors import FoldError
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.members.domain import NO_MATCH, OTHERS
from foldbasket.folding.report.report import Report
from foldbasket.opening.ready import made_ready
from foldbasket.tables.cells import Gathered
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way

MARKS = frozenset({NO_MATCH, OTHERS})
"""Members that are no value of their field, and not blank."""


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
        give_way()
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
        is_text = at >= len(heads) or heads[at].domain.type is FieldType.TEXT or not MARKS.isdisjoint(values[at])
        made[name] = gathered.column("none" if is_text else "text").column
    name = report.origin.fold.name if report.origin is not None else report.name
    return Table(name, made, f"the fold “{name}”")


def _leaves(axis: Axis) -> list[int]:
    """The innermost lines of an axis; the only line of an axis without fields."""
    if not axis.heads:
        return list(range(min(1, len(axis))))
    return np.flatnonzero((axis.kind == Kind.MEMBER) & (axis.level == len(axis.heads))).tolist()


def _members(axis: Axis, line: int) -> Iterator[str | None]:
    """The member of each field on a line: None only where it is blank. What stands for several members, or for none that was found, is named as the report
    names it; a text that reads like that is led by a backslash, as in cells that are exported as records."""
    for field, head in enumerate(axis.heads):
        code, domain = int(axis.codes[line, field]), head.domain
        if code < 0:  # within all others of an outer field
            yield OTHERS
        elif code == domain.blank:
            yield None
        else:
            key = domain.key(code) if code < domain.blank else ""
            yield key if key and key.lstrip("\\") not in MARKS else domain.token(code)
