"""The members a placed field can have: codes, canonical keys, labels for the reader and their order by label."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.errors import FoldError
from foldbasket.folding.members.bands.band import Band, band_of
from foldbasket.folding.members.collation import natural_order
from foldbasket.folding.members.parts.part import Part, parts_by
from foldbasket.links.source import Source
from foldbasket.spec.cut import Bands, Cut, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.styling.dates import Fiscal, dates_text, day_text, moment_text
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.tables.column import CodedColumn, Codes, Column, Dictionary, smallest_codes
from foldbasket.tables.nature import pattern_of
from foldbasket.tables.types import MICROS_PER_DAY, FieldType, canonical, parse_canonical

BLANK = "(blank)"
NO_MATCH = "(no match)"
OTHERS = "All others"
FEW = 4
"""Labels are put in order by themselves where they are less than one in so many of all members."""


class Domain:
    """The members of a field, as it is or cut into parts, bands or groups.

    Code `blank` and, one further, `no_match` stand for records without a member; `others` for those gathered in one line.
    """

    def __init__(self, dictionary: Dictionary, part: Part | None = None, locale: str = "en") -> None:
        """`locale` says by whose order of letters labels stand."""
        self.dictionary, self.part, self.locale = dictionary, part, locale
        self.type = FieldType.WHOLE if part is not None else dictionary.type

    @property
    def blank(self) -> int:
        return len(self.dictionary)

    @property
    def no_match(self) -> int:
        return len(self.dictionary) + 1

    @property
    def size(self) -> int:
        """How many codes records can have, blank and no match included."""
        return len(self.dictionary) + 2

    @property
    def others(self) -> int:
        """The code of the line that gathers what a summary filter leaves out; no record has it."""
        return len(self.dictionary) + 2

    def ranks_of(self, codes: npt.NDArray[np.integer], *, turned: bool = False) -> npt.NDArray[np.int64]:
        """Ranks by label among some codes, each of which stands once; shape (codes,). Cheaper than `ranks` where there are few of them."""
        whole = self.__dict__.get("turned" if turned else "ranks")
        if whole is None and len(codes) * FEW < self.blank and self.type is FieldType.TEXT:
            own = np.flatnonzero(codes < self.blank)
            texts = self.dictionary.values.take(pa.array(codes[own].astype(np.int64)))
            order = own[natural_order(texts, self.locale)]
            ranks = codes.astype(np.int64)  # blank and no match stand last
            ranks[order[::-1] if turned else order] = np.arange(len(own))
            return ranks
        found = self.turned if turned else self.ranks
        return found[codes]

    @cached_property
    def turned(self) -> npt.NDArray[np.int64]:
        """The ranks the other way round; what stays last in either direction does. Shape (size,)."""
        ranks = self.ranks.copy()
        last = self.part.last if self.part is not None else None
        moving = np.ones(self.size, np.bool_)
        moving[self.blank :] = False
        if last is not None:
            moving[: self.blank] = np.asarray(self.dictionary.values) != last
        ranks[moving] = int(moving.sum()) - 1 - ranks[moving]
        return ranks

    def key(self, code: int) -> str:
        """Canonical text of a member. Blank and no match have none: ValueError."""
        if code >= self.blank:
            raise ValueError("blank and unmatched records have no key")
        raw = self.dictionary.raw(code)
        return (
            self.part.key(int(raw))
            if self.part is not None
            else canonical(self.dictionary.type, raw, self.dictionary.scale)
        )

    def token(self, code: int) -> str:
        """Names any member, blank, unmatched and gathered ones too: its key, or what it is called where it has none. A text that
        reads like one of those is led by a backslash, so that no two members have one name."""
        if code >= self.blank:
            return {self.blank: BLANK, self.no_match: NO_MATCH}.get(code, OTHERS)
        return _led(self.key(code))

    def tokens(self, codes: npt.NDArray[np.integer]) -> list[str]:
        """The tokens of several members; of thousands of texts a tenth of the time."""
        if self.type is not FieldType.TEXT or self.part is not None:
            return [self.token(code) for code in codes.tolist()]
        known = codes < self.blank
        texts = iter(self.dictionary.values.take(pa.array(codes[known].astype(np.int64))).to_pylist())
        each = zip(codes.tolist(), known.tolist(), strict=True)
        return [_led(next(texts)) if is_known else self.token(code) for code, is_known in each]

    def code_named(self, token: str) -> int | None:
        """The code of the member that a token names; None where there is no such member."""
        named = {BLANK: self.blank, NO_MATCH: self.no_match, OTHERS: self.others}
        if token in named:
            return named[token]
        try:
            return self.code_of(token.removeprefix("\\"))
        except ValueError:
            return None

    def code_of(self, key: str) -> int | None:
        """The code of the member named by canonical text; None when no record has it. ValueError: not such a value."""
        if self.part is None:
            return self.dictionary.code_of(key)
        found = np.flatnonzero(self.dictionary.values == self.part.parse(key))
        return int(found[0]) if len(found) else None

    def comparable(self, key: str) -> object:
        """The value that canonical text names, in the form in which members compare. ValueError: not such a value."""
        return self.part.parse(key) if self.part is not None else parse_canonical(self.dictionary.type, key)

    def label(self, code: int, locale: str) -> str:
        """What the reader sees for a code."""
        if code >= self.blank:
            return {self.blank: BLANK, self.no_match: NO_MATCH}.get(code, OTHERS)
        raw = self.dictionary.raw(code)
        if self.part is not None:
            return self.part.text(int(raw), locale)
        kind = self.dictionary.type
        if kind is FieldType.TEXT:
            return str(raw)
        if kind is FieldType.DATE:
            return day_text(int(raw), locale)
        if kind is FieldType.TIMESTAMP:
            return moment_text(int(raw), locale)
        if kind is FieldType.YESNO:
            return "yes" if raw else "no"
        places = self.dictionary.scale
        plain = "#,##0." + "0" * places if places else "0.######"
        pattern = pattern_of(self.dictionary.nature, kind, places) or plain
        writer = number_writer(NumberStyle(), pattern, locale, "EUR")
        return writer(float(raw)) if kind is FieldType.REAL else writer.units(int(raw), places)

    def label_in(self, code: int, locale: str, pattern: str) -> str:
        """What the reader sees for a code, dates in an LDML pattern; what is no date as it is written anyway."""
        when = self.day_of(code) if code < self.blank else None
        return self.label(code, locale) if when is None else dates_text(when, pattern, locale)

    def day_of(self, code: int) -> datetime.datetime | None:
        """The moment that a member begins at, or that it is written by; None for what is no date."""
        raw, start = (
            int(self.dictionary.raw(code)) if self.type is not FieldType.TEXT else 0,
            datetime.datetime(1970, 1, 1),
        )
        try:
            if self.part is not None:
                day = self.part.a_day(raw)
                return None if day is None else start + datetime.timedelta(day)
            if self.type is FieldType.DATE:
                return start + datetime.timedelta(raw)
            return start + datetime.timedelta(microseconds=raw) if self.type is FieldType.TIMESTAMP else None
        except (ValueError, OverflowError, NotImplementedError):
            return None

    @cached_property
    def ranks(self) -> npt.NDArray[np.int64]:
        """Rank of every code by label; blank and no match come last. Shape (size,)."""
        if self.dictionary.type is FieldType.TEXT and self.part is None:
            assert isinstance(self.dictionary.values, pa.Array)
            order = natural_order(self.dictionary.values, self.locale)
        else:
            order = np.argsort(np.asarray(self.dictionary.values), kind="stable")
        ranks = np.empty(self.size, np.int64)
        ranks[order] = np.arange(len(order))
        ranks[self.blank :] = (self.blank, self.no_match)
        return ranks


def _led(key: str) -> str:
    """The token of a member by its key."""
    return f"\\{key}" if key in (BLANK, NO_MATCH, OTHERS) or key.startswith("\\") else key


def part_named(name: str, kind: FieldType, field: str, fiscal: Fiscal) -> Part:
    """The part of that name, or a FoldError when there is none or the field has no such part."""
    parts = parts_by(fiscal)
    part = parts.get(name)
    if part is None:
        raise FoldError(
            f"there is no part of a date called “{name}”.", where=field, todo="Parts are: " + ", ".join(parts) + "."
        )
    if not kind.is_time or (part.by_time and kind is not FieldType.TIMESTAMP):
        raise FoldError(
            f"“{field}” is {kind.value}, so it has no {name}.",
            todo=f"Take a {'time stamp' if part.by_time else 'date'}, or place the field as it is.",
        )
    return part


def domain_of(column: Column, cut: Cut | None, fiscal: Fiscal, locale: str = "en") -> Domain:
    """The members that a field has, cut in a way or as it is. FoldError when it cannot be cut so."""
    if cut is None:
        return Domain(column.coded().dictionary, None, locale)
    if isinstance(column, CodedColumn):
        return _of_dictionary(column.dictionary, cut, fiscal, column.name, locale)[1]
    return members_of(column, cut, fiscal, locale)[1]


def label_of_key(column: Column, part: str | None, key: str, fiscal: Fiscal, locale: str) -> str:
    """What the reader sees for a member that canonical text names, of a field of dates or a part of it, whether any record has it or not. Raises
    ValueError where it is not such a value, FoldError where the field has no such part."""
    if part is None:
        value = np.array([parse_canonical(column.type, key)], np.int64)
        return Domain(Dictionary(column.type, value, column.scale, column.nature), None, locale).label(0, locale)
    found = part_named(part, column.type, column.name, fiscal)
    return Domain(Dictionary(FieldType.WHOLE, np.array([found.parse(key)], np.int64)), found, locale).label(0, locale)


def members_of(column: Column, cut: Cut | None, fiscal: Fiscal, locale: str = "en") -> tuple[Codes, Domain]:
    """One code for each of a column's own records, shape (records,), and what the codes mean."""
    if cut is None or isinstance(cut, Groups) or isinstance(column, CodedColumn):
        coded = column.coded()
        if cut is None:
            return coded.codes, Domain(coded.dictionary, None, locale)
        target, domain = _of_dictionary(coded.dictionary, cut, fiscal, column.name, locale)
        codes: Codes = target[:-1].astype(smallest_codes(domain.size))[coded.codes]
        return codes, domain
    # Numbers and time stamps are cut as they stand, without finding out which of them differ.
    values = column.values if column.valid is None else column.values[column.valid]
    part = _part_for(cut, column.type, column.scale, values, fiscal, column.name)
    numbers = _numbers(part, values, column.type)
    low, many = (int(numbers.min()), int(numbers.max()) + 1) if len(numbers) else (0, 0)
    seen = np.zeros(many - low, np.bool_)
    seen[numbers - low] = True
    different = np.flatnonzero(seen)
    place = np.zeros(many - low, smallest_codes(len(different) + 2))
    place[different] = np.arange(len(different))
    domain = Domain(Dictionary(FieldType.WHOLE, different + low), part, locale)
    if column.valid is None:
        return place[numbers - low], domain
    full = np.full(len(column), domain.blank, place.dtype)
    full[column.valid] = place[numbers - low]
    return full, domain


def placed_codes(source: Source, base: str, ref: FieldRef, cut: Cut | None, locale: str = "en") -> tuple[Codes, Domain]:
    """One code per base record for a placed field, shape (records,), and what the codes mean."""
    if cut is None:
        aligned = source.aligned(base, ref)
        return aligned.codes, Domain(aligned.dictionary, None, locale)
    codes, domain = members_of(source.column(ref), cut, source.fiscal, locale)
    rows = source.rows(base, ref.table)
    if rows is None:
        return codes, domain
    kind = smallest_codes(domain.size)
    return np.append(codes.astype(kind), kind.type(domain.no_match))[rows], domain


def _of_dictionary(
    dictionary: Dictionary, cut: Cut, fiscal: Fiscal, field: str, locale: str
) -> tuple[npt.NDArray[np.int64], Domain]:
    """For every code of a field, blank and no match too, the code of its member once cut; and the members."""
    if isinstance(cut, Groups):
        if cut.part is not None:
            own, parts = _of_dictionary(dictionary, cut.part, fiscal, field, locale)
            target, domain = _grouped(parts, cut)
            return target[own], domain
        return _grouped(Domain(dictionary, None, locale), cut)
    values = np.asarray(dictionary.values) if dictionary.type is not FieldType.TEXT else np.zeros(0)
    part = _part_for(cut, dictionary.type, dictionary.scale, values, fiscal, field)
    different, inverse = np.unique(_numbers(part, values, dictionary.type), return_inverse=True)
    target = np.concatenate([inverse, [len(different), len(different) + 1]])
    return target, Domain(Dictionary(FieldType.WHOLE, different), part, locale)


def _part_for(cut: Cut, kind: FieldType, scale: int, values: npt.NDArray, fiscal: Fiscal, field: str) -> Part:
    if isinstance(cut, Bands):
        return band_of(cut, values, kind, scale, field)
    assert isinstance(cut, str)
    return part_named(cut, kind, field, fiscal)


def _numbers(part: Part, values: npt.NDArray, kind: FieldType) -> npt.NDArray[np.int64]:
    if isinstance(part, Band):
        return part.of(values)
    stored = values.astype(np.int64, copy=False)
    return part.of(stored // MICROS_PER_DAY if kind is FieldType.TIMESTAMP and not part.by_time else stored)


def _grouped(members: Domain, cut: Groups) -> tuple[npt.NDArray[np.int64], Domain]:
    """Members named by their groups; those in none keep their canonical text, or bear the name for the rest."""
    keys = (
        members.dictionary.texts if members.type is FieldType.TEXT else [members.key(at) for at in range(members.blank)]
    )
    named = {key: group.name for group in cut.groups for key in group.members}
    names = [named.get(key, key if cut.rest is None else cut.rest) for key in keys]
    different = list(dict.fromkeys(names))
    place = {name: at for at, name in enumerate(different)}
    target = np.array([*(place[name] for name in names), len(different), len(different) + 1], np.int64)
    return target, Domain(Dictionary(FieldType.TEXT, pa.array(different, pa.string())), None, members.locale)


def joined(domains: Sequence[Domain], field: str) -> tuple[Domain, list[npt.NDArray[np.int64]]]:
    """One domain for several that mean the same, and for each of them the new code of every old one.

    Raises FoldError when their values are of different types.
    """
    first = domains[0]
    if all(domain is first for domain in domains):
        return first, [np.arange(first.size) for _ in domains]
    kinds = {domain.type for domain in domains}
    named = {domain.part.name if domain.part is not None else "" for domain in domains}
    if len(kinds | named) > 2:
        raise FoldError(
            f"what stands for “{field}” is {' in one table and '.join(sorted(kind.value for kind in kinds))} in another.",
            todo="Let a field of the same type stand for it.",
        )
    if first.type is FieldType.TEXT:
        lists: list[list] = [domain.dictionary.texts for domain in domains]
        scale = 0
    else:
        scale = max(domain.dictionary.scale for domain in domains)
        lists = [
            (np.asarray(domain.dictionary.values) * 10 ** (scale - domain.dictionary.scale)).tolist()
            if scale
            else np.asarray(domain.dictionary.values).tolist()
            for domain in domains
        ]
    place = {value: at for at, value in enumerate(dict.fromkeys(value for values in lists for value in values))}
    values = list(place)
    dictionary = Dictionary(
        first.dictionary.type,
        pa.array(values, pa.string()) if first.type is FieldType.TEXT else np.array(values, _kind_of(first)),
        scale,
        first.dictionary.nature,
    )
    made = Domain(dictionary, first.part, first.locale)
    remaps = [np.array([*(place[value] for value in listed), made.blank, made.no_match], np.int64) for listed in lists]
    return made, remaps


def _kind_of(domain: Domain) -> np.dtype:
    return np.asarray(domain.dictionary.values).dtype


def filled(domain: Domain, low: int, high: int) -> tuple[Domain, npt.NDArray[np.int64]]:
    """A domain of a calendar or of bands with every member between two numbers, and the new code of every old one."""
    values = np.arange(low, high + 1)
    old = np.asarray(domain.dictionary.values, np.int64)
    is_outside = (old < low) | (old > high)
    made = Domain(
        Dictionary(domain.dictionary.type, np.concatenate([values, old[is_outside]])), domain.part, domain.locale
    )
    codes = np.where(is_outside, len(values) - 1 + np.cumsum(is_outside), old - low)
    return made, np.append(codes, [made.blank, made.no_match])
