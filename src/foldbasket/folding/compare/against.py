"""Differences, changes and percentages: against another member, or another measure in the same cell."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from typing import Annotated, Any, ClassVar

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.around import Amount, Around, Path, divided, plain
from foldbasket.folding.compare.along import Along
from foldbasket.folding.compare.cells import Cells, alike, moved, quotient
from foldbasket.folding.compare.figures import Figures
from foldbasket.folding.compare.sides import Side, Targets, is_period
from foldbasket.folding.members.parts.part import Part
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.folding.states.exact import difference, may_overflow
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.later import exp
from foldbasket.sayings import Saying, plainly, said_by, saying
from foldbasket.spec.comparison import Comparison, ComparisonStruct, Words
from foldbasket.spec.fold import Fold, Placed
from foldbasket.sql import pieces
from foldbasket.styling.dates import EPOCH


class How(Choice):
    """What is made of a number and the one it is compared with."""

    DIFFERENCE = "difference", "difference", "difference from"
    CHANGE = "change", "change in %", "% change from"
    PERCENTAGE = "percentage", "% of it", "% of"


class Other(Choice):
    """Which other member of the field a cell is compared with."""

    PREVIOUS = "previous", "with the one before", "the one before"
    NEXT = "next", "with the next", "the next"
    YEAR_BEFORE = "year before", "with a year before", "a year before"
    MEMBER = "member", "with one member"


@entered
class Against(Along, frozen=True, tag="against"):
    """The difference from another member of a field, the change in percent, or the percentage of it."""

    standing: ClassVar[int] = 20
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("{how:choice} {member:member}[ along {along:word}]", other=Other.MEMBER),
        saying("{how:choice} the member {member:member}[ along {along:word}]", other=Other.MEMBER),
        *(
            saying(f"{{how:choice}} {other.said}[ along {{along:word}}]", other=other)
            for other in Other
            if other is not Other.MEMBER
        ),
    )
    other: Other = Other.PREVIOUS
    member: Annotated[
        str | None,
        set_by(
            "Member",
            "The one that all others are compared with.",
            of="member",
            when=("other", "member"),
        ),
    ] = None
    how: Annotated[How, set_by("As", "What is made of the two.")] = How.DIFFERENCE

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return [(cls(other=other), other.label) for other in Other]

    def started(self, fold: Fold, measure: str, members: Callable[[Placed], Sequence[str]]) -> Against:
        words = fold.columns or fold.rows
        if self.other is not Other.MEMBER or not words:
            return self
        return Against(words[-1].id, Other.MEMBER, next(iter(members(words[-1])), None))

    @property
    def keeps_unit(self) -> bool:
        return self.how is How.DIFFERENCE

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        place = self.place_in(figures)
        if self.other is Other.MEMBER:
            raise pieces.NoSqlError(f"the comparison “{self.said}”")
        step = {Other.PREVIOUS: -1, Other.NEXT: 1}.get(self.other)
        if step is None:
            _, _, key = figures.inner(place)
            if key.part is None or not key.part.a_year:
                raise pieces.NoSqlError("a year before what is not so many to the year")
            step = -key.part.a_year
        return _compared_in_sql(value, figures.periods(exp.Max(this=value.copy()), place, step, step), self.how)

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        if self.other is Other.MEMBER:
            targets = _of_member(side, at, self.member)
        elif self.other is Other.YEAR_BEFORE:
            if not is_period(side.domains[at]):
                raise FoldError(
                    f"“{side.words[at].field.field}” is no period, so it has no year before.",
                    todo="Compare along a date by year, quarter, month, week or day.",
                )
            targets = side.year_before(at)
        else:
            targets = side.step(at, -1 if self.other is Other.PREVIOUS else 1)
        return _compared(block, *moved(block, targets, is_columns), self.how)

    def by_hand(self, around: Around) -> Any:
        axis, path, at, is_columns = around.along(self)
        if len(path) <= at:
            return None
        target: Path | None = None
        if self.other is Other.MEMBER:
            code = axis.domains[at].code_of(self.member) if self.member is not None else None
            target = axis.with_member(path, at, code) if code is not None else None
        elif self.other is Other.YEAR_BEFORE:
            number = axis.number(path, at)
            target = (
                axis.with_number(path, at, _year_before(axis.domains[at].part, number)) if number is not None else None
            )
        else:
            target = axis.step(path, at, -1 if self.other is Other.PREVIOUS else 1)
        return _by_hand(around.own(), around.at(target, is_columns), self.how)


@entered
class AgainstMeasure(ComparisonStruct, frozen=True, tag="against measure"):
    """The difference from another measure in the same cell, the change in percent, or the percentage of it."""

    standing: ClassVar[int] = 30
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("{how:choice} {measure:measure}"),
        saying("{how:choice} the measure {measure:measure}"),
    )
    measure: Annotated[str, set_by("Measure", "The one that stands in the same cell.", of="measure")] = ""
    how: Annotated[How, set_by("As", "What is made of the two.")] = How.DIFFERENCE

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        return ((cls(), "with another measure"),)

    def started(self, fold: Fold, measure: str, members: Callable[[Placed], Sequence[str]]) -> AgainstMeasure:
        other = next((each.id for each in fold.measures if each.id != measure), None)
        if other is None:
            raise FoldError("there is no other measure to compare with.", todo="Add one first.")
        return replace(self, measure=other)

    @property
    def said(self) -> str:
        return f"{self.how.said} another measure"

    def phrase(self, words: Words) -> str:
        other = words.measure(self.measure) or "another measure"
        return said_by(self, lambda slot, value: other if slot.sort == "measure" else plainly(slot, value, self))

    def heading(self, words: Words) -> str:
        return self.phrase(words)

    @property
    def keeps_unit(self) -> bool:
        return self.how is How.DIFFERENCE

    def in_sql(self, value: pieces.Sql, figures: Figures) -> pieces.Sql:
        other = figures.measures.get(self.measure)
        if other is None:
            raise FoldError("the measure to compare with was taken out.", todo="Choose another measure.")
        return _compared_in_sql(value, other.copy(), self.how)

    def of(self, block: Block, cells: Cells) -> Block:
        other = cells.measures.get(self.measure)
        if other is None:
            raise FoldError("the measure to compare with was taken out.", todo="Choose another measure.")
        one, two = alike(block, other)
        return _compared(one, two.data, two.blank, self.how)

    def by_hand(self, around: Around) -> Any:
        return _by_hand(around.own(), around.value(around.row, around.column, self.measure), self.how)


def _of_member(side: Side, field: int, member: str | None) -> Targets:
    domain = side.domains[field]
    try:
        code = domain.code_of(member) if member is not None else None
    except ValueError as error:
        raise FoldError(str(error), where=side.words[field].field.field, todo="Choose another member.") from None
    if code is None:
        raise FoldError(
            f"“{member}” is no longer a member of {side.words[field].field.field}.",
            todo="Choose another to compare with.",
        )
    return side.with_member(field, np.full(len(side), code, np.int64))


def _compared_in_sql(value: pieces.Sql, other: pieces.Sql, how: How) -> pieces.Sql:
    if how is How.PERCENTAGE:
        return pieces.quotient(value, other)
    difference = pieces.applied(exp.Sub, value, other)
    return difference if how is How.DIFFERENCE else pieces.quotient(difference, exp.Abs(this=other.copy()))


def _compared(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_], how: How) -> Block:
    if how is How.PERCENTAGE:
        return quotient(block, other, absent)
    less = _difference(block, other, absent)
    # Over the size of what it is compared with: from a loss of 100 to one of 50 is a change for the better, so it is +50 %.
    return less if how is How.DIFFERENCE else quotient(less, _size(other), absent)


def _size(other: npt.NDArray) -> npt.NDArray:
    """Magnitudes; the smallest number of 64 bits has none that they hold."""
    return np.abs(other.astype(object) if may_overflow(other, 1) else other)


def _difference(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_]) -> Block:
    blank = block.blank | absent
    return replace(block, data=np.where(blank, 0, difference(block.data, other)), blank=blank)


def _by_hand(one: Amount | None, other: Amount | None, how: How) -> Any:
    if how is How.PERCENTAGE or one is None or other is None:
        return divided(one, other)
    less: Amount = one - other
    return plain(less) if how is How.DIFFERENCE else divided(less, other if other >= 0 else -other)


def _year_before(part: Part | None, number: int) -> int | None:
    """The number of the same period a year earlier, by the calendar."""
    if part is not None and part.a_year:
        return number - part.a_year
    if part is not None and part.name == "week":
        monday = EPOCH + datetime.timedelta(days=part.first_day(number))
        year, week, _ = monday.isocalendar()
        try:
            before = datetime.date.fromisocalendar(year - 1, week, 1)
        except ValueError:
            return None  # a week 53 that the year before does not have
        return int(part.of(np.array([(before - EPOCH).days]))[0])
    day = EPOCH + datetime.timedelta(days=number)
    try:
        return (day.replace(year=day.year - 1) - EPOCH).days
    except ValueError:
        return None  # 29 February
