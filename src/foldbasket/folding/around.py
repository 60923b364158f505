"""The cells around a proved one, for comparisons that are calculated again in plain Python: their numbers come from their own records.

Nothing that comparisons use is used here, so what goes wrong there cannot go wrong here in the same way. A cell is named by the codes of its members.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from decimal import Decimal, localcontext
from fractions import Fraction
from typing import Any

from foldbasket.folding.compare.sides import Time, time_of
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.states.aggregates.aggregate import NotByHandError
from foldbasket.spec.fold import Placed

Path = tuple[int, ...]
"""The codes of a line's members, from the outermost field; empty for the total over all."""
Amount = Fraction | float
DIGITS = 60


class AxisAround:
    """One axis of a report in which nothing is collapsed: its lines as paths, in the order in which they are shown."""

    def __init__(self, axis: Axis, words: Sequence[Placed]) -> None:
        self.words, self.domains = tuple(words), tuple(head.domain for head in axis.heads)
        self.children: dict[Path, list[Path]] = {(): []}
        for codes in axis.codes.tolist():
            path = tuple(code for code in codes if code >= 0)
            for size in range(1, len(path) + 1):
                if path[:size] not in self.children:
                    self.children[path[:size]] = []
                    self.children[path[: size - 1]].append(path[:size])

    @property
    def depth(self) -> int:
        return len(self.words)

    @property
    def times(self) -> list[Time | None]:
        """How each field is placed in time."""
        return [time_of(domain.part, domain.dictionary.type) for domain in self.domains]

    def others(self, at: int) -> int:
        """The code of all others of a field."""
        return int(self.domains[at].others)

    def lines(self, size: int) -> list[Path]:
        """The lines that name so many members, in the order in which they are shown."""
        found: list[Path] = [()]
        for _ in range(size):
            found = [child for path in found for child in self.children[path]]
        return found

    def there(self, path: Path) -> Path | None:
        """A line, where the axis has it."""
        return path if path in self.children else None

    def number(self, path: Path, at: int) -> int | None:
        """The number of the period that a line has in a field; None where it has none."""
        dictionary = self.domains[at].dictionary
        return int(dictionary.values[path[at]]) if path[at] < len(dictionary) else None

    def with_number(self, path: Path, at: int, number: int | None) -> Path | None:
        """The line with another period of a field."""
        values = [int(each) for each in self.domains[at].dictionary.values]
        return self.with_member(path, at, values.index(number)) if number in values else None

    def with_member(self, path: Path, at: int, code: int) -> Path | None:
        """The line with another member of a field."""
        return self.there((*path[:at], code, *path[at + 1 :]))

    def step(self, path: Path, at: int, away: int) -> Path | None:
        """The line of the member before (-1) or after (1): by the calendar for periods, else as shown under the same parent."""
        time = self.times[at]
        if time is not None and time.is_period:
            number = self.number(path, at)
            return self.with_number(path, at, number + away) if number is not None else None
        beside = [each[at] for each in self.children[path[:at]]]
        found = beside.index(path[at]) + away
        return self.with_member(path, at, beside[found]) if 0 <= found < len(beside) else None


class Around:
    """A cell, by the paths of its line on rows and on columns, and the cells around it. `number` gives the exact value of a cell for a measure by its id, the
    measure's own for none; None where the cell is blank."""

    def __init__(
        self,
        rows: AxisAround,
        columns: AxisAround,
        row: Path,
        column: Path,
        number: Callable[[Path, Path, str | None], Any],
    ) -> None:
        self.rows, self.columns, self.row, self.column, self._number = rows, columns, row, column, number
        self._known: dict[tuple[Path, Path, str | None], Amount | None] = {}

    def own(self) -> Amount | None:
        """The value of the cell itself."""
        return self.value(self.row, self.column)

    def value(self, row: Path | None, column: Path | None, measure: str | None = None) -> Amount | None:
        """The value of a cell; None where there is no such line or it is blank."""
        if row is None or column is None:
            return None
        key = (row, column, measure)
        if key not in self._known:
            self._known[key] = _amount(self._number(*key))
        return self._known[key]

    def along(self, compare: Any) -> tuple[AxisAround, Path, int, bool]:
        """The axis along which a comparison goes, the cell's path on it, the field, and whether it is the columns."""
        ids = [[word.id for word in axis.words] for axis in (self.columns, self.rows)]
        found = compare.place(*ids, lambda: (self.columns.times, self.rows.times))
        if found is None:
            raise NotByHandError("the field to compare along is gone")
        is_columns, at = found
        return (self.columns, self.column, at, True) if is_columns else (self.rows, self.row, at, False)

    def at(self, path: Path | None, is_columns: bool) -> Amount | None:
        """The value with another line of one axis."""
        return self.value(self.row, path) if is_columns else self.value(path, self.column)


def ends(axis: AxisAround, size: int) -> list[Path]:
    """The lines that name so many members, and those of all others of an outer field among them, in the order in which they are shown."""
    found: list[Path] = [()]
    for _ in range(size):
        found = [each for path in found for each in (axis.children[path] or [path])]
    return found


def is_alike(line: Path, path: Path, at: int, *, restart: bool = True) -> bool:
    """Whether two lines follow one another along a field: their other members are the same."""
    if len(line) <= at:
        return not restart
    inner = path[at + 1 :] if len(path) > at else ()
    return line[at + 1 :] == inner and (not restart or line[:at] == path[:at])


def is_followed(axis: AxisAround, at: int, size: int, *, restart: bool = True) -> bool:
    """Whether lines further in repeat under several members of a field: those that do not have nothing beside them."""
    seen: set[tuple[Path, Path]] = set()
    for line in axis.lines(size):
        key = (line[:at] if restart else (), line[at + 1 :])
        if key in seen:
            return True
        seen.add(key)
    return False


def _amount(value: Any) -> Amount | None:
    if value is None or isinstance(value, Fraction):
        return value
    if isinstance(value, float):
        if not math.isfinite(value):
            raise NotByHandError("it holds what is no number")
        return value
    if isinstance(value, bool) or not isinstance(value, int | Decimal):
        raise NotByHandError("it is not a number")
    return Fraction(value)


def divided(one: Amount | None, other: Amount | None) -> float | None:
    """One amount divided by another; None where either is blank, or the other is 0."""
    return None if one is None or other is None or not other else float(one / other)


def plain(amount: Amount | None) -> Any:
    """An amount as a report has it: an int, a Decimal or a float."""
    if not isinstance(amount, Fraction):
        return amount
    if amount.denominator == 1:
        return amount.numerator
    with localcontext() as context:
        context.prec = DIGITS
        return Decimal(amount.numerator) / Decimal(amount.denominator)


def added(amounts: Sequence[Amount]) -> Amount:
    """The sum of some amounts: exact, unless there are reals among them."""
    return math.fsum(amounts) if any(isinstance(each, float) for each in amounts) else sum(amounts, Fraction(0))
