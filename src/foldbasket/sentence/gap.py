"""A word typed into a gap of a sentence: “avg net” among the measures, “top 10 site” on an axis, “last quarter” among the filters."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from foldbasket.errors import SentenceError
from foldbasket.sentence.phrases import filter_phrase, measure_phrase, placed_phrase
from foldbasket.sentence.reading import readings
from foldbasket.sentence.tokens import quoted
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed

replace = msgspec.structs.replace
Word = Measure | Placed | Filter
MOST = 3


def words_in_gap(text: str, strand: str, fold: Fold, words: Vocabulary) -> list[tuple[Word, str]]:
    """The words that a text may stand for on a strand of a fold, each as the sentence says it; none where it is no word of that strand. Their ids are of
    no fold yet; measures that they go by are those of the fold."""
    found: list[tuple[Word, str]] = []
    for asked in _sentences(text.strip(), strand, fold):
        try:
            several = readings(asked, words)
        except SentenceError:
            continue
        for each in several[:MOST]:
            word = _only(each, strand, fold)
            if word is not None:
                found.append((word, _said(word, each, words)))
        if found:
            return found
    return []


def _sentences(text: str, strand: str, fold: Fold) -> Iterator[str]:
    """Whole sentences in which a text would be such a word, behind the measure that the fold begins with: it says whose records are meant."""
    if not text:
        return
    if strand == "measures":
        yield text
        return
    field = next((each.field for each in fold.measures if each.field is not None), None)
    first = quoted(field.field) if field is not None else "records"
    for lead in ("by", "for each") if strand in ("rows", "columns") else ("for", "keeping", ","):
        yield f"{first} {lead} {text}"


def _only(read: Fold, strand: str, fold: Fold) -> Word | None:
    """The one word of a strand that was read, if it was no more than that."""
    axes = (*read.rows, *read.columns)
    if strand == "measures":
        return read.measures[0] if len(read.measures) == 1 and not axes and not read.filters else None
    if strand == "filters":
        return read.filters[0] if len(read.filters) == 1 and not axes and len(read.measures) < 2 else None
    if len(axes) != 1 or read.filters or len(read.measures) > 1:
        return None
    word = axes[0]
    if word.keep is None:
        return word
    if not fold.measures:  # by which the members would be picked
        return None
    measure = fold.measures[0].id
    keep = replace(word.keep, measure=measure)  # type: ignore[type-var]  # every kind is a struct
    return replace(word, keep=keep, by=replace(word.by, measure=measure) if word.by is not None else None)


def _said(word: Word, read: Fold, words: Vocabulary) -> str:
    if isinstance(word, Measure):
        return measure_phrase(word, read, words.source)
    if isinstance(word, Placed):
        measured = replace(read, measures=words.fold.measures) if words.fold is not None else read
        return placed_phrase(word, measured)
    return filter_phrase(word, words.source, words.locale)
