"""The members and values that a sentence names, as a document says them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from lark import Tree

from foldbasket.errors import SentenceError
from foldbasket.folding.filters.members import of_members
from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.cut import Cut
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed


class Telling(Protocol):
    """What tells an error at the place of a leaf."""

    def error(self, leaf: Named, what: str, todo: str = "") -> SentenceError: ...


class Values:
    """Looks values up in a vocabulary."""

    def __init__(self, words: Vocabulary) -> None:
        self.words = words

    def one(self, told: Telling, node: Any, ref: FieldRef, cut: Cut | None) -> str:
        """The token of a member, or the canonical text of a value. Raises SentenceError where a field has none that is called so."""
        leaf = node
        while isinstance(leaf, Tree):
            if leaf.data in ("blank", "unmatched"):
                return BLANK if leaf.data == "blank" else NO_MATCH
            leaf = leaf.children[0]
        found = self.words.token(ref, cut, str(leaf), is_quoted=leaf.is_quoted)
        if found is None:
            column = self.words.source.column(ref)
            what = (
                f"“{ref.field}” has no member “{leaf}”"
                if column.type.value == "text" or cut is not None
                else f"“{leaf}” is no {column.type.value}"
            )
            todo = self.words.near_member(ref, cut, str(leaf)) or "Name one that it has, or write it in quotes."
            raise told.error(leaf, what, todo)
        return found

    def listed(self, told: Telling, node: Tree, ref: FieldRef | None, part: str | None) -> dict[str, Any]:
        """What a list of members sets on a filter."""
        assert ref is not None
        tokens = [self.one(told, each, ref, part) for each in node.children if isinstance(each, Tree)]
        rule = of_members("", ref, part, tokens)
        return {"members": rule.members, "blank": rule.blank, "no_match": rule.no_match}

    def path(self, told: Telling, node: Tree, axis: Sequence[Placed]) -> tuple[str, ...]:
        """The tokens of a path of members, from the outermost field of an axis."""
        values = [each for each in node.children if isinstance(each, Tree)]
        return tuple(self.one(told, each, word.field, word.cut) for each, word in zip(values, axis, strict=False))
