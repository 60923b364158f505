"""The demo's data is believable, exact and the same every time."""

import csv

import pyarrow.compute as pc
import pytest

from foldbasket.demo import names
from foldbasket.demo.generator import FIRST_DAY, LAST_DAY, quillmoor
from foldbasket.demo.untidy import RECORDS, TITLES, write_untidy, write_untidy_plan


@pytest.fixture(scope="module")
def tables():
    return quillmoor(20_000)


def test_there_are_six_tables_and_as_many_lines_as_asked_for(tables):
    assert list(tables) == ["order_lines", "orders", "customers", "varieties", "sellers", "plan"]
    assert tables["order_lines"].num_rows == 20_000
    assert tables["plan"].num_rows == 24 * len(names.SITES) * len(names.LINES)
    for lines in (1, 7, 1_000):
        assert quillmoor(lines)["order_lines"].num_rows == lines


def test_every_key_finds_its_partner_and_stands_once(tables):
    for near, far, key in (
        ("order_lines", "orders", "Order no."),
        ("order_lines", "varieties", "Variety code"),
        ("orders", "customers", "Customer no."),
        ("orders", "sellers", "Seller code"),
    ):
        known = tables[far][key].cast("string")
        assert pc.count_distinct(known).as_py() == len(known)
        assert pc.all(pc.is_in(tables[near][key].cast("string"), value_set=known.combine_chunks())).as_py()


def test_the_trade_has_spring_peaks_returns_and_a_growing_web(tables):
    lines = tables["order_lines"].to_pydict()
    months = [day.month for day in lines["Order date"]]
    assert min(lines["Order date"]) >= FIRST_DAY
    assert max(lines["Order date"]) <= LAST_DAY
    assert months.count(5) > 2 * months.count(1)
    returned = [quantity for quantity in lines["Quantity"] if quantity < 0]
    assert 0.005 < len(returned) / 20_000 < 0.03
    assert all(
        (net < 0) == (quantity < 0) for net, quantity in zip(lines["Net"], lines["Quantity"], strict=True) if net
    )
    first, last = (
        sum(channel == "Web" for channel in part) for part in (lines["Channel"][:6_000], lines["Channel"][-6_000:])
    )
    assert last > 1.4 * first


def test_lines_have_margins_of_their_own(tables):
    line_of = dict(
        zip(tables["varieties"]["Variety code"].to_pylist(), tables["varieties"]["Line"].to_pylist(), strict=True)
    )
    lines = tables["order_lines"].to_pydict()
    net, cost = dict.fromkeys(names.LINES, 0), dict.fromkeys(names.LINES, 0)
    for code, earned, spent in zip(lines["Variety code"], lines["Net"], lines["Cost"], strict=True):
        net[line_of[code]] += earned
        cost[line_of[code]] += spent
    margins = {line: float(1 - cost[line] / net[line]) for line in names.LINES}
    assert margins["Herbs"] > margins["Bedding"] + 0.1
    assert all(0.1 < margin < 0.7 for margin in margins.values())


def test_the_untidy_file_has_each_fault_as_often_as_it_says(tables, tmp_path):
    planted = write_untidy(tables["order_lines"], tmp_path / "untidy.csv")
    with (tmp_path / "untidy.csv").open(encoding="utf-8", newline="") as file:
        for title in TITLES:
            assert file.readline() == f"{title}\n"
        rows = list(csv.DictReader(file))
    extra = planted["empty rows: "] + planted["repeated rows: "] + planted["total lines: Order no."]
    assert len(rows) == RECORDS + extra
    assert sum(not any(row.values()) for row in rows) == planted["empty rows: "]
    odd = ("trade", "Trade ", "TRADE", "Trdae")
    assert sum(row["Channel"] in odd for row in rows) == planted["spellings: Channel"]
    assert sum("/" in row["Order date"] for row in rows) == planted["misfits: Order date"]
    assert sum(row["Variety code"].startswith("VO") for row in rows) == planted["no partner: Variety code"]
    assert all(planted.values())


def test_the_untidy_plan_holds_the_plan_with_its_months_side_by_side(tables, tmp_path):
    months = write_untidy_plan(tables["plan"], tmp_path / "plan.csv")
    with (tmp_path / "plan.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.reader(file))
    assert len(rows[0]) == months + 2
    total = sum(float(cell) for row in rows[1:] for cell in row[2:])
    assert total == float(pc.sum(tables["plan"]["Planned net"]).as_py())
