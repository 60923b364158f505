"""The language is documented from the grammar and the kinds: nothing in it is missing from the document, and every example reads."""

from pathlib import Path

import pytest

from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.sentence.guide import document, examples
from foldbasket.sentence.reading import readings
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands
from foldbasket.spec.filter import Filter
from foldbasket.spec.order import Keep

PAGE = Path(__file__).parents[2] / "docs" / "sentence.md"


def test_the_document_is_that_of_the_grammar():
    assert PAGE.read_text("utf-8") == document(), (
        "write it anew: python -c 'from foldbasket.sentence.guide import document; print(document(), end=\"\")' > docs/sentence.md"
    )


@pytest.mark.parametrize("sort", [Comparison, Bands, Keep, Filter])
def test_every_kind_can_be_said(sort):
    unsaid = [kind.__name__ for kind in sort.kinds if not kind.sayings]
    assert unsaid == (["Either"] if sort is Filter else [])  # which is said by its conditions, with “or” between


def test_every_example_reads(demo):
    words = Vocabulary(prepare(basket_or_data(demo), lazily=True).engine.source)
    for each in examples():
        assert readings(each, words), each
