"""What can come next in a sentence: the words of the grammar, fields with their tables, members with their counts, measures that are there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice
from weakref import WeakKeyDictionary

import msgspec
import numpy as np
from lark.parsers.lalr_interactive_parser import InteractiveParser

from foldbasket.errors import FoldBasketError, SentenceError
from foldbasket.sentence.choosing import Choosing
from foldbasket.sentence.grammar import grammar, parser_of
from foldbasket.sentence.scanning import Scanner, accepted, phrase_trie, walked
from foldbasket.sentence.tokens import Sort, Token, quoted, tokens_of
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import is_plain, names_a_field
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.nature import nature_of
from foldbasket.typed import BEGINS, fit

MOST = 40
MOST_WORDS = 4
"""So many words before the cursor may belong to what is being typed."""
MOST_COUNTED = 3_000_000
"""Members of a field with more records are offered without counts."""


class Completion(msgspec.Struct, frozen=True):
    """What could be written from `start` on, up to the cursor; `detail` says what it is."""

    text: str
    detail: str
    start: int


def completions(text: str, words: Vocabulary) -> list[Completion]:
    """What could stand at the end of a text, that which fits what is typed already first."""
    try:
        tokens = tokens_of(text)
    except SentenceError:
        return []
    found: dict[str, tuple[int, int, Completion]] = {}
    is_behind = not tokens or tokens[-1].stop < len(text) or tokens[-1].sort is Sort.SIGN
    for back in range(0 if is_behind else 1, min(MOST_WORDS, len(tokens)) + 1):
        start = tokens[-back].start if back else len(text)
        typed = text[start:].strip().strip('"“')
        for later, way in enumerate(("sentence", "brief")):
            place = _place(text[:start], words, way)
            for rank, each in _offers(place, typed, start) if place is not None else ():
                if each.text.casefold() != typed.casefold():
                    found.setdefault(
                        each.text.casefold(), (10 * later + rank + 20 * (is_behind and back > 0), -back, each)
                    )
    best = sorted(found.values(), key=lambda each: each[:2])
    return [each for _, _, each in best[:MOST]]


def completed(text: str, chosen: Completion) -> str:
    """A text with a completion in place of what it completes, and room for the next word."""
    before = text[: chosen.start].rstrip() if chosen.text[:1] in ",;:)" else text[: chosen.start]
    return f"{before}{chosen.text} "


class _Place(msgspec.Struct):
    scanner: Scanner
    parser: InteractiveParser
    words: Vocabulary


def _place(text: str, words: Vocabulary, way: str) -> _Place | None:
    """Where a text has come to in the grammar; None where it cannot be read so far."""
    scanner = Scanner(text, words, way=way)
    parser = parser_of(scanner.made, way).parse_interactive("")
    at = 0
    try:
        while at < len(scanner.tokens):
            at = scanner.step(parser, at)
    except SentenceError:
        return None
    return _Place(scanner, parser, words)


def _offers(place: _Place, typed: str, start: int) -> Iterator[tuple[int, Completion]]:
    """Everything that can stand at a place and fits what is typed, each with how well."""
    could = accepted(place.parser)
    several: list[tuple[str, str]] = []
    if "FIELD" in could:
        several += _fields(place.words)
    field = _field_before(place.scanner.tokens, place.words) if "NAME" in could else None
    if field is not None:
        several += _members(place.words, *field, typed)
    elif "NAME" in could and "FIELD" not in could:
        several += [(name if is_plain(name) else quoted(name), "measure") for name in _measures(place)]
    several += [(place.scanner.made.shown[name], "") for name in place.scanner.made.phrases if name in could]
    if "MEMBER" in could and typed:
        several += islice(_all_members(place.words, typed), MOST)
    for text, detail in several:
        rank = fit(typed, text.strip('" ,')) if typed else 5
        if rank is not None and (rank <= BEGINS or not typed):
            yield rank, Completion(text, detail, start)


_OFFERED: WeakKeyDictionary[Vocabulary, list[tuple[str, str]]] = WeakKeyDictionary()
"""What was found once for a vocabulary, for as long as it lives."""


def _fields(words: Vocabulary) -> list[tuple[str, str]]:
    found = _OFFERED.get(words)
    if found is None:
        found = _OFFERED[words] = _named_fields(words)
    return found


def _named_fields(words: Vocabulary) -> list[tuple[str, str]]:
    """Every field by its name, once where those of a name mean the same, else with its table."""
    found: dict[str, str] = {}
    choosing = Choosing(words.source)
    for ref in words.fields:
        table = words.source.called(ref.table)
        name = ref.field if names_a_field(ref.field, words) else quoted(ref.field)
        if len(choosing.apart(words.named(ref.field))) > 1:
            name = f"{name} of {table if is_plain(table) else quoted(table)}"
        found.setdefault(name, f"{table} · {nature_of(words.source.column(ref)).value}")
    return list(found.items())


def _field_before(tokens: Sequence[Token], words: Vocabulary) -> tuple[FieldRef, str | None] | None:
    """The field whose members are being listed: that before the last colon, unless something began after it."""
    at = next(
        (at for at in reversed(range(len(tokens))) if tokens[at].text == ":" and tokens[at].sort is Sort.SIGN), None
    )
    if at is None or any(each.stem in ("and", "or", ";", "for", "across") for each in tokens[at:]):
        return None
    for first in range(max(0, at - 12), at):
        found = words.field_at(tokens, first)
        if found is not None and found[0] == at:
            return found[1][0], _part_before(tokens[:first])
    return None


def _part_before(tokens: Sequence[Token]) -> str | None:
    """The part of a date that stands before a field."""
    made = grammar()
    for first in range(max(0, len(tokens) - 6), len(tokens)):
        name, stop = walked(phrase_trie(made), tokens, first)
        if name is not None and stop == len(tokens):
            return next(
                (
                    each
                    for each in made.choices.get(name, ())
                    if isinstance(each, str) and made.shown[name].endswith(" of")
                ),
                None,
            )
    return None


def _members(words: Vocabulary, ref: FieldRef, part: str | None, typed: str) -> Iterator[tuple[str, str]]:
    """The first members of a field in their order that fit what is typed, each with the number of its records."""
    try:
        column, domain = words.source.column(ref), words.domain(ref, part)
    except FoldBasketError:
        return
    counts = None
    if isinstance(column, CodedColumn) and part is None and len(column) <= MOST_COUNTED:
        counts = np.bincount(column.codes, minlength=domain.size)
    order = np.argsort(domain.ranks[: domain.blank], kind="stable") if domain.blank <= 50_000 else range(domain.blank)
    fitting = 0
    for code in islice(order, 2_000):
        label = domain.label(int(code), words.locale)
        rank = fit(typed, label) if typed else BEGINS
        if rank is None or rank > BEGINS:  # before it is written as a name, which takes as long as reading one
            continue
        fitting += 1
        if fitting > MOST:
            return
        yield label if is_plain(label) else quoted(label), f"{counts[code]:,}" if counts is not None else ""


def _all_members(words: Vocabulary, typed: str) -> Iterator[tuple[str, str]]:
    """Members of any field that begin with what is typed."""
    for ref, token in words.members_beginning(typed):
        yield token if is_plain(token) else quoted(token), f"{words.source.called(ref.table)} · {ref.field}"


def _measures(place: _Place) -> list[str]:
    """What the measures of the sentence so far may be called."""
    tokens, words = place.scanner.tokens, place.words
    names = [tokens[at + 1].text for at in range(len(tokens) - 1) if tokens[at].stem == "called"]
    at = 0
    while at < len(tokens):
        found = words.field_at(tokens, at)
        if found is not None and words.is_amount(found[1]):
            names.append(found[1][0].field)
        at = found[0] if found is not None else at + 1
    return list(dict.fromkeys(names))
