"""The sentence reads well: every word in its place, with what was chosen for it."""

import datetime
from decimal import Decimal

import msgspec
import pytest

from foldbasket.folding.compare.against import Against
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.blank import Blank
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.sentence.phrases import headings_of, label_of, sentence_of, words_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure
from foldbasket.styling.words import lower_first, number_of, plural
from tests.folding.build import fold, measure, placed, ref, source, table

SOURCE = source(table("T", {"Day": [datetime.date(2026, 4, 2)], "Net": [1], "Region": ["East"], "SKU": ["x"]}))


def test_the_whole_sentence():
    spec = Fold(
        "f",
        (measure("sum", "T.Net", heading="Net sales"), measure("count")),
        (placed("T.Region"), placed("T.SKU")),
        (placed("T.Day", part="quarter"),),
        (Members("a", ref("T.Region"), members=("East", "West")), Compare("b", ref("T.Net"), None, ">", "10")),
    )
    assert sentence_of(spec, SOURCE) == (
        "Net sales, summed and Records, counted for each Region › SKU across Quarter of day keeping Region: East, West and Net: > 10"
    )
    assert [(word.strand, word.lead) for word in words_of(spec, SOURCE)] == [
        ("measures", ""), ("measures", "and"), ("rows", "for each"), ("rows", "›"), ("columns", "across"), ("filters", "keeping"), ("filters", "and"),
    ]  # fmt: skip
    assert sentence_of(Fold("empty")) == ""


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        (Members("f", ref("T.Region")), "Region: nothing"),
        (Members("f", ref("T.Region"), exclude=True), "Region: anything"),
        (Members("f", ref("T.Region"), members=("a",), blank=True, no_match=True), "Region: a, (blank), (no match)"),
        (Members("f", ref("T.Region"), members=tuple("abcdef"), exclude=True), "Region: not a, b, c, d and 2 more"),
        (Members("f", ref("T.Day"), "quarter", ("2026-Q2", "2027-Q1")), "Quarter of day: Q2 2026, Q1 2027"),
        (Compare("f", ref("T.Day"), None, "≥", "2026-04-02"), "Day: ≥ 2 Apr 2026"),
        (Between("f", ref("T.Net"), None, "1", "9.50"), "Net: 1 to 9.50"),
        (Blank("f", ref("T.Net")), "Net: blank"),
        (Blank("f", ref("T.Net"), exclude=True), "Net: not blank"),
    ],
)
def test_filters_are_said_in_words(rule, said):
    assert sentence_of(Fold("f", filters=(rule,)), SOURCE) == f"keeping {said}"


@pytest.mark.parametrize(
    ("one", "several"),
    [("Site", "sites"), ("Variety", "varieties"), ("Day", "days"), ("Branch", "branches"), ("Glass", "glasses"), ("Sales", "sales"), ("SKU", "SKUs"), ("Order no.", "order no."), ("Quarter of order date", "quarters")],
)  # fmt: skip
def test_headings_are_bent_for_captions(one, several):
    assert plural(one) == several


def test_captions_of_totals_name_their_member_and_what_they_sum_over():
    report = fold(SOURCE, [measure("count")], [placed("T.Region"), placed("T.SKU", heading="Article")])
    assert [report.rows.caption(line) for line in range(3)] == ["", "East, all articles", "Everything"]
    assert report.measures[0].heading == "Records"


@pytest.mark.parametrize("compare", [Running(), Rank(), Against(), MovingAverage()])
def test_a_comparison_whose_axis_was_taken_out_is_still_said(compare):
    alone = Fold("f", (Measure("m", "sum", FieldRef("T", "Net"), compare=compare),))
    assert sentence_of(alone).startswith("Net, summed, as ")
    assert headings_of(alone)["m"].startswith("Net, ")


def test_a_report_that_nobody_has_named_bears_what_it_holds():
    of = source(table("T", {"Site": ["Mill", "Yard"], "Net": [Decimal("1.00"), Decimal("2.00")]}))
    fold = Fold("New fold 2", (measure("sum", "T.Net"),), (placed("T.Site"),))
    assert label_of(fold, of) == "Net by Site"
    report = Engine(of).fold(fold)
    assert (report.name, report.title) == ("Net by Site", "Net by Site")
    named = Engine(of).fold(msgspec.structs.replace(fold, name="Newer folds"))
    assert named.title == "Newer folds"
    assert label_of(Fold("New fold")) == "New fold"


def test_one_of_something_is_no_several():
    assert [number_of(count, "record") for count in (0, 1, 2, 48_000)] == [
        "0 records",
        "1 record",
        "2 records",
        "48,000 records",
    ]


@pytest.mark.parametrize(
    ("name", "within"),
    [
        ("Order date", "order date"), ("Posting Date", "Posting Date"), ("Date of Birth", "Date of Birth"),
        ("VAT", "VAT"), ("Region", "region"), ("Channel: Trade", "channel: Trade"), ("", ""),
    ],
)  # fmt: skip
def test_a_name_within_a_sentence_begins_small_unless_all_its_words_begin_large(name, within):
    assert lower_first(name) == within
