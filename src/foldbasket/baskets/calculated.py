"""Calculated fields: formulas of a basket that give each record of a table a further value, as columns of that table."""

from __future__ import annotations

from collections.abc import Sequence

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

    def visit(each: Calculated, path: tuple[Calculated, ...]) -> None:
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
                    visit(other, (*path, each))
        done.append(each)

    for each in fields:
        visit(each, ())
    return done
