"""Gives names in the text of a formula another name, and leaves every other sign of it as it is."""

from __future__ import annotations

from collections.abc import Callable

from foldbasket.errors import FormulaError
from foldbasket.formulas.parsing import parsed, written
from foldbasket.formulas.tree import Name, names_in


def renamed(text: str, to: Callable[[Name], tuple[str, str | None] | None]) -> str:
    """The formula with each name become what `to` gives for it, a name and the table before it, if any; None leaves it. Text that is
    no formula stays as it is."""
    try:
        names = names_in(parsed(text))
    except FormulaError:
        return text
    for name in reversed(names):
        new = to(name)
        if new is not None:
            text = text[: name.start] + written(*new) + text[name.stop :]
    return text


def names(text: str, name: str, table: str | None = None) -> bool:
    """Whether a formula names something, with no table before it or with that one."""
    try:
        found = names_in(parsed(text))
    except FormulaError:
        return False
    return any(is_named(each, name, table) for each in found)


def is_named(node: Name, name: str, table: str | None = None) -> bool:
    """Whether a name in a formula is that one: exactly, or when it is not in quotes whatever the case of its letters."""
    if node.table is not None and (table is None or node.table.casefold() != table.casefold()):
        return False
    return node.name == name or (not node.quoted and node.name.casefold() == name.casefold())
