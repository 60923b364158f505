"""What is written in full reads back as the same fold."""

import random

import pytest

from foldbasket.sentence.reading import readings
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from tests.folding.rounds import seeds

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
