"""The names in a text are told by the strand that they stand on, in full and in short forms."""

import pytest

from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.sentence.reading import read
from foldbasket.sentence.strands import strands_in
from foldbasket.sentence.vocabulary import Vocabulary

SIGNS = {"measures": "m", "rows": "r", "columns": "c", "filters": "f"}


@pytest.fixture(scope="module")
def words(demo):
    return Vocabulary(prepare(basket_or_data(demo), lazily=True).engine.source)


@pytest.mark.parametrize(
    ("text", "named"),
    [
        ("net by region", "m:net r:region"),
        ("net and share by region by month, trade only, in 2026, net > 1,000", "m:net r:region c:month f:trade f:2026 f:net"),
        ("Net, summed for each Region › Site across Quarter of Order date keeping Channel: Trade, Web", "m:Net r:Region r:Site c:Quarter of Order date f:Channel f:Trade f:Web"),
        ("Net, summed and Net, summed, as % of everything for each Line keeping Net: > 5", "m:Net m:Net r:Line f:Net"),
        ("net by month in March 2026", "m:net r:month f:March 2026"),
        ("records by “Region”", "r:“Region”"),
        ("show net", "m:net"),
    ],
)  # fmt: skip
def test_names_are_told_by_their_strand(words, text, named):
    found = strands_in(text, read(text, words), words)
    assert " ".join(f"{SIGNS[strand]}:{text[start:stop]}" for start, stop, strand in found) == named
