"""A look through all records of a table that is not held: the profile of every field, and its members where they can be listed.

One pass, part by part, with a bound on what is kept of a field: of one with more members than that neither they nor its blanks are told, as of any
long varied text.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from typing import Any, NamedTuple, Protocol

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
from msgspec.structs import replace

from foldbasket.decoding import from_json
from foldbasket.tables.column import CodedColumn, Column, Dictionary, NumberColumn, blank_mask, picked, smallest_codes
from foldbasket.tables.profile import Profile, profile_of, profile_of_members
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import in_view, made_of, made_whole, read_columns, stream_behind, with_needs
from foldbasket.tables.stacking import stacked
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType, canonical, parse_canonical
from foldbasket.tables.uniting import united
from foldbasket.tables.unread import Stream, Told, at_hand, is_unread

MOST_MEMBERS = 200_000


class Surveyed(NamedTuple):
    """What a survey tells of a field. `members` has each of its members on one record and a blank one where there are blanks, and `counts` how many records
    have each; None of numbers, and where there are too many."""

    profile: Profile
    members: CodedColumn | None
    counts: npt.NDArray[np.int64] | None = None


class _Tally(Protocol):
    is_done: bool

    def add(self, column: Column) -> None: ...

    def take(self, told: Told | None) -> None: ...

    def told(self) -> Surveyed: ...


class _Members:
    """Counts the records of each member of a coded field."""

    def __init__(self, like: CodedColumn) -> None:
        self.name, self.is_done, self.blanks = like.name, False, 0
        self.dictionary: Dictionary | None = None
        self.counts = np.zeros(0, np.int64)

    def take(self, told: Told | None) -> None:
        """Takes what is told of all records; None: there are too many members."""
        if told is None:
            self.is_done = True
            return
        assert isinstance(told.column, CodedColumn)
        self._add(told.column.dictionary, np.bincount(told.column.codes, told.counts, len(told.column.dictionary) + 1).astype(np.int64))  # fmt: skip

    def add(self, column: Column) -> None:
        assert isinstance(column, CodedColumn)
        self._add(column.dictionary, np.bincount(column.codes, minlength=len(column.dictionary) + 1))

    def _add(self, dictionary: Dictionary, own: npt.NDArray[np.int64]) -> None:
        self.blanks += int(own[-1])
        if self.dictionary is None:
            self.dictionary, self.counts = dictionary, own[:-1].copy()
        else:
            self.dictionary, _, place = united(self.dictionary, dictionary)
            counts = np.zeros(len(self.dictionary), np.int64)
            counts[: len(self.counts)] = self.counts
            counts[place] += own[:-1]
            self.counts = counts
        self.is_done = len(self.dictionary) > MOST_MEMBERS

    def told(self) -> Surveyed:
        if self.is_done or self.dictionary is None:
            return Surveyed(Profile(None, None, None, None, ()), None)
        used = np.flatnonzero(self.counts)
        self.dictionary, self.counts = self.dictionary.of(used), self.counts[used]
        many = len(used)
        codes = np.arange(many + (self.blanks > 0), dtype=smallest_codes(many))
        profile = profile_of_members(self.dictionary, self.counts, self.blanks)
        counts = np.append(self.counts, [self.blanks] if self.blanks else []).astype(np.int64)
        return Surveyed(profile, CodedColumn(self.name, codes, self.dictionary), counts)


class _Numbers:
    """Finds the range and the mean of numbers or moments; how they are distributed is judged by the sample."""

    def __init__(self, like: NumberColumn, sample: Column) -> None:
        self.like, self.sample, self.is_done = like, sample, False
        self.blanks = self.known = 0
        self.sum, self.low, self.high = 0.0, None, None

    def take(self, told: Told | None) -> None:
        """Takes what is told of all records."""
        assert told is not None
        self.add(told.column)
        self.sum, self.known, self.blanks = told.sum, told.known, told.blanks

    def add(self, column: Column) -> None:
        assert isinstance(column, NumberColumn)
        values: npt.NDArray = column.values if column.valid is None else column.values[~blank_mask(column)]
        self.blanks += len(column) - len(values)
        self.known += len(values)
        if not len(values):
            return
        with np.errstate(invalid="ignore", over="ignore"):  # numbers beyond all others have no mean
            self.sum += float(values.sum(dtype=np.float64)) / 10.0**column.scale
        low, high = values.min().item(), values.max().item()
        self.low = low if self.low is None else min(self.low, low)
        self.high = high if self.high is None else max(self.high, high)

    def told(self) -> Surveyed:
        of_sample, kind, scale = profile_of(self.sample), self.like.type, self.like.scale
        said = [None if end is None else canonical(kind, end, scale) for end in (self.low, self.high)]
        mean = f"{self.sum / self.known:.6g}" if self.known and kind.is_number else None
        return Surveyed(replace(of_sample, blanks=self.blanks, different=None, smallest=said[0], largest=said[1], mean=mean, frequent=()), None)  # fmt: skip


class _Said(msgspec.Struct):
    """A survey of a field as it is kept: its profile, its members by canonical text, and how many records have each; blanks last where there are any."""

    profile: Profile
    type: FieldType
    members: list[str] | None = None
    counts: list[int] = []


MOST_KEPT = 50_000
"""So many members of a field are kept; more are never listed."""


def said(found: Mapping[str, Surveyed], table: Table) -> bytes:
    """A survey as bytes."""
    kept = {}
    for name, each in found.items():
        members, counts = each.members, each.counts
        few = members is not None and counts is not None and len(counts) <= MOST_KEPT
        kept[name] = _Said(
            each.profile,
            table.columns[name].type,
            [members.dictionary.key(code) for code in range(len(members.dictionary))] if few and members else None,
            counts.tolist() if few and counts is not None else [],
        )
    return msgspec.json.encode(kept)


def read_said(kept: bytes, table: Table) -> dict[str, Surveyed]:
    """A survey of the fields that a table has, from bytes; none where these are none of ours."""
    try:
        return {
            name: _again(name, each)
            for name, each in from_json(kept, dict[str, _Said]).items()
            if name in table.columns and table.columns[name].type is each.type
        }
    except (msgspec.MsgspecError, ValueError):
        return {}


def _again(name: str, each: _Said) -> Surveyed:
    if each.members is None:
        return Surveyed(each.profile, None)
    if each.type is FieldType.TEXT:
        values: Any = pa.array(each.members, pa.string())
    else:
        kind = np.bool_ if each.type is FieldType.YESNO else np.int64
        values = np.array([parse_canonical(each.type, member) for member in each.members], kind)
    many = len(each.members)
    if len(each.counts) not in (many, many + 1):
        raise ValueError(name)
    codes = np.arange(len(each.counts), dtype=smallest_codes(many))
    return Surveyed(
        each.profile, CodedColumn(name, codes, Dictionary(each.type, values)), np.array(each.counts, np.int64)
    )


def survey(
    table: Table,
    stream: Stream,
    progress: Progress,
    names: Collection[str] | None = None,
    between: Callable[[], object] = lambda: None,
) -> dict[str, Surveyed]:
    """What all records of a table that comes as a stream tell of its fields, or of some; `between` is called before every part. Raises ReadError,
    Cancelled."""
    wanted = table.columns if names is None else {name: table.columns[name] for name in names}
    unread = {name: column for name, column in wanted.items() if is_unread(column)}
    tallies: dict[str, _Tally] = {
        name: _Members(column) if isinstance(column, CodedColumn) else _Numbers(column, at_hand(column))
        for name, column in unread.items()
    }
    if stream.answers:
        own = [name for name in read_columns(table) if name in tallies]
        for at, name in enumerate(own):
            progress.step(f"Asking about {table.name}", at / len(own))
            tallies[name].take(stream.told(name, MOST_MEMBERS, progress))
        return _all_told(wanted, {name: tallies[name] for name in own})
    done, many = 0, stream.records_a_part(made_of(table, unread))
    for piece in stream.divided(max(1, -(-stream.count // many))):
        left = [name for name, tally in tallies.items() if not tally.is_done]
        own = made_of(table, left)
        for part in piece.parts(own) if left else ():
            start = done + part.start
            progress.step(f"Looking through {table.name}", start / max(1, stream.count))
            between()
            columns = part.table.columns
            if any(name not in columns for name in left):
                columns = made_whole(table, columns, np.arange(start, start + part.table.count), with_needs(table, left)).columns  # fmt: skip
            for name in left:
                progress.look()
                tallies[name].add(columns[name])
        done += piece.count
    return _all_told(wanted, tallies)


def _all_told(wanted: Mapping[str, Column], tallies: Mapping[str, _Tally]) -> dict[str, Surveyed]:
    found = {name: tally.told() for name, tally in tallies.items()}
    for name, column in wanted.items():
        if name not in found and is_unread(column):  # made of others where they are asked for
            found[name] = Surveyed(Profile(None, None, None, None, ()), None)
        elif name not in found:
            found[name] = Surveyed(profile_of(column), column if isinstance(column, CodedColumn) else None)
    return found


def with_all_members(table: Table, progress: Progress | None = None) -> Table:
    """The sample of a table that is not held, and behind it records that have the members of its texts that the sample lacks; those of fields with too many
    are left out. Raises ReadError, Cancelled."""
    view, stream = in_view(table), stream_behind(table)
    texts = [name for name in read_columns(table) if table.columns[name].type is FieldType.TEXT]
    if stream is None or not texts:
        return view
    told = survey(table, stream, progress or Progress(), texts)
    more = {name: each.members for name, each in told.items() if each.members is not None}
    count = max((len(each.dictionary) for each in more.values()), default=0)
    first = np.zeros(count if view.count else 0, np.int64)
    columns: dict[str, Column] = {}
    for name, column in view.columns.items():
        members = more.get(name)
        if members is None:
            columns[name] = picked(column, first)
        else:
            many = len(members.dictionary)
            codes = np.minimum(np.arange(len(first)), many).astype(smallest_codes(many))
            columns[name] = CodedColumn(name, codes, members.dictionary, column.nature)
    behind = Table(view.name, columns, view.origin)
    both = {name: stacked(name, [view, behind]).column for name in view.columns}
    return Table(view.name, both, view.origin)
