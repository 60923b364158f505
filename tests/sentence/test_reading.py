"""What is written in full reads back as the same fold."""

import random

import pytest

from foldbasket.errors import SentenceError
from foldbasket.sentence.reading import readings
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, source, table
from tests.rounds import seeds

from .random_folds import Drawing, sources


@pytest.fixture(scope="module")
def words():
    return Vocabulary(sources())


@pytest.mark.parametrize("seed", seeds(20))
def test_what_was_written_reads_back_as_the_same_fold(words, seed):
    draw = Drawing(random.Random(seed))
    for _ in range(100):
        fold = draw.fold()
        said = written(fold, words)
        assert readings(said, words) == [fold], said


def test_a_field_that_is_still_to_be_chosen_is_a_gap_in_what_is_written():
    words = Vocabulary(source(table("T", {"Net": [1], "Weight": [2], "Region": ["a"]})))
    fold = Fold("f", (measure("weighted average", "T.Net"),), (placed("T.Region"),))
    said = written(fold, words)
    assert said.startswith("Net, averaged by … for each"), said
    with pytest.raises(SentenceError):
        readings(said, words)
