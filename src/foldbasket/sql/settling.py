"""The types of a table's fields that stays in a database, settled for all of its records before any is read: by what the server says of them, or by one
question about all of their values.
"""

from __future__ import annotations

import datetime
import decimal
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from foldbasket.errors import ReadError
from foldbasket.later import exp
from foldbasket.sql.asking import Asking, Kept
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.sniffing import field_names
from foldbasket.tables.types import MAX_SCALE, FieldType

if TYPE_CHECKING:
    from foldbasket.sql.pieces import Sql

DIGITS = 18
"""Exact numbers of so many digits can be held."""
LONG = 8
"""MariaDB's number of its type of whole numbers of 64 bits."""
PADDED, SHORT = 1042, 700
"""PostgreSQL's numbers of its types of texts that are filled up with spaces, and of reals of 32 bits."""
FIRST = 200
"""So many records show what a driver makes of each field."""
_KINDS: tuple[tuple[type, FieldType], ...] = (
    (bool, FieldType.YESNO),
    (int, FieldType.WHOLE),
    (float, FieldType.REAL),
    (decimal.Decimal, FieldType.DECIMAL),
    (datetime.datetime, FieldType.TIMESTAMP),
    (datetime.date, FieldType.DATE),
)


def settled(asking: Asking, before: str, table: Sql, where: str, progress: Progress) -> tuple[dict[str, Kept], int]:
    """The fields of a table and how many records it has. `before` stands before every statement about it. Raises ReadError, also for fields whose values
    are of several types."""
    lead = f"WITH {before}\n" if before else ""

    def rows(query: exp.Query) -> list[Sequence[Any]]:
        return asking.rows(lead + asking.dialect.written(query), progress)

    first, described = asking.described(lead + asking.dialect.written(exp.select("*").from_(table.copy()).limit(FIRST)))
    own = [str(each[0]) for each in described]
    names = field_names(own)
    [counted] = rows(exp.select(exp.Count(this=exp.Star())).from_(table.copy()))
    if asking.dialect.name == "sqlite":
        return _of_values(rows, table, own, names, where), int(counted[0])
    fields = {}
    for at, (name, kept) in enumerate(zip(names, own, strict=True)):
        said = exp.column(exp.to_identifier(kept, quoted=True))
        value = next((row[at] for row in first if row[at] is not None), None)
        if value is None and len(first) == FIRST:
            known = exp.Not(this=exp.Is(this=said.copy(), expression=exp.Null()))
            found = rows(exp.select(said.copy()).from_(table.copy()).where(known).limit(1))
            value = found[0][0] if found else None
        kind = next((kind for made, kind in _KINDS if isinstance(value, made)), FieldType.TEXT)
        scale = 0
        if kind is FieldType.DECIMAL:
            scale = described[at][5]
            if scale is None or scale > 38:  # declared without one
                [most] = rows(exp.select(exp.Max(this=exp.Anonymous(this="SCALE", expressions=[said.copy()]))).from_(table.copy()))  # fmt: skip
                scale = int(most[0] or 0)
            kind = FieldType.WHOLE if scale == 0 else FieldType.DECIMAL if scale <= MAX_SCALE else FieldType.REAL
            if kind is not FieldType.REAL and not 0 < (described[at][4] or 0) <= DIGITS:
                [most] = rows(exp.select(exp.Max(this=exp.Abs(this=said.copy()))).from_(table.copy()))
                if most[0] is not None and not (
                    abs(most[0]).is_finite() and abs(most[0]) < decimal.Decimal(10) ** (DIGITS - scale)
                ):
                    kind = FieldType.REAL
        zone = getattr(value, "tzinfo", None) is not None
        exact = scale if kind is FieldType.DECIMAL else 0
        if kind is FieldType.WHOLE and asking.dialect.name == "mariadb" and described[at][1] == LONG:
            [most] = rows(exp.select(exp.Max(this=said.copy())).from_(table.copy()))
            kind = FieldType.TEXT if int(most[0] or 0) >= 1 << 63 else kind  # without a sign, past what can be held
        plain = (value is None or isinstance(value, str)) and described[at][1] != PADDED
        fields[name] = Kept(kept, kind, exact, plain, zone, is_short=described[at][1] == SHORT)
    return fields, int(counted[0])


_DAY = "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"
_SPACES = "char(9, 10, 11, 12, 13, 32)"


def _of_values(rows: Any, table: Sql, own: Sequence[str], names: Sequence[str], where: str) -> dict[str, Kept]:
    """The fields of an SQLite table, whose values may each be of a type of their own: asked of all of them, and further where they are texts or reals."""

    def ask(conditions: Sequence[str]) -> list[int]:
        found: list[int] = []
        for start in range(0, len(conditions), 500):  # a statement has room for so many
            some: list[Sql] = [
                exp.maybe_parse(f"SUM({one})", dialect="sqlite") for one in conditions[start : start + 500]
            ]
            [line] = rows(exp.select(*some).from_(table.copy()))
            found += [int(value or 0) for value in line]
        return found

    said = [exp.to_identifier(kept, quoted=True).sql(dialect="sqlite") for kept in own]
    kinds = ("integer", "real", "blob", "text")
    counted = iter(ask([f"typeof({c}) = '{kind}'" for c in said for kind in kinds]))
    made = {}
    for name, kept, c in zip(names, own, said, strict=True):
        whole, real, blob, text = (next(counted) for _ in kinds)
        spaces = 0
        if text:
            spaces, days = ask([f"TRIM({c}, {_SPACES}) = ''", f"{c} GLOB '{_DAY}*'"])
            text -= spaces
        if blob or (text and (whole or real)):
            raise ReadError(
                f"“{name}” holds values of several types.", where=where, todo="Let the records be read and held."
            )
        kind, scale = FieldType.WHOLE if whole else FieldType.TEXT, 0
        if text and days == text:
            dated = ask([f"{c} GLOB '{_DAY}' AND date({c}) IS {c}", f"{c} GLOB '{_DAY} [0-9][0-9]:[0-9][0-9]:[0-9][0-9]*' AND datetime({c}) IS NOT NULL"])  # fmt: skip
            kind = FieldType.DATE if dated[0] == text else FieldType.TIMESTAMP if dated[1] == text else FieldType.TEXT
        elif real:
            kind, scale = _of_reals(ask, c)
        made[name] = Kept(kept, kind, scale, kind is FieldType.TEXT, False, bool(spaces))
    return made


def _of_reals(ask: Any, said: str) -> tuple[FieldType, int]:
    """Reals as exact decimals where each has at most six fraction digits within the fifteen that are kept (see `conversion.decimals_of`)."""
    for scale in range(MAX_SCALE + 1):
        units = f"{said} * 1e{scale}"
        if not ask([f"ABS({units} - ROUND({units})) > MAX(ABS({units}), 1e-300) * 4e-15 OR ABS({units}) > 9007199254740992"])[0]:  # fmt: skip
            return (FieldType.DECIMAL if scale else FieldType.WHOLE), scale
    return FieldType.REAL, 0
