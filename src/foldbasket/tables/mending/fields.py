"""Mends of fields: other names, hidden ones, several joined to one, and side-by-side fields gathered into records."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator
from typing import ClassVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec.structs import replace

from foldbasket.errors import ReadError
from foldbasket.kinds import entered
from foldbasket.tables.column import (
    CodedColumn,
    Column,
    Dictionary,
    blank_mask,
    coded_from_arrow,
    picked,
    renamed,
    smallest_codes,
)
from foldbasket.tables.detection import judged, put
from foldbasket.tables.mending.mend import Mend, Mended, Step, as_text, free_field, is_text
from foldbasket.tables.mending.ways import AtOnce, Picked, Place, Typed, Way
from foldbasket.tables.stacking import stacked_columns, text_array
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


@entered
class RenameField(Mend, frozen=True):
    """Gives a field another name."""

    field: str
    to: str
    counts = "fields"
    by_record = True

    standing: ClassVar[int] = 10

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field:
            yield Typed("Rename to", place.field, lambda to: cls(place.field, to.strip()))

    @property
    def label(self) -> str:
        return f"Rename {self.field} to {self.to}"

    @property
    def renames(self) -> tuple[tuple[str, str], ...]:
        return ((self.field, self.to),)

    def apply(self, table: Table) -> Mended:
        table.column(self.field)
        free_field(table, self.to)

        def named(name: str) -> str:
            return self.to if name == self.field else name

        columns = {
            named(name): renamed(column, named(name)) if name == self.field else column
            for name, column in table.columns.items()
        }
        texts = {
            named(name): renamed(text, named(name)) if name == self.field else text
            for name, text in table.texts.items()
        }
        made = table.with_columns(columns, texts)  # type: ignore[arg-type]
        return Mended(replace(made, chosen={named(name): how for name, how in table.chosen.items()}), 1)


@entered
class HideFields(Mend, frozen=True):
    """Leaves fields out that no report needs."""

    fields: tuple[str, ...]
    counts = "fields"
    by_record = True

    standing: ClassVar[int] = 110

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field:
            yield AtOnce("Hide it", cls((place.field,)))

    @property
    def label(self) -> str:
        return f"Hide {', '.join(self.fields)}"

    @property
    def takes_out(self) -> tuple[str, ...]:
        return self.fields

    def apply(self, table: Table) -> Mended:
        for field in self.fields:
            table.column(field)
        columns = {name: column for name, column in table.columns.items() if name not in self.fields}
        if not columns:
            raise ReadError("it would leave no field.", todo="Keep at least one.")
        texts = {name: text for name, text in table.texts.items() if name not in self.fields}
        return Mended(table.with_columns(columns, texts), len(table.columns) - len(columns))


@entered
class JoinFields(Mend, frozen=True):
    """Makes one text field of several, their values joined by a sign; blanks are left out."""

    fields: tuple[str, ...]
    sign: str
    into: str
    by_record = True

    standing: ClassVar[int] = 90

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        others = [name for name in place.table.columns if name != place.field]
        if place.field:
            yield Picked(
                "Join with",
                "a field…",
                others,
                lambda other: cls((place.field, other), " ", f"{place.field} and {other}"),
            )

    @property
    def label(self) -> str:
        return f"Join {', '.join(self.fields)} into {self.into}"

    @property
    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def apply(self, table: Table) -> Mended:
        if len(self.fields) < 2:
            raise ReadError("at least two fields are joined.", todo="Choose another field.")
        if self.into not in self.fields:
            free_field(table, self.into)
        texts = [text_array(table.texts.get(field, table.column(field))) for field in self.fields]
        # A record that is blank in all of them would be left out of the join itself, and later values stand on wrong records.
        nothing = functools.reduce(pc.and_, (pc.is_null(text) for text in texts))
        joined = pc.binary_join_element_wise(
            pc.if_else(nothing, "", texts[0]), *texts[1:], self.sign, null_handling="skip"
        )
        made = coded_from_arrow(self.into, pa.chunked_array([joined]))
        return Mended(put(table, made), len(made) - made.blank_count)


@entered
class GatherFields(Mend, frozen=True):
    """Turns fields that stand side by side, such as one for each month, into records: a field for their names and one for
    their values. All other fields are repeated; blank values make no record."""

    fields: tuple[str, ...]
    names: str
    values: str
    counts = "records"
    in_order = True

    @property
    def label(self) -> str:
        return f"Gather {self.fields[0]} to {self.fields[-1]} into {self.names} and {self.values}"

    @property
    def takes_out(self) -> tuple[str, ...]:
        return self.fields

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        # Text beside other types is text in every part, though what stands in one of them may look like something else.
        return lambda part: self._gathered(part, is_said=any(is_text(part.column(field)) for field in self.fields))

    def apply(self, table: Table) -> Mended:
        return self._gathered(table, is_said=False)

    def _gathered(self, table: Table, *, is_said: bool) -> Mended:
        """Its fields gathered; as text where that `is_said` of their values."""
        if len(self.fields) < 2:
            raise ReadError("at least two fields are gathered.", todo="Choose another field.")
        kept = {name: column for name, column in table.columns.items() if name not in self.fields}
        for name in (self.names, self.values):
            if name in kept or not name.strip():
                raise ReadError(f"“{name}” is not a free name for a field.", where=table.name, todo="Choose another.")
        count, width = table.count, len(self.fields)
        parts = [table.column(field) for field in self.fields]
        said = [table.texts.get(field) for field in self.fields]
        if is_said:
            parts, said = [as_text(table, field) for field in self.fields], [None] * width
        gathered = stacked_columns(self.values, parts, said)
        # Records of one line stay together: line 1 of every field, then line 2.
        order = np.arange(count * width).reshape(width, count).T.ravel()
        value = picked(gathered.column, order)
        known = ~blank_mask(value if gathered.text is None else picked(gathered.text, order))
        lines = np.repeat(np.arange(count), width)[known]
        codes = np.tile(np.arange(width, dtype=smallest_codes(width)), count)[known]
        members = pa.array(list(self.fields), pa.string())
        label = judged(CodedColumn(self.names, codes, Dictionary(FieldType.TEXT, members))).column
        at = np.flatnonzero(known)
        columns: dict[str, Column] = {name: picked(column, lines) for name, column in kept.items()}
        columns[self.names] = label
        columns[self.values] = picked(value, at)
        texts = {name: picked(text, lines) for name, text in table.texts.items() if name in kept}
        if gathered.text is not None:
            texts[self.values] = picked(picked(gathered.text, order), at)
        return Mended(table.with_columns(columns, texts), len(at))  # type: ignore[arg-type]
