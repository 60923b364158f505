"""Which table each measure of a fold is aggregated over: one for all where links allow it, else tables of facts side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import msgspec

from foldbasket.errors import FoldError, LinkError
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Fold, Measure

FieldsOf = Callable[[Measure], list[FieldRef]]


class Base(msgspec.Struct, frozen=True):
    """A table whose records are folded, and the numbers of the fold's measures that are aggregated over them."""

    table: str
    measures: tuple[int, ...]


def given_bases(measures: Sequence[Measure], over: Mapping[str, str]) -> list[Base]:
    """The tables that measures are said to be aggregated over, by their ids; one that is not named goes with the first."""
    first = next(iter(over.values()))
    tables: dict[str, list[int]] = {}
    for at, measure in enumerate(measures):
        if measure.aggregate != FORMULA:
            tables.setdefault(over.get(measure.id, first), []).append(at)
    return [Base(table, tuple(numbers)) for table, numbers in tables.items()]


def bases_of(
    source: Source, fold: Fold, measures: Sequence[Measure], fields_of: FieldsOf = Measure.fields
) -> list[Base]:
    """The tables to fold over, that of the first measure first; `measures` are the fold's and those its formulas are made of,
    `fields_of` gives the fields that decide where each of them is aggregated.

    One finest table from which every field is reached serves all measures. Where there is none, each measure goes to the
    finest table that reaches its own fields, and every placed or filtered field through links or through one that shares its
    meaning. Raises FoldError, naming the field, where a table reaches neither; LinkError where there is nothing to lay side by
    side.
    """
    common = [placed.field for placed in fold.rows + fold.columns]
    common += [ref for rule in fold.filters for ref in rule.fields()]
    own = [ref for measure in measures for ref in fields_of(measure)]
    used = list(dict.fromkeys(ref.table for ref in own + common))
    plain = [at for at, measure in enumerate(measures) if measure.aggregate != FORMULA]
    if not used:
        if not source.tables:
            raise FoldError("there is no source to fold.", todo="Open a file first.")
        used = [next(iter(source.tables))]
    try:
        return [Base(source.base_for(used), tuple(plain))]
    except LinkError as error:
        groups = _groups(source, measures, fields_of)
        if not groups:
            raise
        bases = [Base(_base(source, tables, common, fold.name), tuple(at)) for tables, at in groups]
        if len(bases) == 1 and not source.shared:
            raise error from None
        return bases


def _groups(source: Source, measures: Sequence[Measure], fields_of: FieldsOf) -> list[tuple[set[str], list[int]]]:
    """Measures whose own fields can be reached from one table, together; counts of records go with the first."""
    groups: list[tuple[set[str], list[int]]] = []
    for at, measure in enumerate(measures):
        tables = {ref.table for ref in fields_of(measure)}
        if not tables:
            continue
        for group, members in groups:
            if any(_reaches(source, name, group | tables) for name in source.tables):
                group |= tables
                members.append(at)
                break
        else:
            groups.append((tables, [at]))
    if groups:
        groups[0][1].extend(
            at for at, measure in enumerate(measures) if not fields_of(measure) and measure.aggregate != FORMULA
        )
    return groups


def _reaches(source: Source, start: str, tables: set[str]) -> bool:
    return all(source.path(start, name) is not None for name in tables)


def _base(source: Source, tables: set[str], common: Sequence[FieldRef], fold: str) -> str:
    """The finest table that reaches some tables and says what the common fields say."""
    for name in tables:
        source.table(name)
    near = [name for name in source.tables if _reaches(source, name, tables)]
    if not near:
        return source.base_for(tables)  # which says what is wrong
    found = [name for name in near if all(source.stand_in(name, ref) is not None for ref in common)]
    if not found:
        said = source.called(sorted(tables)[0])
        missing = next(ref for ref in common if source.stand_in(near[0], ref) is None)
        raise FoldError(
            f"no links lead from one table to both “{said}” and “{source.called(missing.table)}”, and “{said}” has no field that stands for "
            f"“{missing.field}”.",
            where=fold,
            todo=f"Link the tables, say on the card of “{missing.field}” which field of {said} means the same, or take one out.",
        )
    return min(
        found, key=lambda name: (name not in tables, sum(len(source.path(name, other) or ()) for other in tables))
    )
