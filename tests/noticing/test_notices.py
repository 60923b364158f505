"""What is worth a second look: each notice where it is true, none where it is not, and what its ways come to."""

import datetime

import msgspec

from foldbasket import faults
from foldbasket.folding.engine import Engine
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.links.link import Link
from foldbasket.noticing import notice
from foldbasket.noticing.notice import NOTICES, Seen, noticed
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, source, table

replace = msgspec.structs.replace


def days(first, many, step=1):
    start = datetime.date.fromisoformat(first)
    return [start + datetime.timedelta(days=at * step) for at in range(many)]


def seen(of, fold):
    engine = Engine(of)
    return Seen(engine.fold(fold), fold, of)


def said(of, fold):
    return [each.said for each in noticed(seen(of, fold))]


def after(of, fold, notice, at=0):
    """The fold once a way was gone."""
    way = notice.ways[at]
    changed = replace(fold, **way.changes)
    return replace(changed, filters=(*changed.filters, way.rule)) if way.rule is not None else changed


SALES = {
    "channel": ["Trade", "Trade", "Web", None, "Trade"],
    "customer": ["c1", "c2", "c3", "c9", "c1"],
    "unit price": [4.5, 5.0, 6.25, 7.0, 8.5],
    "net": [10, 20, 30, 40, 50],
}


def test_a_sum_of_prices_is_told_and_averaged_instead():
    of = source(table("Sales", SALES))
    fold = Fold("test", (measure("sum", "Sales.unit price"),), (placed("Sales.channel"),))
    first = noticed(seen(of, fold))[0]
    assert first.said == "unit price adds up prices or rates, which is rarely meaningful."
    assert after(of, fold, first).measures[0].aggregate == "average"
    assert not any("rarely meaningful" in each for each in said(of, after(of, fold, first)))
    assert not any(
        "rarely meaningful" in each for each in said(of, replace(fold, measures=(measure("sum", "Sales.net"),)))
    )


def test_a_blank_member_and_records_without_partner_are_told_and_left_out():
    customers = table("Customers", {"customer": ["c1", "c2", "c3"], "town": ["Saltby", "Hythe", "Hythe"]})
    of = source(table("Sales", SALES), customers, links=[Link("Sales", "Customers", (("customer", "customer"),))])
    fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Customers.town"),), (placed("Sales.channel"),))
    found = noticed(seen(of, fold))
    assert [each.said for each in found] == [
        "Some records have no match in Customers, so their town is shown as (no match).",
        "Some records have no channel. They are shown as (blank).",
    ]
    for each in found:
        fold = after(of, fold, each)
        fold = replace(fold, filters=tuple(replace(rule, id=f"f{at}") for at, rule in enumerate(fold.filters)))
    assert said(of, fold) == []


def test_a_missing_match_is_named_where_it_is_missing():
    """Of a chain of links, the table in which there is none is named, not the one that the field is of."""
    lines = table("Lines", {"order": ["o1", "o2", "o9"], "net": [1, 2, 3]})
    orders = table("Orders", {"order": ["o1", "o2"], "customer": ["c1", "c1"]})
    customers = table("Customers", {"customer": ["c1"], "town": ["Hythe"]})
    links = [Link("Lines", "Orders", (("order", "order"),)), Link("Orders", "Customers", (("customer", "customer"),))]
    fold = Fold("test", (measure("sum", "Lines.net"),), (placed("Customers.town"),))
    assert said(source(lines, orders, customers, links=links), fold) == [
        "Some records have no match in Orders, so their town is shown as (no match)."
    ]
    both = table("Orders", {"order": ["o1", "o2"], "customer": ["c1", "c9"]})
    assert said(source(lines, both, customers, links=links), fold) == [
        "Some records have no match in Orders or Customers, so their town is shown as (no match)."
    ]


def test_a_member_that_holds_nearly_all_is_told_and_shares_are_offered():
    of = source(table("Sales", {"site": ["a", "b", "c"], "net": [970, 20, 10]}))
    fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.site"),))
    only = noticed(seen(of, fold))
    assert [each.said for each in only] == ["a makes up 97% of net."]
    shares = after(of, fold, only[0])
    assert Engine(of).fold(shares).text(0, 0) == "97.0%"
    assert said(of, shares) == []
    assert said(of, replace(fold, rows=(), columns=fold.rows)) == ["a makes up 97% of net."]
    most = source(table("Sales", {"site": ["a", "b", "c"], "net": [99700, 200, 100]}))
    assert said(most, fold) == ["a makes up 99.7% of net."], "what is not all is not said to be"
    even = source(table("Sales", {"site": ["a", "b", "c"], "net": [940, 40, 20]}))
    assert said(even, fold) == []
    returns = source(table("Sales", {"site": ["a", "b", "c"], "net": [970, 20, -10]}))
    assert said(returns, fold) == [], "shares of amounts of both signs say little"


def test_a_period_that_is_not_over_is_told_and_left_out():
    dates = days("2025-01-01", 500)
    of = source(table("Sales", {"day": dates, "net": [1] * len(dates)}))
    fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.day", part="quarter"),))
    only = noticed(seen(of, fold))
    assert [each.said for each in only] == ["Q2 2026 is incomplete: data ends 15 May 2026."]
    assert said(of, after(of, fold, only[0])) == []
    whole = source(table("Sales", {"day": days("2025-01-01", 364), "net": [1] * 364}))
    assert said(whole, fold) == [], "the last day of a quarter may have no sales"


def test_a_year_that_ends_with_the_calendar_is_one_like_others():
    of = source(table("Sales", {"day": days("9998-01-01", 365) + days("9999-01-01", 40), "net": [1] * 405}))
    for part in ("year", "half", "quarter", "month", "fiscal year", "fiscal quarter"):
        fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.day", part=part),))
        assert any("is incomplete: data ends" in each for each in said(of, fold)), part
    last = days("9999-12-01", 31)
    of = source(table("Sales", {"day": last, "net": [1] * len(last)}))
    assert said(of, Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.day", part="year"),))) == [
        "9999 is incomplete: data begins 1 Dec 9999."
    ]


def test_a_long_list_is_told_and_its_largest_are_offered():
    of = source(table("Sales", {"customer": [f"c{at}" for at in range(80)], "net": list(range(80))}))
    fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.customer"),))
    only = noticed(seen(of, fold))
    assert [each.said for each in only] == ["80 customers are too many to read in one report."]
    assert isinstance(after(of, fold, only[0]).rows[0].keep, Top)
    report = Engine(of).fold(after(of, fold, only[0]))
    assert report.height == 12, "ten, the others as one, and the total"


def test_a_way_of_looking_is_one_file_and_one_that_fails_is_passed_over():
    assert {"meaningless_sums", "without_member", "nearly_all", "in_part", "long_list"} <= set(NOTICES.keys())
    of = source(table("Sales", SALES))
    fold = Fold("test", (measure("sum", "Sales.net"),), (placed("Sales.channel"),))
    gone = replace(fold, measures=(measure("sum", "Sales.gone"),))
    engine = Engine(of)
    assert noticed(Seen(engine.fold(fold), gone, of))


def test_a_way_of_looking_with_a_fault_keeps_the_others_from_nothing(monkeypatch):
    noted = []
    monkeypatch.setattr(faults, "note", noted.append)
    monkeypatch.setattr(notice, "NOTICES", [notice.NoticeKind(lambda _: 1 / 0, 0), *NOTICES])
    of = source(table("Sales", SALES))
    fold = Fold("test", (measure("sum", "Sales.unit price"),), (placed("Sales.channel"),))
    assert any("blank" in each for each in said(of, fold))
    assert [type(each) for each in noted] == [ZeroDivisionError]
