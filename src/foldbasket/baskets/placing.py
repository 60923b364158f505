"""Where a field belongs by its nature, and the word it becomes there, with sensible first choices."""

from __future__ import annotations

import itertools
from collections.abc import Container

import msgspec
import numpy as np

from foldbasket.errors import FoldBasketError
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between
from foldbasket.folding.plan.bases import bases_of
from foldbasket.folding.usual import usual_aggregate, usual_part
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.column import Column, NumberColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.unread import at_hand

Word = Measure | Placed | Filter

SAMPLE, MOST_TICKED = 20_000, 60
"""A number is kept by a range where a sample of so many records has more different values than are pleasant to tick."""


def natural_strand(column: Column, fold: Fold) -> str:
    """Where a double-click puts a field: measures for amounts, columns for the first date, rows for the rest."""
    nature = nature_of(column)
    if nature.is_measured:
        return "measures"
    if nature is Nature.DATE and not fold.columns:
        return "columns"
    return "rows"


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


def word_for(strand: str, ref: FieldRef, column: Column, fold: Fold, *, id: str | None = None) -> Word:
    """The word that a field becomes on a strand of a fold, with an id that is free in that fold unless one is given."""
    new = id or free_id(fold)
    if strand == "measures":
        return Measure(id=new, aggregate=usual_aggregate(column), field=ref)
    if strand == "filters":
        if column.type.is_number and is_varied(column):
            return Between(id=new, field=ref)
        return Members(id=new, field=ref, part=usual_part(column), exclude=True)
    return Placed(id=new, field=ref, part=usual_part(column))


def fields_for(source: Source, fold: Fold | None, strand: str) -> list[tuple[FieldRef, Column, bool]]:
    """The fields that can be offered for a strand of a fold: each with its column and whether it can stand there; those that can come
    first, and for measures the measured ones before the others.

    The far end of a link is left out where it bears the name of its near end, which says the same for more records; and of fields that
    share their meaning all but one, except among measures.
    """
    twins = {FieldRef(link.to_table, pair[1]) for link in source.links for pair in link.keys if pair[0] == pair[1]}
    shared = {ref for each in source.shared for ref in each.fields}
    by_table: dict[str, bool] = {}
    found = []
    for table in source.tables.values():
        for column in table.columns.values():
            ref = FieldRef(table.name, column.name)
            if ref in twins:
                continue
            if ref in shared:
                fits = _fits(source, fold, strand, ref)
            else:  # its other fields are reached alike
                if table.name not in by_table:
                    by_table[table.name] = _fits(source, fold, strand, ref)
                fits = by_table[table.name]
            found.append((ref, column, fits))
    if strand != "measures":  # of fields that mean the same, one is enough
        first: dict[int, FieldRef] = {}
        for ref, *_ in sorted(found, key=lambda each: not each[2]):
            for at, group in enumerate(source.shared):
                if ref in group.fields:
                    first.setdefault(at, ref)
        others = shared - set(first.values())
        found = [each for each in found if each[0] not in others]
    first_measured = strand == "measures"
    return sorted(found, key=lambda each: (not each[2], first_measured and not nature_of(each[1]).is_measured))


def _fits(source: Source, fold: Fold | None, strand: str, ref: FieldRef) -> bool:
    """Whether all measures of a fold can be worked out once a field stands on a strand of it."""
    if fold is None:
        return True
    word: Word
    if strand == "measures":
        word = Measure(id=free_id(fold), aggregate="count values", field=ref)
    elif strand == "filters":
        word = Members(id=free_id(fold), field=ref)
    else:
        word = Placed(id=free_id(fold), field=ref)
    with_it = msgspec.structs.replace(fold, **{strand: (*getattr(fold, strand), word)})
    try:
        bases_of(source, with_it, with_it.measures)
    except FoldBasketError:
        return False
    return True


def is_varied(column: Column) -> bool:
    """Whether a field of numbers has too many different ones to tick them; judged on a sample at even steps."""
    column = at_hand(column)
    if not isinstance(column, NumberColumn):
        return True
    sample = column.values[:: max(1, len(column) // SAMPLE)]
    return len(np.unique(sample)) > MOST_TICKED


def records_measure(fold: Fold) -> Measure:
    """The measure that counts records."""
    return Measure(id=free_id(fold), aggregate="count")


def free_id(fold: Fold) -> str:
    """An id that no word of the fold has."""
    return first_free("w", {word.id for word in fold.words()})


def first_free(lead: str, taken: Container[str]) -> str:
    """The lead with the first number behind it that makes a name nobody has."""
    return next(new for number in itertools.count(1) if (new := f"{lead}{number}") not in taken)
