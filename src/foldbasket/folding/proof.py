"""Proof of a cell: the records behind it, the arithmetic in words, and whether doing it again gives the cell.

The cell's members become filters, and its measure, or each part of its formula, is worked out over what they keep. Nothing of the
report's own totals or layout is used, so a proof is a second way to the same number. A comparison is calculated again from the records of every cell that
it is made of (`recalculated.py`).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.behind import Behind
from foldbasket.folding.byhand import worked_out
from foldbasket.folding.engine import Engine
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.recalculated import Numbers, compared_again, put_together
from foldbasket.folding.report.report import Report, Value
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, NotByHandError
from foldbasket.folding.within import Within, of_line, only_shown
from foldbasket.sentence.phrases import comparison_phrase, filter_phrase, measure_heading
from foldbasket.spec.fold import FORMULA, Covers, Fold, Measure
from foldbasket.tables.column import blank_mask
from foldbasket.tables.distinct import distinct
from foldbasket.tables.progress import Progress


class Part(msgspec.Struct, frozen=True):
    """One number that a cell is made of: what it is called, its exact value, and the value as the report writes it."""

    name: str
    value: Value
    text: str


class ByHand(msgspec.Struct, frozen=True):
    """A number worked out in plain Python from the records, beside what the engine gives for it."""

    name: str
    value: Value
    engine: Value


class LeftOut(msgspec.Struct, frozen=True):
    """So many records that are not counted: `why` says by which filter, or that they have no value: “by Channel: Trade”."""

    why: str
    many: int


def is_same(one: Value, two: Value) -> bool:
    """Whether two values are the same, reals to the last few digits."""
    if isinstance(one, float) and isinstance(two, float):
        return bool(np.isclose(one, two, rtol=1e-11, atol=1e-12))
    return one == two


class Proof(msgspec.Struct, frozen=True, eq=False):
    """What stands behind a cell. `where` names its members, `behind` are the base table's records in it."""

    measure: str
    where: str
    base: str
    behind: Behind
    parts: tuple[Part, ...]
    arithmetic: str
    again: Value
    shown: Value
    note: str = ""
    is_checked: bool = True
    """False for a cell that shows nothing by choice, so that there is nothing to work out."""
    is_compared: bool = False
    """Whether the cell shows a comparison that was not calculated again, so that the proof is of the amount beneath it."""
    by_hand: tuple[ByHand, ...] = ()
    """What was worked out from the records in plain Python as well: the measure, or the parts of its formula."""
    not_by_hand: str = ""
    """Why something was not."""
    left_out: tuple[LeftOut, ...] = ()
    """The records of the cell's members that are not counted, by what leaves them out."""

    @property
    def records(self) -> npt.NDArray[np.int64]:
        """The numbers of the records, of a table that is not held of the first few."""
        return self.behind.records

    @property
    def agrees(self) -> bool:
        """Whether working it out again gave the cell, of a comparison the amount beneath it; reals to the last few digits."""
        return is_same(self.again, self.shown) and all(is_same(each.value, each.engine) for each in self.by_hand)


ASIDE = ("count", "count values", "sum", "smallest", "largest")
"""What is told of a measure's field beside its own aggregate."""


def proof_of(
    engine: Engine, fold: Fold, report: Report, row: int, column: int, progress: Progress | None = None
) -> Proof:
    """The proof of a cell of a report that `engine` made of `fold`. Raises FoldError where there is no such cell, Cancelled on
    request."""
    at, line, across = report.cell(row, column)
    measure = fold.measures[at]
    within = [*of_line(report.rows, line, fold.rows), *of_line(report.columns, across, fold.columns)]
    shown = _only_shown(engine, fold, report, line, across)
    bare = msgspec.structs.replace(measure, compare=None, total="records", heading=measure.heading or "measure")
    parts = _parts_of(engine, fold, measure, bare)
    listed = {measure.id, *(each.id for each in parts)}
    names = tuple(each for each in fold.measures if measure.formula and each.id not in listed)
    asked = (bare, *(msgspec.structs.replace(each, compare=None, total="records") for each in (*parts, *names)))
    filters: tuple[Any, ...] = (*fold.filters, *within, *shown)
    tables = engine.tables_of(fold)
    # Which records a measure is about is decided by the whole fold, and must not be found out anew from this one word of it.
    over = {**({measure.id: tables[measure.id]} if measure.id in tables else {}), **tables}
    found = engine.fold(msgspec.structs.replace(Fold("proof", asked), filters=filters), progress, over=over)
    has = bool(len(found.rows)) and bool(len(found.columns))
    values = [(found.exact(k, 0, 0), found.written(k, 0, 0)) if has else (None, "") for k in range(len(asked))]
    told = [
        Part(_name(each), value, text or "(blank)")
        for each, (value, text) in list(zip(asked, values, strict=True))[1 : 1 + len(parts)]
    ]
    base = found.counted[0].base
    behind = engine.records_of(base, filters, progress)
    checked = (
        [(bare, values[0][0])]
        if not measure.formula
        else [(each, value) for each, (value, _) in zip(asked[1:], values[1:], strict=True)]
    )
    hand, why_not = _by_hand(checked, base, behind, progress or Progress())
    notes = []
    again, plain = values[0][0], _Plain(engine, fold, report, measure, at, line, across)
    is_total = measure.total != "records" and plain.is_total
    if is_total:
        again = plain.of_lines(measure.total)
        notes.append(
            "It has no totals."
            if measure.total == "none"
            else f"This total is made of the lines shown, not of the records: their {measure.total}."
        )
    compared: tuple[ByHand, ...] = ()
    if measure.compare is not None:
        compared, reason = _compared_by_hand(
            engine, fold, report, measure, plain, (at, line, across), progress or Progress()
        )
        hand, why_not = (*hand, *compared), why_not or reason
        cell = report.written(at, line, across) or "(blank)"
        notes.append(f"The cell shows it as {comparison_phrase(measure.compare, fold, engine.source)}: {cell}.")
    members = [_said(report.rows, line), _said(report.columns, across)]
    where = ", ".join(each for each in members if each) or "Everything"
    return Proof(
        report.measures[at].heading, where, base, behind, tuple(told), _arithmetic(measure), again, plain.value,
        " ".join(notes), not (is_total and measure.total == "none"), measure.compare is not None and not compared, hand, why_not,
        _left_out(engine, fold, measure, base, within, shown, behind, progress),
    )  # fmt: skip


def _by_hand(
    asked: Sequence[tuple[Measure, Value]], base: str, behind: Behind, progress: Progress
) -> tuple[tuple[ByHand, ...], str]:
    """Measures worked out from the records behind a cell once more, by none of the engine's code; and why some were not."""
    done: list[ByHand] = []
    why_not = ""
    for measure, engine in asked:
        try:
            done.append(ByHand(_name(measure), worked_out(measure, base, behind, progress), engine))
        except NotByHandError as reason:
            why_not = str(reason)
    return tuple(done), why_not


def _compared_by_hand(
    engine: Engine,
    fold: Fold,
    report: Report,
    measure: Measure,
    plain: _Plain,
    cell: tuple[int, int, int],
    progress: Progress,
) -> tuple[tuple[ByHand, ...], str]:
    """What the comparison of a measure gives by hand for a cell (its measure, row and column), beside what the report shows; or why it is not done."""
    at, line, across = cell
    paths = [tuple(int(code) for code in codes if code >= 0) for codes in plain.codes]

    def shown(row: tuple[int, ...], column: tuple[int, ...]) -> list[Any]:
        if not _covers_shown(fold):
            return []
        return _shown_in(plain.report, fold, _codes_of(row, len(fold.rows)), _codes_of(column, len(fold.columns)))

    try:
        numbers = Numbers(engine, fold, measure, plain.report, shown, progress)
        found = compared_again(numbers, paths[0], paths[1])
    except NotByHandError as reason:
        return (), str(reason)
    return (ByHand(report.measures[at].heading, found, report.exact(at, line, across)),), ""


def _codes_of(path: Sequence[int], depth: int) -> npt.NDArray[np.int32]:
    return np.array([*path, *[-1] * (depth - len(path))], np.int32)


def _covers_shown(fold: Fold) -> bool:
    """Whether totals cover only what is shown, and something is not."""
    return fold.totals_cover == Covers.SHOWN and any(word.keep is not None for word in fold.rows + fold.columns)


def _only_shown(engine: Engine, fold: Fold, report: Report, line: int, across: int) -> list[Any]:
    """Filters that keep only the records of members shown, where totals cover no others."""
    if not _covers_shown(fold):
        return []
    opened = fold.opened()
    whole = report if opened.rows == fold.rows and opened.columns == fold.columns else engine.fold(opened)
    return _shown_in(whole, fold, report.rows.codes[line], report.columns.codes[across])


def _shown_in(whole: Report, fold: Fold, row: npt.NDArray[np.int32], column: npt.NDArray[np.int32]) -> list[Any]:
    """Filters that keep what a report in which nothing is collapsed shows of a cell, by the codes of its row and of its column."""
    return [*only_shown(whole.rows, row, fold.rows), *only_shown(whole.columns, column, fold.columns)]


def _left_out(
    engine: Engine,
    fold: Fold,
    measure: Measure,
    base: str,
    within: Sequence[Within],
    shown: Sequence[Any],
    behind: Behind,
    progress: Progress | None,
) -> tuple[LeftOut, ...]:
    """The records of a cell's members that filters leave out, each by the first that does, those of members that are not shown, and those of the others that
    have no value or no partner to have it. Nothing of tables that are not held, which would have to be read once for each filter."""
    if behind.source is not engine.source:
        return ()
    found: list[LeftOut] = []
    steps = [(f"by {filter_phrase(rule, engine.source, engine.locale)}", (rule,)) for rule in fold.filters]
    if shown:
        steps.append(("of members that are not shown", tuple(shown)))
    left = engine.records_of(base, tuple(within), progress).many if steps else behind.many
    passed: tuple[Any, ...] = ()
    for at, (why, rules) in enumerate(steps, 1):
        passed = (*passed, *rules)
        is_last = at == len(steps)  # whoever passes it is behind the cell
        kept = behind.many if is_last else engine.records_of(base, (*passed, *within), progress).many
        if kept < left:
            found.append(LeftOut(why, left - kept))
        left = kept
    if measure.field is None:
        return tuple(found)
    at_field, table = behind.at, measure.field.table
    rows = engine.source.rows(base, table) if table != base else None
    if rows is not None:
        partners = rows[behind.at]
        without = int((partners < 0).sum())
        if without:
            found.append(LeftOut(f"without a partner in {engine.source.called(table)}", without))
        at_field = distinct(partners[partners >= 0].astype(np.int64))
    blank = int(blank_mask(engine.source.column(measure.field))[at_field].sum())
    if blank:
        found.append(LeftOut("without a value", blank))
    return tuple(found)


class _Plain:
    """A cell's measure without its comparison, in a report that is otherwise the same and has nothing folded up."""

    def __init__(
        self, engine: Engine, fold: Fold, report: Report, measure: Measure, at: int, line: int, across: int
    ) -> None:
        if measure.compare is None and measure.total == "records":
            self.value, self.is_total = report.exact(at, line, across), False
            return
        # Beside the measure itself, by which members may be picked or ordered.
        bare = msgspec.structs.replace(measure, id=f"{measure.id}·bare", compare=None)
        asked = msgspec.structs.replace(fold, measures=(*fold.measures, bare)).opened()
        self.report, self.at = engine.fold(asked), len(fold.measures)
        own = ((report.rows, line), (report.columns, across))
        axes = (self.report.rows, self.report.columns)
        self.codes = [axis.codes[number] for axis, number in own]
        # A folded member is a total once it is opened, and its subtotal may be off: then its lines tell all there is.
        self.lines = [_under(axis, codes) for axis, codes in zip(axes, self.codes, strict=True)]
        self.is_total = any(int(axis.level[number]) < axis.depth for axis, number in own)
        there = [_line_with(axis, codes) for axis, codes in zip(axes, self.codes, strict=True)]
        shown = there[0] >= 0 and there[1] >= 0
        self.value = self.report.exact(self.at, *there) if shown else self.of_lines(measure.total)

    def of_lines(self, how: str) -> Value:
        """The cells of the innermost lines beneath, put together in plain arithmetic; None where that makes nothing."""
        return put_together(
            how, [self.report.exact(self.at, row, column) for row in self.lines[0] for column in self.lines[1]]
        )


def _under(axis: Axis, codes: npt.NDArray[np.int32]) -> list[int]:
    """The innermost lines beneath the members that some codes name."""
    named = codes >= 0
    alike = (axis.codes[:, named] == codes[named]).all(axis=1)
    found: list[int] = np.flatnonzero(alike & (axis.level == axis.depth)).tolist()
    return found


def _line_with(axis: Axis, codes: npt.NDArray[np.int32]) -> int:
    found = np.flatnonzero((axis.codes == codes).all(axis=1))
    return int(found[0]) if len(found) else -1


def _parts_of(engine: Engine, fold: Fold, measure: Measure, bare: Measure) -> list[Measure]:
    if measure.aggregate == FORMULA:
        return engine.parts_of(
            msgspec.structs.replace(
                fold, measures=tuple(bare if each.id == bare.id else each for each in fold.measures)
            ),
            bare.id,
        )
    if measure.field is None:
        return []
    column = engine.source.column(measure.field)
    fitting = [name for name in ASIDE if name != measure.aggregate and column.type in AGGREGATES[name].takes]
    return [Measure(f"aside {name}", name, None if name == "count" else measure.field) for name in fitting]


def _name(measure: Measure) -> str:
    if measure.id.startswith("="):
        return measure.id[1:].split("·")[0]
    if not measure.id.startswith("aside "):
        return measure_heading(measure)
    node = AGGREGATES.get(measure.aggregate)
    return node.label if node is not None else measure.id


def _arithmetic(measure: Measure) -> str:
    if measure.formula:
        return measure.formula
    node = AGGREGATES[measure.aggregate]
    return f"{measure.field.field if measure.field else 'Records'}: {node.meaning}"


def _said(axis: Axis, line: int) -> str:
    names = [axis.label(line, field) for field in range(axis.depth) if axis.codes[line, field] >= 0]
    return " › ".join(names)
