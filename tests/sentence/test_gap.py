"""Words typed into a gap of the sentence."""

import pytest

from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.sentence.gap import words_in_gap
from foldbasket.sentence.reading import read
from foldbasket.sentence.vocabulary import Vocabulary

GAPS = [
    ("measures", "avg net", "Net, averaged"),
    ("measures", "median quantity", "Quantity, median"),
    ("measures", "net as % of the column", "Net, summed, as % of the column"),
    ("measures", "count orders", "Order no., values counted"),
    ("rows", "month of order date", "Month of order date"),
    ("columns", "quarter", "Quarter of order date"),
    ("rows", "top 10 site", "Site (top 10 by Net)"),
    ("rows", "Site (top 3 by Net, the rest as one)", "Site (top 3 by Net, the rest as one)"),
    ("filters", "trade only", "Channel: Trade"),
    ("filters", "last quarter", "Order date: the last quarter"),
    ("filters", "net > 100", "Net: > 100"),
    ("filters", "without web", "Channel: not Web"),
    ("filters", "Channel: Trade, Web or Net: ≥ 5", "Channel: Trade, Web, or Net: ≥ 5"),
    ("rows", "trade only", None),
    ("measures", "net by region", None),
    ("filters", "region and site", None),
    ("measures", "nett", None),
    ("rows", "", None),
]


@pytest.fixture(scope="module")
def words(demo):
    source = prepare(basket_or_data(demo), lazily=True).engine.source
    return Vocabulary(source, read("net by region", Vocabulary(source)))


@pytest.mark.parametrize(("strand", "text", "said"), GAPS)
def test_a_word_typed_into_a_gap_is_read_by_the_strand_that_it_stands_on(words, strand, text, said):
    found = words_in_gap(text, strand, words.fold, words)
    assert [each for _, each in found] == ([said] if said is not None else [])
