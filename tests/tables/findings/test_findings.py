"""Findings: what is planted is found and counted, what is tidy is left in peace, and one walk of mends makes it whole."""

import pyarrow.csv as pc
import pytest

from foldbasket.demo.generator import quillmoor
from foldbasket.demo.scenario import write_demo
from foldbasket.demo.untidy import UNTIDY_LINES, UNTIDY_PLAN, tidy_sample, write_untidy
from foldbasket.links.findings import link_findings
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.tables.column import text_column
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.findings.spellings import one_slip
from foldbasket.tables.mending.mend import mended
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table

LINES = 6_000


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("untidy")
    write_demo(folder, LINES)
    return folder


@pytest.fixture(scope="module")
def order_lines():
    return quillmoor(LINES)["order_lines"]


def linked(lines, folder):
    varieties = read_table(folder / "varieties.csv", "Varieties")
    link = Link("Lines", "Varieties", (("Variety code", "Variety code"),))
    return Source({"Lines": lines, "Varieties": varieties}, (link,))


def all_findings(table, folder):
    return [*findings_of(table), *link_findings(linked(table, folder), "Lines")]


def totals(table):
    """Everything a report could add up or count, in exact numbers and canonical text."""
    made = {}
    for name, column in table.columns.items():
        texts = [column.text(record) for record in range(table.count)]
        made[name] = sorted(text or "" for text in texts)
    return made


def test_every_planted_fault_is_found_and_nothing_else(folder, order_lines, tmp_path):
    planted = write_untidy(order_lines, tmp_path / "untidy.csv")
    table = read_table(tmp_path / "untidy.csv", "Lines")
    found = {}
    for finding in all_findings(table, folder):
        key = f"{finding.kind}: {finding.field}"
        found[key] = finding.count if finding.kind != "title lines" else table.titles
        if finding.kind != "title lines":
            assert len(finding.records()) == finding.count, key
    assert found == planted


@pytest.mark.parametrize("stem", ["order_lines", "orders", "customers", "varieties", "sellers", "plan"])
def test_nothing_is_found_in_tidy_files(folder, stem):
    assert findings_of(read_table(folder / f"{stem}.csv", stem)) == []


def walk(table, folder):
    """Takes the first offer of each finding, one after the other, as an analyst does, until none is left but the honest."""
    mends = []
    for _ in range(30):
        step = next(
            (
                each
                for each in all_findings(mended(table, mends)[0], folder)
                if each.offers and each.kind != "no amount"
            ),
            None,
        )
        if step is None:
            return tuple(mends)
        mends += step.offers[0].mends
    raise AssertionError("the walk does not end")


def test_one_walk_mends_them_all_and_the_totals_are_those_of_the_tidy_original(folder, order_lines, tmp_path):
    untidy = read_table(folder / UNTIDY_LINES, "Lines")
    mends = walk(untidy, folder)
    whole, outcomes = mended(untidy, mends)
    assert all(outcome.problem is None and outcome.changed for outcome in outcomes)
    tidy_path = tmp_path / "tidy.csv"
    pc.write_csv(tidy_sample(order_lines), tidy_path)
    tidy = read_table(tidy_path, "Lines")
    assert totals(whole) == totals(tidy)
    assert [column.type for column in whole.columns.values()] == [column.type for column in tidy.columns.values()]
    assert whole.texts == {}
    assert [finding.kind for finding in all_findings(whole, folder)] == ["title lines", "no amount"]


def test_undoing_every_mend_restores_the_first_reading(folder):
    untidy = read_table(folder / UNTIDY_LINES, "Lines")
    before = totals(untidy)
    mends = walk(untidy, folder)
    for count in range(len(mends), -1, -1):
        shown = mended(untidy, mends[:count])[0]
    assert shown is untidy
    assert totals(shown) == before


def test_months_side_by_side_become_records_with_the_same_total(folder):
    wide = read_table(folder / UNTIDY_PLAN, "Plan")
    (finding,) = findings_of(wide)
    assert finding.title == "24 months stand side by side"
    tall = mended(wide, finding.offers[0].mends)[0]
    plan = read_table(folder / "plan.csv", "Plan")
    assert tall.count == plan.count
    assert tall.columns["Amount"].values.sum() == plan.columns["Planned net"].values.sum()


def table_of(**columns):
    return Table.of("Any", [text_column(name, values) for name, values in columns.items()])


def kinds(table):
    return [(finding.kind, finding.field, finding.count) for finding in findings_of(table)]


def test_accents_signs_and_case_are_one_spelling_but_other_words_are_not():
    names = ["Café Noir"] * 20 + ["cafe noir"] * 2 + ["Café-Noir"] + ["Cafe Rouge"] * 5
    assert kinds(table_of(Name=names)) == [("spellings", "Name", 3)]


def test_slips_need_a_common_value_and_no_digits():
    assert kinds(table_of(Name=["Nordmark"] * 40 + ["Nordmrak", "Nordmarkk"])) == [("spellings", "Name", 2)]
    assert kinds(table_of(Name=["Anna Berg"] * 3 + ["Anne Berg"] * 3 + ["x"])) == []
    assert kinds(table_of(Name=["Plot 91"] * 40 + ["Plot 92"])) == []
    assert kinds(table_of(Name=["Anna Berg"] * 40 + ["Anne Berg"] * 30)) == []


@pytest.mark.parametrize(
    ("one", "other", "slip"),
    [("trade", "trdae", True), ("trade", "trad", True), ("trade", "trader", True), ("trade", "grade", True), ("trade", "trade", False), ("trade", "tradexx", False), ("abcd", "badc", False), ("ab", "ba", True)],
)  # fmt: skip
def test_a_slip_is_one_letter_or_two_swapped(one, other, slip):
    assert one_slip(one, other) is slip
    assert one_slip(other, one) is slip


def test_a_word_for_blank_among_words_is_found_only_where_it_is_sure():
    assert kinds(table_of(Channel=["Trade", "Web", "n/a", "-"])) == [("blank words", "Channel", 2)]
    assert kinds(table_of(Channel=["Trade", "Web", "None"])) == []


def test_dates_that_fit_both_orders_are_asked():
    (finding,) = findings_of(table_of(Day=["3/4/2026", "5/6/2026"]))
    assert [offer.label for offer in finding.offers] == ["Read as day/month/year", "Read as month/day/year"]
    first, second = (mended(table_of(Day=["3/4/2026"]), offer.mends)[0] for offer in finding.offers)
    assert (first.columns["Day"].text(0), second.columns["Day"].text(0)) == ("2026-04-03", "2026-03-04")


def test_a_total_in_a_firms_name_is_no_total_line():
    assert kinds(table_of(Firm=["Total Gardens", "Fern & Co", "Moss Ltd"] * 9, Net=["a", "b", "c"] * 9)) == [
        ("repeated rows", "", 24)
    ]


def test_heavy_tails_are_no_fault(order_lines):
    import numpy as np

    values = np.round(np.random.default_rng(3).pareto(1.6, 40_000) * 100).astype("int64")
    import pyarrow as pa

    table = Table.of("Any", [from_arrow("Net", pa.chunked_array([pa.array(values)]))])
    assert [finding for finding in findings_of(table) if finding.kind == "far amounts"] == []


def test_keys_repeated_in_a_table_of_members_are_found():
    keys = [f"C{number}" for number in range(100)]
    (finding,) = [
        each
        for each in findings_of(table_of(**{"Customer no.": [*keys, "C7"], "Name": [*keys, "other"]}))
        if each.kind == "repeated keys"
    ]
    assert (finding.count, finding.title) == (2, "1 value of Customer no. stands on more than one record")
    assert mended(table_of(**{"Customer no.": [*keys, "C7"]}), finding.offers[0].mends)[0].count == 100


def test_an_empty_table_and_one_of_blanks_have_findings_without_failing():
    assert findings_of(Table.of("None", [])) == []
    assert findings_of(table_of(A=[], B=[])) == []
    assert [finding.kind for finding in findings_of(table_of(A=[None, ""], B=[" ", None]))] == ["empty rows"]
