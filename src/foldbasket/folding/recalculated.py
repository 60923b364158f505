"""A compared cell calculated again from records: a share with its whole, a rank with its neighbours, a running total with all before it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any

import msgspec

from foldbasket.folding.around import Around, AxisAround, Path, ends, plain
from foldbasket.folding.byhand import Value, worked_out
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import NotByHandError
from foldbasket.folding.within import of_codes
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure
from foldbasket.tables.progress import Progress

MOST_CELLS, MOST_RECORDS = 60, 300_000
"""Of so many cells around one, with so many records together, the numbers are added up from their records; those of more are taken from a report without
comparisons."""
replace = msgspec.structs.replace


class Numbers:
    """The exact numbers of a measure's cells, each from the records of its members. `opened` is the report without the comparison and with nothing collapsed;
    `shown` gives the filters that keep only what a line shows, by the paths of a cell."""

    def __init__(
        self,
        engine: Engine,
        fold: Fold,
        measure: Measure,
        opened: Report,
        shown: Callable[[Path, Path], Sequence[Any]],
        progress: Progress,
    ) -> None:
        self.engine, self.fold, self.measure, self.opened, self.shown, self.progress = (
            engine,
            fold,
            measure,
            opened,
            shown,
            progress,
        )
        self.rows, self.columns = AxisAround(opened.rows, fold.rows), AxisAround(opened.columns, fold.columns)
        self.tables = engine.tables_of(fold)
        self.cells = self.records = 0

    def __call__(self, row: Path, column: Path, measure: str | None) -> Value | Fraction:
        asked = (
            self.measure if measure is None else next((each for each in self.fold.measures if each.id == measure), None)
        )
        if asked is None:
            raise NotByHandError("the measure to compare with is gone")
        if asked.total != "records" and (_is_total(self.rows, row) or _is_total(self.columns, column)):
            lines = [_beneath(axis, path) for axis, path in ((self.rows, row), (self.columns, column))]
            cells = [self(one, two, measure) for one in lines[0] for two in lines[1]]
            return put_together(asked.total, cells)
        self.progress.step("Calculating again", min(1.0, self.cells / MOST_CELLS))
        bare = replace(asked, compare=None, total="records")
        filters = (
            *self.fold.filters,
            *of_codes(self.opened.rows, row, self.fold.rows),
            *of_codes(self.opened.columns, column, self.fold.columns),
            *self.shown(row, column),
        )
        self.cells += 1
        if self.cells <= MOST_CELLS and self.records <= MOST_RECORDS and asked.id in self.tables:
            base = self.tables[asked.id]
            behind = self.engine.records_of(base, filters, self.progress)
            self.records += behind.many
            try:
                return worked_out(bare, base, behind, self.progress)
            except NotByHandError:
                pass
        return self._by_engine(bare, filters)

    def _by_engine(self, bare: Measure, filters: tuple[Filter, ...]) -> Value:
        others = (replace(each, compare=None, total="records") for each in self.fold.measures if each.id != bare.id)
        asked = Fold("proof", (bare, *others), filters=filters)
        found = self.engine.fold(asked, self.progress, over=self.tables or None)
        return found.exact(0, 0, 0) if len(found.rows) and len(found.columns) else None


def compared_again(numbers: Numbers, row: Path, column: Path) -> Value:
    """What a measure's comparison gives for a cell. Raises NotByHandError, with the reason in words; Cancelled."""
    compare = numbers.measure.compare
    assert compare is not None
    if numbers.rows.there(row) is None or numbers.columns.there(column) is None:
        raise NotByHandError("its line is not among those that are shown")
    try:
        found: Value = compare.by_hand(Around(numbers.rows, numbers.columns, row, column, numbers))
    except NotImplementedError:
        raise NotByHandError(f"“{compare.said}” is not done by hand") from None
    except (OverflowError, ValueError, ArithmeticError):
        raise NotByHandError("it holds what is no number") from None
    return found


def put_together(how: str, cells: Sequence[Value | Fraction]) -> Value:
    """Cells of lines put together in plain arithmetic, as a total of what is shown is; None where that makes nothing."""
    known: list[Any] = [cell for cell in cells if cell is not None]
    if not known or how == "none":
        return None
    if how in ("smallest", "largest"):
        found: Value = (min if how == "smallest" else max)(known)
        return found
    total = sum((Fraction(each) for each in known), Fraction(0))
    if how == "average":
        return float(total / len(known))
    if isinstance(known[0], float):
        return float(total)
    made: Value = plain(total)
    return Decimal(made) if isinstance(known[0], Decimal) and isinstance(made, int) else made


def _is_total(axis: AxisAround, path: Path) -> bool:
    """Whether a line stands for others beneath it; all others of an outer field do not."""
    return len(path) < axis.depth and not (path and path[-1] == axis.others(len(path) - 1))


def _beneath(axis: AxisAround, path: Path) -> list[Path]:
    return [each for each in ends(axis, axis.depth) if each[: len(path)] == path]
