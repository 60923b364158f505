"""What nouns count, and that no word of a sentence that is read is dropped."""

import random

import pytest

from foldbasket.errors import FoldError, SentenceError
from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.sentence.reading import read, readings
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from tests.folding.build import lines, source, table
from tests.rounds import seeds

from .test_brief import BY_HAND

FLIGHTS = {
    "year": [2013] * 5, "month": [1, 1, 2, 2, 2], "day": [1, 2, 3, 4, 5], "hour": [5, 6, 5, 7, 5], "flight": [1, 1, 2, 3, 3], "carrier": ["AA", "UA", "AA", "AA", "AA"],
    "tailnum": ["n1", "n2", "n1", "n3", "n3"], "origin": ["JFK", "LGA", "JFK", "EWR", "LGA"], "distance": [100, 200, 300, 400, 500],
}  # fmt: skip
PLANES = {"tailnum": ["n1", "n2", "n3", "n4"], "maker": ["A", "B", "A", None], "seats": [10, 20, 30, 40]}
PLAN = {"origin": ["JFK", "JFK", "LGA"], "target": [1, 2, 3]}
LINKS = (Link("flights", "planes", (("tailnum", "tailnum"),)),)


@pytest.fixture(scope="module")
def words():
    tables = (
        table("flights", FLIGHTS),
        table("planes", PLANES),
        table("plan", PLAN),
        table("orders", {"order": [7, 9], "site": ["x", "y"]}),
    )
    return Vocabulary(source(*tables, links=LINKS))  # fmt: skip


@pytest.fixture(scope="module")
def demo_words(demo):
    return Vocabulary(prepare(basket_or_data(demo), lazily=True).engine.source)


COUNTED = {
    "flights": [(5,)],
    "flights by origin": [("EWR", 1), ("JFK", 2), ("LGA", 2)],
    "number of flights by hour": [("5", 3), ("6", 1), ("7", 1)],
    "flights per month": [("1", 2), ("2", 3)],
    "planes": [(4,)],
    "planes by maker": [("A", 2), ("B", 1), ("(blank)", 1)],
    "planes by carrier": [("AA", 2), ("UA", 1)],
    "how many planes": [(4,)],
    "plan": [(3,)],
    "plan by origin": [("JFK", 2), ("LGA", 1)],
    "orders": [(2,)],
    "orders by site": [("x", 1), ("y", 1)],
    "flights by planes": [("n1", 2), ("n2", 1), ("n3", 2)],
    "distance by day": [("1", 100), ("2", 200), ("3", 300), ("4", 400), ("5", 500)],
    "distance by year": [("2,013", 1500)],
    "distance, month is 2": [(1200,)],
    "distance where hour is not 5": [(600,)],
    "distance where month > 1": [(1200,)],
    "distance without JFK or UA": [(900,)],
    "distance without UA and JFK by month": [("2", 900)],
}


@pytest.mark.parametrize("said", COUNTED)
def test_a_noun_counts_its_own_records_and_a_field_is_found_by_its_name(words, said):
    found = lines(Engine(words.source).fold(read(said, words)))
    shown = [tuple(str(each) for each in line) for line in found]
    expected = [tuple(str(each) for each in line) for line in COUNTED[said]]
    if len(expected[0]) > 1:
        shown = [line for line in shown if line[0] not in ("Everything",)]
    assert [(line[0].replace(",", ""), *line[1:]) for line in shown] == [
        (line[0].replace(",", ""), *line[1:]) for line in expected
    ]


@pytest.mark.parametrize(
    "said",
    ["average flights per carrier", "largest plane by maker", "median orders by site", "distance by origin for B flights"],
)  # fmt: skip
def test_what_a_noun_cannot_be_is_refused_at_it(words, said):
    with pytest.raises(SentenceError) as error:
        read(said, words)
    assert error.value.todo
    assert said[error.value.start : error.value.stop] in ("flights", "plane", "orders")


def test_records_that_no_link_leads_to_are_not_counted_over_others(words):
    with pytest.raises(FoldError, match="no links lead"):
        Engine(words.source).fold(read("plan by maker", words))


def test_two_readings_are_both_offered_and_none_is_guessed(words, demo_words):
    both = [written(each, demo_words) for each in readings("average net per order by region", demo_words)]
    assert both == [
        "Net, averaged for each Order no. of Orders › Region",
        '"Net per order" = [SUM("Order lines"."Net") / COUNT(DISTINCT "Orders"."Order no.")] for each Region',
    ]
    assert [written(each, demo_words) for each in readings("net without promotion, web", demo_words)] == [
        "Net, summed keeping Promotion: blank and Channel: Web",
        "Net, summed keeping Promotion: blank and Channel: not Web",
    ]
    alone = Vocabulary(source(table("data", {"passenger": [1, 2, 2], "site": ["x", "y", "y"]})))
    assert [written(each, alone) for each in readings("passengers by site", alone)] == [
        "passenger, different values counted for each site",
        "passenger, summed for each site",
    ]


# --- no word is dropped ---------------------------------------------------------

GLUE = {"and", "by", "for", "in", "the", "only", "of", "where", "as", "a", "is", "its"}
"""Words that lead to others and mean nothing alone."""
RESTATED = {
    ("net by region, sorted by net", "net"), ("net by region sorted by net asc", "net"), ("net by region, channel: trade, web", "channel:"),
    ("net by region by quarter of order date", "quarter"), ("avg unit price by line, top 10 customer", "avg"),
    ("average unit price by pot size without promotions", "average"), ("count orders per seller", "count"), ("net since 1 march 2026", "1"),
    ("net between january 2026 and march 2026", "january"), ("records by channel, smallest first", "records"), ("net by region in trade channel", "channel"),
    ("net by region for trade customers", "customers"), ("net by region for trade varieties", "varieties"), ("net by region for trade order lines", "order"), ("net by region for trade order lines", "lines"),
}  # fmt: skip
"""Words that say again what holds without them."""


def dropped(said, words):
    """The words of a sentence that can be left out without a change of what it asks for."""
    asked = readings(said, words)
    pieces = said.split()
    for at, word in enumerate(pieces):
        less = " ".join(pieces[:at] + pieces[at + 1 :])
        try:
            if less and readings(less, words) == asked:
                yield word
        except SentenceError:
            pass


@pytest.mark.parametrize("said", [said for said, means in BY_HAND.items() if means])
def test_no_word_of_a_sentence_is_dropped(demo_words, said):
    found = {word for word in dropped(said, demo_words) if word not in GLUE}
    assert found <= {word for sentence, word in RESTATED if sentence == said}


FRONTS = (
    "",
    "average ",
    "largest ",
    "total ",
    "number of ",
    "unique ",
    "share of ",
    "running ",
    "count ",
    "cost share of ",
)
THINGS = ("net", "orders", "order", "customers", "unit price", "region", "plan", "quantity")
PLACES = (
    "",
    " by customer",
    " per order",
    " per customer by region",
    " for trade customers",
    " for trade lines",
    " by plan",
    " in north region",
)
TAILS = ("", " without promotion or web", ", top 3", " vs last year", " vs 2025", " not 2026")
USUAL = {("average", "unit price"), ("total", "net"), ("total", "quantity"), ("north region", "region")}
NOUNS = ("orders", "order", "customers", "plan", "region")


def restated(said):
    """The words of a sentence put together that say again what holds without them: what is usual, and that a noun is counted."""
    found = {of for usual, of in USUAL if usual == "north region" and usual in said}
    found |= {noun for noun in ("customers", "lines") if f"trade {noun}" in said}
    found |= {usual for usual, of in USUAL if said.startswith(f"{usual} {of}")}
    counted = any(said.startswith(f"{front}{noun}") for front in ("total ", "number of ", "count ") for noun in NOUNS)
    return found | (set(said.split()[:1]) if counted else set())


@pytest.mark.parametrize("seed", seeds(4))
def test_no_word_of_sentences_put_together_at_random_is_dropped(demo_words, seed):
    rng, read_at_all = random.Random(seed), 0
    while read_at_all < 12:
        said = "".join(rng.choice(each) for each in (FRONTS, THINGS, PLACES, TAILS))
        try:
            found = {word for word in dropped(said, demo_words) if word not in GLUE}
        except SentenceError:
            continue
        read_at_all += 1
        assert found <= restated(said), said
