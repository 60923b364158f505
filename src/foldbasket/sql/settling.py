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
        zone = getattr(value, "tzinfo", None) is not None
        exact = scale if kind is FieldType.DECIMAL else 0
        fields[name] = Kept(kept, kind, exact, value is None or isinstance(value, str), zone)
    return fields, int(counted[0])


_DAY = "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"


def _of_values(rows: Any, table: Sql, own: Sequence[str], names: Sequence[str], where: str) -> dict[str, Kept]:
    """The fields of an SQLite table, whose values may each be of a type of their own: one question about all of them."""
    asked: list[str] = []
    for kept in own:
        c = exp.to_identifier(kept, quoted=True).sql(dialect="sqlite")
        asked += [f"SUM(typeof({c}) = '{kind}')" for kind in ("integer", "real", "blob")]
        asked += [
            f"SUM(typeof({c}) = 'text' AND TRIM({c}, char(9, 10, 11, 12, 13, 32)) <> '')",
            f"SUM(typeof({c}) = 'text' AND {c} GLOB '{_DAY}' AND date({c}) IS {c})",
            f"SUM(typeof({c}) = 'text' AND {c} GLOB '{_DAY} [0-9][0-9]:[0-9][0-9]:[0-9][0-9]*' AND datetime({c}) IS NOT NULL)",
        ]
        asked += [
            f"SUM(ABS({c} * 1e{scale} - ROUND({c} * 1e{scale})) > MAX(ABS({c} * 1e{scale}), 1e-300) * 4e-15 OR ABS({c} * 1e{scale}) > 9e15)"
            for scale in range(MAX_SCALE + 1)
        ]
    each = 6 + MAX_SCALE + 1
    found: list[int] = []
    for start in range(0, len(own), 100):  # a statement has room for so many fields
        some = asked[start * each : (start + 100) * each]
        [line] = rows(exp.select(*(exp.maybe_parse(one, dialect="sqlite") for one in some)).from_(table.copy()))
        found += [int(value or 0) for value in line]
    made = {}
    for at, (name, kept) in enumerate(zip(names, own, strict=True)):
        kind, scale = _judged(found[at * each : (at + 1) * each], name, where)
        made[name] = Kept(kept, kind, scale, kind is FieldType.TEXT, False)
    return made


def _judged(told: Sequence[int], name: str, where: str) -> tuple[FieldType, int]:
    whole, real, blob, text, days, moments, *off = told
    if blob or (text and (whole or real)):
        raise ReadError(
            f"“{name}” holds values of several types.", where=where, todo="Read it as it is, without leaving it there."
        )
    if text:
        kind = FieldType.DATE if days == text else FieldType.TIMESTAMP if moments == text else FieldType.TEXT
        return kind, 0
    if real:
        scale = next((scale for scale, many in enumerate(off) if not many), None)
        if scale is None:
            return FieldType.REAL, 0
        return (FieldType.DECIMAL if scale else FieldType.WHOLE), scale
    return (FieldType.WHOLE if whole else FieldType.TEXT), 0
