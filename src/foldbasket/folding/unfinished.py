"""Comparing periods that are not whole: what the latest period of a report lacks, and the filter that keeps both to the part that both have."""

from __future__ import annotations

import calendar
import datetime
from collections.abc import Callable

import msgspec
import numpy as np

from foldbasket.folding.compare.against import Against, Other
from foldbasket.folding.compare.sides import Time, time_of
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.members import Members
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.members.parts.part import Part, parts_by
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Placed
from foldbasket.styling.dates import EPOCH, day_text


class Unfinished(msgspec.Struct, frozen=True):
    """A period that is compared and is not over. `said` tells it in words; `filter` keeps it and the one before to the part of the year that both have, None
    where no part of the year does."""

    said: str
    filter: Filter | None


def unfinished(
    fold: Fold, axes: tuple[Axis, Axis], source: Source, as_of: Callable[[FieldRef], datetime.date], locale: str
) -> Unfinished | None:
    """What is not over of the latest period that a fold compares with one before, by the axes of its report (rows, columns); `as_of` gives the day
    up to which the data of a date go;
    None where nothing is, or where the fold keeps to what is shared already."""
    for measure in fold.measures:
        compare = measure.compare
        if not isinstance(compare, Against) or compare.other is Other.NEXT:
            continue
        place = compare.place(
            [each.id for each in fold.columns], [each.id for each in fold.rows], lambda: _times(fold, source)
        )
        if place is None:
            continue
        word = (fold.columns if place[0] else fold.rows)[place[1]]
        part = parts_by(source.fiscal).get(word.part or "")
        if part is None or not part.is_period or part.by_time or word.bands is not None or word.groups is not None:
            continue
        latest = as_of(word.field)
        number = int(part.of(np.array([(latest - EPOCH).days]))[0])
        ends = EPOCH + datetime.timedelta(days=part.last_day(number))
        if latest >= ends or not _shows(axes[1 if place[0] else 0], place[1], part.key(number)):
            continue
        said = f"{part.text(number, locale)} ends on {day_text((latest - EPOCH).days, locale)}"
        by_year = compare.other is Other.YEAR_BEFORE or part.name == "year"
        like = _like(word, part, source, latest, ends) if by_year else None
        if like is not None and any(_is_like(each, like) for each in fold.filters):
            continue
        return Unfinished(said, like)
    return None


def _times(fold: Fold, source: Source) -> tuple[list[Time | None], list[Time | None]]:
    def time(word: Placed) -> Time | None:
        if word.bands is not None or word.groups is not None:
            return None
        return time_of(parts_by(source.fiscal).get(word.part or ""), source.column(word.field).type)

    return [time(each) for each in fold.columns], [time(each) for each in fold.rows]


def _shows(axis: Axis, field: int, key: str) -> bool:
    """Whether an axis has a line of a member."""
    code = axis.heads[field].domain.code_of(key)
    return code is not None and bool((axis.codes[:, field] == code).any())


PARTS_OF_A_YEAR = ("year", "half", "quarter", "month")


def _like(word: Placed, part: Part, source: Source, latest: datetime.date, ends: datetime.date) -> Filter | None:
    """The filter that keeps a period, and those a year apart, to the days of the year up to one; other periods stay whole. None for parts that do not begin
    on the same day of every year."""
    if part.name not in PARTS_OF_A_YEAR:
        return None
    if part.name == "year" and latest.day == calendar.monthrange(latest.year, latest.month)[1]:
        months = tuple(f"{month:02d}" for month in range(1, latest.month + 1))
        return Members("like", word.field, "month of year", months)
    date = f'"{source.called(word.field.table)}"."{word.field.field}"'
    day = f"EXTRACT(MONTH FROM {date}) * 100 + EXTRACT(DAY FROM {date})"
    # 29 February goes with 28 February, so that both years end on the same day.
    upto = LEAP if (latest.month, latest.day) == (2, 28) else latest.month * 100 + latest.day
    within = f"{day} <= {upto}"
    return Condition(
        "like", formula=within if part.name == "year" else f"{within} OR {day} > {ends.month * 100 + ends.day}"
    )


LEAP = 229
"""29 February, as its month and day are put together."""


def _is_like(one: Filter, other: Filter) -> bool:
    return msgspec.structs.replace(one, id="", picker="") == msgspec.structs.replace(other, id="", picker="")  # type: ignore[type-var]
