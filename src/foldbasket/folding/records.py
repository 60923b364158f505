"""The records of one table as a server sees them: joined with what links reach, kept by the filters, cut into members."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Asked
from foldbasket.folding.members.domain import Domain, domain_of, part_named
from foldbasket.folding.members.parts.part import Part
from foldbasket.formulas.checking import Checked, checked, schema_of
from foldbasket.formulas.function import Said
from foldbasket.formulas.saying import said_in_sql
from foldbasket.formulas.values import KIND_OF
from foldbasket.later import exp
from foldbasket.links.source import Source
from foldbasket.spec.cut import Cut, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, Sql, both, chosen, column, is_known, one_of, text
from foldbasket.tables.types import FieldType, parse_canonical

TYPE_OF = {kind: each for each, kind in KIND_OF.items() if each not in (FieldType.WHOLE, FieldType.DECIMAL)}
"""The type that stands for what a formula gives; of numbers one whose fraction digits are not known."""


class Names:
    """Names that a statement gives: each another one, whatever their case, and none longer than servers take."""

    LONGEST = 50

    def __init__(self, taken: Sequence[str] = ()) -> None:
        self._taken = {each.casefold() for each in taken}

    def free(self, wanted: str) -> str:
        """The name itself, cut where it is too long, with a number behind where it is taken."""
        plain = "".join(sign if sign.isprintable() else " " for sign in wanted).strip() or "value"
        while len(plain.encode()) > self.LONGEST:
            plain = plain[:-1].rstrip()
        name, number = plain, 1
        while name.casefold() in self._taken:
            number += 1
            name = f"{plain} {number}"
        self._taken.add(name.casefold())
        return name


@dataclass(eq=False)
class Records:
    """What says the fields of a base table's records (a `filters.asked.Says`), and which tables it came to need for it. `computed` are
    the record formulas behind fields that no table has."""

    source: Source
    base: str
    dialect: Dialect
    ask: Asked
    computed: Mapping[FieldRef, Checked]
    locale: str
    today: Callable[[str], datetime.date]
    origin: Callable[[str], Sql] | None = None
    """The table that a source comes from, under the name that the source is called by; None where it bears that name itself."""

    def __post_init__(self) -> None:
        self.tables: dict[str, None] = {self.base: None}

    # --- fields ---------------------------------------------------------------

    def field(self, ref: FieldRef) -> Field:
        """A field as it is."""
        ref = self.ask.own(self.base, ref)
        if ref in self.computed:
            said = self._said(self.computed[ref])
            return Field(said.sql, TYPE_OF.get(said.kind, FieldType.REAL), None, self.found(ref.table))
        if ref in self.source.formulas:
            made = checked(self.source.formulas[ref], schema_of(self.source), home=ref.table, wants="field")
            known = self.source.column(ref)
            return Field(self._said(made).sql, known.type, known.scale, self.found(ref.table))
        known = self.source.column(ref)
        self._reach(ref.table)
        own: Sql = column(ref.field, self.source.called(ref.table))
        if known.type is FieldType.TEXT:
            own = self.dialect.text(own)
        return Field(own, known.type, known.scale, self.found(ref.table))

    def member(self, ref: FieldRef, cut: Cut | None) -> Field:
        """A field as it is, or cut into members, which are said by their keys."""
        field = self.field(ref)
        if cut is None:
            return field
        if isinstance(cut, Groups):
            return Field(self._grouped(ref, cut), FieldType.TEXT, None, field.found)
        part = self._part(ref, cut)
        return Field(part.in_sql(field.said, self.dialect), FieldType.TEXT, None, field.found)

    def in_order(self, ref: FieldRef, cut: Cut | None) -> bool:
        """Whether members of a field are in their order when they are sorted by their keys."""
        return cut is None or isinstance(cut, Groups) or self._part(ref, cut).sorts_by_key

    def _part(self, ref: FieldRef, cut: Cut) -> Part:
        """The part or band that a field is cut into; of a part none of the values need be known."""
        if isinstance(cut, str):
            known = self.source.column(self.ask.own(self.base, ref))
            return part_named(cut, known.type, ref.field, self.source.fiscal)
        part = self.domain(ref, cut).part
        assert part is not None
        return part

    def domain(self, ref: FieldRef, cut: Cut | None) -> Domain:
        """The members that a field has."""
        return domain_of(self.source.column(self.ask.own(self.base, ref)), cut, self.source.fiscal, self.locale)

    def _grouped(self, ref: FieldRef, cut: Groups) -> Sql:
        inner = self.member(ref, cut.part)
        cases = [
            (one_of(inner.said.copy(), [self._listed(ref, cut.part, key) for key in group.members]), text(group.name))
            for group in cut.groups
            if group.members
        ]
        rest = text(cut.rest) if cut.rest is not None else self.dialect.shown(inner.said, inner.type, inner.scale)
        return chosen([*cases, (is_known(inner.said.copy()), rest)])

    def _listed(self, ref: FieldRef, cut: Cut | None, key: str) -> Sql:
        try:
            return self.literal(ref, cut, key)
        except FoldError:
            return exp.Null()  # a group may list what the field has no longer

    def literal(self, ref: FieldRef, cut: Cut | None, key: str) -> Sql:
        """A member or value that is written out, by its canonical text. Raises FoldError for what is none."""
        known = self.source.column(self.ask.own(self.base, ref))
        try:
            if cut is not None:
                part = None if isinstance(cut, Groups) else self._part(ref, cut)
                return text(part.key(part.parse(key)) if part is not None else key)
            value = parse_canonical(known.type, key)
        except ValueError as error:
            raise FoldError(str(error), where=f"Filter on “{ref.field}”") from None
        return self.dialect.literal(known.type, Decimal(value) if known.type is FieldType.WHOLE else value, known.scale)

    # --- formulas and filters -------------------------------------------------

    def formula(self, formula: Checked) -> Sql:
        """A record formula."""
        return self._said(formula).sql

    def _said(self, formula: Checked) -> Said:
        return said_in_sql(formula, self.dialect, self.said, self.as_of)

    def said(self, ref: FieldRef) -> Said:
        """A field as formulas see it."""
        found = self.field(ref)
        return Said(found.said, KIND_OF[found.type])

    def as_of(self) -> Sql:
        """The as-of date."""
        return self.dialect.date(self.today(self.base).isoformat())

    def kept(self, filters: Sequence[Filter]) -> Sql | None:
        """The condition of all filters together; None where there is none."""
        return both(*(rule.in_sql(self) for rule in filters)) if filters else None

    # --- tables ---------------------------------------------------------------

    def _reach(self, table: str) -> None:
        for link in self.source.path(self.base, table) or ():
            self.tables[link.to_table] = None

    def found(self, table: str) -> Sql | None:
        """Whether a record finds its partner in a table; None for the base itself."""
        if table == self.base:
            return None
        self._reach(table)
        return is_known(self.keys_of(table)[0])

    def keys_of(self, table: str) -> list[Sql]:
        """What tells the records of a table apart that links lead to."""
        link = (self.source.path(self.base, table) or ())[-1]
        return [self._key(table, far) for _, far in link.keys]

    def _key(self, table: str, field: str) -> Sql:
        said: Sql = column(field, self.source.called(table))
        return self.dialect.text(said) if self.source.table(table).column(field).type is FieldType.TEXT else said

    def _of(self, table: str) -> Sql:
        if self.origin is not None:
            return self.origin(table)
        return exp.Table(this=exp.to_identifier(self.source.called(table), quoted=True))

    def joined(self, select: exp.Select) -> exp.Select:
        """A SELECT from the base and all that it came to need; said last, when that is known."""
        made = select.from_(self._of(self.base))
        done = {self.base}
        for table in self.tables:
            for link in self.source.path(self.base, table) or ():
                if link.to_table not in done:
                    done.add(link.to_table)
                    alike = [
                        exp.EQ(this=self._key(link.from_table, near), expression=self._key(link.to_table, far))
                        for near, far in link.keys
                    ]
                    made = made.join(self._of(link.to_table), on=both(*alike), join_type="left")
        return made
