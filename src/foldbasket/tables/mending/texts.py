"""Mends of text: spaces, spellings, values, parts. Each works on the different values of a field, never record by record."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import ReadError
from foldbasket.kinds import entered
from foldbasket.tables.column import (
    CodedColumn,
    Column,
    blank_mask,
    coded_from_arrow,
    compacted,
    picked,
    weights_of,
)
from foldbasket.tables.detection import put, retyped
from foldbasket.tables.mending.mend import Mend, Mended, Step, as_text, free_field, is_text, listed, rewritten
from foldbasket.tables.mending.ways import AtOnce, Place, Typed, Way
from foldbasket.tables.stacking import stacked_as, text_array
from foldbasket.tables.table import Table

SPACES = r"[\s\p{Z}\x{200B}\x{FEFF}]+"


def folded_spaces(texts: pa.Array) -> pa.Array:
    """Texts without spaces at their ends and with single plain spaces within."""
    return pc.utf8_trim(pc.replace_substring_regex(texts, SPACES, " "), " ")


@entered
class TrimSpaces(Mend, frozen=True):
    """Takes spaces off both ends and makes doubled and odd spaces within a single plain one; without fields in all text."""

    fields: tuple[str, ...] = ()
    by_record = True

    standing: ClassVar[int] = 80

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if not place.field:
            yield AtOnce("Trim spaces in all text", cls())
        elif is_text(place.column):
            yield AtOnce("Trim spaces", cls((place.field,)))

    @property
    def label(self) -> str:
        return f"Trim spaces in {', '.join(self.fields)}" if self.fields else "Trim spaces in all text"

    def changes(self, field: str, column: Column) -> bool:
        return self.is_about(field) or (not self.fields and is_text(column))

    def apply(self, table: Table) -> Mended:
        changed = 0
        fields = self.fields or tuple(
            name for name, column in table.columns.items() if is_text(column) or name in table.texts
        )
        for field in fields:
            text = as_text(table, field)
            done = rewritten(table, field, text, folded_spaces(text.dictionary.values))
            table, changed = done.table, changed + done.changed
        return Mended(table, changed)


@entered
class Unify(Mend, frozen=True):
    """Makes several spellings of a value one."""

    field: str
    into: str
    spellings: tuple[str, ...]
    by_record = True

    @property
    def label(self) -> str:
        return f"Make {listed(self.spellings)} “{self.into}” in {self.field}"

    def apply(self, table: Table) -> Mended:
        return _replaced(table, self.field, dict.fromkeys(self.spellings, self.into))


@entered
class ReplaceValues(Mend, frozen=True):
    """Puts other values in the place of some; an empty one means blank."""

    field: str
    values: Mapping[str, str]
    by_record = True

    standing: ClassVar[int] = 40

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        def made(text: str) -> ReplaceValues:
            old, sign, new = text.partition("=")
            if not sign:
                raise ReadError(f"“{text}” does not say what to put in its place.", todo="Type it like old = new.")
            return cls(place.field, {old.strip(): new.strip()})

        if place.field:
            yield Typed("Replace", "old = new", made)

    @property
    def label(self) -> str:
        if len(self.values) == 1:
            old, new = next(iter(self.values.items()))
            return f"Replace “{old}” by {f'“{new}”' if new else 'blank'} in {self.field}"
        return f"Replace {len(self.values)} values in {self.field}"

    def apply(self, table: Table) -> Mended:
        return _replaced(table, self.field, dict(self.values))


@entered
class BlankOut(Mend, frozen=True):
    """Makes values blank that only stand for nothing, such as n/a."""

    field: str
    values: tuple[str, ...]
    by_record = True

    standing: ClassVar[int] = 30

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field:
            yield Typed("Read as blank", "n/a", lambda value: cls(place.field, (value,)))

    @property
    def label(self) -> str:
        return f"Read {listed(self.values)} as blank in {self.field}"

    def apply(self, table: Table) -> Mended:
        return _replaced(table, self.field, dict.fromkeys(self.values, ""))


def _replaced(table: Table, field: str, values: Mapping[str, str]) -> Mended:
    text = as_text(table, field)
    old = text.dictionary.values
    at = pc.index_in(old, value_set=pa.array(list(values), pa.string()))
    new = pa.array([value or None for value in values.values()], pa.string()).take(at)
    found = pc.is_valid(at)
    return rewritten(table, field, text, pc.if_else(found, new, old))


@entered
class FillDown(Mend, frozen=True):
    """Gives a blank the value of the record above it, as when a report names each group once."""

    field: str
    in_order = True

    standing: ClassVar[int] = 100

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.has_blanks:
            yield AtOnce("Fill blanks from above", cls(place.field))

    @property
    def label(self) -> str:
        return f"Fill blanks in {self.field} from above"

    def apply(self, table: Table) -> Mended:
        column = table.column(self.field)
        blank = blank_mask(table.texts.get(self.field, column))  # what does not fit the type is no blank
        above = np.maximum.accumulate(np.where(blank, -1, np.arange(len(blank))))
        filled = blank & (above >= 0)
        source = np.where(above < 0, np.arange(len(blank)), above)
        if self.field in table.texts:
            text = table.texts[self.field]
            made = CodedColumn(self.field, text.codes[source], text.dictionary)
            return Mended(retyped(table, made), int(filled.sum()))
        return Mended(put(table, picked(column, source)), int(filled.sum()))

    def through(self, parts: Callable[[], Iterator[Table]]) -> Step:
        last: Table | None = None

        def filled(part: Table) -> Mended:
            nonlocal last
            done = self.apply(part)
            if last is not None:
                done = _topped(done, self.field, last)
            value = done.table.texts.get(self.field, done.table.column(self.field))
            if part.count and not blank_mask(value)[-1]:
                last = _some(done.table, self.field, np.array([part.count - 1]))
            return done

        return filled


def _some(table: Table, field: str, at: npt.NDArray[np.int64]) -> Table:
    """Some records of a table, by their numbers, with one field."""
    text = table.texts.get(field)
    texts = {field: compacted(picked(text, at))} if text is not None else {}
    return table.with_columns({field: compacted(picked(table.column(field), at))}, texts)  # type: ignore[arg-type]


def _topped(done: Mended, field: str, last: Table) -> Mended:
    """A part whose blanks are filled from above, with those before its first value filled as well, by the last one of the parts before it."""
    table = done.table
    column, text = table.column(field), table.texts.get(field)
    known = np.flatnonzero(~blank_mask(column if text is None else text))
    many = int(known[0]) if len(known) else table.count
    if not many:
        return done
    above = last.column(field)
    pieces = [_some(last, field, np.zeros(many, np.int64)), _some(table, field, np.arange(many, table.count))]
    if text is None and field not in last.texts and (column.type, column.scale) == (above.type, above.scale):
        return Mended(put(table, stacked_as(field, pieces, column.type, column.scale)), done.changed + many)
    said = pa.chunked_array([text_array(as_text(piece, field)) for piece in pieces])
    return Mended(retyped(table, coded_from_arrow(field, said)), done.changed + many)


@entered
class KeepPart(Mend, frozen=True):
    """Keeps the part of a text before or after a sign, or between two places counted from 1."""

    field: str
    part: Literal["before", "after", "letters"]
    sign: str = ""
    start: int = 1
    stop: int | None = None
    by_record = True

    standing: ClassVar[int] = 60

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        if place.field and is_text(place.column):
            yield Typed("Keep before", "a sign, such as -", lambda sign: cls(place.field, "before", sign))
            yield Typed("Keep after", "a sign, such as -", lambda sign: cls(place.field, "after", sign))

    @property
    def label(self) -> str:
        if self.part == "letters":
            end = f" to {self.stop}" if self.stop else " on"
            return f"Keep letters {self.start}{end} of {self.field}"
        return f"Keep what stands {self.part} “{self.sign}” in {self.field}"

    def apply(self, table: Table) -> Mended:
        text = as_text(table, self.field)
        old = text.dictionary.values
        if self.part == "letters":
            new = pc.utf8_slice_codeunits(old, max(0, self.start - 1), self.stop)
        else:
            _need_sign(self.sign)
            halves = [value.partition(self.sign) for value in text.dictionary.texts]
            kept = [head if self.part == "before" or not sign else tail for head, sign, tail in halves]
            new = pc.utf8_trim_whitespace(pa.array(kept, pa.string()))
        return rewritten(table, self.field, text, pc.if_else(pc.equal(new, ""), None, new))


@entered
class SplitField(Mend, frozen=True):
    """Makes several fields of one, cut at a sign; the last takes the rest."""

    field: str
    sign: str
    into: tuple[str, ...]
    by_record = True

    standing: ClassVar[int] = 70

    @classmethod
    def ways(cls, place: Place) -> Iterable[Way]:
        def made(sign: str) -> SplitField:
            return cls(place.field, sign, (f"{place.field} 1", f"{place.field} 2"))

        if place.field and is_text(place.column):
            yield Typed("Split at", "a sign, such as -", made)

    @property
    def label(self) -> str:
        return f"Split {self.field} at “{self.sign}” into {', '.join(self.into)}"

    @property
    def makes(self) -> tuple[str, ...]:
        return self.into

    def apply(self, table: Table) -> Mended:
        _need_sign(self.sign)
        if len(self.into) < 2:
            raise ReadError("a field is split into at least two.", todo="Name the new fields.")
        text = as_text(table, self.field)
        pieces = [value.split(self.sign, len(self.into) - 1) for value in text.dictionary.texts]
        changed = int(weights_of(text).sum())
        indices = pa.array(text.codes.astype(np.int64), mask=text.codes == len(text.dictionary))
        for at, name in enumerate(self.into):
            if name != self.field:
                free_field(table, name)
            part = pa.array([each[at].strip() or None if at < len(each) else None for each in pieces], pa.string())
            table = retyped(table, coded_from_arrow(name, pa.chunked_array([part.take(indices)])))
        return Mended(table, changed)


def _need_sign(sign: str) -> None:
    if not sign:
        raise ReadError("no sign is given to cut at.", todo="Type the sign, such as a dash.")
