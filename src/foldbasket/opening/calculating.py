"""Calculated fields worked out: formulas of a basket as columns of the tables whose records they belong to."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from functools import partial

import msgspec

from foldbasket.baskets.calculated import Calculated, in_order
from foldbasket.errors import FoldBasketError, FormulaError
from foldbasket.formulas.checking import Checked, checked, schema_of
from foldbasket.formulas.evaluation import as_of_day, calculated
from foldbasket.kept import Kept
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import memory_allowed
from foldbasket.tables.sample import in_view, is_sampled, sample_behind, take_sample
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Sample, Unread, is_made, stream_of, unread_like


def check_field(text: str, source: Source, home: str | None = None) -> tuple[Checked, str]:
    """A record formula, checked, and the table it belongs to: the finest that reaches all its fields. Raises FoldBasketError."""
    made = checked(text, schema_of(source), home=home, wants="field")
    used = [ref.table for ref in made.refs()]
    if not used:
        return made, home or next(iter(source.tables))
    base = source.base_for(used)
    if home is not None and home != base and source.path(home, base) is not None:
        base = home
    return made, base


class Outcome(msgspec.Struct, frozen=True, eq=False):
    """Tables with their calculated fields, and why some fields could not be made, by table and name."""

    tables: dict[str, Table]
    problems: dict[tuple[str, str], FoldBasketError]


class Calculating:
    """Calculated columns by what they were made from, so that an edit calculates only what it changed."""

    def __init__(self, most: int = 60) -> None:
        self._columns: Kept[Column] = Kept(most)
        self._tables: Kept[Table] = Kept(most)

    def is_ready(self, fields: Sequence[Calculated], source: Source, as_of: str) -> bool:
        """Whether nothing is left to work out."""
        try:
            ordered = in_order(fields)
        except FormulaError:
            return True
        return all(key in self._columns for key in self._keys(ordered, source, as_of))

    @staticmethod
    def _keys(ordered: Sequence[Calculated], source: Source, as_of: str) -> list[object]:
        # A field depends on the tables and, at the most, on the fields before it.
        return [(source.key, as_of, tuple(ordered[: at + 1])) for at in range(len(ordered))]

    def outcome(
        self,
        fields: Sequence[Calculated],
        source: Source,
        as_of: str,
        progress: Progress | None = None,
        memory: int | None = None,
    ) -> Outcome:
        """The source's tables with the calculated fields as further columns; those whose table would take more than so many bytes of `memory` are not
        held either."""
        problems: dict[tuple[str, str], FoldBasketError] = {}
        tables = dict(source.tables)
        try:
            ordered = in_order(fields)
        except FormulaError as error:
            return Outcome(tables, {(each.table, each.name): error for each in fields})
        made: dict[str, dict[str, Column]] = {}
        keys: dict[str, list[object]] = {}
        for each, key in zip(ordered, self._keys(ordered, source, as_of), strict=True):
            if each.table not in tables:
                problems[each.table, each.name] = FormulaError(
                    f"there is no source “{each.table}”, so this field cannot be made.", 0, 1, where=each.name,
                    todo="Take the field out, or name a source that is there.",
                )  # fmt: skip
                continue
            try:
                column = self._columns.get_or(key, partial(_column, each, source, made, as_of, memory, progress))
                made.setdefault(each.table, {})[each.name] = column
                keys.setdefault(each.table, []).append(key)
            except FoldBasketError as error:
                problems[each.table, each.name] = error
        for name, columns in made.items():
            whole = (tables[name].serial, tuple(keys[name]))
            tables[name] = self._tables.get_or(whole, partial(_widened, tables[name], columns))
        return Outcome(tables, problems)


def _column(
    each: Calculated,
    source: Source,
    made: Mapping[str, Mapping[str, Column]],
    as_of: str,
    memory: int | None,
    progress: Progress | None,
) -> Column:
    """One calculated field's values. `made` are those before it, by table and name. Raises FoldBasketError."""
    if each.name in source.tables[each.table].columns:
        raise FormulaError(
            f"“{source.called(each.table)}” has a field “{each.name}” already.", 0, 1, where=each.name, todo="Name this one otherwise."
        )  # fmt: skip
    tables = {name: _widened(table, made.get(name, {})) for name, table in source.tables.items()}
    so_far = Source(tables, source.links, source.shared, source.fiscal)
    formula, base = check_field(each.formula, so_far, each.table)
    if base != each.table:
        raise FormulaError(
            f"it reads records of {source.called(base)}, of which one of {source.called(each.table)} has many.",
            0, len(each.formula), where=each.name, todo=f"Make it a field of {source.called(base)}.",
        )  # fmt: skip
    day = as_of_day(source, as_of, each.table)
    later = _later(each, formula, so_far, day, memory, progress)
    if later is not None:
        return later
    so_far.bring(formula.refs(), progress=progress)
    return calculated(formula, so_far, base, each.name, day, progress)


def _later(
    each: Calculated,
    formula: Checked,
    source: Source,
    day: datetime.date,
    memory: int | None,
    progress: Progress | None,
) -> Column | None:
    """A calculated field of a table that is not held, worked out for the records that are asked for; None where its table is. Raises FoldBasketError."""
    table, most = source.table(each.table), memory if memory is not None else memory_allowed()
    names = source.needed({*formula.refs(), FieldRef(each.table, "")})[each.table]
    needed = [name for name in names if name in table.columns]
    apart = is_sampled(table) or any(is_made(table.columns[name]) for name in needed)
    if not apart and stream_of(table, needed, most) is None:
        return None

    def work(some: Table) -> Column:
        return calculated(formula, source.with_table(each.table, some), each.table, each.name, day)

    def whole(_: object, progress: Progress) -> dict[str, Column]:
        source.bring(formula.refs(), progress=progress)
        return {each.name: calculated(formula, source, each.table, each.name, day, progress)}

    take_sample(table, progress)
    sample = sample_behind(table)
    assert sample is not None
    unread = Unread(whole, work=work, needs=tuple(needed))
    found = work(in_view(table))
    unread.sample = Sample(Table(table.name, {each.name: found}), sample.at)
    return unread_like(found, each.name, table.count, unread)


def _widened(table: Table, columns: Mapping[str, Column]) -> Table:
    return table.with_columns({**table.columns, **columns}, table.texts) if columns else table
