"""Record filters: one class a kind, each with its rule, its words, and nothing about where it is shown.

A filter decides on a field's different members where the field is coded, and on the values where it is a number, so
a filter over ten million records costs one small table and one look-up each. Blank conditions do not hold.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import FoldError
from foldbasket.folding.bands import Cut
from foldbasket.folding.domain import BLANK, NO_MATCH, Domain, members_of
from foldbasket.folding.parts import parts_by
from foldbasket.links.source import FieldRef, Source
from foldbasket.styling.dates import EPOCH, Fiscal
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.types import FieldType, parse_canonical

if TYPE_CHECKING:
    Mask = npt.NDArray[np.bool_]

Sign = Literal["=", "≠", "<", "≤", ">", "≥"]
SIGNS: tuple[Sign, ...] = ("=", "≠", "<", "≤", ">", "≥")


class Offered(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """What all filters have. One with the name of a `picker` is offered to the reader beside the report, and is the same in
    every fold that has it."""

    picker: str = ""


class RecordFilter(Offered, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"):
    """Base of all record filters: a condition on one field, or on a part of a date."""

    id: str
    field: FieldRef
    part: str | None = None

    @property
    def way(self) -> Cut | None:
        """How the field is cut into the members that it decides on."""
        return self.part

    def fields(self) -> list[FieldRef]:
        """The fields it looks at."""
        return [self.field]

    def moved(self, to: Callable[[FieldRef], FieldRef]) -> Decided:
        """The filter on the fields that `to` gives for its own."""
        found: Decided = msgspec.structs.replace(self, field=to(self.field))  # type: ignore[assignment]
        return found

    def keeps(self, source: Source, base: str) -> Mask:
        """Which base records pass; shape (records of base,). Raises FoldError for a value that does not fit."""
        return _passes(self, source, base)

    def keeps_codes(self, domain: Domain) -> Mask:
        """Which codes pass, blank and no match included; shape (domain.size,)."""
        raise NotImplementedError

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        """Which records pass, decided on plain numbers; None when this filter wants members instead."""
        return None

    def condition(self, label: Callable[[str], str]) -> str:
        """The condition in words, without the field's name; `label` turns a key into what the reader sees."""
        raise NotImplementedError


class Members(RecordFilter, frozen=True, tag="members"):
    """Is one of, or is none of, the listed members. `blank` and `no_match` list those two as well."""

    members: tuple[str, ...] = ()
    blank: bool = False
    no_match: bool = False
    exclude: bool = False

    def keeps_codes(self, domain: Domain) -> Mask:
        listed = np.zeros(domain.size, np.bool_)
        for key in self.members:
            try:
                code = domain.code_of(key)
            except ValueError as error:
                raise FoldError(str(error), where=f"Filter on “{self.field.field}”") from None
            if code is not None:
                listed[code] = True
        listed[domain.blank], listed[domain.no_match] = self.blank, self.no_match
        return ~listed if self.exclude else listed

    def condition(self, label: Callable[[str], str]) -> str:
        named = [label(key) for key in self.members] + [BLANK] * self.blank + [NO_MATCH] * self.no_match
        if not named:
            return "anything" if self.exclude else "nothing"
        shown = ", ".join(named[:4]) + (f" and {len(named) - 4} more" if len(named) > 4 else "")
        return f"not {shown}" if self.exclude else shown


def of_member(id: str, field: FieldRef, part: str | None, token: str, *, exclude: bool = False) -> Members:
    """A filter on one member, by its token: its key, or what blank and unmatched records are called."""
    listed = () if token in (BLANK, NO_MATCH) else (token.removeprefix("\\"),)
    return Members(id, field, part, listed, token == BLANK, token == NO_MATCH, exclude)


class Compare(RecordFilter, frozen=True, tag="compare"):
    """Compares with one value, given as canonical text. Text compares by code point. Without a value it keeps everything."""

    sign: Sign = "="
    value: str = ""

    def keeps_codes(self, domain: Domain) -> Mask:
        if not self.value:
            return np.ones(domain.size, np.bool_)
        return _codes_by(
            domain,
            self.field,
            lambda members, scale: _compared(members, self.sign, _known(domain, self.value, self.field), scale),
        )

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        if not self.value:
            return np.ones(len(column), np.bool_)
        return _values_by(
            column, self.field, self.value, lambda exact: _compared(column.values, self.sign, exact, column.scale)
        )

    def condition(self, label: Callable[[str], str]) -> str:
        return f"{self.sign} {label(self.value)}" if self.value else "any value"


class Between(RecordFilter, frozen=True, tag="between"):
    """From `low` to `high`, both ends in, given as canonical text. A side without a value is open; with neither, everything is kept,
    blanks as well."""

    low: str = ""
    high: str = ""

    def _sides(self) -> tuple[Compare, ...]:
        ends: tuple[tuple[Sign, str], ...] = (("≥", self.low), ("≤", self.high))
        return tuple(Compare(self.id, self.field, self.part, sign, value) for sign, value in ends)

    def keeps_codes(self, domain: Domain) -> Mask:
        above, below = (side.keeps_codes(domain) for side in self._sides())
        return above & below

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        above, below = (side.keeps_values(column) for side in self._sides())
        return above & below if above is not None and below is not None else None

    def condition(self, label: Callable[[str], str]) -> str:
        if self.low and self.high:
            return f"{label(self.low)} to {label(self.high)}"
        return next((side.condition(label) for side in self._sides() if side.value), "any value")


class Blank(RecordFilter, frozen=True, tag="blank"):
    """Has no value (blank, or no partner found), or with `exclude` has one."""

    exclude: bool = False

    def keeps_codes(self, domain: Domain) -> Mask:
        kept = np.zeros(domain.size, np.bool_)
        kept[domain.blank :] = True
        return ~kept if self.exclude else kept

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        valid = np.ones(len(column), np.bool_) if column.valid is None else column.valid
        return valid if self.exclude else ~valid

    def condition(self, label: Callable[[str], str]) -> str:
        return "not blank" if self.exclude else "blank"


class TextRule(RecordFilter, frozen=True, tag="text"):
    """Text that contains, starts with, ends with or matches something; case counts. `matches` takes a regular expression
    (RE2's, which never runs away). With `exclude`, text that does not."""

    how: Literal["contains", "starts", "ends", "matches"] = "contains"
    text: str = ""
    exclude: bool = False

    def keeps_codes(self, domain: Domain) -> Mask:
        if domain.type is not FieldType.TEXT:
            raise FoldError(
                f"“{self.field.field}” is {domain.type.value}, not text.",
                where=f"Filter on “{self.field.field}”",
                todo="Compare it, or give a range.",
            )
        values = domain.dictionary.values
        ask = {
            "contains": pc.match_substring,
            "starts": pc.starts_with,
            "ends": pc.ends_with,
            "matches": pc.match_substring_regex,
        }[self.how]
        try:
            hit = np.asarray(ask(values, self.text).to_numpy(zero_copy_only=False), np.bool_)
        except pa.ArrowInvalid as error:
            raise FoldError(
                f"“{self.text}” is not a regular expression ({str(error).removeprefix('Invalid regular expression: ')}).",
                where=f"Filter on “{self.field.field}”",
                todo="Mend it, or use contains.",
            ) from None
        kept = np.zeros(domain.size, np.bool_)
        kept[: domain.blank] = hit != self.exclude
        return kept

    def condition(self, label: Callable[[str], str]) -> str:
        verb = {"contains": "contain", "starts": "start with", "ends": "end with", "matches": "match"}[self.how]
        does = {"contain": "contains", "start with": "starts with", "end with": "ends with", "match": "matches"}[verb]
        return f"{f'does not {verb}' if self.exclude else does} “{self.text}”"


class Relative(RecordFilter, frozen=True, tag="relative"):
    """Dates by the as-of date: the `last` or `next` whole periods, `this` one, or this one up to the as-of date."""

    how: Literal["last", "this", "to date", "next"] = "last"
    count: int = 4
    unit: Literal["year", "quarter", "month", "week", "day", "fiscal year", "fiscal quarter"] = "quarter"

    def between(self, as_of: datetime.date, kind: FieldType, fiscal: Fiscal) -> Between:
        """The range it means on a day. Raises FoldError when the field is no date or the count makes no sense."""
        if not kind.is_time:
            raise FoldError(
                f"“{self.field.field}” is {kind.value}, not a date.",
                todo="Keep by members, or compare it with a value.",
            )
        if self.how in ("last", "next") and self.count < 1:
            raise FoldError(f"{self.count} {self.unit}s are no period.", todo="Type a number above 0.")
        today = (as_of - EPOCH).days
        part = parts_by(fiscal)[self.unit]
        now = int(part.of(np.array([today]))[0])
        try:
            if self.how == "last":
                low, high = part.first_day(now - self.count), part.first_day(now) - 1
            elif self.how == "next":
                low, high = part.first_day(now + 1), part.first_day(now + self.count + 1) - 1
            else:
                low, high = (
                    part.first_day(now),
                    today if self.how == "to date" else part.first_day(now + 1) - 1,
                )
            first, last = (EPOCH + datetime.timedelta(days=day) for day in (low, high))
        except (ValueError, OverflowError):
            raise FoldError(
                f"{self.count:,} {self.unit}s reach beyond the calendar.", todo="Type a smaller number."
            ) from None
        start, stop = ("", "") if kind is FieldType.DATE else (" 00:00:00", " 23:59:59.999999")
        return Between(self.id, self.field, None, f"{first.isoformat()}{start}", f"{last.isoformat()}{stop}")

    def condition(self, label: Callable[[str], str]) -> str:
        if self.how in ("last", "next"):
            return f"{self.how} {self.count} {self.unit}{'s' if self.count != 1 else ''}"
        return f"this {self.unit}" + (" to date" if self.how == "to date" else "")


Simple = Members | Compare | Between | Blank | TextRule | Relative
"""Filters that are one condition on one field."""


class Either(Offered, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind", tag="either"):
    """Alternatives: a record passes when any one of several conditions holds, on the same field or on others."""

    id: str
    rules: tuple[Simple, ...] = ()

    @property
    def field(self) -> FieldRef:
        """The field of its first alternative."""
        return self.rules[0].field

    @property
    def part(self) -> str | None:
        """The part of a date that its first alternative looks at."""
        return self.rules[0].part

    def fields(self) -> list[FieldRef]:
        """The fields it looks at."""
        return [rule.field for rule in self.rules]

    def moved(self, to: Callable[[FieldRef], FieldRef]) -> Decided:
        """The filter on the fields that `to` gives for its own."""
        return msgspec.structs.replace(self, rules=tuple(rule.moved(to) for rule in self.rules))

    def keeps(self, source: Source, base: str) -> Mask:
        """Which base records pass; shape (records of base,)."""
        if not self.rules:
            raise FoldError("a filter of alternatives has none.", todo="Add one, or take the filter out.")
        kept = self.rules[0].keeps(source, base)
        for rule in self.rules[1:]:
            kept = kept | rule.keeps(source, base)
        return kept


class Condition(Offered, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind", tag="formula"):
    """Records for which a record formula holds; the engine turns it into a filter on the column that the formula gives."""

    id: str
    formula: str = ""

    @property
    def field(self) -> FieldRef | None:
        """None: it looks at whatever fields its formula names."""
        return None

    def fields(self) -> list[FieldRef]:
        """None by themselves; those of the column that the formula gives count once it is made."""
        return []


Decided = Simple | Either
"""Filters that decide on fields as they are."""

Filter = Decided | Condition


def _passes(rule: RecordFilter, source: Source, base: str) -> Mask:
    column = source.column(rule.field)
    rows = source.rows(base, rule.field.table)
    on_numbers = rule.keeps_values(column) if isinstance(column, NumberColumn) and rule.way is None else None
    if on_numbers is not None:
        unmatched = isinstance(rule, Blank) and not rule.exclude
        return on_numbers if rows is None else np.append(on_numbers, unmatched)[rows]
    codes, domain = members_of(column, rule.way, source.fiscal)
    kept = rule.keeps_codes(domain)
    own: Mask = kept[:-1][codes]
    return own if rows is None else np.append(own, kept[-1])[rows]


def _known(domain: Domain, text: str, field: FieldRef) -> object:
    try:
        return domain.comparable(text)
    except ValueError as error:
        raise FoldError(str(error), where=f"Filter on “{field.field}”") from None


def _codes_by(domain: Domain, field: FieldRef, decide: Callable[[npt.NDArray, int], Mask]) -> Mask:
    if domain.type is FieldType.TEXT:
        members: npt.NDArray = np.array(domain.dictionary.texts, dtype=np.object_)
    else:
        members = np.asarray(domain.dictionary.values)
    kept = np.zeros(domain.size, np.bool_)
    if len(members):
        kept[: domain.blank] = decide(members, 0 if domain.part is not None else domain.dictionary.scale)
    return kept


def _values_by(column: NumberColumn, field: FieldRef, text: str, decide: Callable[[object], Mask]) -> Mask:
    try:
        exact = parse_canonical(column.type, text)
    except ValueError as error:
        raise FoldError(str(error), where=f"Filter on “{field.field}”") from None
    kept = decide(exact)
    return kept if column.valid is None else kept & column.valid


def _compared(values: npt.NDArray, sign: Sign, wanted: object, scale: int) -> Mask:
    """`values` (stored form) against a value; decimals exactly, whatever digits the value has."""
    if isinstance(wanted, Decimal):
        if values.dtype.kind == "f":
            wanted = float(wanted)
        else:
            units = wanted.scaleb(scale)
            low, high = math.floor(units), math.ceil(units)
            if low != high:  # no stored value equals it
                if sign in ("=", "≠"):
                    return np.full(len(values), sign == "≠")
                wanted = low if sign in ("≤", ">") else high
            else:
                wanted = low
            bounds = np.iinfo(np.int64)
            if not bounds.min <= wanted <= bounds.max:
                above = wanted > 0
                return np.full(len(values), (sign in ("<", "≤", "≠")) if above else (sign in (">", "≥", "≠")))
    compared: Mask = {
        "=": lambda: values == wanted,
        "≠": lambda: values != wanted,
        "<": lambda: values < wanted,
        "≤": lambda: values <= wanted,
        ">": lambda: values > wanted,
        "≥": lambda: values >= wanted,
    }[sign]()
    return compared.astype(np.bool_)
