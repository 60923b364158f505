"""The proof of a cell is a second way to its number: from its records, for every cell of many shapes of report."""

import datetime as dt
import itertools
import random
from decimal import Decimal

import msgspec
import pytest

from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.listed import usual_fields
from foldbasket.folding.proof import proof_of
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import bands, keep, measure, placed, ref, source, table
from tests.rounds import seeds

D = Decimal


def sales(seed):
    draw = random.Random(seed)
    count = 50
    orders = table("Orders", {"No": ["a", "b", "c", "d"], "Freight": [D("1.00"), D("2.50"), None, D("4.00")]})
    near = table(
        "Lines",
        {
            "No": [draw.choice(["a", "b", "c", "d", "gone"]) for _ in range(count)],
            "Site": [draw.choice(["x", "y", "z", "w", None]) for _ in range(count)],
            "Day": [dt.date(2026, draw.randrange(1, 7), 5) for _ in range(count)],
            "Net": [D(draw.randrange(-500, 5000)).scaleb(-2) for _ in range(count)],
        },
    )
    return source(near, orders, links=[Link("Lines", "Orders", (("No", "No"),))])


MARGIN = Measure("ratio", "formula", heading="Ratio", formula="(SUM(Net) - SUM(Freight)) / COUNT(DISTINCT Site)")


@pytest.mark.parametrize("seed", seeds(6))
def test_every_cell_and_total_is_proved(seed):
    of = sales(seed)
    engine = Engine(of)
    words = [
        placed("Lines.Site", keep=keep("sum Lines.Net", "top", "2", rest="gathered")),
        placed("Lines.Day", part="quarter"),
    ]
    fold = Fold(
        "f",
        (measure("sum", "Lines.Net"), measure("median", "Lines.Net"), measure("sum", "Orders.Freight"), MARGIN),
        (words[0],),
        (words[1], placed("Lines.Net", bands=bands("edges", ("0", "20", "40")))),
        (Compare("f", ref("Lines.Net"), None, ">", "-3"),),
    )
    report = engine.fold(fold)
    proved = 0
    for row in range(report.height):
        for column in range(report.width):
            proof = proof_of(engine, fold, report, row, column)
            assert proof.agrees, (proof, row, column)
            proved += report.value(row, column) is not None
    assert proved > 40


def test_a_proof_names_its_parts_its_records_and_its_place():
    of = sales(1)
    engine = Engine(of)
    fold = Fold("f", (MARGIN, measure("sum", "Lines.Net", compare=ShareOf())), (placed("Lines.Site"),))
    report = engine.fold(fold)
    proof = proof_of(engine, fold, report, 0, 0)
    assert (proof.where, proof.base, proof.measure) == (report.rows.label(0, 0), "Lines", "Ratio")
    assert [part.name for part in proof.parts] == ["SUM(Net)", "SUM(Freight)", "COUNT(DISTINCT Site)"]
    net, freight, sites = (part.value for part in proof.parts)
    assert proof.shown == pytest.approx(float(net - freight) / sites)
    site = of.column(ref("Lines.Site"))
    assert {site.text(int(record)) for record in proof.records} == {proof.where}
    share = proof_of(engine, fold, report, 0, 1)
    assert share.again == net
    assert share.note.startswith("The cell shows it as % of everything")
    names = {part.name: part.value for part in share.parts}
    assert names["Count records"] == len(share.records) == names["Count values"]
    assert [each.field for each in usual_fields(fold, share)] == ["No", "Site", "Day", "Net"]


@pytest.mark.parametrize("seed", seeds(40))
def test_totals_of_what_is_shown_are_proved_by_the_records_of_what_is_shown(seed):
    draw = random.Random(seed)
    engine = Engine(sales(seed))

    def picked(path, **more):
        kept = keep(
            "sum Lines.Net",
            draw.choice(["top", "bottom"]),
            str(draw.randint(1, 3)),
            rest=draw.choice(["gone", "gone", "gathered"]),
        )
        return placed(path, keep=kept if draw.random() < 0.7 else None, closed=draw.random() < 0.3, **more)

    rows = [picked("Lines.Site"), picked("Lines.Day", part="month"), picked("Lines.No", id="no")]
    draw.shuffle(rows)
    fold = Fold(
        "f",
        (
            measure("sum", "Lines.Net"),
            measure("median", "Lines.Net"),
            measure("sum", "Orders.Freight"),
            measure("count", None),
        ),
        tuple(rows[: draw.randint(1, 2)]),
        (rows[2],) if draw.random() < 0.6 else (),
        totals_cover="shown",
    )
    report = engine.fold(fold)
    cells = list(itertools.product(range(report.height), range(report.width)))
    for row, column in draw.sample(cells, min(len(cells), 60)):
        proof = proof_of(engine, fold, report, row, column)
        assert proof.agrees, (report.text(row, column), proof.again, proof.where)


def test_what_is_not_shown_is_told_among_what_is_not_counted():
    of = source(table("Lines", {"Site": ["x", "x", "y", "z"], "Net": [D("5.00"), D("4.00"), D("2.00"), D("1.00")]}))
    engine = Engine(of)
    site = placed("Lines.Site", keep=keep("sum Lines.Net", "top", "1"))
    fold = Fold("f", (measure("sum", "Lines.Net"),), (site,), totals_cover="shown")
    report = engine.fold(fold)
    proof = proof_of(engine, fold, report, report.height - 1, 0)
    assert (proof.again, proof.behind.many) == (D("9.00"), 2)
    assert [(each.why, each.many) for each in proof.left_out] == [("of members that are not shown", 2)]


def test_totals_of_the_lines_say_so():
    engine = Engine(sales(2))
    lines = Fold("f", (msgspec.structs.replace(measure("sum", "Lines.Net"), total="average"),), (placed("Lines.Site"),))
    report = engine.fold(lines)
    assert "made of the lines shown" in proof_of(engine, lines, report, report.height - 1, 0).note


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("total", ["sum", "average", "smallest", "largest", "none"])
def test_totals_of_the_lines_shown_are_proved_on_both_axes(total, closed):
    engine = Engine(sales(3))
    net = Measure("n", "average", ref("Lines.Net"), total=total)
    share = Measure("s", "sum", ref("Lines.Net"), total=total, compare=ShareOf())
    fold = Fold(
        "f",
        (net, share),
        (placed("Lines.Site", closed=closed), placed("Lines.No")),
        (placed("Lines.Day", part="quarter"),),
    )
    report = engine.fold(fold)
    checked = 0
    for row in range(report.height):
        for column in range(report.width):
            proof = proof_of(engine, fold, report, row, column)
            assert proof.agrees, (proof.measure, proof.where, proof.again, proof.shown)
            is_total = report.rows.level[row] < 2 or report.columns.level[report.cell(row, column)[2]] < 1
            assert proof.is_checked == (not (is_total and total == "none"))
            assert bool(proof.note) == (is_total or proof.measure.startswith("Net, %"))
            checked += proof.shown is not None
    assert checked > (-1 if closed and total == "none" else 10)


def test_a_proof_notices_when_the_report_is_wrong_under_a_comparison_or_in_a_total_of_lines(monkeypatch):
    engine = Engine(sales(3))
    fold = Fold("f", (Measure("s", "sum", ref("Lines.Net"), total="sum", compare=ShareOf()),), (placed("Lines.Site"),))
    report = engine.fold(fold)
    right = Engine.fold

    def wrong(self, asked, *rest, **more):
        made = right(self, asked, *rest, **more)
        if asked.rows:
            made.blocks[-1].data[...] += 100
        return made

    monkeypatch.setattr(Engine, "fold", wrong)
    assert not any(proof_of(engine, fold, report, row, 0).agrees for row in range(report.height))


def test_the_records_that_are_not_counted_are_told_by_what_leaves_them_out():
    of = source(
        table(
            "Lines",
            {
                "Site": ["x", "x", "x", "x", "x", "y"],
                "Channel": ["Web", "Web", "Trade", "Trade", "Web", "Web"],
                "Net": [D("1.00"), None, D("3.00"), D("-4.00"), D("-5.00"), D("6.00")],
            },
        )
    )
    engine = Engine(of)
    rules = (Members("a", ref("Lines.Channel"), members=("Web",)), Compare("b", ref("Lines.Net"), None, ">", "-2"))
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),), filters=rules)
    proof = proof_of(engine, fold, engine.fold(fold), 0, 0)
    # Of five records of x two are of trade; of the others one is below −2, and a blank is never above anything.
    assert [(each.why, each.many) for each in proof.left_out] == [("by Channel: Web", 2), ("by Net: > -2", 2)]
    open_fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),), filters=rules[:1])
    told = proof_of(engine, open_fold, engine.fold(open_fold), 0, 0).left_out
    assert [(each.why, each.many) for each in told] == [("by Channel: Web", 2), ("without a value", 1)]


def test_records_without_a_partner_are_told_among_those_that_are_not_counted():
    orders = table("Orders", {"No": ["a", "b", "c"], "Freight": [D("1.00"), None, D("3.00")]})
    lines = table("Lines", {"No": ["a", "a", "b", "gone", "lost"], "Net": [1, 2, 3, 4, 5]})
    of = source(lines, orders, links=[Link("Lines", "Orders", (("No", "No"),))])
    engine = Engine(of)
    fold = Fold("f", (measure("sum", "Orders.Freight"), measure("sum", "Lines.Net")), (placed("Lines.No"),))
    report = engine.fold(fold)
    told = proof_of(engine, fold, report, report.height - 1, 0)
    by = {each.why: each.many for each in told.left_out}
    assert told.again == D("1.00") if told.base == "Lines" else D("4.00")
    assert told.base != "Lines" or by == {"without a partner in Orders": 2, "without a value": 1}
