"""Records that should not be there: empty ones, repeated ones, total lines; and keys or amounts that are missing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np
import numpy.typing as npt
import pyarrow.compute as pc

from foldbasket.tables.column import Column, DeferredColumn, Dictionary, NumberColumn, blank_mask
from foldbasket.tables.findings.finding import Find, Finding, Offer, Records, finder, some, texts_of
from foldbasket.tables.mending.rows import DropEmptyRows, DropMatching, DropRepeatedRows, empty_rows, repeated_rows
from foldbasket.tables.nature import Nature, nature_of, tells_file
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

_TOTAL = r"^\s*((grand|overall)\s+total|(sub)?totals?|sum)\b"
MOST_LABELS = 1_000_000
"""Among more members no labels of total lines are looked for."""
FEW_BLANKS = 0.2
NEARLY_ALL, FEWEST_KEYS = 0.95, 20
"""A field names its records where so large a share of its values differ, and more than so many do."""
SHOWN = 4
"""So many repeated keys are named."""


@finder("rows", 40)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    if not table.count or not table.columns:
        return
    empty = empty_rows(table)
    if empty.any():
        yield empty_records(int(empty.sum()), _those(empty))
    repeated = repeated_rows(table) if len(table.columns) > 1 else np.zeros(table.count, np.bool_)
    if repeated.any():
        yield repeated_records(int(repeated.sum()), _those(repeated))
    others = fields_but_file(table)
    overlapping = repeated_rows(table, others) & ~repeated & ~empty if len(others) > 1 else np.zeros_like(repeated)
    if overlapping.any():
        yield overlapping_files(others, int(overlapping.sum()), _those(overlapping))
    passed = empty.copy()
    totals = totals_in(table)
    if totals is not None:
        yield total_lines(totals.field, totals.said, int(totals.mask.sum()), _those(totals.mask))
        passed |= totals.mask
    yield from _keys(table, passed | repeated | overlapping)
    yield from _no_amount(table, passed)


def empty_records(count: int, found: Find) -> Finding:
    """Says that so many records hold nothing."""
    one = count == 1
    return Finding(
        "empty rows", "", "", f"{count:,} row{' is' if one else 's are'} empty", "", count,
        (Offer("Drop it" if one else "Drop them", (DropEmptyRows(),)),), found,
    )  # fmt: skip


def repeated_records(count: int, found: Find) -> Finding:
    """Says that so many records are alike to an earlier one in all fields."""
    return Finding(
        "repeated rows", "", "", f"{count:,} record{' repeats' if count == 1 else 's repeat'} an earlier one in every field", "", count,
        (Offer("Keep one of each", (DropRepeatedRows(),)),), found,
    )  # fmt: skip


def overlapping_files(others: tuple[str, ...], count: int, found: Find) -> Finding:
    """Says that so many records are alike to one of an earlier file of the folder, in all fields but the file's."""
    return Finding(
        "overlapping files", "", "", f"{count:,} record{' stands' if count == 1 else 's stand'} in an earlier file, too", "", count,
        (Offer("Keep the first of each", (DropRepeatedRows(others),)),), found, "Where files overlap, what both hold counts twice.",
    )  # fmt: skip


def fields_but_file(table: Table) -> tuple[str, ...]:
    """All fields of a folder's records but that of their file; none where the table is no folder's."""
    own = tuple(name for name, column in table.columns.items() if not tells_file(column))
    return own if len(own) < len(table.columns) else ()


def key_field(table: Table) -> str:
    """The field that would name a table's records: its first, but for that of their file."""
    return (*fields_but_file(table), *table.columns)[0]


def total_lines(name: str, said: tuple[str, ...], count: int, found: Find) -> Finding:
    """Says that so many records are totals that a report left behind, by what they say in a field."""
    one = count == 1
    return Finding(
        "total lines", name, "|".join(sorted(said)), f"{count:,} total line{' is' if one else 's are'} left in the data", f"{count:,} total lines", count,
        (Offer("Leave it out" if one else "Leave them out", (DropMatching(name, said),)),), found, f"{some(said)}: they would count twice.",
    )  # fmt: skip


def repeated_keys(name: str, keys: int, repeats: int, count: int, first: Sequence[str], found: Find) -> Finding:
    """Says that some keys stand on several records, `count` in all, `repeats` of which have no key of their own."""
    one = keys == 1
    return Finding(
        "repeated keys", name, "", f"{keys:,} value{'' if one else 's'} of {name} stand{'s' if one else ''} on more than one record", f"{repeats:,} repeated", count,
        (Offer("Keep the first of each", (DropRepeatedRows((name,)),)),), found, some(first),
    )  # fmt: skip


def no_amount(name: str, count: int, found: Find) -> Finding:
    """Says that so many records lack an amount."""
    one = count == 1
    return Finding(
        "no amount", name, "", f"{count:,} record{' has' if one else 's have'} no {name}", f"{count:,} blank", count,
        (Offer("Leave it out" if one else "Leave them out", (DropMatching(name, ("",)),)),), found, "They count as records but add nothing.",
    )  # fmt: skip


def total_labels(dictionary: Dictionary) -> npt.NDArray[np.bool_]:
    """Which of some texts read like the label of a total."""
    return np.asarray(pc.match_substring_regex(dictionary.values, _TOTAL, ignore_case=True))


def are_totals(blank_on_lines: float, blank_elsewhere: float) -> bool:
    """Whether a field tells labelled records to be totals, by the share of them that have none of it, and of the others."""
    return blank_on_lines == 1 and blank_elsewhere < FEW_BLANKS


def names_records(different: int, records: int) -> bool:
    """Whether a field of so many different values is meant to name its records."""
    return records > different >= NEARLY_ALL * records and different > FEWEST_KEYS


def is_amount(column: Column) -> bool:
    """Whether nearly all records should have a value of a field, since a sum over it is meant."""
    return isinstance(column, NumberColumn) and nature_of(column) in (Nature.AMOUNT, Nature.QUANTITY)


class TotalLines(NamedTuple):
    """Records that a report left behind: the field and what they say there, such as Total, and which they are; shape (records,)."""

    field: str
    said: tuple[str, ...]
    mask: npt.NDArray[np.bool_]


_KEPT: WeakKeyDictionary[Table, TotalLines | None] = WeakKeyDictionary()


def totals_in(table: Table) -> TotalLines | None:
    """The total lines in a table, looked for once; None where there are none."""
    if table not in _KEPT:
        _KEPT[table] = next(_labelled(table), None)
    return _KEPT[table]


def _labelled(table: Table) -> Iterator[TotalLines]:
    """By the fields that label them: others are blank in them that other records fill."""
    for name, column in table.columns.items():
        text = table.texts.get(name, column)
        if text.type is not FieldType.TEXT or isinstance(text, DeferredColumn):
            continue
        coded = text.coded()
        if len(coded.dictionary) > MOST_LABELS:
            continue
        labels = total_labels(coded.dictionary)
        lines = np.append(labels, False)[coded.codes]
        if not lines.any() or lines.all():
            continue
        others = (blank_mask(table.texts.get(other, each)) for other, each in table.columns.items() if other != name)
        if any(are_totals(float(blank[lines].mean()), float(blank[~lines].mean())) for blank in others):
            yield TotalLines(name, texts_of(coded, labels), lines)


def _keys(table: Table, passed: npt.NDArray[np.bool_]) -> Iterator[Finding]:
    """A field that names its records and does so twice for some."""
    name = key_field(table)
    column = table.columns[name]
    if nature_of(column) is not Nature.IDENTIFIER or isinstance(column, DeferredColumn):
        return
    coded = column.coded()
    members = len(coded.dictionary)
    weights = np.bincount(coded.codes[~passed], minlength=members + 1)[:members]
    different = int(np.count_nonzero(weights))
    repeats = int(weights.sum()) - different
    if names_records(different, int(weights.sum())):
        again = weights > 1
        first = [coded.dictionary.key(int(code)) for code in np.flatnonzero(again)[:SHOWN]]
        wanted = np.append(again, False)

        def on_several(_: Progress) -> Records:
            return np.flatnonzero(wanted[coded.codes] & ~passed)

        yield repeated_keys(name, int(again.sum()), repeats, int(weights[again].sum()), first, on_several)


def _no_amount(table: Table, passed: npt.NDArray[np.bool_]) -> Iterator[Finding]:
    """A few records without the amount that nearly all have."""
    for name, column in table.columns.items():
        if not is_amount(column):
            continue
        without = blank_mask(table.texts.get(name, column)) & ~passed
        blanks = int(without.sum())
        if 0 < blanks <= FEW_BLANKS * table.count:
            yield no_amount(name, blanks, _those(without))


def _those(mask: npt.NDArray[np.bool_]) -> Find:
    return lambda _: np.flatnonzero(mask)
