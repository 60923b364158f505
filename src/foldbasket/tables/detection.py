"""Which type a text column has, judged over all its different values, and the column in that type.

A column whose values nearly all fit a type has that type; the few that do not fit are blank in it, and the text stays at
hand so that they can be shown and mended. Day and month are never guessed: where both orders fit, the column stays text.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from msgspec.structs import replace

from foldbasket.errors import ReadError
from foldbasket.tables.column import CodedColumn, Column, Dictionary, NumberColumn, smallest_codes, weights_of
from foldbasket.tables.nature import Nature
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.written import (
    BLANK_WORDS,
    Bools,
    Moments,
    Numbers,
    Order,
    moments_of,
    number_fits,
    number_styles,
    numbers_of,
    yesno_of,
)

MOST_MISFITS = 0.1
"""Share of the records with a value that may misfit a type without the column staying text."""
SAMPLE = 400


class Judged(msgspec.Struct, frozen=True):
    """A column in its type. `text` is the column as text when some of its values did not fit, else None."""

    column: Column
    text: CodedColumn | None = None


def judged(column: CodedColumn, decimal_mark: str = ".") -> Judged:
    """A text column in the type that its values have."""
    members = len(column.dictionary)
    if not members:
        return Judged(column)
    texts = column.dictionary.values
    assert isinstance(texts, pa.Array)
    step = max(1, members // SAMPLE)
    sample = texts.take(pa.array(np.arange(0, members, step))) if step > 1 else texts
    weights = weights_of(column)
    # Without a digit there is neither a number nor a date; of a wide file that spares most of the work.
    has_digits = bool(pc.any(pc.match_substring_regex(sample, r"\pN")).as_py())
    mark = _mark(sample, decimal_mark) if has_digits else decimal_mark
    if has_digits and number_fits(sample, mark).mean() >= 0.5:
        found = _as_numbers(column, texts, weights, mark)
        if found is not None:
            return found
    if members <= 40:
        words = yesno_of(column.dictionary.texts)
        if words is not None and _enough(column, words[1], weights):
            return _judged(column, recoded(column, FieldType.YESNO, words[0], words[1]), words[1])
    if (
        has_digits
        and max(moments_of(sample, order).fits.mean() for order in ("day month year", "month day year")) >= 0.5
    ):
        found = _as_dates(column, texts, weights)
        if found is not None:
            return found
    return Judged(column)


def _mark(sample: pa.Array, decimal_mark: str) -> str:
    other = "," if decimal_mark == "." else "."
    return other if number_fits(sample, other).mean() > number_fits(sample, decimal_mark).mean() else decimal_mark


def _enough(column: CodedColumn, fits: Bools, weights: npt.NDArray[np.int64]) -> bool:
    return float(weights[~fits].sum()) <= MOST_MISFITS * float(weights.sum())


def _judged(column: CodedColumn, made: Column, fits: Bools) -> Judged:
    return Judged(made, None if fits.all() else column)


def _as_numbers(column: CodedColumn, texts: pa.Array, weights: npt.NDArray[np.int64], mark: str) -> Judged | None:
    matched = number_fits(texts, mark)
    styles = number_styles(texts)
    usual = np.argmax(np.bincount(styles[matched], weights[matched])) if matched.any() else 0
    fits = matched & (styles == usual)
    if not _enough(column, fits, weights):
        return None
    read = numbers_of(_where(texts, fits), mark)
    if read.scale == 0 and read.units is not None and not fits.all():
        # Whole numbers beside words are likely names (house 12a); beside n/a or €12 they are numbers.
        odd = [text for text, good in zip(column.dictionary.texts, matched, strict=True) if not good]
        if any(text.strip().lower() not in BLANK_WORDS for text in odd):
            return None
    return _judged(column, number_column(column, read), fits)


def _as_dates(column: CodedColumn, texts: pa.Array, weights: npt.NDArray[np.int64]) -> Judged | None:
    order = date_order(texts, weights)
    read = moments_of(texts, order or "day month year")
    numeric = moments_of(texts, "day month year").numeric | moments_of(texts, "month day year").numeric
    few = float(weights[numeric].sum()) < 0.5 * float(weights[read.fits | numeric].sum())
    fits = read.fits & ~numeric if few else read.fits
    if (order is None and not few) or not _enough(column, fits, weights):
        return None
    return _judged(column, moment_column(column, read, fits), fits)


def date_order(texts: pa.Array, weights: npt.NDArray[np.int64] | None = None) -> Order | None:
    """The order of day and month that texts themselves prove; None when they fit both. Dots always mean day first."""
    if weights is None:
        weights = np.ones(len(texts), np.int64)
    day_first, month_first = moments_of(texts, "day month year"), moments_of(texts, "month day year")
    one, other = weights[day_first.numeric].sum(), weights[month_first.numeric].sum()
    if one != other:
        return "day month year" if one > other else "month day year"
    numeric = day_first.numeric
    if numeric.any() and all("." in text for text in texts.filter(pa.array(numeric)).to_pylist()):
        return "day month year"
    return None if numeric.any() else "day month year"


def _where(texts: pa.Array, fits: Bools) -> pa.Array:
    import pyarrow.compute as pc

    return texts if fits.all() else pc.if_else(pa.array(fits), texts, "")


# --- reading as a type that was chosen --------------------------------------


def read_as(
    column: CodedColumn, kind: FieldType, order: Order | None = None, decimal_mark: str = "."
) -> tuple[Column, Bools]:
    """A text column as the wanted type, and which members of its dictionary could be read; the others become blank.

    Raises ReadError when dates need an order of day and month and none is given.
    """
    texts = column.dictionary.values
    assert isinstance(texts, pa.Array)
    if kind is FieldType.TEXT:
        return column, np.ones(len(texts), np.bool_)
    if kind.is_number:
        read = numbers_of(texts, decimal_mark)
        if kind is FieldType.REAL and read.units is not None:
            read = Numbers(read.fits, None, read.units / 10.0**read.scale, 0)
        made = number_column(column, read)
        if kind is FieldType.WHOLE and made.scale:
            whole = read.units % 10**read.scale == 0 if read.units is not None else np.zeros(len(texts), np.bool_)
            read = numbers_of(_where(texts, read.fits & whole), decimal_mark)
            assert read.units is not None
            made = number_column(column, Numbers(read.fits, read.units // 10**read.scale, None, 0))
        return made, read.fits
    if kind is FieldType.YESNO:
        words = yesno_of(column.dictionary.texts)
        if words is None:
            none = np.zeros(len(texts), np.bool_)
            words = (none, none)
        return recoded(column, kind, *words), words[1]
    chosen = order or date_order(texts)
    if chosen is None:
        raise ReadError(
            "its dates fit day/month and month/day alike.",
            where=f"Field “{column.name}”",
            todo="Say which comes first: day/month/year or month/day/year.",
        )
    moments = moments_of(texts, chosen)
    return moment_column(column, moments, moments.fits, kind), moments.fits


def judged_as(column: CodedColumn, kind: FieldType, order: Order | None = None, decimal_mark: str = ".") -> Judged:
    """A text column as a chosen type, with its text where not every value fits. Raises ReadError as `read_as` does."""
    made, fits = read_as(column, kind, order, decimal_mark)
    return _judged(column, made, fits)


def put(table: Table, column: Column, text: CodedColumn | None = None, chosen: Chosen | None = None) -> Table:
    """The table with a column in the place of the one of that name."""
    columns = dict(table.columns)
    columns[column.name] = column
    texts = {name: each for name, each in table.texts.items() if name != column.name}
    if text is not None:
        texts[column.name] = text
    made = table.with_columns(columns, texts)
    if chosen is not None:
        made = replace(made, chosen={**made.chosen, column.name: chosen})
    return made


def retyped(table: Table, text: CodedColumn) -> Table:
    """The table with a text column in the type that was chosen for the field, or that its values have."""
    chosen = table.chosen.get(text.name)
    if chosen is None:
        found = judged(text, table.decimal_mark)
    else:
        found = judged_as(text, chosen.type, chosen.order, chosen.decimal_mark)
    return put(table, found.column, found.text)


def number_column(column: CodedColumn, read: Numbers) -> NumberColumn:
    """The numbers of a dictionary spread over the records of its column."""
    members: npt.NDArray = read.units if read.units is not None else read.reals  # type: ignore[assignment]
    values = np.append(members, members.dtype.type(0))[column.codes]
    known = np.append(read.fits, False)
    valid = None if read.fits.all() and column.blank_count == 0 else known[column.codes]
    kind = FieldType.REAL if read.units is None else FieldType.DECIMAL if read.scale else FieldType.WHOLE
    if valid is not None:
        values = np.where(valid, values, values.dtype.type(0))
    return NumberColumn(
        column.name, kind, values, valid, read.scale, Nature.PERCENTAGE.value if read.are_percent else ""
    )


def moment_column(column: CodedColumn, read: Moments, fits: Bools, kind: FieldType | None = None) -> Column:
    """Dates, or time stamps where any value has a time of day."""
    if kind is None:
        kind = FieldType.TIMESTAMP if (read.has_time & fits).any() else FieldType.DATE
    if kind is FieldType.DATE:
        return recoded(column, FieldType.DATE, read.days, fits)
    values = np.append(np.where(fits, read.micros, 0), 0)[column.codes]
    valid = None if fits.all() and column.blank_count == 0 else np.append(fits, False)[column.codes]
    return NumberColumn(column.name, FieldType.TIMESTAMP, values, valid)


def recoded(column: CodedColumn, kind: FieldType, members: npt.NDArray, fits: Bools) -> CodedColumn:
    """Codes into sorted different `members`, from codes into `members` that may repeat; what does not fit is blank."""
    different, inverse = np.unique(members[fits], return_inverse=True)
    target = np.full(len(members) + 1, len(different), smallest_codes(len(different)))
    target[:-1][fits] = inverse
    return CodedColumn(column.name, target[column.codes], Dictionary(kind, different))
