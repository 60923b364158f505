"""A plan as questions to a database in which its tables stay, said as statements.

The server joins, filters, cuts dates into their parts and aggregates; bands and groups of members are left to be made of what it answers. What SQL
does not say as we mean it is refused by name.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import msgspec

from foldbasket.folding.members.domain import part_named
from foldbasket.folding.members.parts.part import Part
from foldbasket.folding.plan.plan import AxisField, Plan
from foldbasket.folding.records import Records
from foldbasket.folding.states.aggregates.aggregate import State
from foldbasket.folding.states.quantities import Quantity, product_type
from foldbasket.later import exp
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.sql.pieces import NoSqlError, Sql, applied, both, chosen, column, is_known, number
from foldbasket.sql.staying import DatabaseStream
from foldbasket.tables.column import Column
from foldbasket.tables.sample import stream_behind
from foldbasket.tables.types import FieldType


class Origins(msgspec.Struct, eq=False):
    """Where the tables of a statement come from: those of one database, each under the name that its source is called by."""

    source: Source
    stream: DatabaseStream
    before: dict[str, str] = msgspec.field(default_factory=dict)
    """What stands before the statements, by the sources that are queries."""

    def __call__(self, key: str) -> Sql:
        stream = stream_behind(self.source.table(key))
        if not isinstance(stream, DatabaseStream) or stream.place != self.stream.place:
            raise NoSqlError(f"“{self.source.called(key)}”, which is not in {self.stream.label},")
        before, table = stream.origin(f"asked {key}")
        if before:
            self.before[key] = before
        own = exp.select(*stream.cleaned(stream.fields), *stream.bared()).from_(table)
        return own.subquery(alias=name_of(self.source.called(key)))


@dataclass(eq=False)
class Questions:
    """A plan and the statements that answer it. `names` are the columns that tell its groups apart, `wanted` the states in the order in which they
    stand behind them and the count of records."""

    plan: Plan
    records: Records
    origins: Origins
    source: Source

    def __post_init__(self) -> None:
        self.keys: list[Sql] = []
        self.has_found: list[bool] = []
        for at, each in enumerate(self.plan.fields):
            member = self.records.member(each.field, self.cut_there(each))
            self.keys.append(named(self._member(each, member.said), f"m{at}"))
            self.has_found.append(member.found is not None)
            if member.found is not None:
                self.keys.append(named(chosen([(member.found, number(1))], number(0)), f"f{at}"))
        self.names = [each.alias for each in self.keys]

    # --- statements ---------------------------------------------------------

    def statements(self) -> dict[object, str]:
        """The statement of the groups under None, of each run under its quantity, of the records of each coarser table under its name, of all members of a
        field under it where they are wanted."""
        made: dict[object, str] = {None: self._groups()}
        for quantity in self.plan.runs:
            made[quantity] = self._run(quantity)
        for table in self.plan.pairs:
            made[table] = self._pairs(table)
        for each in self.plan.fields if self.plan.every else ():
            made[each] = self._every(each)
        return made

    def _every(self, each: AxisField) -> str:
        """All members of a field, whether a record that is kept has them or not: those of its own table."""
        table = self.records.ask.own(self.plan.base, each.field).table
        return Questions(Plan(table, (each,)), replace(self.records, base=table), self.origins, self.source)._grouped(
            [], []
        )

    def inner(self, selected: Sequence[Sql]) -> exp.Select:
        """The records that are kept, with some values of each."""
        where = self.records.kept(self.plan.rules)
        query = self.records.joined(exp.select(*(selected or [named(number(1), "c")])))
        return query.where(where) if where is not None else query

    def said(self, query: exp.Select) -> str:
        """A statement as it is sent."""
        said = self.origins.stream.dialect.written(query)
        return f"WITH {', '.join(self.origins.before.values())}\n{said}" if self.origins.before else said

    def _grouped(self, more: Sequence[Sql], made: Sequence[Sql], by: Sequence[str] = ()) -> str:
        names = [*self.names, *by]
        query = exp.select(*(column(name) for name in names), *made)
        query = query.from_(self.inner([*(each.copy() for each in self.keys), *more]).subquery(alias=name_of("r")))
        if names:
            return self.said(query.group_by(*(column(name) for name in names)))
        return self.said(query.having(exp.GT(this=exp.Count(this=exp.Star()), expression=number(0))))

    def _groups(self) -> str:
        values, made = [], [named(exp.Count(this=exp.Star()), "n")]
        self.wanted: list[tuple[Quantity, State]] = []
        for at, each in enumerate(self.plan.states):
            values.append(named(self._value(each.quantity), f"q{at}"))
            for state in each.states:
                if state is not State.RECORDS:
                    made.append(named(self._state(each.quantity, state, column(f"q{at}")), f"s{len(self.wanted)}"))
                    self.wanted.append((each.quantity, state))
        return self._grouped(values, made)

    def _run(self, quantity: Quantity) -> str:
        return self._grouped([named(self._value(quantity), "v")], [named(exp.Count(this=exp.Star()), "n")], ["v"])

    def _pairs(self, table: str) -> str:
        self.records.found(table)  # which joins it
        keys = [named(each, f"k{at}") for at, each in enumerate(self.records.keys_of(table))]
        return self._grouped(keys, [], [each.alias for each in keys])

    def repeats(self, link: Link) -> str:
        """How many keys stand on more than one record at the far end of a link."""
        dialect, far = self.records.dialect, self.source.table(link.to_table)
        keys = [column(name) for _, name in link.keys]
        for near, name in link.keys:
            one, other = self.source.table(link.from_table).column(near).type, far.column(name).type
            if not (one is other or (one.is_number and other.is_number)):
                raise NoSqlError(f"a link of {one.value} to {other.value}")
        some = (
            exp.select(*keys).from_(self.origins(link.to_table)).where(both(*(is_known(each.copy()) for each in keys)))
        )
        alike = [
            dialect.text(each.copy()) if far.column(each.name).type is FieldType.TEXT else each.copy() for each in keys
        ]
        some = some.group_by(*alike).having(exp.GT(this=exp.Count(this=exp.Star()), expression=number(1)))
        bare = exp.select(named(number(1), "c"))
        some.set("expressions", bare.expressions)
        return self.said(exp.select(exp.Count(this=exp.Star())).from_(some.subquery(alias=name_of("r"))))

    # --- fields and values --------------------------------------------------

    def _member(self, each: AxisField, said: Sql) -> Sql:
        """A field as its records are grouped by it: cut as far as the server cuts it fast, and text as it stands there, since texts of spaces alone
        become blank with the answer."""
        ref = self.records.ask.own(self.plan.base, each.field)
        if each.part is not None and each.groups is None and self.cut_there(each) is None:
            return self.records.dialect.since(said, str(self._part(each).unit)) or said
        stream = stream_behind(self.source.table(ref.table))
        is_own = ref not in self.source.formulas and ref.field in self.source.table(ref.table).columns
        if is_own and isinstance(stream, DatabaseStream) and stream.fields[ref.field].type is FieldType.TEXT:
            return self.records.dialect.text(column(stream.bare(ref.field), self.source.called(ref.table)))
        return said

    def type_of_member(self, each: AxisField) -> tuple[FieldType, int]:
        """The type and fraction digits of the values that a field is grouped by."""
        own = self.column(each.field)
        if (
            own.type is FieldType.TIMESTAMP
            and each.part is not None
            and self.cut_there(each) is None
            and not each.groups
        ):
            return FieldType.DATE, 0
        return own.type, own.scale

    def cut_there(self, each: AxisField) -> str | None:
        """The part of a date that the server cuts a field into, said by its key; bands and groups are made here, of its values, and parts of the days that
        a server finds faster."""
        if each.bands is not None and each.bands.by_values:
            raise NoSqlError(f"bands of “{each.field.field}” that depend on all of its values")
        if each.part is None or each.groups is not None or each.bands is not None:
            return None
        return None if self.records.dialect.has_since and self._part(each).unit is not None else each.part

    def _part(self, each: AxisField) -> Part:
        own = self.column(each.field)
        return part_named(str(each.part), own.type, own.name, self.source.fiscal)

    def column(self, ref: FieldRef) -> Column:
        return self.source.column(self.records.ask.own(self.plan.base, ref))

    def _value(self, quantity: Quantity) -> Sql:
        if quantity.kind == "rank":
            raise NoSqlError("“first” and “last”")
        said = self.records.field(quantity.field).said
        if quantity.kind == "plain":
            return said
        assert quantity.other is not None
        other = self.records.field(quantity.other).said
        if quantity.kind == "where":
            return chosen([(is_known(other), said)])
        if self.type_of(quantity)[0] is FieldType.REAL:
            said, other = self.records.dialect.real(said), self.records.dialect.real(other)
        else:
            dialect = self.records.dialect
            said = dialect.factor(said, self.column(quantity.field).type)
            other = dialect.factor(other, self.column(quantity.other).type)
        return applied(exp.Mul, said, other)

    def type_of(self, quantity: Quantity) -> tuple[FieldType, int]:
        """The type and the fraction digits of a quantity."""
        one = self.column(quantity.field)
        if quantity.kind != "times":
            return one.type, one.scale
        assert quantity.other is not None
        return product_type(one, self.column(quantity.other))

    def _state(self, quantity: Quantity, state: State, said: Sql) -> Sql:
        kind, scale = self.type_of(quantity)
        dialect = self.records.dialect
        if state is State.VALUES:
            return exp.Count(this=said)
        if state is State.SUM and kind.is_number:
            return exp.Sum(this=said) if kind is FieldType.REAL else dialect.exact_sum(said, scale)
        if state in (State.SMALLEST, State.LARGEST):
            if kind is FieldType.YESNO:
                said = chosen([(said, number(1)), (exp.Not(this=said.copy()), number(0))])
            node = exp.Min if state is State.SMALLEST else exp.Max
            return node(this=dialect.ordered(said) if kind is FieldType.TEXT else said)
        raise NoSqlError(f"the {state.value} of the values")


def named(said: Sql, name: str) -> Sql:
    """A value under a name."""
    return exp.Alias(this=said, alias=name_of(name))


def name_of(name: str) -> exp.Identifier:
    """A name as it is, whatever signs it has."""
    return exp.to_identifier(name, quoted=True)
