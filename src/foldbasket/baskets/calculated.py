"""Calculated fields: formulas of a basket that give each record of a table a further value, as columns of that table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from foldbasket.errors import FormulaError
from foldbasket.formulas.parsing import parsed
from foldbasket.formulas.tree import names_in


class Calculated(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A calculated field: its name, its formula, and the key of the source whose records it belongs to."""

    name: str
    formula: str
    table: str


def in_order(fields: Sequence[Calculated]) -> list[Calculated]:
    """Calculated fields so that each comes after those it names. Raises FormulaError for one that names itself in the end."""
    by_name: dict[str, list[Calculated]] = {}
    for each in fields:
        by_name.setdefault(each.name.casefold(), []).append(each)
    done: list[Calculated] = []
    for each in fields:
        _take(each, (), by_name, done)
    return done


def _take(
    each: Calculated, path: tuple[Calculated, ...], by_name: Mapping[str, Sequence[Calculated]], done: list[Calculated]
) -> None:
    """Appends a field behind those it names; `path` leads to it."""
    if each in path:
        said = " → ".join(f"“{one.name}”" for one in (*path[path.index(each) :], each))
        raise FormulaError(
            f"this field is made of itself: {said}.", 0, len(each.formula), where=each.name, todo="Take one of the names out."
        )  # fmt: skip
    if each in done:
        return
    try:
        names = names_in(parsed(each.formula))
    except FormulaError:
        names = []  # told when it is checked
    for name in names:
        for other in by_name.get(name.name.casefold(), ()):
            if name.table is None or name.table.casefold() == other.table.casefold():
                _take(other, (*path, each), by_name, done)
    done.append(each)
