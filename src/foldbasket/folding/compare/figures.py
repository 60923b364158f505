"""The lines of a report as a server sees them: what comparisons are said of in SQL, as windows over the cells of all levels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from foldbasket.folding.compare.sides import Time
from foldbasket.folding.members.parts.part import Part
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import NoSqlError, Sql, applied, both, chosen, column, is_known, is_null, number


class Key(msgspec.Struct, frozen=True, eq=False):
    """A field of an axis in the statement: its column, that which says whether a partner was found, the word it is placed by, how it
    stands in time; `part` is its period, `in_order` whether a server puts its members in the order of the report."""

    name: str
    found: str | None
    word: str
    heading: str
    time: Time | None
    part: Part | None
    in_order: bool
    descending: bool = False

    @property
    def columns(self) -> list[Sql]:
        """What tells its members apart."""
        return [column(each) for each in (self.name, self.found) if each is not None]


class Axis(msgspec.Struct, frozen=True, eq=False):
    """One axis: its fields from the outermost, and the column that says how many of them a line names."""

    keys: Sequence[Key]
    level: str

    def at(self, level: int) -> Sql:
        """Whether a line names so many fields."""
        return applied(exp.EQ, column(self.level), number(level))

    def until(self, depth: int) -> list[Sql]:
        """What tells lines apart by their outer fields."""
        return [each for key in self.keys[:depth] for each in key.columns]

    @property
    def whole(self) -> list[Sql]:
        """What tells lines apart."""
        return [column(self.level), *self.until(len(self.keys))]


class Figures(msgspec.Struct, frozen=True, eq=False):
    """Cells of every level, one a line: the two axes, and the other measures by their words."""

    dialect: Dialect
    rows: Axis
    columns: Axis
    measures: Mapping[str, Sql] = msgspec.field(default_factory=dict)

    def total(self, value: Sql, *, row: bool, column: bool) -> Sql:
        """The cell in the same line, but over all rows, all columns, or both."""
        lines = [axis for axis, whole in ((self.rows, row), (self.columns, column)) if whole]
        rest = [each for axis in (self.rows, self.columns) if axis not in lines for each in axis.whole]
        return _window(exp.Max(this=chosen([(both(*(axis.at(0) for axis in lines)), value.copy())])), rest)

    def parent(self, value: Sql, on_rows: bool) -> Sql:
        """The cell of the line above."""
        axis, other = (self.rows, self.columns) if on_rows else (self.columns, self.rows)
        cases = [(axis.at(0), value.copy())]
        for level in range(1, len(axis.keys) + 1):
            above = exp.Max(this=chosen([(axis.at(level - 1), value.copy())]))
            cases.append((axis.at(level), _window(above, [*other.whole, *axis.until(level - 1)])))
        return chosen(cases)

    def inner(self, place: tuple[bool, int] | None) -> tuple[Axis, Axis, Key]:
        """The axis of the field along which is compared, the other one, and the field. Raises NoSqlError where it is not the innermost."""
        if place is None:
            raise NoSqlError("a comparison along a field that is gone")
        axis, other = (self.columns, self.rows) if place[0] else (self.rows, self.columns)
        key = axis.keys[place[1]]
        if place[1] != len(axis.keys) - 1:
            raise NoSqlError(f"a comparison along “{key.heading}”, which has other fields within it,")
        return axis, other, key

    def series(
        self, made: Sql, axis: Axis, other: Axis, order: Sequence[exp.Ordered] = (), frame: exp.WindowSpec | None = None
    ) -> Sql:
        """An aggregate or rank over the members of the innermost field in the same parent; unknown in lines that do not name it."""
        depth = len(axis.keys)
        found = _window(made, [*other.whole, column(axis.level), *axis.until(depth - 1)], order, frame)
        return chosen([(axis.at(depth), found)])

    def in_order(self, key: Key) -> list[exp.Ordered]:
        """Order of a field's members as the report shows them. Raises NoSqlError where a server has another."""
        if not key.in_order:
            raise NoSqlError(f"the order in which “{key.heading}” stands")
        unmatched = (
            [self.dialect.ordering(column(key.found), descending=True, bare=True)] if key.found is not None else []
        )
        return [*unmatched, *self.blanks_last(column(key.name), key.descending)]

    def blanks_last(self, said: Sql, descending: bool = False) -> list[exp.Ordered]:
        """Order by a value within a window, where servers differ in where they put blanks."""
        blank = chosen([(is_null(said.copy()), number(1))], number(0))
        return [self.dialect.ordering(each, down, bare=True) for each, down in ((blank, False), (said, descending))]

    def periods(self, made: Sql, place: tuple[bool, int] | None, first: int, last: int) -> Sql:
        """An aggregate over the periods from `first` to `last`, counted from the one of the line: -1 is the one before."""
        axis, other, key = self.inner(place)
        if key.part is None or not key.part.is_period:
            raise NoSqlError(f"what stands beside a member of “{key.heading}”")
        at = key.part.number_in_sql(column(key.name), self.dialect)
        sides = [
            (abs(each), "PRECEDING" if each < 0 else "FOLLOWING") if each else ("CURRENT ROW", None)
            for each in (first, last)
        ]
        start, end = (number(many) if isinstance(many, int) else many for many, _ in sides)
        frame = exp.WindowSpec(kind="RANGE", start=start, start_side=sides[0][1], end=end, end_side=sides[1][1])
        found = self.series(made, axis, other, [self.dialect.ordering(at, bare=True)], frame)
        return chosen([(is_known(column(key.name)), found)])


def _window(
    made: Sql, partition: Sequence[Sql], order: Sequence[exp.Ordered] = (), frame: exp.WindowSpec | None = None
) -> Sql:
    by = exp.Order(expressions=list(order)) if order else None
    return exp.Window(this=made, partition_by=list(partition), order=by, spec=frame, over="OVER")
