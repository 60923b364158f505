"""Links proposed from the data itself: equal names, equal types, keys that name each record once, and values that are found.

Only proposals: nothing is linked until the user accepts, and where two paths would lead to one table none is guessed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.links.link import Link
from foldbasket.tables.column import CodedColumn, Column, NumberColumn
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

COVERED = 0.5
"""Share of the different keys of the near table that must be found at the far one."""


def suggested(tables: Mapping[str, Table], links: Sequence[Link] = (), known: Sequence[Link] = ()) -> tuple[Link, ...]:
    """Links that would connect tables not connected yet, surest first. `known` are a database's own foreign keys."""
    chosen: list[Link] = []
    found = sorted(_candidates(tables), key=lambda each: -each[0])
    for link in [*known, *(link for _, link in found)]:
        taken = [*links, *chosen]
        if question_of(taken, link) is None and not leads(taken, link.from_table, link.to_table):
            chosen.append(link)
    return tuple(chosen)


def leads(links: Sequence[Link], start: str, end: str) -> bool:
    """Whether links lead from one table to another."""
    reached, queue = {start}, [start]
    while queue:
        here = queue.pop()
        for link in links:
            if link.from_table == here and link.to_table not in reached:
                reached.add(link.to_table)
                queue.append(link.to_table)
    return end in reached


def question_of(links: Sequence[Link], link: Link, called: Callable[[str], str] = str) -> str | None:
    """What a new link would make unclear: a cycle, or a second path between two tables; None when all stays clear. `called` gives the
    name of a table that a link refers to."""
    near, far = called(link.from_table), called(link.to_table)
    if link.from_table == link.to_table:
        return f"“{near}” cannot be linked to itself."
    if leads(links, link.to_table, link.from_table):
        return f"Links lead from “{far}” to “{near}” already: a record would find itself in a circle."
    both = [*links, link]
    names = {each for one in both for each in (one.from_table, one.to_table)}
    for start in sorted(names):
        for end in sorted(names):
            if start != end and _ways(both, start, end) > max(1, _ways(links, start, end)):
                ways = f"“{called(start)}” to “{called(end)}”"
                return f"There would be two ways from {ways}, and they may find different records."
    return None


def _ways(links: Sequence[Link], start: str, end: str, depth: int = 0) -> int:
    if start == end:
        return 1
    if depth > 20:
        return 0
    return sum(_ways(links, link.to_table, end, depth + 1) for link in links if link.from_table == start)


def _candidates(tables: Mapping[str, Table]) -> Iterator[tuple[float, Link]]:
    for end, far in tables.items():
        for key in far.columns.values():
            if key.type is FieldType.REAL or key.type is FieldType.TIMESTAMP or not names_records(key):
                continue
            for start, near in tables.items():
                if near is far:
                    continue
                for column in near.columns.values():
                    likeness = _likeness(near.name, column.name, far.name, key.name)
                    if likeness and _alike(column.type, key.type):
                        covered = _covered(column, key)
                        both = names_records(column)
                        if covered >= COVERED and not (both and near.count <= far.count):
                            # The nearer table is the one with fewer records: an order's customer, not each line's.
                            score = likeness + covered - near.count / (near.count + 1e7)
                            yield score, Link(start, end, ((column.name, key.name),))


def names_records(column: Column) -> bool:
    """Whether a field has a value on every record, and never the same twice."""
    if not len(column):
        return False
    if isinstance(column, NumberColumn):
        return column.valid is None and len(np.unique(column.values)) == len(column)
    coded = column.coded()
    if coded.blank_count or len(coded.dictionary) < len(coded):
        return False
    return int(np.bincount(coded.codes, minlength=1).max()) == 1


def _alike(one: FieldType, other: FieldType) -> bool:
    return one is other or (one.is_number and other.is_number)


def words(name: str) -> list[str]:
    """A name's words without case, plural and signs: “Customer_IDs” is customer, id."""
    split = re.sub(r"([a-z])([A-Z])", r"\1 \2", name)
    found = re.findall(r"[^\W_]+", split.casefold())
    alike = {"no": "id", "nr": "id", "number": "id", "code": "id", "key": "id", "ids": "id"}
    return [
        alike.get(word, word[:-3] + "y" if word.endswith("ies") and len(word) > 4 else word.removesuffix("s"))
        for word in found
    ]


def _likeness(near_table: str, near_field: str, far_table: str, far_field: str) -> float:
    """How far two names mean one thing, from 0 to 1: equal, or the key's name with its table's name before it."""
    near, far, table = words(near_field), words(far_field), words(far_table)
    if not near or not far:
        return 0.0
    if near_field.casefold() == far_field.casefold():
        return 1.0 if near != ["id"] and near != ["name"] else 0.0
    if near == far and near != ["id"]:
        return 0.9
    if near in (table + far, far if len(far) > 1 else []):
        return 0.8
    without = [word for word in near if word != "id"]
    return 0.7 if without and without == table and (far == ["id"] or far == ["name"] or far == table) else 0.0


def _covered(near: Column, far: Column) -> float:
    """Share of the different values of one field that another has."""
    one, other = near.coded(), far.coded()
    values, known = _members(one), _members(other)
    if not len(values):
        return 0.0
    return float(pc.mean(pc.is_in(values, value_set=known).cast(pa.float64())).as_py())


def _members(column: CodedColumn) -> pa.Array:
    values = column.dictionary.values
    if isinstance(values, pa.Array):
        return values
    return pa.array(np.asarray(values, np.float64) / 10.0**column.scale)
