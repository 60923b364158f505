"""Tables that are not held: which those are, the cubes of plans over them, and the record expressions that they need.

A fold's fields are read and held where there is room for them; of a table that is too large its records are folded part by part, here or on a
cluster. What follows a cube does not know the difference.
"""

from __future__ import annotations

import contextlib
import datetime
from collections import Counter
from collections.abc import Collection, Sequence
from functools import partial

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.behind import Behind
from foldbasket.folding.cubes.cluster import Cluster, Job
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.edging import edged, with_edges
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.cubes.sql import SqlMaker
from foldbasket.folding.cubes.streamed import Expression, Expressions, StreamedMaker, used_by
from foldbasket.folding.filters.asked import Asked
from foldbasket.folding.plan.plan import AxisField, Plan
from foldbasket.formulas.checking import Checked, checked, schema_of
from foldbasket.formulas.evaluation import as_of_day
from foldbasket.formulas.functions.calendar import CurrentDate
from foldbasket.formulas.tree import Apply
from foldbasket.kept import Kept
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Placed
from foldbasket.sql.pieces import NoSqlError
from foldbasket.sql.staying import DatabaseStream
from foldbasket.tables.column import Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import memory_allowed
from foldbasket.tables.sample import first_of, made_whole, stream_behind
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Stream, Unread, is_unread, stream_of, unread_like, with_only

MOST_GATHERED = 200_000
"""So many records of a table that is not held are listed one by one: some thousand pages."""


class Elsewhere:
    """For one source. `memory` is how many bytes the fields of a table may take and still be held, None for a share of what is free; with a `cluster`
    whatever can come as a stream is folded there. `ran` counts what ran."""

    def __init__(
        self,
        ask: Asked,
        local: LocalMaker,
        locale: str,
        as_of: str,
        ran: Counter[str],
        memory: int | None,
        cluster: Cluster | None,
        kept: Kept[Cube],
    ) -> None:
        self.source, self.locale, self.as_of, self.ran = ask.source, locale, as_of, ran
        self.memory, self.cluster = memory, cluster
        self._streamed = StreamedMaker(self.source, locale, ran)
        self._local = local
        self._sql = SqlMaker(ask, locale, ran, partial(as_of_day, self.source, as_of))
        self.kept = kept
        self._expressions: dict[FieldRef, Checked] = {}

    # --- which tables -------------------------------------------------------

    @property
    def most(self) -> int:
        """So many bytes of a table are held at most: as many as were said, else a part of what is free now."""
        return self.memory if self.memory is not None else memory_allowed()

    def _stream(self, base: str, refs: Collection[FieldRef]) -> Stream | None:
        most = self.most
        names = self._streamed.names(base, refs)
        table = self.source.table(base)
        stays = isinstance(stream_behind(table), DatabaseStream)
        return stream_of(table, names, 0 if stays or self.cluster is not None else most)

    def is_apart(self, base: str, refs: Collection[FieldRef]) -> bool:
        """Whether the records of a table are not held when some fields are read."""
        return self._stream(base, self._read(refs)) is not None

    def bring(self, refs: Collection[FieldRef], bases: Collection[str], progress: Progress) -> dict[str, Stream]:
        """Has the fields of a fold read, but for those of base tables that are too large to be held: these come as streams. Raises ReadError, Cancelled."""
        read = self._read(refs)
        streams = {base: stream for base in bases if (stream := self._stream(base, read)) is not None}
        # What stays in a database with a base table is joined there, and brought only where that cannot be.
        there = {stream.place for stream in streams.values() if isinstance(stream, DatabaseStream)}
        beside = {key for key, table in self.source.tables.items() if _place_of(table) in there}
        self.source.bring(read, {*streams, *beside}, progress)
        return streams

    def _read(self, refs: Collection[FieldRef]) -> set[FieldRef]:
        """The fields that some are read from: themselves, and what is in the expressions of those that have one."""
        found: set[FieldRef] = set()
        for ref in refs:
            formula = self._formula(ref)
            found |= {ref} if formula is None else self._read(formula.refs())
        return found

    def _formula(self, ref: FieldRef) -> Checked | None:
        """The expression behind a field that no file has: a measure's or filter's, or that of a calculated field which is not held."""
        if ref not in self._expressions and ref in self.source.formulas and is_unread(self.source.column(ref)):
            text = self.source.formulas[ref]
            self._expressions[ref] = checked(text, schema_of(self.source), home=ref.table, wants="field")
        return self._expressions.get(ref)

    def _behind(self, refs: Collection[FieldRef]) -> dict[FieldRef, Expression]:
        """The expressions of some fields, those that they are made of first; each with its as-of date found once, which for the latest may be a look
        through all dates."""
        found: dict[FieldRef, Expression] = {}
        for ref in refs:
            formula = self._formula(ref)
            if formula is not None:
                found |= self._behind(formula.refs())
                found[ref] = self._expression(ref)
        return found

    # --- record expressions -------------------------------------------------

    def computed(self, formula: Checked, base: str) -> FieldRef:
        """A record expression as a field of the source, worked out once; of a table that is not held only when its values are asked for."""
        names = ",".join(f"{ref.table}.{ref.field}" for ref in formula.refs())
        ref = FieldRef(base, f"={formula.text} of {names}")

        def compute() -> Column:
            self.ran["formula"] += 1
            return self._expression(ref).over(self.source)

        def come() -> Column:
            stream = self._stream(base, self._read(formula.refs()))
            if stream is None:
                return compute()
            expressions = self._behind([ref])
            sample, many = self._streamed.sampled(stream, ref, expressions), self.source.table(base).count
            return unread_like(sample, ref.field, many, Unread(lambda *_: {ref.field: compute()}))

        self._expressions[ref] = formula
        self.source.add(ref, come)
        return ref

    def _expression(self, ref: FieldRef) -> Expression:
        formula = self._expressions[ref]
        return Expression(formula, ref, self._today(formula, ref.table))

    def _today(self, formula: Checked, base: str) -> datetime.date:
        """The as-of date for a formula; any where it does not ask, since the latest date of a table must be looked for."""
        asks = any(isinstance(node, Apply) and isinstance(node.function, CurrentDate) for node in formula.tree.walk())
        return as_of_day(self.source, self.as_of, base) if asks else datetime.date(1970, 1, 1)

    # --- records ------------------------------------------------------------

    def records_of(self, base: str, rules: Sequence[Filter], progress: Progress) -> Behind:
        """The records of a table that is not held that pass some rules; the first few can be looked at. Raises ReadError, Cancelled."""
        table = self.source.table(base)
        stream = stream_behind(table)
        assert stream is not None
        used = {ref for rule in rules for ref in rule.fields()}
        expressions = self._behind(used)
        if isinstance(stream, DatabaseStream):
            with contextlib.suppress(NoSqlError):
                count, first = self._sql.records(base, stream, rules, expressions, progress)
                at = np.arange(first.count)
                return Behind(count, at, self.source.with_table(base, made_whole(table, first.columns, at)), at)
        count, records = self._streamed.records(base, stream, rules, expressions, progress)
        first = first_of(table, records, progress)
        return Behind(count, records[: first.count], self.source.with_table(base, first), np.arange(first.count))

    def gathered(
        self, base: str, refs: Collection[FieldRef], rules: Sequence[Filter], progress: Progress
    ) -> tuple[Source, npt.NDArray[np.int64]]:
        """The source with only those records of a table that is not held which pass some rules, of its fields those that `refs` are read from and the
        keys to their tables; and the records' numbers. Raises FoldError where they are too many, ReadError, Cancelled."""
        table = self.source.table(base)
        stream = stream_behind(table)
        assert stream is not None
        names = [name for name in self._streamed.names(base, {*refs, *self._read(refs)}) if name in table.columns]
        expressions = self._behind([*(ref for rule in rules for ref in rule.fields()), *(FieldRef(base, name) for name in names)])  # fmt: skip
        if isinstance(stream, DatabaseStream):
            with contextlib.suppress(NoSqlError):
                many, first = self._sql.records(base, stream, rules, expressions, progress, MOST_GATHERED)
                if many > MOST_GATHERED:
                    raise _too_many(table)
                at = np.arange(many)
                return self.source.with_table(base, made_whole(table, first.columns, at, names)), at
        found = self._streamed.gathered(Plan(base, rules=tuple(rules)), stream, names, expressions, MOST_GATHERED, progress)  # fmt: skip
        if found is None:
            raise _too_many(table)
        return self.source.with_table(base, found[0]), found[1]

    def with_edges(self, base: str, words: Sequence[Placed], progress: Progress) -> tuple[Placed, ...]:
        """Fields of the rows with the edges of their bands said, as all records of a table that is not held have them. Raises FoldError, ReadError,
        Cancelled."""
        stream = stream_behind(self.source.table(base))
        assert stream is not None
        cut = [edged(AxisField(word.field, None, word.bands), base, stream, self._whole, progress) for word in words]
        return tuple(msgspec.structs.replace(word, bands=each.bands) for word, each in zip(words, cut, strict=True))

    # --- cubes --------------------------------------------------------------

    def cube(self, plan: Plan, stream: Stream, progress: Progress) -> Cube:
        """The cube of a plan whose base table comes as a stream: made here part by part, or on the cluster. Raises FoldBasketError, Cancelled."""
        return self.kept.get_or(self._key(plan), lambda: self._made(plan, stream, progress))

    def _key(self, plan: Plan) -> object:
        """What a cube is made of: another engine over the same columns finds it again."""
        source, expressions = self.source, self._behind(used_by(plan))
        used = {ref for ref in used_by(plan, expressions) if ref.field}
        columns = tuple((ref, source.column(ref)) for ref in sorted(used))
        formulas = tuple((ref, each.formula.text, each.today) for ref, each in expressions.items())
        stream = stream_behind(source.table(plan.base))
        return plan, stream, columns, formulas, source.links, source.shared, source.fiscal, self.locale, self.cluster

    def _made(self, plan: Plan, stream: Stream, progress: Progress) -> Cube:
        edged = with_edges(plan, stream, self._whole, progress)
        if edged is not plan:
            return msgspec.structs.replace(self._made(edged, stream, progress), fields=plan.fields)
        expressions = self._behind(used_by(plan))
        if isinstance(stream, DatabaseStream):
            try:
                return self._sql.cube(plan, stream, expressions, progress)
            except NoSqlError:
                return self._brought(plan, stream, expressions, progress)
        if self.cluster is None:
            return self._streamed.cube(plan, stream, expressions, progress)
        base, source = plan.base, self.source
        names = source.needed({*used_by(plan, expressions), FieldRef(base, "")})
        own = names.pop(base)
        tables = {key: with_only(source.table(key), wanted) for key, wanted in names.items()}
        job = Job(
            plan, source.table(base).name, tables, source.links, source.shared, source.fiscal, self.locale, expressions
        )
        made = self.cluster.cube(job, stream, self._streamed.held(base, own), progress)
        made.place = f"on the cluster at {self.cluster.where.address}"
        return made

    def _whole(self, each: AxisField) -> Column | None:
        """The column of a field where there is room for it."""
        table, most = self.source.table(each.field.table), self.most
        if self._formula(each.field) is not None or stream_of(table, [each.field.field], most) is not None:
            return None
        return self.source.column(each.field)

    def _brought(self, plan: Plan, stream: DatabaseStream, expressions: Expressions, progress: Progress) -> Cube:
        """The cube of records that are brought from their database, held where there is room for them."""
        used = used_by(plan, expressions)
        most = self.most
        if stream_of(self.source.table(plan.base), self._streamed.names(plan.base, used), most) is None:
            self.source.bring(used, progress=progress)
            made = msgspec.structs.replace(self._local.cube(plan, progress))
        else:
            self.source.bring(used, (plan.base,), progress)
            made = self._streamed.cube(plan, stream, expressions, progress)
        made.place = f"here, brought from {stream.label}"
        return made


def _too_many(table: Table) -> FoldError:
    return FoldError(
        f"more than {MOST_GATHERED:,} records of “{table.name}” would be listed one by one, and it is not held.",
        todo="Filter the fold down to those that matter.",
    )


def _place_of(table: Table) -> object:
    """The database that a table stays in; None where it does not."""
    stream = stream_behind(table)
    return stream.place if isinstance(stream, DatabaseStream) else None
