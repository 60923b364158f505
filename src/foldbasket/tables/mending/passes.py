"""Mends of a table that is not held which look at several records: done once to all of its parts in their order, and what becomes of them is written down.

What is written is a Parquet file, from which the records are then read as they are asked for. A mend remembers of the parts before what it needs
(`AnyMend.through`); nothing else of them is kept in memory.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from pathlib import Path

import msgspec
import numpy as np
import pyarrow as pa
from msgspec.structs import replace

from foldbasket.decoding import from_json
from foldbasket.errors import FoldBasketError, ReadError, out_of_memory
from foldbasket.later import pq
from foldbasket.tables.conversion import arrow_of, as_arrow
from foldbasket.tables.mending.mend import AnyMend, Mended, Outcome, as_taken, done_to, none_left, passed_over
from foldbasket.tables.mending.streamed import shaped, text_as_text
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import in_view, made_whole, read_columns, stream_behind
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType

PIECE = 1 << 17
"""Records that a mend is given at a time."""
GROUP = 1 << 20
"""Records in a group of the file, about."""
WAITING = 128 << 20
"""Bytes of records that wait to be written, at the most."""
TOLD = b"mended"
"""Under this name the file's metadata holds what became of each mend."""


class Count(msgspec.Struct):
    """How many values a mend has changed, how many records were given to it, and how many it left."""

    changed: int = 0
    given: int = 0
    left: int = 0

    def add(self, mend: AnyMend, before: int, done: Mended) -> None:
        self.changed = done.changed if mend.counts == "fields" else self.changed + done.changed
        self.given, self.left = self.given + before, self.left + done.table.count


class Pass(msgspec.Struct, frozen=True):
    """Mends to be done in one pass. `sample` is the table's sample after them, which tells what its fields are then; `problems` why some of those that were
    asked for are not among them, by their place."""

    asked: tuple[AnyMend, ...]
    mends: tuple[AnyMend, ...]
    chosen: dict[str, Chosen]
    sample: Table
    problems: dict[int, FoldBasketError]

    @property
    def leaves_misfits(self) -> bool:
        """Whether values may be left as text beside a field that was read as another type, which a mend after them would look at."""
        return any(how.type is not FieldType.TEXT for how in self.sample.chosen.values())

    @property
    def is_needed(self) -> bool:
        """Whether any of its mends cannot be done to a part without the others."""
        return any(not mend.by_record for mend in self.mends)

    def outcomes(self, done: Iterable[Outcome]) -> tuple[Outcome, ...]:
        """What became of each mend that was asked for, given that of each that is among its mends."""
        rest = iter(done)
        return tuple(
            passed_over(mend, self.problems[at]) if at in self.problems else next(rest)
            for at, mend in enumerate(self.asked)
        )

    def outcomes_by(self, counts: Sequence[Count]) -> tuple[Outcome, ...]:
        """The same, by what was counted when the pass was written."""
        done = zip(self.mends, counts, strict=True)
        return self.outcomes(Outcome(mend, each.changed, dropped=max(0, each.given - each.left)) for mend, each in done)

    def without(self, at: int, table: Table) -> Pass:
        """The pass without one of its mends, after which no record would be left."""
        places = [place for place in range(len(self.asked)) if place not in self.problems]
        return planned(table, self.asked, {**self.problems, places[at]: none_left()})

    def without_pass(self, table: Table, why: FoldBasketError) -> Pass:
        """Those of its mends that need no pass, since it cannot be done."""
        several = {at: why for at, mend in enumerate(self.asked) if not mend.by_record}
        return planned(table, self.asked, several | self.problems)


def planned(table: Table, mends: Sequence[AnyMend], problems: dict[int, FoldBasketError] | None = None) -> Pass:
    """A pass over a table that is not held, without those mends that cannot be done to it; some may be known to be such."""
    problems, done = dict(problems or {}), []
    sample = in_view(table)
    chosen = text_as_text(sample, mends)
    sample = replace(sample, chosen=chosen)
    for at, mend in enumerate(mends):
        if at in problems:
            continue
        try:
            step = mend.through(partial(iter, (sample,)))
            sample = as_taken(done_to(sample, mend, step).table, sample)
        except FoldBasketError as error:
            problems[at] = error
        else:
            done.append(mend)
    return Pass(tuple(mends), tuple(done), chosen, sample, problems)


def write_pass(table: Table, asked: Pass, into: Path, progress: Progress) -> None:
    """Does a pass and writes what comes of it. Raises ReadError, OSError, Cancelled."""
    after = asked.sample.columns
    schema = pa.schema([pa.field(name, arrow_of(column.type, column.scale)) for name, column in after.items()])
    counts = [Count() for _ in asked.mends]
    with pq.ParquetWriter(into, schema, compression="zstd", store_schema=False, write_page_checksum=True) as writer:
        waiting: list[pa.Table] = []
        for part in _parts(table, asked.mends, asked.chosen, progress, counts):
            columns = [shaped(part, name, column.type, column.scale) for name, column in after.items()]
            waiting.append(
                pa.table(
                    [as_arrow(column).cast(field.type) for column, field in zip(columns, schema, strict=True)],
                    schema=schema,
                )
            )
            if sum(each.num_rows for each in waiting) >= GROUP or sum(each.nbytes for each in waiting) > WAITING:
                writer.write_table(pa.concat_tables(waiting))
                waiting = []
        if waiting:
            writer.write_table(pa.concat_tables(waiting))
        writer.add_key_value_metadata({TOLD: msgspec.json.encode(counts)})


def nothing_left_after(counts: Sequence[Count]) -> int | None:
    """The first mend of a pass after which no record is left though there were some; None where there is none."""
    return next((at for at, each in enumerate(counts) if each.given and not each.left), None)


def counts_of(written: Path) -> list[Count]:
    """What was counted of each mend when a pass was written. Raises ReadError where that is not told."""
    try:
        return from_json((pq.read_metadata(written).metadata or {})[TOLD], list[Count])
    except (KeyError, OSError, pa.ArrowException, msgspec.MsgspecError) as error:
        raise out_of_memory(error, written.name) or ReadError(
            "what was kept of its mended records cannot be read.",
            where=written.name,
            todo="Clear what is kept (fold-basket cache --clear), and open it again.",
        ) from None


def _parts(
    table: Table,
    mends: Sequence[AnyMend],
    chosen: dict[str, Chosen],
    progress: Progress,
    counts: Sequence[Count] = (),
) -> Iterator[Table]:
    """The parts of a table after some mends, in their order."""
    steps = [mend.through(partial(_parts, table, mends[:at], chosen, progress)) for at, mend in enumerate(mends)]
    for part in _pieces(table, progress):
        now = replace(part, chosen=chosen)
        for at, (mend, step) in enumerate(zip(mends, steps, strict=True)):
            done = done_to(now, mend, step)
            if counts:
                counts[at].add(mend, now.count, done)
            now = done.table
        yield now


def _pieces(table: Table, progress: Progress) -> Iterator[Table]:
    """All records of a table that is not held, with all of its fields. Raises ReadError, Cancelled."""
    stream = stream_behind(table)
    assert stream is not None
    for part in stream.parts(read_columns(table)):
        for start in range(0, max(1, part.table.count), PIECE):
            stop = min(start + PIECE, part.table.count)
            progress.step(f"Mending {table.name}: {part.start + start:,} records", part.start / max(1, stream.count))
            at = np.arange(start, stop)
            yield made_whole(table, part.table.picked(at).columns, at + part.start)
