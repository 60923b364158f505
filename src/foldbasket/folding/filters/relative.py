"""Keeping dates by the as-of date."""

from __future__ import annotations

import datetime
from typing import ClassVar

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Asked, Says
from foldbasket.folding.filters.onefield import RecordFilter
from foldbasket.folding.filters.values import Between
from foldbasket.folding.members.parts.part import parts_by
from foldbasket.kinds import Choice, entered
from foldbasket.sayings import Saying, saying
from foldbasket.spec.field import FieldRef
from foldbasket.sql.pieces import Sql
from foldbasket.styling.dates import EPOCH, Fiscal
from foldbasket.tables.types import FieldType


class Window(Choice):
    """Which periods, as they stand to the as-of date."""

    LAST = "last", "the last"
    THIS = "this", "this"
    TO_DATE = "to date", "this, to date"
    NEXT = "next", "the next"

    @property
    def counts(self) -> bool:
        """Whether it is about so many periods."""
        return self in (Window.LAST, Window.NEXT)


class Unit(Choice):
    """The periods that are counted; each is the name of a part of a date."""

    YEAR = "year"
    QUARTER = "quarter"
    MONTH = "month"
    WEEK = "week"
    DAY = "day"
    FISCAL_YEAR = "fiscal year"
    FISCAL_QUARTER = "fiscal quarter"


@entered
class Relative(RecordFilter, frozen=True, tag="relative"):
    """Dates by the as-of date: the `last` or `next` whole periods, `this` one, or this one up to the as-of date."""

    standing: ClassVar[int] = 50
    stands_alone: ClassVar[bool] = True
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("the last {unit:choice}", how=Window.LAST, count=1),
        saying("the last {count:number} {unit:units}", how=Window.LAST),
        saying("the next {unit:choice}", how=Window.NEXT, count=1),
        saying("the next {count:number} {unit:units}", how=Window.NEXT),
        saying("this {unit:choice} to date", how=Window.TO_DATE),
        saying("this {unit:choice}", how=Window.THIS),
    )
    label: ClassVar[str] = "Relative"
    meaning: ClassVar[str] = "Keep the last quarters, this month, the year to date."
    how: Window = Window.LAST
    count: int = 4
    unit: Unit = Unit.QUARTER

    @classmethod
    def fits(cls, kind: FieldType) -> bool:
        return kind.is_time

    @classmethod
    def started(cls, id: str, field: FieldRef, part: str | None) -> Relative:
        return cls(id, field)  # they are about the date itself, whatever part was chosen

    def on(self, base: str, ask: Asked) -> RecordFilter:
        column = ask.source.column(self.field)
        return self.between(ask.as_of_date(self.field), column.type, ask.source.fiscal).on(base, ask)

    def between(self, as_of: datetime.date, kind: FieldType, fiscal: Fiscal) -> Between:
        """The range it means on a day. Raises FoldError when the field is no date or the count makes no sense."""
        if not kind.is_time:
            raise FoldError(
                f"“{self.field.field}” is {kind.value}, not a date.",
                todo="Keep by members, or compare it with a value.",
            )
        if self.how.counts and self.count < 1:
            raise FoldError(f"{self.count} {self.unit}s are no period.", todo="Type a number above 0.")
        today = (as_of - EPOCH).days
        part = parts_by(fiscal)[self.unit]
        now = int(part.of(np.array([today]))[0])
        try:
            if self.how is Window.LAST:
                low, high = part.first_day(now - self.count), part.first_day(now) - 1
            elif self.how is Window.NEXT:
                low, high = part.first_day(now + 1), part.first_day(now + self.count + 1) - 1
            else:
                low, high = (
                    part.first_day(now),
                    today if self.how is Window.TO_DATE else part.last_day(now),
                )
            first, last = (EPOCH + datetime.timedelta(days=day) for day in (low, high))
        except (ValueError, OverflowError):
            raise FoldError(
                f"{self.count:,} {self.unit}s reach beyond the calendar.", todo="Type a smaller number."
            ) from None
        start, stop = ("", "") if kind is FieldType.DATE else (" 00:00:00", " 23:59:59.999999")
        return Between(self.id, self.field, None, f"{first.isoformat()}{start}", f"{last.isoformat()}{stop}")

    def in_sql(self, say: Says) -> Sql:
        return self.on(say.base, say.ask).in_sql(say)
