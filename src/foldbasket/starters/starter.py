"""What every starter is: a report proposed from the ground that it stands on, and what it finds, in words that are true of its cells."""

from __future__ import annotations

import math
from decimal import Decimal
from fractions import Fraction
from typing import Any, NamedTuple, TypeVar

from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report
from foldbasket.registry import Kinds
from foldbasket.spec.fold import Fold
from foldbasket.starters.ground import Ground


class Starter:
    """Base of all starters. `standing` is where its report stands among those that are offered."""

    key: str
    standing: int = 100

    def fold(self, ground: Ground) -> Fold | None:
        """The report, named; None where the data have nothing for it."""
        raise NotImplementedError

    def finding(self, report: Report, fold: Fold) -> str:
        """What the report shows, in a sentence; empty where there is nothing to say."""
        raise NotImplementedError


STARTERS: Kinds[Starter] = Kinds("starter", "foldbasket.starters")
S = TypeVar("S", bound=type[Starter])


def starter(kind: S) -> S:
    """Class decorator: enters a starter under its key."""
    STARTERS.enter(kind.key, kind())
    return kind


class Named(NamedTuple):
    """A member of a report's rows that is one: not (blank), (no match) or all others. Its line, its key, its label, and its number; None where it has none."""

    line: int
    key: str
    label: str
    value: Fraction | None


def members(report: Report, column: int = 0) -> list[Named]:
    """The named members of a report's rows with their numbers in one of its columns, in their order."""
    rows, axis, depth = report.left, report.rows, report.rows.depth - 1
    found = []
    for line in range(report.height):
        at = int(rows.line[line])
        key = axis.key(at, depth)
        if rows.kind[line] == Kind.MEMBER and key is not None:
            found.append(Named(line, key, axis.label(at, depth), number(report.value(line, column))))
    return found


def values(report: Report, column: int = 0) -> list[tuple[str, Fraction]]:
    """The labels and numbers of the named members that have a number in a column."""
    return [(each.label, each.value) for each in members(report, column) if each.value is not None]


def grand(report: Report, column: int = 0) -> Fraction | None:
    """The grand total of a column; None where the report has none."""
    rows = report.left
    lines = (line for line in range(report.height) if rows.kind[line] == Kind.GRAND)
    return next((number(report.value(line, column)) for line in lines), None)


def number(value: Any) -> Fraction | None:
    """A cell as an exact number; None for what is none, an infinite one too."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return Fraction(value) if isinstance(value, int | float | Decimal) and not isinstance(value, bool) else None


def counted(many: int) -> str:
    """A small number in words."""
    words = ("none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
    return words[many] if many < len(words) else f"{many:,}"


def sentence(text: str) -> str:
    """A sentence with its first letter large."""
    return text[:1].upper() + text[1:]
