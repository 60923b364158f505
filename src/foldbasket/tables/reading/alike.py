"""Files of one table that are alike but not the same: a field that some of them lack is blank there, and types are widened where they differ, as when
the files are held."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Stream

Kind = tuple[FieldType, int]
"""A field's type, and its fraction digits."""


def common_kinds(own: Sequence[Mapping[str, Kind]], is_blank: Callable[[int, str], bool]) -> dict[str, Kind]:
    """What each field is in all files together, by what it is in each; `is_blank` says whether a file, by its place, has no value of a field, so that its
    type there says nothing."""
    found: dict[str, Kind] = {}
    for field in dict.fromkeys(field for kinds in own for field in kinds):
        met = {kinds[field] for kinds in own if field in kinds}
        if len(met) > 1:
            met = {kinds[field] for at, kinds in enumerate(own) if field in kinds and not is_blank(at, field)}
        found[field] = _widest(met)
    return found


def has_no_value(stream: Stream, field: str) -> bool:
    """Whether no record of a stream has a value of a field, as far as that is told without reading it."""
    span = stream.span(field)
    return not stream.count or (span is not None and span.low is None and span.has_blanks)


def _widest(met: set[Kind]) -> Kind:
    types = {kind for kind, _ in met}
    if len(met) == 1:
        return next(iter(met))
    if not all(kind.is_number for kind in types) or not types:
        return FieldType.TEXT, 0
    if FieldType.REAL in types:
        return FieldType.REAL, 0
    return FieldType.DECIMAL, max(scale for _, scale in met)


def differing(own: Sequence[Mapping[str, Kind]], common: Mapping[str, Kind]) -> dict[str, Kind]:
    """Those of the fields in common that some file lacks or has in another type."""
    return {field: kind for field, kind in common.items() if any(kinds.get(field) != kind for kinds in own)}


def notes_of(names: Sequence[str], own: Sequence[Mapping[str, object]], mixed: Mapping[str, str]) -> list[str]:
    """What is told of files that are not the same, by their names: the fields that some lack, and those of several types, `mixed`, with these types."""
    notes = []
    for field in dict.fromkeys(field for fields in own for field in fields):
        without = [name for name, fields in zip(names, own, strict=True) if field not in fields]
        if without:
            few = ", ".join(without[:3]) + (f" and {len(without) - 3} more" if len(without) > 3 else "")
            notes.append(f"“{field}” is not in {few}; it is blank there.")
        if field in mixed:
            notes.append(f"“{field}” is not of one type in all files ({mixed[field]}).")
    return notes


def mixed_of(own: Sequence[Mapping[str, Kind]], common: Mapping[str, Kind]) -> dict[str, str]:
    """The types of the fields that are text only because the files have several."""
    met = {field: {kinds[field][0] for kinds in own if field in kinds} for field in common}
    return {
        field: ", ".join(sorted(kind.value for kind in types))
        for field, types in met.items()
        if common[field][0] is FieldType.TEXT and len(types) > 1
    }
