"""A fold as one SELECT: the records, joined and kept; their aggregates at every level; formulas; comparisons as windows.

The lines of the result are the cells: a column for each field on rows and columns, by the members' keys, and one for each measure. A
line that names no member of a field totals over it. What SQL does not say as we mean it is refused by name.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import msgspec

from foldbasket.folding.compare.figures import Axis, Figures, Key
from foldbasket.folding.filters.asked import Asked
from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.folding.plan.bases import Base
from foldbasket.folding.plan.summary import Based
from foldbasket.folding.records import TYPE_OF, Names, Records
from foldbasket.folding.statement.lines import from_query, lines_of, named
from foldbasket.folding.states.aggregates.aggregate import Operand, aggregate_named
from foldbasket.formulas.checking import Checked
from foldbasket.formulas.function import Said
from foldbasket.formulas.saying import said_in_sql
from foldbasket.formulas.tree import Node
from foldbasket.formulas.values import KIND_OF, Kind
from foldbasket.later import exp
from foldbasket.links.source import Source
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed, TotalOf, Where
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Field, NoSqlError, Sql, applied, both, chosen, column, is_known, is_null, number, text
from foldbasket.tables.types import FieldType


def statement_of(
    found: Based,
    source: Source,
    dialect: Dialect,
    ask: Asked,
    computed: Mapping[FieldRef, Checked],
    headings: Mapping[str, str],
    sentence: str,
    locale: str,
    today: Callable[[str], datetime.date],
) -> str:
    """The SQL of a fold. `computed` are the record formulas behind fields that no table has, `headings` those of the measures by id,
    `today` gives the as-of date of a table's records. Raises NoSqlError, naming what SQL or the dialect does not say."""
    _check(found.fold)
    made = _Statement(found, source, dialect, ask, computed, headings, locale, today)
    lines = [sentence, *_notes(found.fold)]
    said = "".join(f"-- {' '.join(line.split())}\n" for line in lines)
    return f"{said}{dialect.written(made.select())};\n"


def _check(fold: Fold) -> None:
    for word in fold.rows + fold.columns:
        if word.keep is not None:
            raise NoSqlError(f"“{placed_heading(word)}”, of which only some members are kept by a measure,")
    for measure in fold.measures:
        if TotalOf(measure.total) is not TotalOf.RECORDS:
            raise NoSqlError(f"a total that is the {TotalOf(measure.total).label}")


def _notes(fold: Fold) -> Iterator[str]:
    yield "Tables and fields are called as in the basket. A line without a member of a field is a total over it."
    if any(word.by is not None or word.first for word in fold.rows + fold.columns):
        yield "Members stand by their names here; the report has an order of its own."


class _Value(msgspec.Struct, frozen=True, eq=False):
    """A value that is aggregated: the column of the records that holds it."""

    name: str
    field: Field

    @property
    def read(self) -> Field:
        return Field(column(self.name), self.field.type, self.field.scale)


class _Part(msgspec.Struct, eq=False):
    """What one table contributes: the query of its records, and the measures over them or over coarser records of theirs."""

    base: Base
    records: Records
    query: str
    values: dict[FieldRef, _Value] = msgspec.field(default_factory=dict)
    ids: dict[str, list[str]] = msgspec.field(default_factory=dict)


@dataclass(eq=False)
class _Statement:
    found: Based
    source: Source
    dialect: Dialect
    ask: Asked
    computed: Mapping[FieldRef, Checked]
    headings: Mapping[str, str]
    locale: str
    today: Callable[[str], datetime.date]

    def __post_init__(self) -> None:
        self.fold = self.found.fold
        self.names = Names()
        self.queries = Names([table.name for table in self.source.tables.values()])
        self.steps: list[tuple[str, exp.Query]] = []
        self.parts = [
            _Part(
                base,
                Records(self.source, base.table, self.dialect, self.ask, self.computed, self.locale, self.today),
                self.queries.free(
                    "records" if len(self.found.bases) == 1 else f"records of {self.source.called(base.table)}"
                ),
            )
            for base in self.found.bases
        ]
        self.lines = lines_of(self.fold, [part.records for part in self.parts], self.names)
        self.columns = {measure.id: self.names.free(self._heading(measure)) for measure in self.found.measures}
        self.types: dict[str, FieldType] = {}

    def _heading(self, measure: Measure) -> str:
        return self.headings.get(measure.id, measure.id.lstrip("="))

    # --- the statement --------------------------------------------------------

    def select(self) -> exp.Query:
        """The whole."""
        pieces = [piece for part in self.parts for piece in self._pieces(part)]
        cells = self._joined(pieces)
        cells = self._worked(cells)
        made = self._final(cells)
        for name, query in self.steps:
            made = made.with_(exp.to_identifier(name, quoted=True), as_=query)
        return made

    def _step(self, name: str, query: exp.Query) -> str:
        self.steps.append((name, query))
        return name

    # --- records --------------------------------------------------------------

    def _pieces(self, part: _Part) -> list[tuple[str, list[str]]]:
        """The queries of one table's measures, each with the measures that it gives."""
        measures = [self.found.measures[at] for at in part.base.measures]
        selected: list[Sql] = []
        for word, key in zip((*self.fold.rows, *self.fold.columns), self.lines.keys(), strict=True):
            member = part.records.member(word.field, word.cut)
            selected.append(named(member.said, key.name))
            if key.found is not None:
                one, none = number(1), number(0)
                selected.append(named(one if member.found is None else chosen([(member.found, one)], none), key.found))
        for measure in measures:
            for ref in measure.fields():
                if ref not in part.values:
                    value = part.records.field(ref)
                    part.values[ref] = _Value(self.names.free(f"{ref.field.lstrip('=')} of records"), value)
                    selected.append(named(value.said, part.values[ref].name))
                if ref.table != part.base.table and ref.table not in part.ids:
                    ids = part.records.keys_of(ref.table)
                    called = self.source.called(ref.table)
                    part.ids[ref.table] = [self.names.free(f"{called} record") for _ in ids]
                    selected += [named(each, name) for each, name in zip(ids, part.ids[ref.table], strict=True)]
        where = part.records.kept(self.found.filters)
        query = part.records.joined(exp.select(*(selected or [named(number(1), "record")])))
        if where is not None:
            query = query.where(where)
        self._step(part.query, query)
        own = [each for each in measures if each.field is None or each.field.table == part.base.table]
        coarse: dict[str, list[Measure]] = {}
        for each in measures:
            if each not in own and each.field is not None:
                coarse.setdefault(each.field.table, []).append(each)
        pieces = [self._own(part, own)]
        return pieces + [self._coarse(part, table, each) for table, each in coarse.items()]

    def _own(self, part: _Part, measures: Sequence[Measure]) -> tuple[str, list[str]]:
        """The aggregates over the records of a base."""
        made = [named(self._aggregate(each, part), self.columns[each.id]) for each in measures]
        query = self.lines.grouped(part.query, made)
        name = self.queries.free(
            "totals" if len(self.parts) == 1 else f"totals of {self.source.called(part.base.table)}"
        )
        return self._step(name, query), [each.id for each in measures]

    def _coarse(self, part: _Part, table: str, measures: Sequence[Measure]) -> tuple[str, list[str]]:
        """The aggregates over the records of a coarser table, each of them once in every group that it belongs to."""
        ids, called = part.ids[table], self.source.called(table)
        values = list(dict.fromkeys(ref for each in measures for ref in each.fields()))
        once = [named(exp.Max(this=part.values[ref].read.said), part.values[ref].name) for ref in values]
        inner = self.lines.grouped(part.query, once, ids)
        step = self._step(self.queries.free(f"{called} in each group"), inner)
        made = [named(self._aggregate(each, part), self.columns[each.id]) for each in measures]
        keys = [*self.lines.columns, *made]
        query = exp.select(*keys).from_(from_query(step)).where(is_known(column(ids[0])))
        query = query.group_by(*self.lines.columns)
        return self._step(self.queries.free(f"totals of {called}"), query), [each.id for each in measures]

    def _aggregate(self, measure: Measure, part: _Part) -> Sql:
        aggregate = aggregate_named(measure.aggregate)
        of = part.values[measure.field].read if measure.field is not None else None
        other = measure.weight if aggregate.takes_setting("weight") else None
        said = aggregate.in_sql(
            of, part.values[other].read.said if other is not None else None, measure.percent, self.dialect
        )
        self.types[measure.id] = aggregate.result_type(Operand(of.type if of is not None else FieldType.WHOLE))
        return said

    # --- cells ----------------------------------------------------------------

    def _joined(self, pieces: Sequence[tuple[str, list[str]]]) -> str:
        """All measures in one query, a line a cell."""
        if len(pieces) == 1:
            return pieces[0][0]
        lines, rest = pieces[0][0], list(pieces[1:])
        if len(self.parts) > 1:
            every = [exp.select(*self.lines.columns).from_(from_query(name)) for name, _ in pieces]
            whole: exp.Query = every[0]
            for each in every[1:]:
                whole = exp.Union(this=whole, expression=each, distinct=True)
            lines, rest = self._step(self.queries.free("lines"), whole), list(pieces)
        selected: list[Sql] = [column(each.name, lines) for each in self.lines.columns]
        if len(self.parts) == 1:
            selected += [column(self.columns[each], lines) for each in pieces[0][1]]
        for name, measures in rest:
            selected += [
                named(self._or_none(each, column(self.columns[each], name)), self.columns[each]) for each in measures
            ]
        query = exp.select(*selected).from_(from_query(lines))
        for name, _ in rest:
            alike = [
                exp.NullSafeEQ(this=column(each.name, lines), expression=column(each.name, name))
                for each in self.lines.columns
            ]
            query = query.join(from_query(name), on=both(*alike), join_type="left")
        return self._step(self.queries.free("cells"), query)

    def _or_none(self, measure: str, said: Sql) -> Sql:
        """A measure where its records may not be there: counts are none, and others nothing."""
        found = next(each for each in self.found.measures if each.id == measure)
        counts = bool(aggregate_named(found.aggregate).counted) and len(self.parts) == 1
        return exp.Coalesce(this=said, expressions=[number(0)]) if counts else said

    def _worked(self, cells: str) -> str:
        """The formulas of the fold, those made of others after them."""
        waiting = dict(self.found.made.formulas)
        if not waiting:
            return cells
        known = {
            each.id: Said(column(self.columns[each.id]), self._kind(each.id))
            for each in self.found.measures
            if each.id in self.types
        }
        made: dict[str, Sql] = {}
        while waiting:
            at = next(at for at, each in waiting.items() if all(id in known for id in each.stands_for.values()))
            ready = waiting.pop(at)
            stands: dict[Node, Said] = {node: known[id] for node, id in ready.stands_for.items()}
            said = said_in_sql(
                ready.formula, self.dialect, self.parts[0].records.said, self.parts[0].records.as_of, stands
            )
            id = self.found.measures[at].id
            known[id], made[id] = said, said.sql
            self.types[id] = TYPE_OF.get(said.kind, FieldType.REAL)
        kept = [each.id for each in self.fold.measures if each.id not in made]
        selected = [*self.lines.columns, *(column(self.columns[each]) for each in kept)]
        selected += [named(said, self.columns[each]) for each, said in made.items()]
        return self._step(self.queries.free("figures"), exp.select(*selected).from_(from_query(cells)))

    def _kind(self, measure: str) -> Kind:
        return KIND_OF[self.types[measure]]

    # --- what is shown --------------------------------------------------------

    def _final(self, cells: str) -> exp.Select:
        cells = self._compared(cells)
        said = [
            named(self._said(key, axis, at), key.name) for axis in self.lines.axes for at, key in enumerate(axis.keys)
        ]
        query = exp.select(*said, *(column(self.columns[each.id]) for each in self.fold.measures)).from_(
            from_query(cells)
        )
        if self.lines.has_more:
            kept = [
                exp.In(this=column(axis.level), expressions=[number(each) for each in levels])
                for axis, levels in zip(self.lines.axes, self.lines.shown, strict=True)
            ]
            query = query.where(both(*kept))
        words = (self.fold.rows, self.fold.columns)
        order = [
            each
            for axis, placed in zip(self.lines.axes, words, strict=True)
            for each in self._order(axis, placed, cells)
        ]
        return query.order_by(*order) if order else query

    def _compared(self, cells: str) -> str:
        """The comparisons: windows, which look at every level, so that what is not shown goes after them."""
        if all(each.compare is None for each in self.fold.measures):
            return cells
        values = {each.id: column(self.columns[each.id], cells) for each in self.fold.measures}
        figures = Figures(self.dialect, self.lines.axes[0], self.lines.axes[1], values)
        compared = [
            named(each.compare.in_sql(values[each.id].copy(), figures), self.columns[each.id])
            if each.compare is not None
            else column(self.columns[each.id])
            for each in self.fold.measures
        ]
        query = exp.select(*self.lines.columns, *compared).from_(from_query(cells))
        return self._step(self.queries.free("compared"), query)

    def _said(self, key: Key, axis: Axis, at: int) -> Sql:
        """A member as the result shows it: by its key, blank or unmatched by what the report calls them."""
        cases: list[tuple[Sql, Sql]] = []
        if self._is_totalled(axis, at):
            cases.append((applied(exp.LTE, column(axis.level), number(at)), exp.Null()))
        if key.found is not None:
            cases.append((applied(exp.EQ, column(key.found), number(0)), text(NO_MATCH)))
        cases.append((is_null(column(key.name)), text(BLANK)))
        word = next(each for each in (*self.fold.rows, *self.fold.columns) if each.id == key.word)
        known = self.parts[0].records.member(word.field, word.cut)
        return chosen(cases, self.dialect.shown(column(key.name), known.type, known.scale))

    def _is_totalled(self, axis: Axis, at: int) -> bool:
        """Whether lines are shown that name no member of a field."""
        return min(self.lines.shown[0 if axis is self.lines.axes[0] else 1]) <= at

    def _order(self, axis: Axis, words: Sequence[Placed], cells: str) -> Iterator[Sql]:
        grand = self.fold.row_total if axis is self.lines.axes[0] else self.fold.column_total
        for at, (key, word) in enumerate(zip(axis.keys, words, strict=True)):
            if self._is_totalled(axis, at):
                where = grand if at == 0 else words[at - 1].subtotal
                first, last = (0, 1) if where == Where.BEFORE else (1, 0)
                is_total = chosen(
                    [(applied(exp.LTE, column(axis.level, cells), number(at)), number(first))], number(last)
                )
                yield self.dialect.ordering(is_total, bare=True)
            if key.found is not None:
                yield self.dialect.ordering(column(key.found, cells), descending=True, bare=True)
            name = column(key.name, cells)
            for said in key.part.order_in_sql(name) if key.part is not None else [name]:
                yield self.dialect.ordering(said, word.descending)
