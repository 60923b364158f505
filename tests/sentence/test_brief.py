"""What people type, each beside the sentence in full that it means."""

import datetime
import itertools

import pytest

from foldbasket.errors import SentenceError
from foldbasket.folding.engine import Engine
from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.sentence.grammar import SIGNS
from foldbasket.sentence.reading import read, readings
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.sentence.writing import written
from tests.folding.build import lines, source, table

DAY = datetime.date(2026, 1, 2)

BY_HAND = {
    "net by region and month, trade only": "Net, summed for each Region › Month of Order date keeping Channel: Trade",
    "avg unit price by line, top 10 customer": "Unit price, averaged for each Line › Customer (top 10 by Unit price; largest first by Unit price)",
    "count orders per seller": "Order no. of Orders, values counted for each Seller",
    "net 2026 vs 2025 by region": "Net, summed and Net, summed, as % change from the one before for each Region across Year of Order date"
    " keeping Year of Order date: 2026, 2025",
    "Net by region by quarter": "Net, summed for each Region across Quarter of Order date",
    "top 10 customers by net": "Net, summed for each Customer (top 10 by Net; largest first by Net)",
    "the bottom 3 lines by quantity": "Quantity, summed for each Line (bottom 3 by Quantity; smallest first by Quantity)",
    "net by channel last quarter": "Net, summed for each Channel keeping Order date: the last quarter",
    "net by channel, last 4 quarters": "Net, summed for each Channel keeping Order date: the last 4 quarters",
    "net by region for this year to date": "Net, summed for each Region keeping Order date: this year to date",
    "average unit price by pot size without promotions": "Unit price, averaged for each Pot size keeping Promotion: blank",
    "net by line, except herbs": "Net, summed for each Line keeping Line: not Herbs",
    "net by region without Trade or Web": "Net, summed for each Region keeping Channel: not Trade, Web",
    "net by region, channel: trade, web": "Net, summed for each Region keeping Channel: Trade, Web",
    "share of net by channel": "Net, summed, as % of everything for each Channel",
    "net share by channel": "Net, summed, as % of everything for each Channel",
    "net and share by channel": "Net, summed and Net, summed, as % of everything for each Channel",
    "net and cost by channel, its share": "Net, summed and Cost, summed and Cost, summed, as % of everything for each Channel",
    "net by channel as a share": "Net, summed, as % of everything for each Channel",
    "net by channel in percent": "Net, summed, as % of everything for each Channel",
    "share by channel": None,
    "net by share": None,
    "net by region, net > 1,000": "Net, summed for each Region keeping Net: > 1000",
    "net by region, net >= 1,234,567.5": "Net, summed for each Region keeping Net: ≥ 1234567.5",
    "top 1,000 customers by net": "Net, summed for each Customer (top 1000 by Net; largest first by Net)",
    "net as % of the column by channel": "Net, summed, as % of the column for each Channel",
    "net by month": "Net, summed for each Month of Order date",
    "net by region by month": "Net, summed for each Region across Month of Order date",
    'net by "Month"': 'Net, summed for each "Month"',
    "planned net by month": 'Planned net, summed for each Month of "Month"',
    "net and planned net by month": "Net, summed and Planned net, summed for each Month of Order date",
    "net in March by team": "Net, summed for each Team keeping Month of the year of Order date: March",
    "net in March 2026 by team": "Net, summed for each Team keeping Month of Order date: Mar 2026",
    "net in Q1 2026 by team": "Net, summed for each Team keeping Quarter of Order date: Q1 2026",
    "net by region by quarter of order date": "Net, summed for each Region across Quarter of Order date",
    "net by weekday": "Net, summed for each Weekday of Order date",
    "records by channel": "Records, counted for each Channel",
    "how was it": None,
    "margin = [SUM(Net) - SUM(Cost)] by line": "margin = [SUM(Net) - SUM(Cost)] for each Line",
    "net by region, net > 100": "Net, summed for each Region keeping Net: > 100",
    "planned net by region": "Planned net, summed for each Region",
    "customers by segment": "Customer, values counted for each Segment",
    "Show net for every region, please": None,
    "net by channel, promotion: (blank)": "Net, summed for each Channel keeping Promotion: (blank)",
    "net by region, top 3": "Net, summed for each Region (top 3 by Net; largest first by Net)",
    "top 3 days by net": "Net, summed for each Day of Order date (top 3 by Net; largest first by Net)",
    "top 2 months of delivered by freight": "Freight, summed for each Month of Delivered (top 2 by Freight; largest first by Freight)",
    "net by channel, largest first": "Net, summed for each Channel (largest first by Net)",
    "records by channel, smallest first": "Records, counted for each Channel (smallest first by Records)",
    "largest first": None,
    "net by region for trade order lines": "Net, summed for each Region keeping Channel: Trade",
    "net by region in trade channel": "Net, summed for each Region keeping Channel: Trade",
    "net by region for trade customers": "Net, summed for each Region keeping Channel: Trade",
    "net by region for herbs customers": None,
    "net by region for trade varieties": "Net, summed for each Region keeping Channel: Trade",
    "net by region for north sellers": None,
    "web and trade net by quarter": "Net, summed for each Quarter of Order date keeping Channel: Web, Trade",
    "net called “Sales” by region": 'Net, summed called "Sales" for each Region',
    "count by channel": "Records, counted for each Channel",
    "count": "Records, counted",
    "net and count, by region": "Net, summed and Records, counted for each Region",
    "how many customers by region": "Customer, different values counted for each Region",
    "unique customers": "Customer, different values counted",
    "how many by channel": "Records, counted for each Channel",
    "what was net in 2026": "Net, summed keeping Year of Order date: 2026",
    "net by region where channel is web or trade": "Net, summed for each Region keeping Channel: Web, Trade",
    "net by region where channel is not web": "Net, summed for each Region keeping Channel: not Web",
    "net excluding web": "Net, summed keeping Channel: not Web",
    "net by region, sorted by net": "Net, summed for each Region (largest first by Net)",
    "net by region sorted by net asc": "Net, summed for each Region (smallest first by Net)",
    "net by region, sorted by cost": "Net, summed and Cost, summed for each Region (largest first by Cost)",
    "net by region, sorted by region": "Net, summed for each Region",
    "net by region desc, sorted by region": None,
    "net by region vs site": None,
    "net by region vs 2025": None,
    "net without promotion or web": "Net, summed keeping Promotion: blank and Channel: not Web",
    "net without promotion and web, 2026": "Net, summed keeping Promotion: blank and Channel: not Web and Year of Order date: 2026",
    "cost share of net": "Cost, summed, as % of Net and Net, summed",
    "plan by month": 'Records, counted for each Month of "Month"',
    "plan by line": "Records, counted for each Line of Plan",
    "average orders per customer": None,
    "largest order per customer": None,
    "called “Sales” by region": None,
    "net by seller desc, no totals": "Net, summed for each Seller (largest first by Net); no grand total of rows; no grand total of columns",
    "net by region and line without subtotals": "Net, summed for each Region (no subtotals) › Line (no subtotals)",
    "net by region with totals": "Net, summed for each Region",
    "10 best customers by net": "Net, summed for each Customer (top 10 by Net; largest first by Net)",
    "3 largest orders by net": "Net, summed for each Order no. of Orders (top 3 by Net; largest first by Net)",
    "top 3 sales by net": None,
    "top customers by net": None,
    "net above 100 by region": "Net, summed for each Region keeping Net: > 100",
    "net over 1,000 by region": "Net, summed for each Region keeping Net: > 1000",
    "net by region, net under 20": "Net, summed for each Region keeping Net: < 20",
    "net over region": "Net, summed across Region",
    "net by region % of the row": "Net, summed, as % of the row for each Region",
    "% of net by region": "Net, summed, as % of everything for each Region",
    "net by region, cost is at most 5": "Net, summed for each Region keeping Cost: ≤ 5",
    "net between 2025 and 2026": "Net, summed keeping Order date: 1 Jan 2025 to 31 Dec 2026",
    "net between 5 and 2026": "Net, summed keeping Net: 5 to 2026",
    "net between 2000 and 5000": "Net, summed keeping Net: 2000 to 5000",
    "net between 5 and 6": "Net, summed keeping Net: 5 to 6",
    "net since march 2026 by region": "Net, summed for each Region keeping Order date: from 1 Mar 2026",
    "net since 1 march 2026": "Net, summed keeping Order date: from 1 Mar 2026",
    "net before March 3 2026 by region": "Net, summed for each Region keeping Order date: < 3 Mar 2026",
    "net by region, order date: 3 Mar 2026": "Net, summed for each Region keeping Order date: 3 Mar 2026",
    "net by region after Q1 2026": "Net, summed for each Region keeping Order date: > 31 Mar 2026",
    "net until 2025": "Net, summed keeping Order date: up to 31 Dec 2025",
    "net where delivered before april 2026": "Net, summed keeping Delivered: < 1 Apr 2026",
    "net by month from october 2025 to march 2026": "Net, summed for each Month of Order date keeping Order date: 1 Oct 2025 to 31 Mar 2026",
    "net between january 2026 and march 2026": "Net, summed keeping Order date: 1 Jan 2026 to 31 Mar 2026",
    "net by region, delivered between 2025 and 2026": "Net, summed for each Region keeping Delivered: 1 Jan 2025 to 31 Dec 2026",
    "delivered between 2025 and 2026": None,
    "net since 31 february 2026": None,
    "net since march": None,
    "net not since march 2026": None,
    "running net by month in 2026": "Net, summed, as running total for each Month of Order date keeping Year of Order date: 2026",
    "net by month, running total": "Net, summed and Net, summed, as running total for each Month of Order date",
    "net growth by quarter": "Net, summed, as % change from the one before for each Quarter of Order date",
    "growth of net by quarter": "Net, summed, as % change from the one before for each Quarter of Order date",
    "net by quarter year on year": "Net, summed, as % change from a year before for each Quarter of Order date",
    "net by quarter vs last year": "Net, summed and Net, summed, as % change from a year before for each Quarter of Order date",
    "net by month vs last month": "Net, summed and Net, summed, as % change from the one before for each Month of Order date",
    "net this year vs last year": None,
    "growth": None,
}
MEASURES = {
    "net": "Net, summed", "Avg net": "Net, averaged", "the sum of cost": "Cost, summed", "median quantity": "Quantity, median",
    "net and cost": "Net, summed and Cost, summed", "largest unit price": "Unit price, largest", "unit price": "Unit price, averaged",
}  # fmt: skip
AXES = {
    "by region": " for each Region", "per region and line": " for each Region › Line", "for each site by year": " for each Site across Year of Order date",
    "by sellers across channel": " for each Seller across Channel", "by month of delivered": " for each Month of Delivered",
    "by segment, family": " for each Segment › Family",
}  # fmt: skip
KEPT = {
    "": "", ", trade only": " keeping Channel: Trade", " for 2026": " keeping Year of Order date: 2026",
    " in April 2026": " keeping Month of Order date: Apr 2026", " without web": " keeping Channel: not Web",
    ", last month": " keeping Order date: the last month", " for trade and web": " keeping Channel: Trade, Web",
    ", 2025 and 2026": " keeping Year of Order date: 2025, 2026",
}  # fmt: skip


@pytest.fixture(scope="module")
def words(demo):
    return Vocabulary(prepare(basket_or_data(demo), lazily=True).engine.source)


@pytest.mark.parametrize("said", BY_HAND)
def test_a_short_form_means_a_sentence_in_full(words, said):
    if BY_HAND[said] is None:
        with pytest.raises(SentenceError):
            read(said, words)
        return
    assert written(read(said, words), words) == BY_HAND[said]
    assert read(BY_HAND[said], words) == read(said, words)


@pytest.mark.parametrize("measure", MEASURES)
def test_short_forms_are_put_together_from_measures_axes_and_filters(words, measure):
    for axis, kept in itertools.product(AXES, KEPT):
        said = f"{measure} {axis}{kept}"
        assert read(said, words) == read(MEASURES[measure] + AXES[axis] + KEPT[kept], words), said


def test_where_two_readings_are_possible_both_are_offered_in_full(words):
    with pytest.raises(SentenceError, match="more than one way") as error:
        read("for each Line", Vocabulary(without_shared(words)))
    assert error.value.could == ("for each Line of Varieties", "for each Line of Plan")
    assert [written(each, words) for each in readings("for each Line of Plan", words)] == ["for each Line of Plan"]


def without_shared(words):
    of = words.source
    return type(of)(of.tables, of.links, (), of.fiscal)


@pytest.mark.parametrize(
    ("columns", "said"),
    [
        ({"Month": ["Jan", "Feb"], "Net": [1, 2]}, '"Month"'),
        ({"Month": ["Jan", "Feb"], "Day": [DAY, DAY], "Net": [1, 2]}, '"Month"'),
        ({"Day": [DAY, DAY], "Net": [1, 2]}, 'Month of "Day"'),
    ],
)
def test_a_field_of_the_records_themselves_that_is_called_like_a_part_of_a_date_is_meant(columns, said):
    words = Vocabulary(source(table("T", columns)))
    assert written(read("net by month", words), words) == f"Net, summed for each {said}"


@pytest.mark.parametrize("said", SIGNS)
def test_words_of_signs_are_signs(words, said):
    for lead in ("net by region, net", "net by region where net"):
        assert (
            written(read(f"{lead} {said} 7", words), words)
            == f"Net, summed for each Region keeping Net: {SIGNS[said]} 7"
        )


def test_moments_are_told_by_their_days_so_that_the_last_is_whole():
    moment = datetime.datetime(2026, 3, 31, 23, 59)
    words = Vocabulary(source(table("T", {"When": [moment, moment + datetime.timedelta(minutes=1)], "Net": [1, 2]})))
    assert lines(Engine(words.source).fold(read("net until march 2026", words))) == [(1,)]
    assert lines(Engine(words.source).fold(read("net after march 2026", words))) == [(2,)]
