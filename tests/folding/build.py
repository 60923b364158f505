"""Small tables and folds for tests, written so that a test reads like the rule it checks."""

import datetime
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import pyarrow as pa

from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.kinds import read
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.cut import Bands
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import Keep
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.table import Table


def table(name: str, columns: Mapping[str, Sequence[Any]]) -> Table:
    """A table from Python values; the type of each column follows from its first value that is not None."""
    return Table.of(
        name,
        [from_arrow(field, pa.chunked_array([pa.array(values, _kind(values))])) for field, values in columns.items()],
    )


def _kind(values: Sequence[Any]) -> pa.DataType:
    first = next((value for value in values if value is not None), "")
    if isinstance(first, Decimal):
        return pa.decimal128(18, max(-value.as_tuple().exponent for value in values if value is not None))
    kinds = {
        bool: pa.bool_(),
        int: pa.int64(),
        float: pa.float64(),
        datetime.datetime: pa.timestamp("us"),
        datetime.date: pa.date32(),
    }
    return kinds.get(type(first), pa.string())


def source(*tables: Table, links: Sequence[Link] = ()) -> Source:
    return Source({each.name: each for each in tables}, links)


def ref(path: str) -> FieldRef:
    """`"Sales.Net"` as a field."""
    name, _, field = path.partition(".")
    return FieldRef(name, field)


def measure(aggregate: str, path: str | None = None, **more: Any) -> Measure:
    return Measure(id=f"{aggregate} {path}", aggregate=aggregate, field=ref(path) if path else None, **more)


def placed(path: str, **more: Any) -> Placed:
    return Placed(id=more.pop("id", path + str(more.get("part", ""))), field=ref(path), **more)


def keep(measure: str, kind: str = "top", number: str = "10", sign: str | None = None, rest: str = "gone") -> Keep:
    """A picking of members, by the name of its kind."""
    more = {"sign": sign or ">"} if kind == "where" else {}
    return read({"kind": kind, "measure": measure, "number": number, "rest": rest, **more}, Keep)


def bands(how: str, what: str | Sequence[str]) -> Bands:
    """Bands, by the name of their kind: of a size, or at edges."""
    return read({"how": how, **({"size": what} if isinstance(what, str) else {"edges": list(what)})}, Bands)


def fold(
    of: Source, measures: Sequence[Measure], rows: Sequence[Placed] = (), columns: Sequence[Placed] = (), **more: Any
) -> Report:
    return Engine(of).fold(Fold("test", tuple(measures), tuple(rows), tuple(columns), **more))


def lines(report: Report) -> list[tuple[str, ...]]:
    """Each line: its members or caption, then its cells as values."""
    axis = report.rows
    said = []
    for line in range(report.height):
        head = [axis.caption(line)] if axis.kind[line] else [axis.label(line, field) for field in range(axis.depth)]
        said.append((*head, *(report.value(line, column) for column in range(report.width))))
    return said
