"""What every mend is: a small immutable value with a sentence, and a pure function from one table to the next.

A mend names fields and values, never records, so that it fits the data again after a refresh.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import ClassVar

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import FoldBasketError, ReadError
from foldbasket.kinds import Kind
from foldbasket.registry import Kinds
from foldbasket.styling.words import number_of
from foldbasket.tables.column import CodedColumn, Column, coded_from_arrow, compacted, natured, picked, weights_of
from foldbasket.tables.detection import retyped
from foldbasket.tables.mending.ways import Place, Way
from foldbasket.tables.progress import Progress
from foldbasket.tables.stacking import text_array
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


class Mended(msgspec.Struct, frozen=True):
    """A table after a mend, and how many values (or records, where a mend drops them) it changed."""

    table: Table
    changed: int


Step = Callable[[Table], Mended]
"""What a mend does to one part after another of a table, in their order."""


class AnyMend(Kind):
    """What stands for a mend in a document."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Mend]]] = Kinds("mend", "foldbasket.tables.mending")
    tag: ClassVar[str] = "mend"
    standing: ClassVar[int] = 1000
    """Where it stands among those that are offered."""
    counts: ClassVar[str] = "values"
    """What `Mended.changed` counts."""
    by_record: ClassVar[bool] = False
    """Whether it looks at one record at a time, so that it can be done to any part of a table."""
    in_order: ClassVar[bool] = False
    """Whether it can be done to all parts of a table in their order, though not to one without the others; see `through`."""

    @property
    def label(self) -> str:
        """What is done, for the list of mends: “Trim spaces in Channel”."""
        raise NotImplementedError

    @property
    def renames(self) -> tuple[tuple[str, str], ...]:
        """Fields that it gives another name, each with the new one: what uses them follows."""
        return ()

    @property
    def takes_out(self) -> tuple[str, ...]:
        """Fields that the table does not have any more after it."""
        return ()

    @property
    def makes(self) -> tuple[str, ...]:
        """Fields of text that it makes of those that it names, which stay as they are unless they are among them."""
        return ()

    def changes(self, field: str, column: Column) -> bool:
        """Whether it may change values of a field, which the column is of."""
        return field in self.makes if self.makes else self.is_about(field)

    def is_about(self, field: str) -> bool:
        """Whether it names a field of the table that it is done to."""
        return field == getattr(self, "field", None) or field in getattr(self, "fields", ())

    def apply(self, table: Table) -> Mended:
        """The table after the mend. Raises a FoldBasketError when it names a field that is not there."""
        raise NotImplementedError

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        """What it does to the parts of a table, to each once and in their order; `parts` gives all of them as they are before it, for a mend that must have
        seen the last to know what becomes of the first."""
        return self.apply

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        """How it is offered for a table or a field; not at all where it comes from findings alone."""
        return ()


class Mend(
    msgspec.Struct,
    AnyMend,
    frozen=True,
    forbid_unknown_fields=True,
    omit_defaults=True,
    tag_field="mend",
    tag=lambda name: "".join(f" {sign.lower()}" if sign.isupper() else sign for sign in name).strip(),
):
    """Base of every kind of mend."""


class Outcome(msgspec.Struct, frozen=True):
    """What became of one mend: how much it changed and how many records it dropped, or why it was passed over. `sampled` is in how many records that was
    counted, of a table that is not held; 0 where in all."""

    mend: AnyMend
    changed: int
    problem: FoldBasketError | None = None
    dropped: int = 0
    sampled: int = 0


def mended(
    table: Table, mends: Sequence[AnyMend], progress: Progress | None = None
) -> tuple[Table, tuple[Outcome, ...]]:
    """The table after all mends, in their order. One that no longer fits is passed over and says so."""
    outcomes = []
    for at, mend in enumerate(mends):
        if progress is not None:
            progress.step(f"Mending {table.name}", at / len(mends))
        try:
            done = done_to(table, mend, mend.apply)
        except FoldBasketError as error:
            outcomes.append(passed_over(mend, error))
            continue
        outcomes.append(Outcome(mend, done.changed, dropped=max(0, table.count - done.table.count)))
        table = as_taken(done.table, table)
    return table, tuple(outcomes)


def done_to(table: Table, mend: AnyMend, step: Step) -> Mended:
    """What a mend makes of a table, or of a part of one. Raises a FoldBasketError, also where it would lose records and does not say of itself that it drops
    any."""
    done = step(table)
    lost = table.count - done.table.count
    if lost and mend.counts != "records":
        raise ReadError(
            f"it would lose {number_of(lost, 'record')} without meaning to, so it is passed over.",
            where=mend.label,
            todo="Please report this: it is a fault of the program.",
        )
    return done


def passed_over(mend: AnyMend, why: FoldBasketError) -> Outcome:
    """What became of a mend that was not done."""
    return Outcome(mend, 0, ReadError(why.what, where=mend.label, todo=why.todo))


def none_left() -> ReadError:
    """Why a mend is not done after which no record would be left."""
    return ReadError("it would leave no record.", todo="Choose fewer records.")


def as_taken(made: Table, before: Table) -> Table:
    """A mended table whose fields are taken for what they were said to be before, as long as their types are the same."""
    said = {
        name: natured(column, old.nature)
        for name, column in made.columns.items()
        if (old := before.columns.get(name)) is not None
        and old.nature
        and not column.nature
        and column.type is old.type
    }
    return made.with_columns({**made.columns, **said}, made.texts) if said else made


# --- what mends are made of ---------------------------------------------------


def as_text(table: Table, field: str) -> CodedColumn:
    """A field as text: as it was read where that is kept, else the canonical text of its values."""
    text = table.text_of(field)
    if text is not None:
        return text
    return coded_from_arrow(field, pa.chunked_array([text_array(table.column(field))]))


def rewritten(table: Table, field: str, text: CodedColumn, members: pa.Array) -> Mended:
    """A field with each member of its text become another (null: blank), in the type that its values then have."""
    old = text.dictionary.values
    same = pc.fill_null(pc.equal(old, members), False).to_numpy(zero_copy_only=False)
    changed = int(weights_of(text)[~same].sum())
    if not changed:
        return Mended(table, 0)
    indices = pa.array(text.codes.astype(np.int64), mask=text.codes == len(text.dictionary))
    spread = members.cast(pa.string()).take(indices)
    return Mended(retyped(table, coded_from_arrow(field, pa.chunked_array([spread]))), changed)


def with_records(table: Table, kept: npt.NDArray[np.bool_]) -> Table:
    """The table with only the records of a mask of shape (records,)."""
    at = np.flatnonzero(kept)
    columns = {name: compacted(picked(column, at)) for name, column in table.columns.items()}
    texts = {name: compacted(picked(column, at)) for name, column in table.texts.items()}
    return table.with_columns(columns, texts)  # type: ignore[arg-type]


def is_text(column: Column) -> bool:
    """Whether a column holds text."""
    return column.type is FieldType.TEXT


def free_field(table: Table, wanted: str) -> str:
    """A field name that the table does not have yet. Raises ReadError when `wanted` is empty."""
    if not wanted.strip():
        raise ReadError("a field needs a name.", todo="Type at least one letter.")
    if wanted in table.columns:
        raise ReadError(f"there is a field “{wanted}” already.", where=table.name, todo="Choose another name.")
    return wanted


def listed(names: Sequence[str], most: int = 3) -> str:
    """Names in a sentence: “a”, “b” and 2 more."""
    quoted = [f"“{name}”" for name in names[:most]]
    if len(names) > most:
        return ", ".join(quoted) + f" and {len(names) - most:,} more"
    return quoted[0] if len(quoted) == 1 else ", ".join(quoted[:-1]) + f" and {quoted[-1]}" if quoted else ""
