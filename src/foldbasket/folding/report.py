"""The report: header trees, cells and kinds of line. The only thing that grid, charts, pages and exporters read.

A line of an axis (a row, or a column before measures are laid along it) names the members of its first `level` fields.
Columns of the page are slots: every line of the column axis holds one slot for each measure.
"""

from __future__ import annotations

import datetime
import enum
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from foldbasket.folding.aggregates import Block
from foldbasket.folding.domain import Domain
from foldbasket.styling.dates import EPOCH, day_text, moment_text
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.tables.types import FieldType, exact_decimal

EVERYTHING = "Everything"
"""Caption of a grand total."""

Value = str | int | float | Decimal | datetime.date | datetime.datetime | bool | None


class Kind(enum.IntEnum):
    """What a line of an axis stands for."""

    MEMBER = 0
    SUBTOTAL = 1
    GRAND = 2


@dataclass(frozen=True, eq=False)
class Head:
    """A field on an axis: the word it stands for, its heading, and what its codes mean."""

    id: str
    heading: str
    domain: Domain


@dataclass(frozen=True, eq=False)
class Axis:
    """Lines in display order. `level` and `kind` have shape (lines,); `codes` (lines, fields), -1 where a field is not named."""

    heads: tuple[Head, ...]
    level: npt.NDArray[np.int8]
    kind: npt.NDArray[np.int8]
    codes: npt.NDArray[np.int32]
    locale: str

    def __len__(self) -> int:
        return len(self.level)

    @property
    def depth(self) -> int:
        return len(self.heads)

    def label(self, line: int, field: int) -> str:
        """The member of one field on a line; empty where the line does not name it."""
        code = int(self.codes[line, field])
        return "" if code < 0 else self._label(field, code)

    @cached_property
    def _label(self):  # type: ignore[no-untyped-def]
        return lru_cache(maxsize=65536)(lambda field, code: self.heads[field].domain.label(code, self.locale))

    def key(self, line: int, field: int) -> str | None:
        """Canonical text of the member of one field on a line; None where not named, blank or unmatched."""
        code = int(self.codes[line, field])
        return None if code < 0 or code >= self.heads[field].domain.blank else self.heads[field].domain.key(code)

    def caption(self, line: int) -> str:
        """What a total line is called: “Everything”, or “Eastfen, all sites”. Empty on a member's line."""
        kind, level = self.kind[line], int(self.level[line])
        if kind == Kind.GRAND:
            return EVERYTHING
        if kind == Kind.SUBTOTAL:
            return f"{self.label(line, level - 1)}, all {plural(self.heads[level].heading)}"
        return ""

    def starts(self, field: int, line: int, first: int = 0) -> bool:
        """Whether a run of one member of `field` starts on `line`, given that `first` is the first line in view."""
        if line <= first:
            return True
        return bool(
            (self.codes[line, : field + 1] != self.codes[line - 1, : field + 1]).any() or self.level[line - 1] <= field
        )

    def runs(self, field: int) -> Iterator[tuple[int, int]]:
        """Start and stop of each run of lines that share a member of `field` (and of the fields before it)."""
        lines = len(self)
        if not lines:
            return
        changed = (self.codes[1:, : field + 1] != self.codes[:-1, : field + 1]).any(axis=1)
        edges = [0, *(np.flatnonzero(changed) + 1).tolist(), lines]
        for start, stop in pairwise(edges):
            if self.codes[start, field] >= 0:
                yield start, stop


@dataclass(frozen=True, eq=False)
class MeasureHead:
    """A measure: its word, heading, how its numbers are written, and a remark on what it counts, if one is needed."""

    id: str
    heading: str
    style: NumberStyle
    remark: str = ""


@dataclass(frozen=True, eq=False)
class Report:
    """A fold, computed. `blocks` holds one block per measure, shape (rows, lines of the column axis)."""

    name: str
    sentence: str
    rows: Axis
    columns: Axis
    measures: tuple[MeasureHead, ...]
    blocks: tuple[Block, ...]
    base: str
    kept: int
    records: int
    locale: str
    currency: str

    @property
    def height(self) -> int:
        return len(self.rows)

    @property
    def width(self) -> int:
        """Columns of the page: lines of the column axis times measures."""
        return len(self.columns) * len(self.measures)

    def slot(self, column: int) -> tuple[int, int]:
        """Line of the column axis and number of the measure of one column of the page."""
        return divmod(column, self._many)

    def value(self, row: int, column: int) -> Value:
        """The exact value of a cell, None when blank: Decimal for decimals, int, float, date, text."""
        line, measure = self.slot(column)
        block = self.blocks[measure]
        if block.blank[row, line]:
            return None
        raw = block.data[row, line]
        if block.dictionary is not None:
            stored = block.dictionary.raw(int(raw))
            return bool(stored) if block.type is FieldType.YESNO else str(stored)
        if block.type is FieldType.REAL:
            return float(raw)
        if block.type is FieldType.DECIMAL:
            return exact_decimal(int(raw), block.scale)
        if block.type is FieldType.DATE:
            return EPOCH + datetime.timedelta(days=int(raw))
        if block.type is FieldType.TIMESTAMP:
            return datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=int(raw))
        return int(raw)

    def text(self, row: int, column: int) -> str:
        """A cell as the reader sees it; empty when blank."""
        line, measure = divmod(column, self._many)
        return self._texts[measure](row, line)

    @cached_property
    def _many(self) -> int:
        return max(1, len(self.measures))

    @cached_property
    def _texts(self) -> list[Callable[[int, int], str]]:
        return [self._text_of(measure) for measure in range(len(self.measures))]

    def _text_of(self, measure: int) -> Callable[[int, int], str]:
        """A function from row and line of the column axis to the text of a measure's cell."""
        block = self.blocks[measure]
        blank, data, scale, kind = block.blank, block.data, block.scale, block.type
        if block.dictionary is not None:
            members = block.dictionary
            if kind is FieldType.YESNO:
                return lambda row, line: (
                    "" if blank[row, line] else "yes" if members.raw(int(data[row, line])) else "no"
                )
            return lambda row, line: "" if blank[row, line] else str(members.raw(int(data[row, line])))
        if kind is FieldType.DATE:
            return lambda row, line: "" if blank[row, line] else day_text(int(data[row, line]), self.locale)
        if kind is FieldType.TIMESTAMP:
            return lambda row, line: "" if blank[row, line] else moment_text(int(data[row, line]), self.locale)
        writer = number_writer(self.measures[measure].style, default_pattern(block), self.locale, self.currency)
        if kind is FieldType.REAL:
            return lambda row, line: "" if blank[row, line] else writer(float(data[row, line]))
        return lambda row, line: "" if blank[row, line] else writer.units(int(data[row, line]), scale)

    def is_number(self, measure: int) -> bool:
        """Whether a measure's cells are numbers (and so stand at the right)."""
        block = self.blocks[measure]
        return block.dictionary is None and block.type.is_number

    def is_negative(self, row: int, column: int) -> bool:
        """Whether a cell is a number below zero."""
        line, measure = self.slot(column)
        block = self.blocks[measure]
        return self.is_number(measure) and not block.blank[row, line] and bool(block.data[row, line] < 0)

    def pattern(self, measure: int) -> str:
        """The LDML pattern of a measure's numbers: its own, or the one that goes with its type."""
        return self.measures[measure].style.pattern or default_pattern(self.blocks[measure])


def default_pattern(block: Block) -> str:
    """The pattern for a measure that has none: all digits of a decimal, none of a whole number, two of a real."""
    if block.pattern is not None:
        return block.pattern
    if block.type is FieldType.DECIMAL and block.scale:
        return "#,##0." + "0" * block.scale
    return "#,##0.00" if block.type is FieldType.REAL else "#,##0"


def plural(heading: str) -> str:
    """A heading as the name of several: “Site” gives “sites”. Headings that cannot be bent are left as they are."""
    head, _, _ = heading.partition(" of ")  # “Quarter of order date” gives “quarters”
    if not head[-1:].isalpha():
        return heading[:1].lower() + heading[1:]
    if head.endswith("y") and head[-2:-1].lower() not in "aeiou":
        several = head[:-1] + "ies"
    elif head.endswith(("s", "x", "ch", "sh", "z")):
        several = head if head.endswith("s") and not head.endswith("ss") else head + "es"
    else:
        several = head + "s"
    if not head.isupper():
        several = several[:1].lower() + several[1:]
    return several
