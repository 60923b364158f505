"""Records that should not be there: empty ones, repeated ones, total lines; and keys or amounts that are missing."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt

from foldbasket.tables.column import DeferredColumn, NumberColumn, blank_mask
from foldbasket.tables.findings.finding import Finding, Offer, finder, records_of, some
from foldbasket.tables.mending.rows import DropEmptyRows, DropMatching, DropRepeatedRows, empty_rows, repeated_rows
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

_TOTAL = re.compile(r"\s*((grand|overall)\s+total|(sub)?totals?|sum)\b.*", re.IGNORECASE)
FEW_BLANKS = 0.2


@finder("rows", 40)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    if not table.count or not table.columns:
        return
    empty = empty_rows(table)
    if empty.any():
        count = int(empty.sum())
        yield Finding(
            "empty rows", "", "", f"{count:,} row{'s are' if count != 1 else ' is'} empty", "", count,
            (Offer("Drop them" if count != 1 else "Drop it", (DropEmptyRows(),)),), _finding(empty),
        )  # fmt: skip
    repeated = repeated_rows(table) if len(table.columns) > 1 else np.zeros(table.count, np.bool_)
    if repeated.any():
        count = int(repeated.sum())
        yield Finding(
            "repeated rows", "", "", f"{count:,} record{'s repeat' if count != 1 else ' repeats'} an earlier one in every field", "", count,
            (Offer("Keep one of each", (DropRepeatedRows(),)),), _finding(repeated),
        )  # fmt: skip
    totals = next(_totals(table), None)
    passed = empty.copy()
    if totals is not None:
        yield totals
        passed[totals.records] = True
    yield from _keys(table, passed | repeated)
    yield from _no_amount(table, passed)


def _totals(table: Table) -> Iterator[Finding]:
    """Records that a report left behind: a label such as Total, and fields blank that other records fill."""
    for name, column in table.columns.items():
        text = table.texts.get(name, column)
        if text.type is not FieldType.TEXT or isinstance(text, DeferredColumn) or len(text.coded().dictionary) > 20_000:
            continue
        coded = text.coded()
        labels = np.array([bool(_TOTAL.fullmatch(value)) for value in coded.dictionary.texts], np.bool_)
        if not labels.any():
            continue
        lines = np.append(labels, False)[coded.codes]
        others = [table.texts.get(other, each) for other, each in table.columns.items() if other != name]
        fuller = [blank_mask(other)[~lines].mean() < 0.2 and blank_mask(other)[lines].all() for other in others]
        if not lines.all() and any(fuller):
            said = tuple(value for value, is_label in zip(coded.dictionary.texts, labels, strict=True) if is_label)
            count = int(lines.sum())
            yield Finding(
                "total lines", name, "|".join(sorted(said)), f"{count:,} total line{'s are' if count != 1 else ' is'} left in the data", f"{count:,} total lines", count,
                (Offer("Leave them out" if count != 1 else "Leave it out", (DropMatching(name, said),)),), records_of(coded, labels), f"{some(said)}: they would count twice.",
            )  # fmt: skip
            return


def _keys(table: Table, passed: npt.NDArray[np.bool_]) -> Iterator[Finding]:
    """A field that names its records and does so twice for some."""
    name, column = next(iter(table.columns.items()))
    if nature_of(column) is not Nature.IDENTIFIER or isinstance(column, DeferredColumn):
        return
    coded = column.coded()
    members = len(coded.dictionary)
    weights = np.bincount(coded.codes[~passed], minlength=members + 1)[:members]
    different = int(np.count_nonzero(weights))
    repeats = int(weights.sum()) - different
    if repeats and different >= 0.95 * weights.sum() and different > 20:
        again = weights > 1
        keys = int(again.sum())
        first = [coded.dictionary.key(int(code)) for code in np.flatnonzero(again)[:4]]
        yield Finding(
            "repeated keys", name, "", f"{keys:,} value{'s' if keys != 1 else ''} of {name} stand{'s' if keys == 1 else ''} on more than one record", f"{repeats:,} repeated", int(weights[again].sum()),
            (Offer("Keep the first of each", (DropRepeatedRows((name,)),)),), records_of(coded, again), some(first),
        )  # fmt: skip


def _no_amount(table: Table, passed: npt.NDArray[np.bool_]) -> Iterator[Finding]:
    """A few records without the amount that nearly all have."""
    for name, column in table.columns.items():
        if not isinstance(column, NumberColumn) or nature_of(column) not in (Nature.AMOUNT, Nature.QUANTITY):
            continue
        without = blank_mask(table.texts.get(name, column)) & ~passed
        blanks = int(without.sum())
        if 0 < blanks <= FEW_BLANKS * table.count:
            yield Finding(
                "no amount", name, "", f"{blanks:,} record{'s have' if blanks != 1 else ' has'} no {name}", f"{blanks:,} blank", blanks,
                (Offer("Leave them out" if blanks != 1 else "Leave it out", (DropMatching(name, ("",)),)),),
                _finding(without),
                "They count as records but add nothing.",
            )  # fmt: skip


def _finding(mask: npt.NDArray[np.bool_]) -> Callable[[], npt.NDArray[np.int64]]:
    return lambda: np.flatnonzero(mask)
