"""Mends of a table that is not held: done to each part of its records as it comes. Only mends that look at one record at a time can be; for others see `passes.py`.

What a field is after them is told by the sample, but text stays text unless a mend says otherwise: no part can tell what the others hold.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

import msgspec
import numpy as np
import pyarrow as pa
from msgspec.structs import replace

from foldbasket.errors import FoldError, ReadError
from foldbasket.tables.column import Column
from foldbasket.tables.mending.mend import AnyMend, Outcome, mended
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import in_view, read_columns, sample_behind, stays_elsewhere, stream_behind, whole_of
from foldbasket.tables.stacking import widened
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Part, Sample, Span, Stream, Told, Unread, is_unread, unread_like


class _Done(msgspec.Struct, frozen=True):
    """The mends that are done; the fields that the stream gives before them; and for each field after them its type and fraction digits, which fields it is
    made of, and whether it is one of those as it comes."""

    mends: tuple[AnyMend, ...]
    own: tuple[str, ...]
    kinds: Mapping[str, tuple[FieldType, int]]
    needs: Mapping[str, frozenset[str]]
    plain: frozenset[str]
    chosen: Mapping[str, Chosen]


class MendedStream:
    """A stream whose records are mended part by part."""

    answers = False

    def __init__(self, stream: Stream, held: Table, done: _Done) -> None:
        """`held` has those of the fields before the mends that do not come with the stream, for all of its records."""
        self._stream, self._held, self._done, self.count = stream, held, done, stream.count

    def told(self, name: str, most: int, progress: Progress) -> Told | None:
        """Nothing is told of mended records without having them."""
        raise NotImplementedError

    def records_a_part(self, names: Collection[str]) -> int:
        """About how many records a part of some fields has."""
        return self._stream.records_a_part(self._read(names))

    def parts(self, names: Collection[str]) -> Iterator[Part]:
        """Some fields of all records, part by part. Raises ReadError, also where a part does not fit what the sample told."""
        for part in self._stream.parts(self._read(names)):
            yield Part(self._mended(part.table, part.start, names), part.start)

    def records(self, start: int, stop: int, names: Collection[str]) -> Table:
        """Some fields of the records from one number to before another. Raises ReadError."""
        return self._mended(self._stream.records(start, stop, self._read(names)), start, names)

    def span(self, name: str) -> Span | None:
        """Between which values a field lies that no mend changes. Raises ReadError."""
        return self._stream.span(name) if name in self._done.plain and name in self._done.own else None

    def divided(self, many: int) -> list[MendedStream]:
        """Streams of about as many of its records each. Raises ReadError."""
        made, start = [], 0
        for piece in self._stream.divided(many):
            at = np.arange(start, start + piece.count)
            made.append(MendedStream(piece, self._held.picked(at), self._done))
            start += piece.count
        return made

    def _read(self, names: Collection[str]) -> list[str]:
        """The fields of the stream that some fields are made of; one at the least, which tells how many records there are."""
        needs = frozenset().union(*(self._done.needs[name] for name in names))
        return [name for name in self._done.own if name in needs] or list(self._done.own[:1])

    def _mended(self, read: Table, start: int, names: Collection[str]) -> Table:
        held = self._held.picked(np.arange(start, start + read.count))
        before = replace(read.with_columns({**held.columns, **read.columns}, {}), chosen=dict(self._done.chosen))
        after, _ = mended(before, self._done.mends)
        kinds = {name: self._done.kinds[name] for name in names}
        return Table(read.name, {name: shaped(after, name, *kind) for name, kind in kinds.items()}, read.origin)


def shaped(after: Table, name: str, kind: FieldType, scale: int) -> Column:
    """A field of a mended part in the type that it has in the whole table. Raises ReadError where its values do not fit that."""
    column = after.columns[name]
    if kind is FieldType.TEXT:
        column = after.texts.get(name, column)
    try:
        if column.type is not kind and column.type is FieldType.TEXT and column.blank_count < len(column):
            raise ReadError(
                f"“{name}” has values that are no {kind.value} once its mends are done to it.",
                where=after.name,
                todo="Read the field as text, or as another type.",
            )
        return widened(column, kind, scale)
    except pa.ArrowInvalid:
        raise ReadError(
            f"“{name}” has values that do not fit ({kind.value}) once its mends are done to it.",
            where=after.name,
            todo="Read the field as text.",
        ) from None


def can_be_mended(table: Table) -> bool:
    """Whether anything can be mended in a table: not where its records stay in a database."""
    return not stays_elsewhere(table)


def mended_stream(table: Table, mends: Sequence[AnyMend]) -> tuple[Table, tuple[Outcome, ...]]:
    """A table that is not held, after those of some mends that can be done to any part of it, and what became of each: how much it changed is counted in
    the sample."""
    sample, stream = sample_behind(table), stream_behind(table)
    assert sample is not None
    assert stream is not None
    refused = FoldError(
        f"its {table.count:,} records are not held, and it looks at more than one record at a time.",
        todo="It can be done where they come from files, and the basket is not confidential: then what becomes of them is kept on the disk.",
    )
    if stream.answers:
        refused = FoldError(f"its {table.count:,} records stay in their database, so they cannot be mended.")
    possible = tuple(mend for mend in mends if mend.by_record and not stream.answers)
    own = read_columns(table)
    looked_at = in_view(table)
    chosen = text_as_text(looked_at, possible)
    after, outcomes = mended(replace(looked_at, chosen=chosen), possible)
    rest = iter(outcomes)
    said = tuple(
        replace(next(rest), sampled=sample.table.count)
        if mend.by_record and not stream.answers
        else Outcome(mend, 0, refused)
        for mend in mends
    )
    done = tuple(each.mend for each in outcomes if each.problem is None)
    if not done:
        return table, said
    needs, plain = _needs(looked_at, done)
    kinds = {name: (column.type, column.scale) for name, column in after.columns.items()}
    held = Table(
        table.name, {name: each for name, each in table.columns.items() if name not in own and not is_unread(each)}
    )
    made = MendedStream(stream, held, _Done(done, tuple(own), kinds, needs, plain, chosen))
    where = table.name
    unread = Unread(lambda names, progress: whole_of(made, names, progress, where), made)
    unread.sample = Sample(Table(table.name, after.columns, table.origin), sample.at)
    columns = {name: unread_like(column, name, table.count, unread) for name, column in after.columns.items()}
    return table.with_columns(columns, {}), said


def text_as_text(sample: Table, mends: Sequence[AnyMend]) -> dict[str, Chosen]:
    """What is chosen for the fields of a table that comes part by part: text stays text, whatever the sample has in it, and so does what is made of it."""
    texts = {name for name, column in sample.columns.items() if column.type is FieldType.TEXT}
    texts |= {field for mend in mends for field in mend.makes if field not in sample.columns}
    return {name: Chosen(FieldType.TEXT) for name in texts}


def _needs(before: Table, mends: Sequence[AnyMend]) -> tuple[dict[str, frozenset[str]], frozenset[str]]:
    """For each field after some mends those before them that it is made of; and the fields that none of them changes."""
    needs = {name: frozenset([name]) for name in before.columns}
    plain, table = set(before.columns), before
    for mend in mends:
        about = [name for name in table.columns if mend.is_about(name)]
        of_all = frozenset().union(*(needs[name] for name in about))
        changed = {name for name, column in table.columns.items() if mend.changes(name, column)}
        after, _ = mended(table, (mend,))
        needs = {
            name: (needs[name] if name in needs and name not in changed else of_all | needs.get(name, frozenset()))
            for name in after.columns
        }
        plain -= changed
        plain &= set(after.columns)
        table = after
    return needs, frozenset(plain)
