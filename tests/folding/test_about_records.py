"""Which records a formula is about: the fold's for counts and conditions, those of the fields that are summed for amounts."""

import sqlite3
from decimal import Decimal

import pytest

from foldbasket.errors import FormulaError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.plan.summary import about
from foldbasket.folding.proof import proof_of
from foldbasket.formulas.checking import checked, schema_of
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import lines, measure, placed, source, table

D = Decimal
# Orders “a” and “b” have several lines each; “x” and a blank find no order, and no line has order “e”.
ORDERS = {
    "No": ["a", "b", "c", "d", "e"],
    "Prio": ["high", None, "low", "high", "high"],
    "Freight": [D("4.00"), D("6.00"), None, D("1.50"), D("7.00")],
}
LINES = {
    "Order": ["a", "a", "b", "c", "d", "x", None, "b"],
    "Site": ["E", "W", "E", "W", "W", "E", "W", None],
    "Qty": [1, 2, 3, 4, 5, 6, 7, 8],
}
ALL = source(table("Lines", LINES), table("Orders", ORDERS), links=[Link("Lines", "Orders", (("Order", "No"),))])
SITE = placed("Lines.Site")


@pytest.fixture(scope="module")
def sql():
    db = sqlite3.connect(":memory:")
    db.execute("create table lines (ord text, site text, qty int)")
    db.execute("create table orders (no text, prio text, freight real)")
    db.executemany("insert into lines values (?, ?, ?)", zip(*LINES.values(), strict=True))
    rows = [
        (no, prio, None if freight is None else float(freight))
        for no, prio, freight in zip(*ORDERS.values(), strict=True)
    ]
    db.executemany("insert into orders values (?, ?, ?)", rows)
    db.execute("create table first as select * from orders where rowid in (select min(rowid) from orders group by no)")
    db.execute(
        "create table joined as select l.*, o.no, o.prio, o.freight from lines l left join first o on l.ord = o.no"
    )
    return db


def by_site(sql, text, where="1", of="joined"):
    wanted = {}
    for site, value in sql.execute(f"select site, {text} from {of} where {where} group by site"):
        wanted["(blank)" if site is None else site] = value
    total = sql.execute(f"select {text} from {of.replace('site, ', '')} where {where}").fetchone()[0]
    return wanted, total


def ours(text, filters=()):
    """A formula by site; the quantity beside it makes order lines the records of the fold."""
    measures = (
        Measure("f", "formula", heading="F", formula=text),
        measure("sum", "Lines.Qty"),
    )
    found = lines(Engine(ALL).fold(Fold("t", measures, (SITE,), filters=tuple(filters))))
    values = {label: value if not isinstance(value, Decimal) else float(value) for label, value, *_ in found}
    total = values.pop("Everything", None)
    return values, total


COUNTED = [
    "COUNT(*) FILTER (WHERE prio IS NULL)",
    "COUNT(*) FILTER (WHERE prio = 'high')",
    "COUNT(*) FILTER (WHERE NOT prio = 'high')",
    "COUNT(*) FILTER (WHERE COALESCE(prio, 'none') <> 'low')",
    "COUNT(*) FILTER (WHERE COALESCE(prio, 'none') <> 'low' AND qty = qty)",
    "COUNT(*) FILTER (WHERE freight > 3 OR freight IS NULL)",
    "SUM(CASE WHEN prio = 'high' THEN 1 ELSE 0 END)",
    "SUM(CASE WHEN prio = 'high' THEN 1 ELSE 0 END) FILTER (WHERE prio IS NOT NULL)",
    "COUNT(CASE WHEN freight IS NULL THEN 'x' END)",
    "SUM(1)",
    "COUNT(*)",
]


@pytest.mark.parametrize("text", COUNTED)
def test_counts_and_constants_are_about_the_records_of_the_fold(sql, text):
    wanted, total = by_site(sql, text)
    values, everything = ours(text)
    assert values == {label: value for label, value in wanted.items() if label in values}
    assert set(wanted) == set(values)
    assert everything == total == sum(value for value in wanted.values() if value is not None)


SUMMED = [
    ("SUM(freight)", "sum(freight)"),
    ("SUM(freight * 2)", "sum(freight * 2)"),
    ("SUM(CASE WHEN prio = 'high' THEN freight END)", "sum(case when prio = 'high' then freight end)"),
    ("SUM(CASE WHEN prio = 'high' THEN freight ELSE 0 END)", "sum(case when prio = 'high' then freight else 0 end)"),
    ("SUM(freight) FILTER (WHERE prio IS NULL)", "sum(freight) filter (where prio is null)"),
    ("SUM(COALESCE(freight, 10))", "sum(coalesce(freight, 10))"),
    ("COUNT(freight)", "count(freight)"),
    ("COUNT(NULLIF(prio, 'high'))", "count(nullif(prio, 'high'))"),
]


@pytest.mark.parametrize(("text", "asked"), SUMMED)
def test_amounts_of_a_coarser_table_are_about_its_records_each_once(sql, text, asked):
    of = "(select distinct site, no, prio, freight from joined where no is not null)"
    wanted, total = by_site(sql, asked, of=of)
    values, everything = ours(text)
    assert {label: value for label, value in values.items() if value is not None} == {
        k: v for k, v in wanted.items() if v is not None
    }
    assert everything == total


@pytest.mark.parametrize(
    "condition",
    [
        "prio IS NULL",
        "prio IS NOT NULL",
        "COALESCE(prio, 'none') <> 'low'",
        "COALESCE(prio, 'none') <> 'low' AND qty = qty",
        "NOT (prio = 'low')",
        "CASE WHEN prio IS NULL THEN TRUE ELSE freight > 2 END",
        "1 = 1",
    ],
)
def test_a_condition_is_about_the_records_of_the_fold_and_sees_those_without_partner(sql, condition):
    wanted, total = by_site(sql, "count(*)", condition)
    values, everything = ours("COUNT(*)", [Condition("w", condition)])
    assert values == wanted
    assert everything == total


def test_where_only_the_coarser_table_is_used_its_records_are_those_of_the_fold():
    measures = (Measure("f", "formula", heading="F", formula="COUNT(*) FILTER (WHERE prio = 'high')"),)
    assert lines(Engine(ALL).fold(Fold("t", measures))) == [(3,)]


TOLD = [
    ("COUNT(*)", None),
    ("COUNT(*) FILTER (WHERE prio IS NULL)", None),
    ("SUM(1)", None),
    ("SUM(CASE WHEN prio = 'high' THEN 1 ELSE 0 END)", None),
    ("SUM(freight)", "Orders"),
    ("SUM(CASE WHEN prio = 'high' THEN freight ELSE 0 END)", "Orders"),
    ("AVG(freight) FILTER (WHERE prio = 'high')", "Orders"),
    ("COUNT(DISTINCT prio)", "Orders"),
    ("SUM(qty)", "Lines"),
    ("SUM(qty) FILTER (WHERE prio IS NULL)", "Lines"),
    ("SUM(qty * freight)", "Lines"),
    ("SUM(CASE WHEN prio = 'high' THEN qty END)", "Lines"),
    ("MAX(NULLIF(freight, 0))", "Orders"),
]


@pytest.mark.parametrize(("text", "table_named"), TOLD)
def test_what_each_form_is_about_can_be_told(text, table_named):
    made = checked(text, schema_of(ALL), wants="measure")
    assert about(made, ALL) == [(text, table_named)]


@pytest.mark.parametrize("text", ["SUM(freight) FILTER (WHERE qty > 2)", "SUM(CASE WHEN qty > 2 THEN freight END)"])
def test_a_condition_that_would_count_an_amount_many_times_is_refused(text):
    made = checked(text, schema_of(ALL), wants="measure")
    with pytest.raises(FormulaError, match="each record of Orders has many"):
        about(made, ALL)
    with pytest.raises(FormulaError, match="each record of Orders has many"):
        ours(text)


def test_every_form_is_proved_on_the_records_of_its_own_fold():
    texts = [*COUNTED, *(text for text, _ in SUMMED)]
    measures = [Measure(f"f{at}", "formula", heading=f"F{at}", formula=text) for at, text in enumerate(texts)]
    fold = Fold("t", (*measures, measure("count"), measure("sum", "Lines.Qty")), (placed("Orders.Prio"),))
    engine = Engine(ALL)
    report = engine.fold(fold)
    for row in range(report.height):
        for column in range(report.width):
            proof = proof_of(engine, fold, report, row, column)
            assert proof.agrees, (proof.measure, proof.where, proof.again, proof.shown)
            assert proof.base == "Lines"
