"""From a source's table as it is read to that after its mends, kept until what it comes from changes."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec
from msgspec.structs import replace

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.errors import Cancelled, FoldBasketError, ReadError, reason_of
from foldbasket.kept import Kept
from foldbasket.tables.column import natured
from foldbasket.tables.mending.mend import AnyMend, Outcome, as_taken, mended
from foldbasket.tables.mending.passes import Pass, counts_of, nothing_left_after, planned, write_pass
from foldbasket.tables.mending.streamed import mended_stream
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Parts
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.sample import is_sampled, sample_behind, take_sample, unread_of
from foldbasket.tables.store import STORE, place_of, state_of
from foldbasket.tables.table import Table
from foldbasket.tables.unread import UnreadCoded, UnreadNumber, unread_like

Mends = tuple[AnyMend, ...]
Done = tuple[Table, tuple[Outcome, ...]]


def may_keep(basket: Basket, spec: SourceSpec) -> bool:
    """Whether what becomes of a source's records, where they are not held, may be kept on the disk, so that mends are possible which look at several."""
    return may_be_kept(spec) and not basket.confidential


def may_be_kept(spec: SourceSpec) -> bool:
    """Whether a source's records come from files, here or in an object store, whose state can be told."""
    return (spec.is_file or spec.is_remote) and spec.data is None and not spec.is_left_there


class Mending:
    """Mended tables by what they were made from, so that undoing a mend or adding one does the others only once."""

    def __init__(self, most: int = 60) -> None:
        self._kept: Kept[Done] = Kept(most)

    def is_ready(self, table: Table, spec: SourceSpec) -> bool:
        """Whether the mended table is at hand."""
        return not spec.mends or (table.serial, _key(spec.mends)) in self._kept

    def table(self, table: Table, spec: SourceSpec, progress: Progress | None = None, *, keep: bool = True) -> Done:
        """The table after the source's mends, and what became of each of them. Of a table that is not held those that look at several records are done in
        one pass, of which the outcome is kept on the disk; without `keep` they are passed over. Raises Cancelled."""
        progress = progress or Progress()
        if is_sampled(table) and spec.mends:
            many = max((at + 1 for at, mend in enumerate(spec.mends) if keep and not mend.by_record), default=0)
            key = (table.serial, _key(spec.mends))
            return self._kept.get_or(key, lambda: self._apart(table, spec, many, progress))
        result: Done = (table, ())
        for count in range(1, len(spec.mends) + 1):
            result = self._kept.get_or(
                (table.serial, _key(spec.mends[:count])), partial(_further, *result, spec.mends[count - 1], progress)
            )
        return result

    def _apart(self, table: Table, spec: SourceSpec, many: int, progress: Progress) -> Done:
        """A table that is not held, the first so many of its mends done in a pass and the others to its records as they come."""
        asked = planned(table, spec.mends[:many])
        if many < len(spec.mends) and asked.leaves_misfits:
            asked, many = planned(table, spec.mends), len(spec.mends)
        if not asked.is_needed:
            rest = tuple(mend for at, mend in enumerate(spec.mends) if at not in asked.problems)
            made, more = mended_stream(table, rest)
            return made, (*asked.outcomes(more[: len(asked.mends)]), *more[len(asked.mends) :])
        key = (table.serial, "in a pass", _key(spec.mends[:many]))
        made, outcomes = self._kept.get_or(key, lambda: _passed(table, spec, asked, progress))
        if is_sampled(made):
            made, more = mended_stream(made, spec.mends[many:])
        else:  # so few are left, or of such types, that they are held
            made, more = mended(made, spec.mends[many:], progress)
        return made, (*outcomes, *more)


def _passed(table: Table, spec: SourceSpec, asked: Pass, progress: Progress) -> Done:
    """A table after a pass, read from where the outcome is kept; without the pass where that cannot be done, with the reason. Raises Cancelled."""
    place = place_of(table.origin)
    try:
        kept = STORE.repacked(
            place, state_of(place), (spec.reading, asked.mends), lambda into: write_pass(table, asked, into, progress)
        )
        counts = counts_of(kept)
        empties = nothing_left_after(counts)
        if empties is None:
            return _read(kept, table, asked, progress), asked.outcomes_by(counts)
        fewer = asked.without(empties, table)
    except Cancelled:
        raise
    except (FoldBasketError, OSError) as error:
        fewer = asked.without_pass(table, error if isinstance(error, FoldBasketError) else _no_room(error))
    if fewer.is_needed:
        return _passed(table, spec, fewer, progress)
    made, outcomes = mended_stream(table, fewer.mends)
    return made, fewer.outcomes(outcomes)


def _no_room(error: OSError) -> ReadError:
    return ReadError(
        f"what becomes of the records could not be kept on the disk: {reason_of(error)}.",
        todo="Make room in your cache folder.",
    )


def _read(kept: Path, table: Table, asked: Pass, progress: Progress) -> Table:
    """The table whose mended records are kept in a file, its fields taken for what they were before."""
    made = read_table(kept, table.name, progress=progress, parts=Parts(lazily=True))
    made = replace(made, found_as=kept.stem if table.found_as else "")  # it tells the files' state and what was done
    take_sample(made, progress)
    sample = sample_behind(made)
    if sample is None:
        return as_taken(made, asked.sample)
    taken = as_taken(sample.table, asked.sample)
    for unread in unread_of(made):
        unread.sample = sample._replace(table=taken)
    columns = {
        name: unread_like(taken.columns[name], name, made.count, column.unread)
        if isinstance(column, UnreadCoded | UnreadNumber)
        else natured(column, taken.columns[name].nature)
        for name, column in made.columns.items()
    }
    return made.with_columns(columns, made.texts)


def _further(
    table: Table, before: tuple[Outcome, ...], mend: AnyMend, progress: Progress | None
) -> tuple[Table, tuple[Outcome, ...]]:
    done, outcome = mended(table, (mend,), progress)
    return done, (*before, *outcome)


def _key(mends: Mends) -> bytes:
    return msgspec.json.encode(mends)
