"""Looking into the tree of a sentence: its branches by their names, and its leaves."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lark import Tree

from foldbasket.sentence.grammar import NAMES
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.vocabulary import Vocabulary

MEANT = ("bare", "is_between", "stretched")
"""Pieces whose field is a measure where it is an amount."""


def fields_of(tree: Tree, words: Vocabulary) -> list[tuple[Named, bool]]:
    """The names of fields in a tree, in order, each with whether a measure is made of it."""
    return list(_fields(tree, words, is_measure=False))


def _fields(node: Any, words: Vocabulary, *, is_measure: bool) -> Iterator[tuple[Named, bool]]:
    if isinstance(node, Tree):
        within = is_measure or node.data in ("aggregate", "usual", "front", "share", "running", "growth")
        if node.data in MEANT and leaves(node):
            within = words.is_amount(leaves(node)[0].means)
        for child in node.children:
            yield from _fields(child, words, is_measure=within and node.data not in ("axis", "filters"))
    elif node.type in ("FIELD", "MEMBER"):
        yield node, is_measure


def counted_tables(tree: Tree) -> tuple[str, ...]:
    """The tables of which a short form counts the records: those behind “number of”, and that it begins with."""
    items = [sub(each)[-1] for each in sub(tree, "bit")]
    counted = [each for at, each in enumerate(items) if each.data == "counted" or (each.data == "table" and at == 0)]
    return tuple(leaves(each)[0].means for each in counted)


def sub(tree: Tree, *names: str) -> list[Tree]:
    """The branches of a tree, those of some names where any are given."""
    return [each for each in tree.children if isinstance(each, Tree) and (not names or each.data in names)]


def leaves(tree: Tree) -> list[Named]:
    """The leaves of a tree that are no phrases."""
    return [each for each in tree.children if isinstance(each, Named) and each.type in NAMES]


def phrase(tree: Tree) -> Named:
    """The first leaf of a tree, whatever it is."""
    return next(each for each in tree.children if isinstance(each, Named))
