"""What servers say differently. sqlglot writes the tree for each of them; here stands what is another tree."""

from __future__ import annotations

import datetime
from decimal import Decimal
from typing import Any

from foldbasket.later import exp
from foldbasket.sql.pieces import (
    NoSqlError,
    Sql,
    applied,
    called,
    chosen,
    either,
    is_null,
    joined,
    negated,
    number,
    piece,
    text,
    within,
)  # fmt: skip
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.types import FieldType, shifted


class Dialect:
    """Base of all, and the standard (ISO/IEC 9075) itself."""

    name = "table"
    label = "the standard"
    writes = "postgres"
    """Whose writer of sqlglot's is used; PostgreSQL's keeps nearest to the standard."""
    has_grouping_sets = True

    def written(self, tree: Sql) -> str:
        """The text of a tree."""
        return tree.sql(dialect=self.writes, pretty=True)

    def quoted(self, name: str) -> str:
        """A name as it stands in a statement."""
        return exp.to_identifier(name, quoted=True).sql(dialect=self.writes)

    # --- values ---------------------------------------------------------------

    def cleaned(self, said: Sql, kind: FieldType, has_zone: bool = False) -> Sql:
        """A field of a table as it is meant here: text of spaces alone is blank, moments with a zone are in UTC."""
        if kind is FieldType.TEXT:
            return chosen([(negated(self.is_spaces(said)), self.text(said.copy()))])
        return exp.AtTimeZone(this=said, zone=text("UTC")) if has_zone else said

    def is_spaces(self, said: Sql) -> Sql:
        """Whether a text is made of spaces alone."""
        return applied(exp.EQ, called("TRIM", said), text(""))

    def exact_sum(self, said: Sql, scale: int) -> Sql:
        """The sum of whole numbers, or of decimals with so many fraction digits, exactly; what comes back is read by `units_of`."""
        return exp.Sum(this=said)

    def units_of(self, answer: Any, scale: int) -> int:
        """An answer to `exact_sum` in units of 10^-scale."""
        return int(shifted(Decimal(answer), scale))

    def factor(self, said: Sql, kind: FieldType) -> Sql:
        """A number whose product with another is exact here. Raises NoSqlError where there is none."""
        return exp.Cast(this=said, to=exp.DataType.build("decimal(20, 0)")) if kind is FieldType.WHOLE else said

    def literal(self, kind: FieldType, value: Any, scale: int = 0) -> Sql:
        """A value of a type, in the form in which it is stored here: whole units, days or microseconds since 1970-01-01."""
        if kind is FieldType.TEXT:
            return text(str(value))
        if kind is FieldType.YESNO:
            return exp.Boolean(this=bool(value))
        if kind is FieldType.DATE:
            return self.date((EPOCH + datetime.timedelta(days=int(value))).isoformat())
        if kind is FieldType.TIMESTAMP:
            moment = datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=int(value))
            return self.moment(moment.isoformat(" "))
        if kind is FieldType.REAL or isinstance(value, float):
            return number(float(value))
        return number(value if isinstance(value, Decimal) else shifted(Decimal(int(value)), -scale))

    def date(self, day: str) -> Sql:
        """A day that is written out."""
        return exp.Cast(this=text(day), to=exp.DataType.build("date"))

    def moment(self, moment: str) -> Sql:
        """A moment that is written out."""
        return exp.Cast(this=text(moment), to=exp.DataType.build("timestamp"))

    def text(self, said: Sql) -> Sql:
        """A text whose signs are compared exactly."""
        return said

    def ordered(self, said: Sql) -> Sql:
        """A text that stands in the order of its signs' numbers."""
        return said

    def real(self, said: Sql) -> Sql:
        """A number as a real one."""
        return exp.Cast(this=said, to=exp.DataType.build("double"))

    def exact(self, said: Sql, scale: int | None) -> Sql:
        """A sum of decimals with so many fraction digits."""
        return said

    def shown(self, said: Sql, kind: FieldType, scale: int | None) -> Sql:
        """A value as text."""
        if kind is FieldType.TEXT:
            return said
        if kind is FieldType.YESNO:
            return chosen([(said, text("yes"))], text("no"))
        return exp.Cast(this=said, to=exp.DataType.build("varchar(40)"))

    def length(self, said: Sql) -> Sql:
        """How many characters a text has."""
        return called("CHAR_LENGTH", said)

    def ordering(self, said: Sql, descending: bool = False, bare: bool = False) -> exp.Ordered:
        """Order by a value, those without one last; `bare` leaves them where the server puts them."""
        return exp.Ordered(this=said, desc=descending, nulls_first=bare and descending)

    has_since = False
    """Whether `since` is fast."""

    def since(self, said: Sql, unit: str) -> Sql | None:
        """The first day of the year, quarter, month, week or the day itself in which a date or moment lies; None where that is slower than its text."""
        return None

    # --- dates ----------------------------------------------------------------

    def day(self, said: Sql) -> Sql:
        """A date or moment as text: 2026-04-30, and the time of day behind it."""
        return exp.Cast(this=said, to=exp.DataType.build("varchar(26)"))

    def weekday(self, said: Sql) -> Sql:
        """The day of the week as text, 1 for Monday."""
        raise NoSqlError(f"a weekday of a date, in {self.label},")

    def week(self, said: Sql) -> Sql:
        """The week of ISO 8601 as text: 2026-W14."""
        raise NoSqlError(f"a week of a date, in {self.label},")

    def days_between(self, later: Sql, earlier: Sql) -> Sql:
        """The days from one date to another."""
        raise NoSqlError(f"the days between two dates, in {self.label},")

    def part(self, unit: str, said: Sql) -> Sql:
        """A part of a date as a number."""
        day = self.day(said)
        places = {"YEAR": (1, 4), "MONTH": (6, 2), "QUARTER": (6, 2), "DAY": (9, 2)}
        if unit == "WEEK":
            return self.whole(piece(self.week(said), 7, 2))
        if unit not in places:
            raise NoSqlError(f"{unit} of a moment")
        made = self.whole(piece(day, *places[unit]))
        if unit != "QUARTER":
            return made
        return chosen([(applied(exp.LTE, made.copy(), number(at * 3)), number(at)) for at in (1, 2, 3, 4)])

    def whole(self, said: Sql) -> Sql:
        """A text of digits as a whole number."""
        return exp.Cast(this=said, to=exp.DataType.build("int"))

    def moved(self, said: Sql, count: int, unit: str, is_date: bool) -> Sql:
        """A date or moment some units later."""
        made = exp.Add(this=said, expression=exp.Interval(this=text(str(count)), unit=exp.var(unit)))
        return exp.Cast(this=made, to=exp.DataType.build("date")) if is_date else made

    # --- functions ------------------------------------------------------------

    def rounded(self, said: Sql, digits: Sql) -> Sql:
        """Rounded to so many fraction digits, halves away from zero."""
        exactly = exp.Cast(this=said, to=exp.DataType.build("decimal(38, 12)"))
        return called("ROUND", exactly, digits)

    def least(self, values: list[Sql], largest: bool) -> Sql:
        """The smallest or largest of several values; unknown where any is."""
        node = exp.Greatest if largest else exp.Least
        made = node(this=values[0].copy(), expressions=[each.copy() for each in values[1:]])
        return chosen([(either(*(is_null(each) for each in values)), exp.Null())], made)

    def remainder(self, one: Sql, two: Sql) -> Sql:
        """What is left over; it has the sign of the first."""
        return called("MOD", one, exp.Nullif(this=two, expression=number(0)))

    def percentile(self, said: Sql, share: Decimal) -> Sql:
        """The value below which such a share of the values lie."""
        order = exp.Order(expressions=[exp.Ordered(this=said, nulls_first=False)])
        return exp.WithinGroup(this=exp.PercentileCont(this=number(share)), expression=order)

    def spread(self, name: str, said: Sql) -> Sql:
        """A standard deviation or variance, by its name in the standard."""
        return called(name, said)

    def like(self, said: Sql, pattern: str) -> Sql:
        """Whether a text is like a pattern without any escape."""
        return exp.Like(this=said, expression=text(pattern))

    def letters(self, node: type[exp.Upper] | type[exp.Lower], said: Sql) -> Sql:
        """A text in capital or small letters."""
        return node(this=said)


class PostgreSql(Dialect):
    name, label = "postgresql", "PostgreSQL"
    has_since = True

    def since(self, said: Sql, unit: str) -> Sql | None:
        return exp.Cast(this=called("DATE_TRUNC", text(unit), said), to=exp.DataType.build("date"))

    def cleaned(self, said: Sql, kind: FieldType, has_zone: bool = False) -> Sql:
        if kind is FieldType.REAL:  # what is no number is blank
            return exp.Nullif(this=self.real(said), expression=self.real(text("NaN")))
        if (
            kind is FieldType.TEXT
        ):  # signs that are no text of their own, as those of an enumeration, are compared as such
            said = exp.Cast(this=said, to=exp.DataType.build("text"))
        return super().cleaned(said, kind, has_zone)

    def is_spaces(self, said: Sql) -> Sql:
        return applied(exp.EQ, called("BTRIM", said, text(" \t\n\r\f\v")), text(""))

    def ordered(self, said: Sql) -> Sql:
        return exp.Collate(this=said, expression=exp.to_identifier("C", quoted=True))

    def weekday(self, said: Sql) -> Sql:
        return called("TO_CHAR", said, text("ID"))

    def week(self, said: Sql) -> Sql:
        return called("TO_CHAR", said, text('IYYY-"W"IW'))

    def days_between(self, later: Sql, earlier: Sql) -> Sql:
        return applied(exp.Sub, later, earlier)


class MariaDb(Dialect):
    name, label, writes, has_grouping_sets = "mariadb", "MariaDB", "mysql", False

    def is_spaces(self, said: Sql) -> Sql:
        return applied(exp.EQ, called("REGEXP_REPLACE", said, text("[[:space:]]"), text("")), text(""))

    def text(self, said: Sql) -> Sql:
        signs = exp.DataType(this=exp.DataType.Type.CHARACTER_SET, kind=exp.var("utf8mb4"))
        return exp.Collate(this=exp.Cast(this=said, to=signs), expression=exp.var("utf8mb4_nopad_bin"))

    def moment(self, moment: str) -> Sql:
        return exp.Cast(this=text(moment), to=exp.DataType.build("datetime(6)", dialect="mysql"))

    def shown(self, said: Sql, kind: FieldType, scale: int | None) -> Sql:
        made = super().shown(said, kind, scale)
        return made if kind in (FieldType.TEXT, FieldType.YESNO) else self.text(made)

    def day(self, said: Sql) -> Sql:
        return self.text(super().day(said))

    def weekday(self, said: Sql) -> Sql:
        return exp.Cast(this=applied(exp.Add, called("WEEKDAY", said), number(1)), to=_signs(1))

    def week(self, said: Sql) -> Sql:
        return self.text(called("DATE_FORMAT", said, text("%x-W%v")))

    def days_between(self, later: Sql, earlier: Sql) -> Sql:
        return called("DATEDIFF", later, earlier)

    def percentile(self, said: Sql, share: Decimal) -> Sql:
        raise NoSqlError(f"a median or percentile of groups, in {self.label},")

    def spread(self, name: str, said: Sql) -> Sql:
        return called(name, self.real(said))  # of decimals it gives four digits more than they have

    def ordering(self, said: Sql, descending: bool = False, bare: bool = False) -> exp.Ordered:
        return exp.Ordered(this=said, desc=descending, nulls_first=bare)


class Sqlite(Dialect):
    """Its dates are text (2026-04-30), its decimals real numbers: sums of those are rounded to the digits that they have."""

    name, label, writes, has_grouping_sets = "sqlite", "SQLite", "sqlite", False

    def is_spaces(self, said: Sql) -> Sql:
        spaces = called("CHAR", *(number(each) for each in (9, 10, 11, 12, 13, 32)))
        return applied(exp.EQ, called("TRIM", said, spaces), text(""))

    def exact_sum(self, said: Sql, scale: int) -> Sql:
        """Its sums of whole numbers end in an error past 64 bits, so the upper and the lower 32 bits are added up apart and come as text."""
        if scale:
            whole = exp.Round(this=exp.Mul(this=within(said), expression=number(10**scale)))
            said = exp.Cast(this=whole, to=exp.DataType.build("int"))
        upper = exp.Sum(this=exp.BitwiseRightShift(this=within(said), expression=number(32)))
        lower = exp.Sum(this=exp.BitwiseAnd(this=within(said.copy()), expression=number((1 << 32) - 1)))
        kind = exp.DataType.build("text")
        return joined(exp.Cast(this=upper, to=kind), text(" "), exp.Cast(this=lower, to=kind.copy()))

    def units_of(self, answer: Any, scale: int) -> int:
        upper, lower = map(int, answer.split())
        return (upper << 32) + lower

    def factor(self, said: Sql, kind: FieldType) -> Sql:
        raise NoSqlError(f"the exact product of numbers, in {self.label},")

    def date(self, day: str) -> Sql:
        return text(day)

    def moment(self, moment: str) -> Sql:
        return text(moment)

    def exact(self, said: Sql, scale: int | None) -> Sql:
        return exp.Round(this=said, decimals=number(scale)) if scale else said

    def shown(self, said: Sql, kind: FieldType, scale: int | None) -> Sql:
        if kind.is_time:
            return said
        if kind is FieldType.DECIMAL and scale:
            return called("PRINTF", text(f"%.{scale}f"), said)
        return (
            exp.Cast(this=said, to=exp.DataType.build("text")) if kind.is_number else super().shown(said, kind, scale)
        )

    def length(self, said: Sql) -> Sql:
        return called("LENGTH", said)

    def day(self, said: Sql) -> Sql:
        return said

    def weekday(self, said: Sql) -> Sql:
        sunday_first = exp.Cast(this=called("STRFTIME", text("%w"), said), to=exp.DataType.build("int"))
        shifted = exp.Mod(this=exp.Paren(this=applied(exp.Add, sunday_first, number(6))), expression=number(7))
        return exp.Cast(this=applied(exp.Add, shifted, number(1)), to=exp.DataType.build("text"))

    def week(self, said: Sql) -> Sql:
        thursday = called("DATE", said, text("-3 days"), text("weekday 4"))
        day = exp.Cast(this=called("STRFTIME", text("%j"), thursday), to=exp.DataType.build("int"))
        week = exp.IntDiv(this=exp.Paren(this=applied(exp.Sub, day, number(1))), expression=number(7))
        number_of = called("PRINTF", text("%02d"), applied(exp.Add, week, number(1)))
        return joined(called("STRFTIME", text("%Y"), thursday.copy()), text("-W"), number_of)

    def days_between(self, later: Sql, earlier: Sql) -> Sql:
        days = applied(exp.Sub, called("JULIANDAY", later), called("JULIANDAY", earlier))
        return exp.Cast(this=days, to=exp.DataType.build("int"))

    def moved(self, said: Sql, count: int, unit: str, is_date: bool) -> Sql:
        if unit != "DAY" or not is_date:
            raise NoSqlError(f"a date moved by {unit.lower()}s, in {self.label},")
        return called("DATE", said, text(f"{count:+d} days"))

    def least(self, values: list[Sql], largest: bool) -> Sql:
        return called("MAX" if largest else "MIN", *values) if len(values) > 1 else values[0]

    def rounded(self, said: Sql, digits: Sql) -> Sql:
        return called("ROUND", said, digits)

    def remainder(self, one: Sql, two: Sql) -> Sql:
        raise NoSqlError(f"MOD, in {self.label},")

    def percentile(self, said: Sql, share: Decimal) -> Sql:
        raise NoSqlError(f"a median or percentile, in {self.label},")

    def spread(self, name: str, said: Sql) -> Sql:
        raise NoSqlError(f"a standard deviation or variance, in {self.label},")

    def like(self, said: Sql, pattern: str) -> Sql:
        raise NoSqlError(f"LIKE that heeds case, in {self.label},")

    def letters(self, node: type[exp.Upper] | type[exp.Lower], said: Sql) -> Sql:
        raise NoSqlError(f"capital and small letters beyond A to Z, in {self.label},")

    def ordering(self, said: Sql, descending: bool = False, bare: bool = False) -> exp.Ordered:
        return exp.Ordered(this=said, desc=descending, nulls_first=bare)


def _signs(many: int) -> exp.DataType:
    return exp.DataType.build(f"varchar({many})")


DIALECTS: dict[str, Dialect] = {each.name: each for each in (Dialect(), PostgreSql(), MariaDb(), Sqlite())}
"""Every dialect by its name; that of the standard is called as a report's plain form is."""
