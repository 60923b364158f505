"""A sentence read as the fold that it asks for, written in full or as people type. Begin at `read`."""

from __future__ import annotations

from collections.abc import Callable
from itertools import islice

from lark import Tree

from foldbasket.errors import SentenceError, bare
from foldbasket.sentence.brief import Brief
from foldbasket.sentence.choosing import MOST, Choosing
from foldbasket.sentence.reader import Reader
from foldbasket.sentence.scanning import Named, Scanner
from foldbasket.sentence.trees import counted_tables, fields_of
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold


def readings(text: str, words: Vocabulary, name: str = "") -> list[Fold]:
    """The folds that a sentence may ask for, mostly one. Raises SentenceError where there is none."""
    try:
        found = _read(text, words, name, "sentence", lambda reader, tree: [reader.fold(tree, name)])
    except SentenceError as error:
        try:
            found = _read(text, words, name, "brief", lambda reader, tree: _in_short(reader, tree, name))
        except SentenceError as other:
            raise (other if other.start > error.start else error) from None  # that which got further
    return [fold for at, fold in enumerate(found) if fold not in found[:at]]


def _read(
    text: str, words: Vocabulary, name: str, start: str, make: Callable[[Reader, Tree], list[Fold]]
) -> list[Fold]:
    scanner = Scanner(text, words)
    tree = scanner.tree(start)
    named = fields_of(tree, words)
    choosing = Choosing(words.source, counted_tables(tree))
    found: list[Fold] = []
    fault: SentenceError | None = None
    for refs in islice(choosing.readings([(_refs(leaf), is_measure) for leaf, is_measure in named]), MOST):
        chosen = {leaf.start: ref for (leaf, _), ref in zip(named, refs, strict=True)}
        try:
            found.extend(make(Reader(scanner, words, chosen), tree))
        except SentenceError as error:
            fault = fault or bare(error)
    if not found and fault is not None:
        raise fault
    return found


def _in_short(reader: Reader, tree: Tree, name: str) -> list[Fold]:
    """The reading of a short form, or both where one of its words has two."""
    first = Brief(reader)
    found = [first.fold(tree, name)]
    if first.has_two:
        found.append(Brief(reader, is_second=True).fold(tree, name))
    return found


def _refs(leaf: Named) -> list[FieldRef]:
    """The fields that a name may mean, or whose member it may be."""
    return list(leaf.means) if leaf.type == "FIELD" else list(dict.fromkeys(ref for ref, _ in leaf.means))


def read(text: str, words: Vocabulary, name: str = "") -> Fold:
    """The fold that a sentence asks for. Raises SentenceError where it cannot be read, and where it can be in more than one way."""
    found = readings(text, words, name)
    if len(found) > 1:
        several = tuple(written(each, words) for each in found)
        todo = f"Say which: {' · or · '.join(several)}."
        raise SentenceError("this can be understood in more than one way.", could=several, todo=todo)
    return found[0]
