"""Comparing periods that are not whole: which periods of a report the data cover in part, and the filter that keeps those compared to what both have.

A day that the filters leave out is not missing. So what is compared like for like already is never said again.
"""

from __future__ import annotations

import calendar
import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.compare.against import Against, AgainstMeasure, Other
from foldbasket.folding.compare.sides import Time, time_of
from foldbasket.folding.coverage import SLACK, Coverage
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.members.parts.part import Part, parts_by
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Placed
from foldbasket.styling.dates import EPOCH, day_text

Days = npt.NDArray[np.int64]
AT_ENDS = 3
"""So many days may one measure's data begin later or end earlier than the other's, and still count as alike."""


class Unfinished(msgspec.Struct, frozen=True):
    """A period that is compared and that the data cover in part, or two measures whose data cover different days. `said` tells it in words; `filter` keeps
    both to what both have, None where there is no such part."""

    said: str
    filter: Filter | None


class Incomplete(msgspec.Struct, frozen=True):
    """A shown period that the data cover in part: the field it is of, its key, which end of the data lies in it, and the words for it."""

    word: Placed
    key: str
    is_start: bool
    said: str


class Covering(msgspec.Struct, frozen=True):
    """What is known of the days of a fold: what the data of a date cover, which of some days the fold's filters keep, and the base table of each measure."""

    of: Callable[[FieldRef], Coverage | None]
    kept: Callable[[FieldRef, Days], Days]
    bases: Mapping[str, str]


def incomplete_periods(
    fold: Fold, axes: tuple[Axis, Axis], source: Source, covering: Covering, locale: str
) -> tuple[Incomplete, ...]:
    """The periods of a report (axes: rows, columns) that the data cover in part, of those that its filters keep."""
    found: list[Incomplete] = []
    for words, axis in ((fold.rows, axes[0]), (fold.columns, axes[1])):
        for at, word in enumerate(words):
            part = _period(word, source)
            covered = covering.of(word.field) if part is not None else None
            if part is not None and covered is not None:
                found += _in_part(word, part, axis, at, covered, covering, locale)
    return tuple(found)


def _period(word: Placed, source: Source) -> Part | None:
    part = parts_by(source.fiscal).get(word.part or "")
    plain = word.bands is None and word.groups is None
    return part if part is not None and part.is_period and not part.by_time and plain else None


def _in_part(
    word: Placed, part: Part, axis: Axis, field: int, covered: Coverage, covering: Covering, locale: str
) -> Iterator[Incomplete]:
    """The period in which the data end, then that in which they begin."""
    slack = SLACK.get(part.name, 0)
    for day, is_start in ((covered.last, False), (covered.first, True)):
        number = int(part.of(np.array([day]))[0])
        low, high = part.first_known_day(number), part.last_day(number)
        missing = np.arange(low, day) if is_start else np.arange(day + 1, high + 1)
        if len(missing) <= slack or not _shows(axis, field, part.key(number)):
            continue
        if len(covering.kept(word.field, missing)) <= slack:
            continue
        told = f"data begins {day_text(day, locale)}" if is_start else f"data ends {day_text(day, locale)}"
        yield Incomplete(word, part.key(number), is_start, f"{part.text(number, locale)} is incomplete: {told}")


def unfinished(
    fold: Fold, incomplete: Sequence[Incomplete], source: Source, covering: Covering, locale: str
) -> Unfinished | None:
    """What a fold compares that is not whole, by the periods of its report that are incomplete; None where nothing is, or where the fold keeps to what is shared
    already."""
    for measure in fold.measures:
        compare = measure.compare
        found = None
        if isinstance(compare, Against) and compare.other is not Other.NEXT:
            found = _of_periods(compare, fold, incomplete, source, covering)
        elif isinstance(compare, AgainstMeasure):
            found = _of_measures(measure.id, compare.measure, fold, source, covering, locale)
        if found is not None:
            return found
    return None


def _of_periods(
    compare: Against, fold: Fold, incomplete: Sequence[Incomplete], source: Source, covering: Covering
) -> Unfinished | None:
    place = compare.place(
        [each.id for each in fold.columns], [each.id for each in fold.rows], lambda: _times(fold, source)
    )
    if place is None:
        return None
    word = (fold.columns if place[0] else fold.rows)[place[1]]
    part, covered = _period(word, source), covering.of(word.field)
    if part is None or covered is None:
        return None
    found = [each for each in incomplete if each.word is word]
    if not found or len({each.key for each in found}) < len(found):  # all data lie in one period
        return None
    by_year = compare.other is Other.YEAR_BEFORE or part.name == "year"
    like = _like(word, part, source, covered, is_start=found[0].is_start) if by_year else None
    return Unfinished("; ".join(each.said for each in found), like)


def _of_measures(
    one: str, other: str, fold: Fold, source: Source, covering: Covering, locale: str
) -> Unfinished | None:
    """Two measures of different tables whose dates mean the same and cover different days."""
    tables = [covering.bases.get(each) for each in (one, other)]
    if None in tables or tables[0] == tables[1]:
        return None
    for shared in source.shared:
        dates = [source.stand_in(str(table), shared.fields[0]) for table in tables]
        if None in dates or dates[0] == dates[1]:
            continue
        covered = [covering.of(each) for each in dates if each is not None]
        if len(covered) < 2 or None in covered:
            continue
        first, last = (max(each.first for each in covered if each), min(each.last for each in covered if each))
        lacking = [
            (name, each)
            for name, each in zip((one, other), covered, strict=True)
            if each is not None and (each.first > min(c.first for c in covered if c) + AT_ENDS or each.last < max(c.last for c in covered if c) - AT_ENDS)
        ]  # fmt: skip
        outside = np.concatenate([_beyond(each, first, last) for each in covered if each is not None])
        kept = covering.kept(shared.fields[0], outside)
        if not lacking or len(kept) <= AT_ENDS:
            continue
        said = " and ".join(
            f"{_called(fold, source, name)} has data from {day_text(each.first, locale)} to {day_text(each.last, locale)}"
            for name, each in lacking
        )
        return Unfinished(said, _whole_months(shared.fields[0], first, last))
    return None


def _called(fold: Fold, source: Source, measure: str) -> str:
    found = next(each for each in fold.measures if each.id == measure)
    return found.heading or (found.field.field if found.field is not None else source.called(measure))


def _beyond(covered: Coverage, first: int, last: int) -> Days:
    return np.concatenate([np.arange(covered.first, first), np.arange(last + 1, covered.last + 1)])


def _whole_months(ref: FieldRef, first: int, last: int) -> Filter | None:
    """The filter that keeps the months of which all days lie between two, but for a few at the ends; None where there is none."""
    since, until = (EPOCH + datetime.timedelta(days=each) for each in (first, last))
    start = since.year * 12 + since.month - 1 + (since.day > 1 + AT_ENDS)
    stop = until.year * 12 + until.month - 1
    stop -= until.day < calendar.monthrange(until.year, until.month)[1] - AT_ENDS
    if start > stop:
        return None
    return Between("like", ref, "month", *(f"{each // 12:04d}-{each % 12 + 1:02d}" for each in (start, stop)))


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


def _like(word: Placed, part: Part, source: Source, covered: Coverage, *, is_start: bool) -> Filter | None:
    """The filter that keeps a period, and those a year apart, to the days of the year that the data cover of it; other periods stay whole. None for parts
    that do not begin on the same day of every year."""
    if part.name not in PARTS_OF_A_YEAR:
        return None
    day = EPOCH + datetime.timedelta(days=covered.first if is_start else covered.last)
    number = int(part.of(np.array([(day - EPOCH).days]))[0])
    begins, ends = (EPOCH + datetime.timedelta(days=each) for each in (part.first_day(number), part.last_day(number)))
    if part.name == "year" and (day.day == 1 if is_start else day.day == calendar.monthrange(day.year, day.month)[1]):
        months = range(day.month, 13) if is_start else range(1, day.month + 1)
        return Members("like", word.field, "month of year", tuple(f"{month:02d}" for month in months))
    date = f'"{source.called(word.field.table)}"."{word.field.field}"'
    of_year = f"EXTRACT(MONTH FROM {date}) * 100 + EXTRACT(DAY FROM {date})"
    # 29 February goes with 28 February, so that both years end on the same day.
    edge = LEAP if (day.month, day.day) == (2, 28) and not is_start else day.month * 100 + day.day
    within, beside = (
        (f"{of_year} >= {edge}", f"{of_year} < {begins.month * 100 + begins.day}")
        if is_start
        else (f"{of_year} <= {edge}", f"{of_year} > {ends.month * 100 + ends.day}")
    )
    return Condition("like", formula=within if part.name == "year" else f"{within} OR {beside}")


LEAP = 229
"""29 February, as its month and day are put together."""
