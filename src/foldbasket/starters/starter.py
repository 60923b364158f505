"""What every starter is: a report proposed from the ground that it stands on, and what it finds, in words that are true of its cells."""

from __future__ import annotations

import math
from decimal import Decimal
from fractions import Fraction
from typing import Any, TypeVar

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


def values(report: Report, column: int = 0) -> list[tuple[str, Fraction]]:
    """The members of a report's rows with a number in one of its columns, in their order."""
    rows = report.left
    found = []
    for line in range(report.height):
        value = number(report.value(line, column))
        if rows.kind[line] == Kind.MEMBER and value is not None:
            found.append((report.rows.label(int(rows.line[line]), report.rows.depth - 1), value))
    return found


def number(value: Any) -> Fraction | None:
    """A cell as an exact number; None for what is none, an infinite one too."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return Fraction(value) if isinstance(value, int | float | Decimal) and not isinstance(value, bool) else None


def percent(part: Fraction, places: int = 0) -> str:
    """A share in words: “72 %”."""
    return f"{float(part) * 100:.{places}f} %"


def counted(many: int) -> str:
    """A small number in words."""
    words = ("none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
    return words[many] if many < len(words) else f"{many:,}"


def sentence(text: str) -> str:
    """A sentence with its first letter large."""
    return text[:1].upper() + text[1:]
