"""Keeping by comparison with values: one, or a range."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Says
from foldbasket.folding.filters.onefield import Mask, RecordFilter
from foldbasket.folding.members.domain import Domain
from foldbasket.kinds import entered
from foldbasket.later import exp
from foldbasket.sayings import Saying, saying
from foldbasket.spec.field import FieldRef
from foldbasket.sql.pieces import NoSqlError, Sql, applied, both
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.types import FieldType, parse_canonical, shifted

Sign = Literal["=", "≠", "<", "≤", ">", "≥"]
SIGNS: tuple[Sign, ...] = ("=", "≠", "<", "≤", ">", "≥")
IN_SQL = {"=": "EQ", "≠": "NEQ", "<": "LT", "≤": "LTE", ">": "GT", "≥": "GTE"}


@entered
class Compare(RecordFilter, frozen=True, tag="compare"):
    """Compares with one value, given as canonical text. Text compares by code point. Without a value it keeps everything."""

    standing: ClassVar[int] = 20
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("{sign:choice} any value", value=""),
        saying("{sign:choice} {value:value}"),
    )
    label: ClassVar[str] = "Compare"
    meaning: ClassVar[str] = "Keep what is above, below or equal to a value."
    sign: Sign = "="
    value: str = ""

    @classmethod
    def started(cls, id: str, field: FieldRef, part: str | None) -> Compare:
        return cls(id, field, part, "≥")

    @property
    def keeps_all(self) -> bool:
        return not self.value

    def keeps_codes(self, domain: Domain) -> Mask:
        if not self.value:
            return np.ones(domain.size, np.bool_)
        return _codes_by(
            domain,
            self.field,
            lambda members, scale: _compared(members, self.sign, _known(domain, self.value, self.field), scale),
        )

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        if not self.value:
            return np.ones(len(column), np.bool_)
        return _values_by(
            column, self.field, self.value, lambda exact: _compared(column.values, self.sign, exact, column.scale)
        )

    def in_sql(self, say: Says) -> Sql:
        if self.sign not in "=≠" and not say.in_order(self.field, self.way):
            raise NoSqlError(f"“{self.sign}” between members of the {self.part} of “{self.field.field}”")
        field = say.member(self.field, self.way)
        ordered = say.dialect.ordered if field.type is FieldType.TEXT else lambda said: said
        return applied(
            getattr(exp, IN_SQL[self.sign]), ordered(field.said), ordered(say.literal(self.field, self.way, self.value))
        )


@entered
class Between(RecordFilter, frozen=True, tag="between"):
    """From `low` to `high`, both ends in, given as canonical text. A side without a value is open; with neither, everything is kept,
    blanks as well."""

    standing: ClassVar[int] = 30
    sayings: ClassVar[tuple[Saying, ...]] = (
        saying("any value", low="", high=""),
        saying("from {low:value}", high=""),
        saying("up to {high:value}", low=""),
        saying("{low:value} to {high:value}"),
    )
    label: ClassVar[str] = "Range"
    meaning: ClassVar[str] = "Keep what lies between two values, both ends in."
    low: str = ""
    high: str = ""

    @property
    def keeps_all(self) -> bool:
        return not (self.low or self.high)

    def _sides(self) -> tuple[Compare, ...]:
        ends: tuple[tuple[Sign, str], ...] = (("≥", self.low), ("≤", self.high))
        return tuple(Compare(self.id, self.field, self.part, sign, value) for sign, value in ends)

    def keeps_codes(self, domain: Domain) -> Mask:
        above, below = (side.keeps_codes(domain) for side in self._sides())
        return above & below

    def keeps_values(self, column: NumberColumn) -> Mask | None:
        above, below = (side.keeps_values(column) for side in self._sides())
        return above & below if above is not None and below is not None else None

    def in_sql(self, say: Says) -> Sql:
        return both(*(side.in_sql(say) for side in self._sides() if side.value))


def _known(domain: Domain, text: str, field: FieldRef) -> object:
    try:
        return domain.comparable(text)
    except ValueError as error:
        raise FoldError(str(error), where=f"Filter on “{field.field}”") from None


def _codes_by(domain: Domain, field: FieldRef, decide: Callable[[npt.NDArray, int], Mask]) -> Mask:
    if domain.type is FieldType.TEXT:
        members: npt.NDArray = np.array(domain.dictionary.texts, dtype=np.object_)
    else:
        members = np.asarray(domain.dictionary.values)
    kept = np.zeros(domain.size, np.bool_)
    if len(members):
        kept[: domain.blank] = decide(members, 0 if domain.part is not None else domain.dictionary.scale)
    return kept


def _values_by(column: NumberColumn, field: FieldRef, text: str, decide: Callable[[object], Mask]) -> Mask:
    try:
        exact = parse_canonical(column.type, text)
    except ValueError as error:
        raise FoldError(str(error), where=f"Filter on “{field.field}”") from None
    kept = decide(exact)
    return kept if column.valid is None else kept & column.valid


def _compared(values: npt.NDArray, sign: Sign, wanted: object, scale: int) -> Mask:
    """`values` (stored form) against a value; decimals exactly, whatever digits the value has."""
    if isinstance(wanted, Decimal):
        if values.dtype.kind == "f":
            wanted = float(wanted)
        else:
            units = shifted(wanted, scale)
            low, high = math.floor(units), math.ceil(units)
            if low != high:  # no stored value equals it
                if sign in ("=", "≠"):
                    return np.full(len(values), sign == "≠")
                wanted = low if sign in ("≤", ">") else high
            else:
                wanted = low
            bounds = np.iinfo(np.int64)
            if not bounds.min <= wanted <= bounds.max:
                above = wanted > 0
                return np.full(len(values), (sign in ("<", "≤", "≠")) if above else (sign in (">", "≥", "≠")))
    compared: Mask = {
        "=": lambda: values == wanted,
        "≠": lambda: values != wanted,
        "<": lambda: values < wanted,
        "≤": lambda: values <= wanted,
        ">": lambda: values > wanted,
        "≥": lambda: values >= wanted,
    }[sign]()
    return compared.astype(np.bool_)
