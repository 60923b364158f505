"""The members a placed field can have: codes, canonical keys, labels for the reader and their order by label."""

from __future__ import annotations

import re
import unicodedata
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.parts import PARTS, Part
from foldbasket.links.source import Aligned, FieldRef, Source
from foldbasket.styling.dates import day_text, moment_text
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.tables.column import Codes, Dictionary, smallest_codes
from foldbasket.tables.types import FieldType, canonical, parse_canonical

BLANK = "(blank)"
NO_MATCH = "(no match)"
MICROS_PER_DAY = 86_400_000_000


def natural_key(text: str) -> tuple[object, ...]:
    """Sort key of a label: letters without regard to case and accents, runs of digits by their number, then exactly."""
    pieces = re.split(r"(\d+)", text)
    plain = [
        (int(piece), "")
        if at % 2
        else (-1, "".join(c for c in unicodedata.normalize("NFKD", piece) if not unicodedata.combining(c)).casefold())
        for at, piece in enumerate(pieces)
    ]
    return (plain, text)


class Domain:
    """The members of a field or of a part of it. Code `blank` and, one further, `no_match` stand for records without one."""

    def __init__(self, dictionary: Dictionary, part: Part | None = None) -> None:
        self.dictionary = dictionary
        self.part = part
        self.type = FieldType.WHOLE if part is not None else dictionary.type

    @property
    def blank(self) -> int:
        return len(self.dictionary)

    @property
    def no_match(self) -> int:
        return len(self.dictionary) + 1

    @property
    def size(self) -> int:
        return len(self.dictionary) + 2

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
            return BLANK if code == self.blank else NO_MATCH
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
        pattern = "#,##0." + "0" * places if places else "0.######"
        writer = number_writer(NumberStyle(), pattern, locale, "EUR")
        return writer(float(raw)) if kind is FieldType.REAL else writer.units(int(raw), places)

    @cached_property
    def ranks(self) -> npt.NDArray[np.int64]:
        """Rank of every code by label; blank and no match come last. Shape (size,)."""
        if self.dictionary.type is FieldType.TEXT and self.part is None:
            texts = self.dictionary.texts
            order = sorted(range(len(texts)), key=lambda code: natural_key(texts[code]))
        else:
            order = np.argsort(np.asarray(self.dictionary.values), kind="stable").tolist()
        ranks = np.empty(self.size, np.int64)
        ranks[order] = np.arange(len(order))
        ranks[self.blank :] = (self.blank, self.no_match)
        return ranks


def part_named(name: str, kind: FieldType, field: str) -> Part:
    """The part of that name, or a FoldError when there is none or the field is not a date."""
    part = PARTS.get(name)
    if part is None:
        raise FoldError(
            f"there is no part of a date called “{name}”.", where=field, todo="Parts are: " + ", ".join(PARTS) + "."
        )
    if not kind.is_time:
        raise FoldError(
            f"“{field}” is {kind.value}, so it has no {name}.", todo="Take a date, or place the field as it is."
        )
    return part


def placed_codes(source: Source, base: str, ref: FieldRef, part_name: str | None) -> tuple[Codes, Domain]:
    """One code per base record for a placed field, shape (records,), and what the codes mean."""
    aligned = source.aligned(base, ref)
    if part_name is None:
        return aligned.codes, Domain(aligned.dictionary)
    target, domain = part_of(aligned.dictionary, part_name, ref.field)
    return _through(target, aligned), domain


def part_of(dictionary: Dictionary, part_name: str, field: str) -> tuple[npt.NDArray[np.int64], Domain]:
    """The part's members, and for every code of the field (blank and no match too) the code of its part."""
    part = part_named(part_name, dictionary.type, field)
    stored = np.asarray(dictionary.values, np.int64)
    days = stored // MICROS_PER_DAY if dictionary.type is FieldType.TIMESTAMP else stored
    different, inverse = np.unique(part.of(days), return_inverse=True)
    target = np.concatenate([inverse, [len(different), len(different) + 1]])
    return target, Domain(Dictionary(FieldType.WHOLE, different), part)


def _through(target: npt.NDArray[np.int64], aligned: Aligned) -> Codes:
    codes: Codes = target.astype(smallest_codes(len(target)))[aligned.codes]
    return codes
