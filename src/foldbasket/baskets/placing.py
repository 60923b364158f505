"""Where a field belongs by its nature, and the word it becomes there, with sensible first choices."""

from __future__ import annotations

import itertools

from foldbasket.folding.aggregates import NUMBERS
from foldbasket.folding.filters import Filter, Members
from foldbasket.folding.spec import Fold, Measure, Placed
from foldbasket.links.source import FieldRef
from foldbasket.tables.column import Column
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.profile import profile_of

Word = Measure | Placed | Filter


def natural_strand(column: Column, fold: Fold) -> str:
    """Where a double-click puts a field: measures for amounts, columns for the first date, rows for the rest."""
    nature = nature_of(column)
    if nature.is_measured:
        return "measures"
    if nature is Nature.DATE and not fold.columns:
        return "columns"
    return "rows"


def default_aggregate(column: Column) -> str:
    """Amounts and quantities sum, prices and rates average, identifiers and words count."""
    nature = nature_of(column)
    if column.type not in NUMBERS or nature is Nature.IDENTIFIER:
        return "count values"
    return "average" if nature is Nature.PRICE else "sum"


def default_part(column: Column) -> str | None:
    """The part of a date that makes a readable axis: quarters over some years, months within one, days within a month."""
    if not column.type.is_time:
        return None
    from datetime import datetime

    profile = profile_of(column)
    if profile.smallest is None or profile.largest is None:
        return "month"
    span = (datetime.fromisoformat(profile.largest) - datetime.fromisoformat(profile.smallest)).days
    return "year" if span > 6 * 366 else "quarter" if span > 366 else "month" if span > 62 else "day"


def next_parts(part: str | None) -> tuple[str, ...]:
    """The parts of a date that a member of one is opened into, the likeliest first."""
    finer = {
        "year": ("quarter", "half", "month", "week", "day"),
        "half": ("quarter", "month", "week", "day"),
        "quarter": ("month", "week", "day"),
        "month": ("week", "day", "weekday"),
        "week": ("day", "weekday"),
        "fiscal year": ("fiscal quarter", "month", "week", "day"),
        "fiscal quarter": ("month", "week", "day"),
    }
    return finer.get(part or "", ())


def word_for(strand: str, ref: FieldRef, column: Column, fold: Fold) -> Word:
    """The word that a field becomes on a strand of a fold, with an id that is free in that fold."""
    new = free_id(fold)
    if strand == "measures":
        return Measure(id=new, aggregate=default_aggregate(column), field=ref)
    if strand == "filters":
        return Members(id=new, field=ref, part=default_part(column), exclude=True)
    return Placed(id=new, field=ref, part=default_part(column))


def records_measure(fold: Fold) -> Measure:
    """The measure that counts records."""
    return Measure(id=free_id(fold), aggregate="count")


def free_id(fold: Fold) -> str:
    """An id that no word of the fold has."""
    taken = {word.id for word in fold.words()}
    return next(new for number in itertools.count(1) if (new := f"w{number}") not in taken)
