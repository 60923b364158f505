"""A sentence that cannot be read says which word is wrong, where, and what could stand there or was meant; nothing else ever escapes."""

import random
import time

import pytest

from foldbasket.errors import SentenceError
from foldbasket.sentence.grammar import grammar
from foldbasket.sentence.reading import read, readings
from foldbasket.sentence.tokens import MOST, tokens_of
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from tests.rounds import seeds

from .random_folds import Drawing, sources

WRONG = {
    "Nett, summed for each Site of Lines": ("Nett", "Did you mean “Net”?"),
    "Qty, summed for each Sitte": ("Sitte", "Did you mean “Site”?"),
    "Qty, summed for each Region keeping Region: Nort": ("Nort", "Did you mean “North”?"),
    "Qty, smmed for each Region": ("smmed", "summed"),
    "Qty, summed for each Region (top ten by Qty)": ("ten", "a number"),
    "Qty, summed for each Region (top 10 by Net)": ("Net", "There are: “Qty”."),
    "Qty, summed, as % change from the won before": ("the won before", "There are: “Qty”."),
    "Qty, summed, as rank among Region": ("Region", "field on rows or columns"),
    "Qty, summed for each Region across": ("", "a field"),
    'Qty, summed called "Sales for each Region': ('"Sales for each Region', "Write \" behind the name."),
    "[SUM(Qty) for each Region": ("[SUM(Qty) for each Region", "Write ] behind it."),
    "Qty, summed for each Month of Regin": ("Regin", "Did you mean “Region”?"),
    "Qty, summed keeping Sold: the last few quarters": ("few", "a number"),
    "Qty, summed keeping Qty: ≥ many": ("many", "in quotes"),
    "Qty, summed; no grand totals of sites": ("no grand totals of sites", "no grand total of rows"),
    "Qty, summed ] for each Region": ("]", "Take it out."),
}  # fmt: skip


@pytest.fixture(scope="module")
def words():
    return Vocabulary(sources())


def tried(text, words):
    """What a text is read as, or its error."""
    try:
        return readings(text, words), None
    except SentenceError as error:
        return [], error


@pytest.mark.parametrize("said", WRONG)
def test_an_error_names_the_word_its_place_and_what_could_stand_there(words, said):
    word, hint = WRONG[said]
    with pytest.raises(SentenceError) as error:
        read(said, words)
    assert said[error.value.start : error.value.stop] == word
    assert hint in str(error.value) or any(hint in each for each in error.value.could)


@pytest.mark.parametrize("seed", seeds(4))
def test_one_wrong_word_in_a_right_sentence_is_the_one_that_the_error_reaches(words, seed):
    """Of fifty sentences each has one word spoilt."""
    rng = random.Random(seed * 7 + 1)
    draw, told = Drawing(rng), 0
    while told < 50:
        text = written(draw.fold(), words)
        places = [each for each in tokens_of(text) if each.sort.value == "word" and each.text.isalpha()]
        if not places:
            continue
        spoilt = rng.choice(places)
        wrong = f"{text[: spoilt.start]}qqz{text[spoilt.stop :]}"
        found, error = tried(wrong, words)
        if error is not None:
            told += 1
            assert 0 <= error.start <= error.stop <= len(wrong)
            # It stands at the word, or where the phrase began that the word broke.
            assert "qqz" in wrong[: error.stop] or "qqz" in " ".join(wrong[error.stop :].split()[:4]), wrong
            assert error.todo or error.could
        else:  # a heading, a picker, a group or a text may be called anything
            assert "qqz" in written(found[0], words)


@pytest.mark.parametrize("seed", seeds(4))
def test_whatever_is_typed_is_read_or_refused_in_time_in_proportion_to_its_length(words, seed):
    rng = random.Random(seed)
    pieces = [
        *grammar().shown.values(),
        "Net",
        "Site",
        "Qty",
        "East",
        "2026",
        "-1.5",
        '"',
        "[",
        "]",
        "(",
        ")",
        "“",
        ",",
        ";",
        ":",
        "é",
        "\u202e",
        "\0",
        "›",
        "",
    ]
    draw = Drawing(rng)
    for _ in range(250):
        if rng.random() < 0.5:
            text = " ".join(rng.choice(pieces) for _ in range(rng.randint(0, 25)))
        else:
            said = list(written(draw.fold(), words))
            for _ in range(rng.randint(1, 4)):
                at = rng.randrange(len(said) + 1)
                said[at : at + rng.randint(0, 3)] = rng.choice(pieces)
            text = "".join(said)
        found, error = tried(text, words)
        if error is not None:
            assert 0 <= error.start <= error.stop <= len(text)
        for each in found:
            assert readings(written(each, words), words)


def test_time_goes_with_the_length(words):
    """Twice as much takes about twice as long, also for what opens and never closes; the anchor is the shorter one in the same run."""
    for piece in ("Net of Lines, summed and ", "((((", "by by ", "Site of Lines (", '"" ', "a "):
        short, long = (_seconds(piece * many, words) for many in (200, 1600))
        assert long < max(short, 0.002) * 8 * 6, piece
    with pytest.raises(SentenceError, match="too long"):
        read("a" * (MOST + 1), words)


def _seconds(text, words):
    best = 1e9
    for _ in range(2):
        began = time.perf_counter()
        tried(text, words)
        best = min(best, time.perf_counter() - began)
    return best


def test_a_member_that_nobody_knows_is_written_so_that_it_is_read_again(words):
    for each in readings('Qty, summed, as difference from "zzz" for each Region', words):
        assert 'from "zzz"' in written(each, words)
        assert each in readings(written(each, words), words)
