"""What came with fresh data: how one reading of a table differs from the one before."""

from __future__ import annotations

import msgspec
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.column import CodedColumn, DeferredColumn, weights_of
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

MOST_MEMBERS = 5_000


class Changes(msgspec.Struct, frozen=True):
    """Records added and gone (by count), fields gone, new, and of another type, and new members of text fields by field."""

    added: int
    gone: int
    fields_gone: tuple[str, ...]
    fields_new: tuple[str, ...]
    retyped: tuple[tuple[str, FieldType, FieldType], ...]
    members_new: tuple[tuple[str, tuple[str, ...]], ...]

    @property
    def sentence(self) -> str:
        """In one line: “42 records added; new in Channel: “Fair”; Cost is missing”."""
        parts = []
        if self.added:
            parts.append(f"{self.added:,} record{'s' if self.added != 1 else ''} added")
        if self.gone:
            parts.append(f"{self.gone:,} record{'s' if self.gone != 1 else ''} gone")
        if self.fields_gone:
            parts.append(f"{', '.join(self.fields_gone)} {'is' if len(self.fields_gone) == 1 else 'are'} missing")
        if self.fields_new:
            parts.append(f"new field{'s' if len(self.fields_new) != 1 else ''}: {', '.join(self.fields_new[:4])}")
        for field, before, after in self.retyped[:3]:
            parts.append(f"{field} is now {after.value}, was {before.value}")
        for field, members in self.members_new[:3]:
            more = f" and {len(members) - 3:,} more" if len(members) > 3 else ""
            parts.append(f"new in {field}: {', '.join(f'“{member}”' for member in members[:3])}{more}")
        return "; ".join(parts) or "the same records as before"


def changes_between(before: Table, after: Table) -> Changes:
    """How a table differs from its earlier reading."""
    difference = after.count - before.count
    shared = [name for name in after.columns if name in before.columns]
    retyped = tuple(
        (name, before.columns[name].type, after.columns[name].type)
        for name in shared
        if before.columns[name].type is not after.columns[name].type
    )
    members = []
    for name in shared if not (is_sampled(before) or is_sampled(after)) else ():
        old, new = before.columns[name], after.columns[name]
        few = not isinstance(new, DeferredColumn) and isinstance(new, CodedColumn) and isinstance(old, CodedColumn)
        if few and new.type is old.type is FieldType.TEXT and len(new.coded().dictionary) <= MOST_MEMBERS:
            fresh = _new_members(old.coded(), new.coded())
            # A field that names records has new members with every record: that is no news.
            if fresh and len(fresh) < max(10, 0.5 * max(1, abs(difference))):
                members.append((name, fresh))
    return Changes(
        max(0, difference),
        max(0, -difference),
        tuple(name for name in before.columns if name not in after.columns),
        tuple(name for name in after.columns if name not in before.columns),
        retyped,
        tuple(members),
    )


def _new_members(old: CodedColumn, new: CodedColumn) -> tuple[str, ...]:
    values = new.dictionary.values
    assert isinstance(values, pa.Array)
    unknown = pc.invert(pc.is_in(values, value_set=old.dictionary.values)).to_numpy(zero_copy_only=False)
    used = weights_of(new) > 0
    return tuple(values.filter(pa.array(unknown & used)).to_pylist())
