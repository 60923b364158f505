"""An axis of a report: its fields and the lines over their members, totals among them."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from functools import cached_property, lru_cache

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.members.domain import Domain
from foldbasket.styling.words import plural
from foldbasket.tables.distinct import distinct
from foldbasket.tables.types import FieldType

EVERYTHING = "Everything"
"""Caption of a grand total."""


class Kind(enum.IntEnum):
    """What a line of an axis stands for."""

    MEMBER = 0
    SUBTOTAL = 1
    GRAND = 2
    CLOSED = 3

    @property
    def is_total(self) -> bool:
        """Whether the line is one of totals rather than of members; a closed member stands as a member."""
        return self in (Kind.SUBTOTAL, Kind.GRAND)


class Head(msgspec.Struct, frozen=True, eq=False):
    """A field on an axis: the word it stands for, its heading, what its codes mean, and the pattern that its dates are written in."""

    id: str
    heading: str
    domain: Domain
    dates: str = ""

    def label(self, code: int, locale: str) -> str:
        """What the reader sees for a code."""
        return self.domain.label_in(code, locale, self.dates) if self.dates else self.domain.label(code, locale)

    def texts(self, codes: npt.NDArray[np.int32], locale: str) -> list[str]:
        """The same for several codes of a field of texts, brought at once."""
        members = codes[codes < self.domain.blank]
        found = dict(zip(members.tolist(), self.domain.dictionary.of(members).texts, strict=True))
        return [found[code] if code in found else self.label(code, locale) for code in codes.tolist()]


class Axis(msgspec.Struct, frozen=True, eq=False, dict=True):
    """Lines in display order. `level` and `kind` have shape (lines,); `codes` (lines, fields), -1 where a field is not named."""

    heads: tuple[Head, ...]
    level: npt.NDArray[np.int32]
    kind: npt.NDArray[np.int8]
    codes: npt.NDArray[np.int32]
    locale: str
    captions: Mapping[int, str] = msgspec.field(default_factory=dict)
    """What total lines are called where that is not by their members and level, by the number of the line."""

    def __len__(self) -> int:
        return len(self.level)

    @property
    def depth(self) -> int:
        return len(self.heads)

    def label(self, line: int, field: int) -> str:
        """The member of one field on a line; empty where the line does not name it."""
        code = int(self.codes[line, field])
        return "" if code < 0 else self._label(field, code)

    def labels(self, lines: npt.NDArray[np.int64], field: int) -> list[str]:
        """The same of several lines."""
        label = self._label
        return ["" if code < 0 else label(field, code) for code in self.codes[lines, field].tolist()]

    @cached_property
    def _label(self):  # type: ignore[no-untyped-def]
        return lru_cache(maxsize=65536)(lambda field, code: self.heads[field].label(code, self.locale))

    @cached_property
    def longest(self) -> list[list[str]]:
        """Of each field those members on the axis whose names have the most signs, where they are texts: its column is as wide as the widest of them. Of a
        million lines that takes 40 ms, so it is found where the report is folded and not where it is shown."""
        return [
            self._longest_of(head.domain, distinct(codes)) for head, codes in zip(self.heads, self.codes.T, strict=True)
        ]

    @staticmethod
    def _longest_of(domain: Domain, codes: npt.NDArray[np.int32]) -> list[str]:
        if domain.part is not None or domain.type is not FieldType.TEXT:
            return []
        return domain.dictionary.longest(codes[(codes >= 0) & (codes < domain.blank)])

    def key(self, line: int, field: int) -> str | None:
        """Canonical text of the member of one field on a line; None where not named, blank or unmatched."""
        code = int(self.codes[line, field])
        return None if code < 0 or code >= self.heads[field].domain.blank else self.heads[field].domain.key(code)

    def token(self, line: int, field: int) -> str:
        """What names the member of one field on a line and no other; empty where the line does not name the field."""
        code = int(self.codes[line, field])
        return "" if code < 0 else self.heads[field].domain.token(code)

    def caption(self, line: int) -> str:
        """What a total line is called: “Everything”, or “Eastfen, all sites”. Empty on a member's line."""
        if line in self.captions:
            return self.captions[line]
        kind, level = self.kind[line], int(self.level[line])
        if kind == Kind.GRAND:
            return EVERYTHING
        if kind == Kind.SUBTOTAL:
            return f"{self.label(line, level - 1)}, all {plural(self.heads[level].heading)}"
        return ""
