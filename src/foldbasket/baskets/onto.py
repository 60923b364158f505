"""A fold's set-up taken onto another source: every field by its name there, all else as it is."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import Any

import msgspec

from foldbasket.formulas.renaming import renamed
from foldbasket.formulas.tree import Name
from foldbasket.kinds import read
from foldbasket.spec.fold import Fold

replace = msgspec.structs.replace
FIELD = {"table", "field"}


def onto(
    fold: Fold, source: str, called: str, fields: Collection[str], reaches: Callable[[str], bool]
) -> tuple[Fold, list[str]]:
    """The fold over a source, by its key, what it is called and its fields; and the names of fields that it does not have, whose words are left out.
    Fields of tables that the source `reaches` stay where they are."""
    over = _Over(source, called, {name.casefold(): name for name in fields}, reaches)
    made = {strand: over.words(getattr(fold, strand)) for strand in ("measures", "rows", "columns", "filters")}
    measures = {word["id"] for word in made["measures"]}
    for word in (*made["rows"], *made["columns"]):
        word.pop("drilled", None)
        for order in ("by", "keep"):
            if word.get(order) is not None and word[order]["measure"] not in measures:
                word.pop(order)
    whole = {**msgspec.to_builtins(fold), **made, "id": "", "chart": None, "page": {}}
    found: Fold = read(whole, Fold)
    look = found.look
    for gone in {word.id for word in fold.words()} - {word.id for word in found.words()}:
        look = look.without(gone)
    return replace(found, look=look), list(over.missing)


class _Over:
    """A source that words are taken onto, and the fields that it was found not to have."""

    def __init__(self, source: str, called: str, known: dict[str, str], reaches: Callable[[str], bool]) -> None:
        self.source, self.called, self.known, self.reaches = source, called, known, reaches
        self.missing: dict[str, None] = {}

    def words(self, words: Sequence[msgspec.Struct]) -> list[dict[str, Any]]:
        """The words that can be said over it, as builtins."""
        taken = [self._taken(msgspec.to_builtins(word)) for word in words]
        return [word for word in taken if not self._lacks(word)]

    def _taken(self, node: Any, *, formula: bool = False) -> Any:
        if isinstance(node, dict):
            if node.keys() != FIELD:
                return {key: self._taken(value, formula=key == "formula") for key, value in node.items()}
            found = self.known.get(node["field"].casefold())
            if self.reaches(node["table"]) or found is None:
                return node
            return {"table": self.source, "field": found}
        if isinstance(node, list | tuple):
            return [self._taken(each) for each in node]
        return renamed(node, self._name) if formula and isinstance(node, str) else node

    def _name(self, node: Name) -> tuple[str, str | None] | None:
        found = self.known.get(node.name.casefold())
        return (found, self.called) if node.table is not None and found is not None else None

    def _lacks(self, node: Any) -> bool:
        """Whether something names a field that cannot be found from the source; notes every one."""
        if isinstance(node, dict):
            if node.keys() == FIELD:
                lacks = not self.reaches(node["table"])
                if lacks:
                    self.missing.setdefault(node["field"])
                return lacks
            return sum(map(self._lacks, node.values())) > 0
        return isinstance(node, list) and sum(map(self._lacks, node)) > 0
