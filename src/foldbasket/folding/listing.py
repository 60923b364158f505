"""A listing: the records of a fold one by one under the members of its rows, with chosen fields, and the fold's measures at every total.

It is a fold as well, with the number of the record as the innermost field of its rows, so totals, order, looks and outputs are those of any report.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.lines.axis import EVERYTHING
from foldbasket.folding.report.report import Origin, Report
from foldbasket.links.source import Source
from foldbasket.sentence.phrases import words_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Fold, Measure, Placed, TotalOf
from foldbasket.spec.order import ByValue
from foldbasket.spec.page import Listing
from foldbasket.tables.column import CodedColumn, NumberColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.types import FieldType

replace = msgspec.structs.replace

RECORD = "Record"
"""The word and the heading of a record's number in its source, from 1."""
NUMBER = "number of the record"
COUNT = "·count"
VALUE = "·value"
"""How the word begins that a field is shown by of which totals say nothing."""


def usual_fields(source: Source, base: str, fold: Fold) -> tuple[FieldRef, ...]:
    """The fields that are listed where none are chosen: those of the base table that do not stand on the rows and lead to no other table; at most
    eight, and those of the fold's measures in any case."""
    placed = {word.field for word in fold.rows}
    keys = {FieldRef(base, near) for link in source.links if link.from_table == base for near, _ in link.keys}
    own = [FieldRef(base, name) for name in source.table(base).columns]
    measured = [each.field for each in fold.measures if each.field is not None]
    free = [ref for ref in own if ref not in placed and ref not in keys]
    first = set(free[: 8 - len(set(measured) & set(free))])
    kept = [ref for ref in free if ref in first or ref in measured]
    return tuple(dict.fromkeys([*kept, *measured]))


def listed_fields(source: Source, base: str, fold: Fold) -> tuple[FieldRef, ...]:
    """The fields that are listed of each record: the chosen ones, else the usual."""
    chosen = fold.page.listing.fields if fold.page.listing is not None else ()
    return chosen or usual_fields(source, base, fold)


def add_numbers(source: Source, base: str, records: npt.NDArray[np.int64]) -> None:
    """Adds the field of the records' numbers, from 0, unless it is there already."""
    source.add(FieldRef(base, NUMBER), lambda: NumberColumn(RECORD, FieldType.WHOLE, records + 1))


def over_gathered(
    fold: Fold, measures: Sequence[Measure], rows: Sequence[Placed], fields: tuple[FieldRef, ...]
) -> Fold:
    """The fold over a source that has no records but its own, so that its filters have nothing to leave out and no member is without records; with its
    measures, its rows and the fields of its listing as they are found of all records."""
    kept = tuple(replace(word, empty=False) for word in rows)
    listing = replace(fold.page.listing or Listing(), fields=fields)
    return replace(fold, measures=tuple(measures), rows=kept, filters=(), page=replace(fold.page, listing=listing))


def listing_fold(source: Source, base: str, fold: Fold) -> Fold:
    """The fold whose innermost lines are the records of `base` under the rows of `fold`. What a field is measured by in the fold is what totals say
    of it; amounts and quantities are summed, and of others nothing is said. Other measures stand behind the fields. Raises FoldError
    for a field that cannot be reached."""
    listing = fold.page.listing or Listing()
    fields = listed_fields(source, base, fold)
    number = FieldRef(base, NUMBER)
    add_numbers(source, base, np.arange(source.table(base).count))
    own = [each for each in fold.measures if each.compare is None]
    shown: list[Measure] = []
    for at, ref in enumerate(fields):
        if source.path(base, ref.table) is None:
            raise FoldError(
                f"“{ref.field}” of {source.called(ref.table)} says nothing of one record of {source.called(base)}.",
                todo="Take it out of the listing.",
            )
        measured = next((each for each in own if each.field == ref and each.aggregate != FORMULA), None)
        if measured is not None and measured not in shown:
            shown.append(measured)
        else:
            shown.append(_value(source, base, ref, at))
    by = next((each.id for each, ref in zip(shown, fields, strict=True) if ref == listing.by), None)
    order = ByValue(by) if by is not None else None
    record = Placed(RECORD, number, heading=RECORD, by=order, descending=listing.descending)
    rest = [each for each in fold.measures if each not in shown]
    opened = fold.opened()
    return replace(
        opened,
        rows=(*(_grouping(word) for word in opened.rows), record),
        columns=(),
        measures=(*shown, *rest, Measure(COUNT, "count")),
        measures_on="columns",
        measures_at=None,
        chart=None,
        page=replace(fold.page, listing=None),
    )


def _grouping(word: Placed) -> Placed:
    """A field of the rows as a group of records: without an order by a member of the columns, which are not there."""
    return word if word.by is None or not word.by.among else replace(word, by=replace(word.by, among=()))


def _value(source: Source, base: str, ref: FieldRef, at: int) -> Measure:
    """What is shown of a field: its sum where it is an amount or a quantity, else its value, of which totals say nothing."""
    column = source.column(ref)
    if column.type.is_number and nature_of(column) in (Nature.AMOUNT, Nature.QUANTITY):
        return Measure(f"·sum {at}", "sum", ref, heading=ref.field)
    if ref.table != base:
        # A value that no total is made of need not be counted once for each record of its own table.
        near = FieldRef(base, f"{ref.table}·{ref.field} of each record")

        def beside() -> CodedColumn:
            aligned = source.aligned(base, ref)
            return CodedColumn(column.name, np.minimum(aligned.codes, aligned.blank), aligned.dictionary)

        source.add(near, beside)
        return Measure(f"{VALUE} {at}", "smallest", near, heading=ref.field, total=TotalOf.NONE)
    return Measure(f"{VALUE} {at}", "smallest", ref, heading=ref.field, total=TotalOf.NONE)


def listing(report: Report, fold: Fold, source: Source) -> Report:
    """The report of a `listing_fold`, with its own sentence, how many records each group has in its caption, and without the measures of `fold` that say nothing of
    one record: counts and comparisons."""
    at = report.measure_at(COUNT)
    assert at is not None
    hidden = {COUNT, *(each.id for each in fold.measures if each.compare is not None or each.aggregate == "count")}
    shown = [number for number, each in enumerate(report.measures) if each.id not in hidden]
    counts, rows = report.blocks[at], report.rows
    captions = {}
    for line in np.flatnonzero(report.left.is_total).tolist():
        level = int(rows.level[line])
        name = rows.label(line, level - 1) if level else EVERYTHING
        many = int(counts.data[line, 0])
        captions[line] = f"{name}, {many:,} {'record' if many == 1 else 'records'}"
    # A line of gathered members is no record, so what totals say nothing of says nothing there either.
    apart = rows.codes[:, -1] < 0
    silent = {each.id for each in fold.measures if each.total == TotalOf.NONE} | {
        each.id for each in report.measures if each.id.startswith(VALUE)
    }
    blocks = [
        replace(block, blank=block.blank | apart[:, None]) if head.id in silent else block
        for head, block in zip(report.measures, report.blocks, strict=True)
    ]
    headings = [report.measures[number].heading for number in shown]
    return replace(
        report,
        sentence=_sentence(fold, source, report, headings),
        rows=replace(rows, captions=captions),
        measures=tuple(report.measures[number] for number in shown),
        blocks=tuple(blocks[number] for number in shown),
    )


def told_of(report: Report, records: int, origin: Origin) -> Report:
    """The report of gathered records as that of all from which they were gathered."""
    counted = tuple(replace(each, records=records, place="here, its records gathered") for each in report.counted)
    assert report.origin is not None
    # Other folds are of the gathered records; what relative dates go by is told of all.
    return replace(report, counted=counted, origin=replace(report.origin, as_of=origin.as_of))


def _sentence(fold: Fold, source: Source, report: Report, headings: Sequence[str]) -> str:
    """“Records of Order lines with Ordered on, Quantity and Net for each Region”, and what the fold's filters keep."""
    *most, last = headings or ["nothing"]
    listed = f"{', '.join(most)} and {last}" if most else last
    bare = replace(fold, measures=(), columns=())
    rest = [f"{word.lead} {word.text}" for word in words_of(bare, source, report.locale)]
    return " ".join([f"Records of {source.called(report.base)} with {listed}", *rest])
