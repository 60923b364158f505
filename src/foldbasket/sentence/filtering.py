"""The filters of a short form: “trade only”, “since March”, “net over”. Its fields and periods are those that its measures lead to."""

from __future__ import annotations

import datetime

import msgspec
from lark import Tree

from foldbasket.folding.filters.members import Members, of_member
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.folding.members.parts.part import parts_by
from foldbasket.folding.usual import usual_aggregate
from foldbasket.sentence.grammar import SIGNS
from foldbasket.sentence.reader import Reader
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.trees import leaves, phrase, sub
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Measure
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.types import EPOCH, FieldType

replace = msgspec.structs.replace


class Filtering(msgspec.Struct):
    """The filters of a sentence, and what decides about them: its measures, and the words before a piece."""

    reader: Reader
    measures: list[Measure] = msgspec.field(default_factory=list)
    filters: list[Filter] = msgspec.field(default_factory=list)
    lead: str = ""
    is_left_out: bool = False

    # --- members and values ---------------------------------------------------------

    def _is(self, item: Tree) -> None:
        ref = self.reader.field(leaves(item)[0])
        value = self.reader.values.one(self.reader, sub(item, "value")[0], ref, None)
        self._listed(ref, None, value)

    def _is_not(self, item: Tree) -> None:
        was, self.is_left_out = self.is_left_out, not self.is_left_out
        self._is(item)
        self.is_left_out = was

    def _compare(self, item: Tree) -> None:
        named, value = leaves(item)
        ref = self.reader.field(named)
        self._asked_of(ref)
        sign = self.reader.scanner.made.shown[phrase(sub(item)[0]).type]
        said = self.reader.values.one(self.reader, value, ref, None)
        self.filters.append(Compare("", ref, None, SIGNS[sign], said))

    def _is_between(self, item: Tree) -> None:
        field, low, high = leaves(item)
        ref = self.reader.field(field)
        self._asked_of(ref)
        ends = (self.reader.values.one(self.reader, each, ref, None) for each in (low, high))
        self.filters.append(Between("", ref, None, *ends))

    def _asked_of(self, ref: FieldRef) -> None:
        """An amount of which the sentence begins with what it shall be is what it asks for."""
        if not self.measures and not self.lead and self.reader.words.is_amount([ref]):
            self._add(self._usual(ref))

    def _add(self, measure: Measure) -> None:
        self.measures.append(replace(measure, id=f"m{len(self.measures) + 1}"))

    def _usual(self, ref: FieldRef, compare: Comparison | None = None) -> Measure:
        return Measure("", usual_aggregate(self.reader.words.source.column(ref)), ref, compare=compare)

    def _part_is(self, item: Tree) -> None:
        """A part of a date, or the field of that name, is one of its members: “month is March”."""
        leaf = phrase(item)
        own = self._called_so(leaf)
        ref, part = (own, None) if own is not None else (self._date(leaf), self.reader.choice(item, str))
        self._listed(ref, part, self.reader.values.one(self.reader, sub(item, "value")[0], ref, part))

    def _part_is_not(self, item: Tree) -> None:
        was, self.is_left_out = self.is_left_out, not self.is_left_out
        self._part_is(item)
        self.is_left_out = was

    def _part_compare(self, item: Tree) -> None:
        leaf = phrase(item)
        own = self._called_so(leaf)
        ref, part = (own, None) if own is not None else (self._date(leaf), self.reader.choice(item, str))
        sign = self.reader.scanner.made.shown[phrase(sub(item)[0]).type]
        said = self.reader.values.one(self.reader, leaves(item)[-1], ref, part)
        self.filters.append(Compare("", ref, part, SIGNS[sign], said))

    def _called_so(self, leaf: Named) -> FieldRef | None:
        """A field that has the name of a part of a date itself, of the records that the first measure is about or of a table that they lead to; where no
        field is a date, of any."""
        words = self.reader.words
        named = words.named(str(leaf))
        near = [
            ref for ref in named if any(words.source.path(base, ref.table) is not None for base in self._tables()[:1])
        ]
        has_dates = any(words.source.column(ref).type.is_time for ref in words.fields)
        return next(iter(near if has_dates else named), None)

    def _tables(self) -> list[str]:
        """The tables that the measures are about, the first first."""
        return [each.field.table for each in self.measures if each.field is not None]

    def _member(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        ref = self.reader.field(leaf)
        self._listed(ref, None, next(token for each, token in leaf.means if each == ref))

    # --- dates ----------------------------------------------------------------------

    def _stretch(self, ref: FieldRef, stretch: Tree) -> Filter:
        low, high = leaves(stretch)[0], leaves(stretch)[-1]
        if stretch.data == "is_after":
            return Compare("", ref, self._by_day(ref), ">", self._ends_of(low)[1])
        if stretch.data == "is_before":
            return Compare("", ref, self._by_day(ref), "<", self._ends_of(low)[0])
        if stretch.data == "is_within":
            return self._days(ref, low, high)
        return self._days(ref, low, None) if stretch.data == "is_since" else self._days(ref, None, high)

    def _days(self, ref: FieldRef, low: Named | None, high: Named | None) -> Filter:
        """From the first day of one period to the last of another."""
        ends = ("" if low is None else self._ends_of(low)[0], "" if high is None else self._ends_of(high)[1])
        return Between("", ref, self._by_day(ref), *ends)

    def _by_day(self, ref: FieldRef) -> str | None:
        """Moments are told by their days, so that the last day is whole."""
        return None if self.reader.words.source.column(ref).type is FieldType.DATE else "day"

    def _ends_of(self, leaf: Named) -> tuple[str, str]:
        """The first and the last day of a period, as canonical text. Raises SentenceError for what is a place in the year."""
        name, key = leaf.means[0]
        part = parts_by(self.reader.words.source.fiscal)[name]
        if not part.is_period:
            raise self.reader.error(leaf, f"“{leaf}” is in every year", "Name the year, too.")
        number = part.parse(key)
        first, last = (
            str(EPOCH + datetime.timedelta(days=at)) for at in (part.first_known_day(number), part.last_day(number))
        )
        return first, last

    def _period(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        part, key = leaf.means[0]
        self._listed(self._date(leaf), part, key)

    def _listed(self, ref: FieldRef, part: str | None, token: str) -> None:
        rule = of_member("", ref, part, token, exclude=self.is_left_out)
        last = self.filters[-1] if self.filters else None
        if (
            isinstance(last, Members)
            and (last.field, last.part) == (ref, part)
            and (last.exclude == self.is_left_out or self.lead == "also")
        ):
            self.filters[-1] = replace(
                last,
                members=last.members + rule.members,
                blank=last.blank or rule.blank,
                no_match=last.no_match or rule.no_match,
            )
        else:
            self.filters.append(rule)

    def _date(self, leaf: Named) -> FieldRef:
        """The leading date: that of the records which are summed up, else the first that they lead to. Raises SentenceError where there is none."""
        source = self.reader.words.source
        tables = self._tables() or list(source.tables)[:1]
        for table in source.reachable(tables[0]):
            for name in source.tables[table].columns:
                column = source.column(FieldRef(table, name))
                if column.type.is_time and nature_of(column) is Nature.DATE:
                    return FieldRef(table, name)
        raise self.reader.error(
            leaf, "there is no date that this could be about", "Name the field, such as Month of order date."
        )
