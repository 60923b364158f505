"""Values that do not fit their field's type, words that stand for blank, and dates that fit two orders."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.tables.column import CodedColumn, DeferredColumn, weights_of
from foldbasket.tables.findings.finding import Finding, Offer, finder, records_of, some, texts_of
from foldbasket.tables.mending.texts import BlankOut
from foldbasket.tables.mending.types import BlankMisfits, ReadAs
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.written import BLANK_WORDS, ORDERS, moments_of, number_fits

_NOUNS = {
    FieldType.DATE: ("a date", "dates"),
    FieldType.TIMESTAMP: ("a time stamp", "time stamps"),
    FieldType.YESNO: ("yes or no", "yes or no"),
}
_ORDER_LABELS = {
    "day month year": "Read as day/month/year",
    "month day year": "Read as month/day/year",
    "year month day": "Read as year-month-day",
}
SURE_WORDS = BLANK_WORDS - {"none", "unknown", "missing", "nil", "(none)", "not known"}
"""In text these stand for blank; the others may be members of their own."""


@finder("misfits", 20, by_member=True)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    for field, column in table.columns.items():
        if field in table.texts:
            yield from _misfits(table, field)
        elif column.type is FieldType.TEXT and not isinstance(column, DeferredColumn):
            yield from _blank_words(column.coded())
            yield from _two_orders(column.coded())


def _misfits(table: Table, field: str) -> Iterator[Finding]:
    text = table.texts[field]
    odd = table.misfits(field)
    assert odd is not None
    values = text.dictionary.texts
    words = np.array(
        [bool(bad) and value.strip().lower() in BLANK_WORDS for value, bad in zip(values, odd, strict=True)]
    )
    if words.any():
        yield _words_finding(field, text, words)
    rest = odd & ~words
    if not rest.any():
        return
    weights = weights_of(text)
    count = int(weights[rest].sum())
    kind = table.columns[field].type
    said = [value for value, bad in zip(values, rest, strict=True) if bad]
    one, several = _NOUNS.get(kind, ("a number", "numbers"))
    many = f"{count:,} value is not {one}" if count == 1 else f"{count:,} values are not {several}"
    brief = f"{count:,} is not {one}" if count == 1 else f"{count:,} are not {several}"
    yield Finding(
        "misfits", field, "", many, brief, count,
        (*_readings(field, kind, pa.array(said, pa.string()), table.decimal_mark), Offer("Blank them", (BlankMisfits(field),))),
        records_of(text, rest), f"{some(said)}; until mended they count as blank.",
    )  # fmt: skip


def _readings(field: str, kind: FieldType, odd: pa.Array, mark: str) -> Iterator[Offer]:
    """The ways in which all, or else most, of the odd values could be read."""
    if kind.is_time:
        shares = {order: float(moments_of(odd, order).fits.mean()) for order in ORDERS[1:]}
        best = max(shares.values())
        for order, share in shares.items():
            if share == best > 0:
                yield Offer(_ORDER_LABELS[order], (ReadAs(field, kind, order),))
    elif kind.is_number and number_fits(odd, mark).any():
        wanted = FieldType.REAL if kind is FieldType.REAL else FieldType.DECIMAL
        yield Offer("Read them as numbers", (ReadAs(field, wanted, None, mark),))


def _blank_words(column: CodedColumn) -> Iterator[Finding]:
    if len(column.dictionary) > 5_000:
        return
    words = np.array([value.strip().lower() in SURE_WORDS for value in column.dictionary.texts], np.bool_)
    if words.any() and not words.all():
        yield _words_finding(column.name, column, words)


def _words_finding(field: str, text: CodedColumn, words: npt.NDArray[np.bool_]) -> Finding:
    said = texts_of(text, words)
    count = int(weights_of(text)[words].sum())
    verb = "stands" if len(said) == 1 else "stand"
    return Finding(
        "blank words", field, "|".join(sorted(said)), f"{some(said)} {verb} for blank", f"{count:,} stand for blank", count,
        (Offer("Make them blank", (BlankOut(field, said),)),), records_of(text, words),
    )  # fmt: skip


def _two_orders(column: CodedColumn) -> Iterator[Finding]:
    """Dates that could be day/month or month/day: asked, never guessed."""
    members = len(column.dictionary)
    if not 0 < members <= 20_000:
        return
    texts = column.dictionary.values
    assert isinstance(texts, pa.Array)
    sample = texts.take(pa.array(np.arange(0, members, max(1, members // 200))))
    if not moments_of(sample, "day month year").numeric.mean() >= 0.5:
        return
    both = [moments_of(texts, order).numeric for order in ORDERS[1:]]
    weights = weights_of(column)
    if not all(weights[fits].sum() >= 0.9 * weights.sum() for fits in both):
        return
    count = int(weights[both[0] | both[1]].sum())
    offers = tuple(Offer(_ORDER_LABELS[order], (ReadAs(column.name, FieldType.DATE, order),)) for order in ORDERS[1:])
    yield Finding(
        "two orders", column.name, "", f"Does {column.name} put the day or the month first?", "day or month first?", count,
        offers, records_of(column, both[0] | both[1]), "Every date fits both orders; the field stays text until you say.",
    )  # fmt: skip
