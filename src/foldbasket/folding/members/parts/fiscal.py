"""Parts by the firm's own year."""

from __future__ import annotations

from foldbasket.folding.members.parts.part import (
    Cycle,
    Days,
    Part,
    first_of_month,
    month_in_sql,
    months_of,
    part,
    split_in_sql,
)
from foldbasket.later import exp
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, applied, chosen, joined, number, piece, text, times_plus
from foldbasket.styling.dates import Fiscal, month_name
from foldbasket.tables.types import FieldType


class FiscalPart(Part):
    """Base of the parts that go by the firm's own year. `_months` are counted so that its first month is a January."""

    is_fiscal = True

    def __init__(self, fiscal: Fiscal) -> None:
        self.fiscal = fiscal
        self._shift = 12 * fiscal.ahead - (fiscal.month - 1)

    def _fiscal_months(self, days: Days) -> Days:
        return months_of(days) + self._shift

    def _year_in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        """The fiscal year of a date, as FY and four digits."""
        year = piece(dialect.day(date), 1, 4)
        later = applied(exp.GTE, month_in_sql(date.copy(), dialect), text(f"{self.fiscal.month:02d}"))
        moved = [
            dialect.shown(applied(exp.Add, dialect.whole(year.copy()), number(more)), FieldType.WHOLE, 0)
            for more in (self.fiscal.ahead, self.fiscal.ahead - 1)
        ]
        return joined(text("FY"), chosen([(later, moved[0])], moved[1]))


@part
class FiscalYear(FiscalPart):
    standing = 120
    name, label, is_period, key_form = "fiscal year", "Fiscal year", True, r"FY(\d{4})"
    unit = "month"
    fineness = 0
    a_year = 1

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) // 12

    def key(self, number: int) -> str:
        return f"FY{number:04d}"

    def number(self, *groups: int) -> int:
        return groups[0]

    def text(self, number: int, locale: str) -> str:
        return f"FY {number}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return self._year_in_sql(date, dialect)

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return dialect.whole(piece(key, 3, 4))

    def first_day(self, number: int) -> int:
        return first_of_month(number * 12 - self._shift)


@part
class FiscalQuarter(FiscalPart):
    standing = 130
    name, label, is_period, key_form = "fiscal quarter", "Fiscal quarter", True, r"FY(\d{4})-Q([1-4])"
    unit = "month"
    fineness = 2
    a_year = 4

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) // 3

    def key(self, number: int) -> str:
        return f"FY{number // 4:04d}-Q{number % 4 + 1}"

    def number(self, *groups: int) -> int:
        return groups[0] * 4 + groups[1] - 1

    def text(self, number: int, locale: str) -> str:
        return f"Q{number % 4 + 1} FY {number // 4}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        quarter = split_in_sql(date.copy(), dialect, "-Q", 4, self.fiscal.month)
        return joined(self._year_in_sql(date, dialect), quarter)

    def number_in_sql(self, key: Sql, dialect: Dialect) -> Sql:
        return times_plus(dialect.whole(piece(key, 3, 4)), 4, dialect.whole(piece(key.copy(), 9, 1)))

    def first_day(self, number: int) -> int:
        return first_of_month(number * 3 - self._shift)


@part
class FiscalQuarterOfYear(FiscalPart, Cycle):
    standing = 140
    name, label, key_form, every = "fiscal quarter of year", "Quarter of the fiscal year", r"Q([1-4])", range(1, 5)
    unit = "month"
    fineness = 2

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) % 12 // 3 + 1

    def key(self, number: int) -> str:
        return f"Q{number}"

    def text(self, number: int, locale: str) -> str:
        return f"Q{number}"

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return split_in_sql(date, dialect, "Q", 4, self.fiscal.month)


@part
class FiscalMonthOfYear(FiscalPart, Cycle):
    """Months of the calendar in the order of the fiscal year. Their canonical text is the month of the calendar, so that it means the same whenever the year
    starts; their number is their place in the fiscal year, from 1."""

    standing = 150
    name, label, key_form, every = "fiscal month of year", "Month of the fiscal year", r"(0[1-9]|1[0-2])", range(1, 13)
    unit = "month"
    fineness = 3

    def of(self, days: Days) -> Days:
        return self._fiscal_months(days) % 12 + 1

    def __init__(self, fiscal: Fiscal) -> None:
        super().__init__(fiscal)
        self.sorts_by_key = fiscal.month == 1

    def _month(self, number: int) -> int:
        """The month of the calendar, from 1, at a place in the fiscal year."""
        return (number + self.fiscal.month - 2) % 12 + 1

    def key(self, number: int) -> str:
        return f"{self._month(number):02d}"

    def number(self, *groups: int) -> int:
        return (groups[0] - self.fiscal.month) % 12 + 1

    def text(self, number: int, locale: str) -> str:
        return month_name(self._month(number), locale)

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        return month_in_sql(date, dialect)

    def order_in_sql(self, key: Sql) -> list[Sql]:
        begun = applied(exp.GTE, key.copy(), text(f"{self.fiscal.month:02d}"))
        return [chosen([(begun, number(0))], number(1)), key]

    def a_day(self, number: int) -> int | None:
        return first_of_month(2001 * 12 + self._month(number) - 1)
