"""What a database answers as a cube: members, states, runs and pairs made of the lines of its answers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.folding.cubes.cube import Cube, Grouping
from foldbasket.folding.cubes.merging import stand_in
from foldbasket.folding.cubes.numbering import numbered
from foldbasket.folding.cubes.questions import Questions
from foldbasket.folding.members.domain import Domain, members_of, part_named
from foldbasket.folding.members.parts.part import Part
from foldbasket.folding.plan.plan import AxisField
from foldbasket.folding.states.aggregates.aggregate import State, beyond_numbers
from foldbasket.folding.states.exact import narrowed
from foldbasket.folding.states.quantities import Quantity
from foldbasket.folding.states.runs import Runs, runs_of
from foldbasket.links.link import Link, find_partners
from foldbasket.sql.asking import Asking
from foldbasket.sql.staying import column_of
from foldbasket.tables.column import CodedColumn, Column, Dictionary
from foldbasket.tables.distinct import distinct
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.uniting import united

Ints = npt.NDArray[np.int64]
Rows = Sequence[Sequence[Any]]


class Answers:
    """Makes the cube of a plan of what its statements bring."""

    def __init__(self, asked: Questions, locale: str) -> None:
        self.asked, self.locale = asked, locale
        self.plan, self.source = asked.plan, asked.source
        self.where = asked.origins.stream.label

    def cube(self, statements: Mapping[object, str], asking: Asking, progress: Progress) -> Cube:
        """The cube. Raises ReadError, Cancelled."""
        rows = asking.rows(statements[None], progress)
        cut = [
            self._codes(rows, at, more=self._every(each, statements, asking, progress))
            for at, each in enumerate(self.plan.fields)
        ]
        domains = tuple(domain for _, domain in cut)
        ids, coords = self._numbered([codes for codes, _ in cut], domains, len(rows), progress)
        cells = len(coords[0]) if coords else min(1, len(rows))
        start = len(self.asked.names)
        records = np.zeros(cells, np.int64)
        np.add.at(records, ids, np.array([int(row[start]) for row in rows], np.int64))
        made = Cube(self.plan.fields, coords, records, Grouping((), (), cells), np.arange(cells), domains)
        made.place = f"in {self.where}"
        runs = {quantity: asking.rows(statements[quantity], progress) for quantity in self.plan.runs}
        values = {each: [row[start + 1 + at] for row in rows] for at, each in enumerate(self.asked.wanted)}
        self._take_stands(made, values, runs)
        self._take_states(made, values, ids)
        places = {key: at for at, key in enumerate(zip(*(each.tolist() for each in coords), strict=True))}
        for quantity, lines in runs.items():
            made.runs[quantity] = self._runs(made, quantity, lines, places)
        for table in self.plan.pairs:
            made.pairs[table] = self._partners(table, asking.rows(statements[table], progress), made, places)
        return made

    def _numbered(
        self, codes: Sequence[Any], domains: Sequence[Domain], many: int, progress: Progress
    ) -> tuple[Ints, tuple[npt.NDArray[np.int32], ...]]:
        if not codes:
            return np.zeros(many, np.int64), ()
        ids, coords = numbered(codes, [domain.size for domain in domains], None, progress)
        return ids.astype(np.int64), coords

    @staticmethod
    def _every(each: AxisField, statements: Mapping[object, str], asking: Asking, progress: Progress) -> list[Any]:
        """Further members of a field that are wanted though no group has them."""
        return [row[0] for row in asking.rows(statements[each], progress)] if each in statements else []

    def _codes(
        self, rows: Rows, field: int, known: Domain | None = None, more: Sequence[Any] = ()
    ) -> tuple[Ints, Domain]:
        """The member of each line in one field; those of a `known` domain where other lines were read of the same. `more` are members that no line need
        have."""
        each = self.plan.fields[field]
        at = self.asked.names.index(f"m{field}")
        values, own = [*(row[at] for row in rows), *more], self.asked.column(each.field)
        part = self.asked.cut_there(each)
        if part is not None:
            codes, domain = self._of_part(values, part_named(part, own.type, own.name, self.source.fiscal))
        else:
            held = column_of(own.name, values, *self.asked.type_of_member(each), self.where)
            found, domain = members_of(held, each.cut, self.source.fiscal, self.locale)
            codes = found.astype(np.int64)
        codes = codes[: len(rows)]
        if self.asked.has_found[field]:
            codes[np.array([not row[at + 1] for row in rows], np.bool_)] = domain.no_match
        if known is None:
            return codes, domain
        place = {known.token(code): code for code in range(known.size)}
        return np.array([place[domain.token(code)] for code in range(domain.size)], np.int64)[codes], known

    def _of_part(self, values: Sequence[str | None], part: Part) -> tuple[Ints, Domain]:
        """Members that the server says by their keys."""
        different = sorted({part.parse(value) for value in values if value is not None})
        place = {at: code for code, at in enumerate(different)}
        domain = Domain(Dictionary(FieldType.WHOLE, np.array(different, np.int64)), part, self.locale)
        return np.array(
            [domain.blank if each is None else place[part.parse(each)] for each in values], np.int64
        ), domain

    def _take_stands(
        self, made: Cube, values: Mapping[tuple[Quantity, State], list[Any]], runs: Mapping[Quantity, Rows]
    ) -> None:
        """Says what each quantity is: one for its ends and its runs, whose values are ranks among all that were answered."""
        at = len(self.asked.names)
        for quantity in dict.fromkeys([*(quantity for quantity, _ in values), *runs]):
            ends = [values[quantity, state] for state in (State.SMALLEST, State.LARGEST) if (quantity, state) in values]
            made.stands[quantity] = self._standing(quantity, [*ends, [row[at] for row in runs.get(quantity, ())]])

    def _take_states(self, made: Cube, values: Mapping[tuple[Quantity, State], list[Any]], ids: Ints) -> None:
        """Puts the states of every group into the cube; groups that are one member here are merged."""
        for (quantity, state), listed in values.items():
            some = self._stored(quantity, state, listed, made.stands[quantity])
            held = np.full(
                made.cells, state.neutral(some.dtype if some.dtype != object else np.dtype(np.int64)), some.dtype
            )
            with beyond_numbers():
                state.merge.at(held, ids, some)
            made.states[quantity, state] = narrowed(held)

    def _standing(self, quantity: Quantity, ends: Sequence[Sequence[Any]]) -> Column:
        """What tells the type of a quantity, and of a coded one the values that were answered."""
        kind, scale = self.asked.type_of(quantity)
        name = quantity.field.field
        listed = [value for values in ends for value in values]
        return stand_in(column_of(name, listed, kind, scale, self.where))

    def _stored(self, quantity: Quantity, state: State, listed: Sequence[Any], stand: Column) -> npt.NDArray:
        """Answers as states are stored: units, ranks among the values answered, and what is neutral where there is no value."""
        if state is State.VALUES:
            return np.array([int(each) for each in listed], np.int64)
        kind, scale = self.asked.type_of(quantity)
        if state is State.SUM:
            if kind is FieldType.REAL:
                return np.array([0.0 if each is None else float(each) for each in listed], np.float64)
            units_of = self.asked.records.dialect.units_of
            return np.array([0 if each is None else units_of(each, scale) for each in listed], object)
        held = column_of(quantity.field.field, listed, kind, scale, self.where)
        if isinstance(held, CodedColumn):
            assert isinstance(stand, CodedColumn)
            ranks = _ranks(held, stand.dictionary)
            blank = held.codes == len(held.dictionary)
            return np.where(blank, state.neutral(np.dtype(np.int64)), ranks)
        neutral = state.neutral(held.values.dtype)
        return held.values if held.valid is None else np.where(held.valid, held.values, neutral)

    def _cells(self, rows: Rows, made: Cube, places: Mapping[tuple[int, ...], int]) -> Ints:
        """The cell of each line of another statement about the same groups."""
        codes = [self._codes(rows, at, made.domains[at])[0].tolist() for at in range(len(self.plan.fields))]
        if not codes:
            return np.zeros(len(rows), np.int64)
        return np.array([places[key] for key in zip(*codes, strict=True)], np.int64)

    def _runs(self, made: Cube, quantity: Quantity, rows: Rows, places: Mapping[tuple[int, ...], int]) -> Runs:
        at = len(self.asked.names)
        kind, scale = self.asked.type_of(quantity)
        cells = self._cells(rows, made, places)
        held = column_of(quantity.field.field, [row[at] for row in rows], kind, scale, self.where)
        counts = np.array([int(row[at + 1]) for row in rows], np.int64)
        stand = made.stands[quantity]
        if isinstance(held, CodedColumn):
            assert isinstance(stand, CodedColumn)
            known = held.codes != len(held.dictionary)
            values: npt.NDArray = _ranks(held, stand.dictionary)
        else:
            known = np.ones(len(held), np.bool_) if held.valid is None else held.valid
            values = held.values
        return runs_of(cells[known], values[known], counts[known])

    def _partners(
        self, table: str, rows: Rows, made: Cube, places: Mapping[tuple[int, ...], int]
    ) -> tuple[Ints, npt.NDArray[np.int32]]:
        """The different pairs of a cell and a record of a coarser table."""
        link = (self.source.path(self.plan.base, table) or ())[-1]
        far, at = self.source.table(table), len(self.asked.names)
        near = {
            name: column_of(name, [row[at + key] for row in rows], far.column(name).type, far.column(name).scale, self.where)
            for key, (_, name) in enumerate(link.keys)
        }  # fmt: skip
        same = Link("", table, tuple((name, name) for _, name in link.keys))
        partners = find_partners(same, Table("", near), far) if rows else np.zeros(0, np.int32)
        cells = self._cells(rows, made, places)
        there = partners >= 0
        many = far.count + 1
        keys = distinct(cells[there] * many + partners[there])
        return keys // many, (keys % many).astype(np.int32)


def _ranks(held: CodedColumn, among: Dictionary) -> Ints:
    """The rank of each value among those of a dictionary that has them all; 0 where there is none."""
    _, _, place = united(among, held.dictionary)
    ranks: Ints = np.append(among.binary_ranks[place], 0)[held.codes]
    return ranks
