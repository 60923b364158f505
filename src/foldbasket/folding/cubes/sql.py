"""Cubes of a table that stays in its database: the plan becomes statements, and groups and states come back.

Values of runs and records of coarser tables come as the different ones of each group. All that one cube is made of is asked in one transaction.
"""

from __future__ import annotations

import datetime
import weakref
from collections import Counter
from collections.abc import Callable, Sequence

from foldbasket.folding.cubes.answers import Answers
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.questions import Origins, Questions, name_of, named
from foldbasket.folding.cubes.streamed import FIRST, Expressions, used_by
from foldbasket.folding.filters.asked import Asked
from foldbasket.folding.plan.plan import Plan
from foldbasket.folding.records import Records
from foldbasket.later import exp
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.sql.asking import Asking
from foldbasket.sql.pieces import NoSqlError, column, number
from foldbasket.sql.staying import DatabaseStream
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import read_columns, stream_behind
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


class SqlMaker:
    """Cubes over one source, of tables that stay in databases. `ran` counts them; `today` gives the as-of date of a table's records."""

    def __init__(self, ask: Asked, locale: str, ran: Counter[str], today: Callable[[str], datetime.date]) -> None:
        # Held by the engine itself: to hold it in turn would keep its tables until garbage is looked for.
        self.ask: Asked = weakref.proxy(ask)
        self.locale, self.ran, self.today = locale, ran, today
        self._unique: dict[Link, bool] = {}

    @property
    def source(self) -> Source:
        return self.ask.source

    def cube(self, plan: Plan, stream: DatabaseStream, expressions: Expressions, progress: Progress) -> Cube:
        """The cube of a plan. Raises NoSqlError for what the server does not say; ReadError; Cancelled."""
        made = self._plan(plan, stream, expressions)
        statements = made.statements()  # all of them, before anything is asked
        with stream.asked() as asking:
            self._check_links(made, asking, progress)
            self.ran["cube"] += 1
            return Answers(made, self.locale).cube(statements, asking, progress)

    def records(
        self,
        base: str,
        stream: DatabaseStream,
        rules: Sequence[Filter],
        expressions: Expressions,
        progress: Progress,
        most: int = FIRST,
    ) -> tuple[int, Table]:
        """How many records of a table pass some rules, and the first so many of them with all its own fields. Raises as `cube` does."""
        made = self._plan(Plan(base, rules=tuple(rules)), stream, expressions)
        table = self.source.table(base)
        own = read_columns(table)
        selected = [exp.Alias(this=made.records.field(FieldRef(base, name)).said, alias=name_of(f"c{at}")) for at, name in enumerate(own)]  # fmt: skip
        query = made.inner(selected)
        if stream.order:
            query = query.order_by(*(column(name, made.records.source.called(base)) for name in stream.order))
        counted = made.said(exp.select(exp.Count(this=exp.Star())).from_(made.inner([named(number(1), "c")]).subquery(alias=name_of("r"))))  # fmt: skip
        first = made.said(query.limit(most))
        with stream.asked() as asking:
            self._check_links(made, asking, progress)
            [many] = asking.rows(counted, progress)
            return int(many[0]), stream.table(own, asking.rows(first, progress))

    def _plan(self, plan: Plan, stream: DatabaseStream, expressions: Expressions) -> Questions:
        for ref in used_by(plan, expressions):
            self._check_text(ref)
        dialect = stream.dialect
        origins = Origins(self.source, stream)
        computed = {ref: each.formula for ref, each in expressions.items()}
        records = Records(self.source, plan.base, dialect, self.ask, computed, self.locale, self.today, origins)
        return Questions(plan, records, origins, self.source)

    def _check_text(self, ref: FieldRef) -> None:
        """What the driver makes a text of is none to the server, which would write it otherwise."""
        own = stream_behind(self.source.table(ref.table))
        kept = own.fields.get(ref.field) if isinstance(own, DatabaseStream) else None
        if kept is not None and kept.type is FieldType.TEXT and not kept.is_text:
            raise NoSqlError(f"“{ref.field}”, which is no plain text there,")

    def _check_links(self, made: Questions, asking: Asking, progress: Progress) -> None:
        """A key that repeats at the far end of a link would make a record count twice: such links are told of here, where all is known."""
        for table in made.records.tables:
            for link in self.source.path(made.plan.base, table) or ():
                if link not in self._unique:
                    [found] = asking.rows(made.repeats(link), progress)
                    self._unique[link] = not found[0]
                if not self._unique[link]:
                    raise NoSqlError(f"a link whose keys repeat in “{self.source.called(link.to_table)}”")
