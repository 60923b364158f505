"""Which of the words in a text became a measure, a field on rows or columns, or a filter, so that they can be shown alike wherever they stand."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from foldbasket.folding.members.parts.part import PARTS
from foldbasket.sentence.grammar import stems_of
from foldbasket.sentence.tokens import Token, tokens_of
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.fold import Fold

STRANDS = ("measures", "rows", "columns", "filters")
Word = tuple[str, object, str | None]
"""A strand, a field on it, and the part of the date."""


def strands_in(text: str, fold: Fold, words: Vocabulary) -> tuple[tuple[int, int, str], ...]:
    """For each name in a text that was read as a fold: where it starts, where it has stopped, and its strand. A field that stands on several is
    taken in their order, as a sentence names them. Raises SentenceError for a text that is none."""
    tokens, at = tokens_of(text), 0
    stood, found = list(_words(fold)), []
    while at < len(tokens):
        stop, may_be = _at(tokens, at, stood, words)
        if may_be:
            found.append((tokens[at].start, tokens[stop - 1].stop, may_be))
        at = stop
    times: dict[tuple[Word, ...], int] = {}
    for _, _, each in found:
        times[each] = times.get(each, 0) + 1
    passed: dict[tuple[Word, ...], int] = {}
    named = []
    for start, stop, each in found:
        # A word that nothing names, as the share in “net and share”, takes no name from another strand.
        strands = (
            [word[0] for word in each] if times[each] >= len(each) else list(dict.fromkeys(word[0] for word in each))
        )
        at = passed[each] = passed.get(each, -1) + 1
        named.append((start, stop, strands[min(at, len(strands) - 1)]))
    return tuple(named)


def _words(fold: Fold) -> Iterator[Word]:
    """What stands on the strands of a fold."""
    for strand in STRANDS:
        for word in getattr(fold, strand):
            for each in word.alternatives() if strand == "filters" else (word,):
                yield strand, each.field, getattr(each, "part", None)


def _at(tokens: Sequence[Token], at: int, stood: list[Word], words: Vocabulary) -> tuple[int, tuple[Word, ...]]:
    """Behind the name that begins at a token, or behind the token; and the words it may be of, none where it is no name."""
    named = words.field_at(tokens, at)
    own = tuple(each for each in stood if named is not None and each[1] in named[1])
    if named is not None and own:
        return named[0], own
    for part in sorted({each[2] for each in stood if each[2] is not None}, key=len, reverse=True):
        said = stems_of(PARTS[part].label)
        stop = at + len(said)
        if tuple(each.stem for each in tokens[at:stop]) == said:
            of = words.field_at(tokens, stop + 1) if stop + 1 < len(tokens) and tokens[stop].stem == "of" else None
            if of is not None:
                return of[0], tuple(each for each in stood if each[1] in of[1])
            return stop, tuple(each for each in stood if each[2] == part)
    member = words.member_at(tokens, at)
    if member is not None:
        refs = {ref for ref, _ in member[1]}
        return member[0], tuple(each for each in stood if each[0] == "filters" and each[1] in refs)[:1]
    period = words.period_at(tokens, at)
    if period is not None:
        parts = {part for part, _ in period[1]}
        return period[0], tuple(each for each in stood if each[0] == "filters" and each[2] in parts)[:1]
    return at + 1 if named is None else named[0], ()
