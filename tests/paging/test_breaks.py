"""Where pages end: no first line of a group alone at the foot, no total alone at the top, nothing lost, nothing twice."""

import random
import re

import numpy as np
import pytest

from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.lines.axis import Kind
from foldbasket.paging.breaks import bands, may_begin, must_begin, strips
from foldbasket.paging.lines import check_line, filled, values_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, source, table
from tests.rounds import seeds


def report_of(draw, subtotal="after"):
    many = draw.randrange(30, 200)
    columns = {
        "A": [draw.choice("pqrst") for _ in range(many)],
        "B": [draw.choice("abcdefghijkl") for _ in range(many)],
        "N": [1] * many,
    }
    fold = Fold(
        "F",
        (measure("sum", "T.N"),),
        (placed("T.A", id="a", subtotal=subtotal), placed("T.B", id="b")),
        row_total=subtotal,
    )
    return Engine(source(table("T", columns))).fold(fold)


@pytest.mark.parametrize("seed", seeds(60))
@pytest.mark.parametrize("subtotal", ["after", "before"])
def test_pages_hold_every_row_once_and_break_where_it_reads_well(seed, subtotal):
    draw = random.Random(seed)
    report = report_of(draw, subtotal)
    left, many = report.left, len(report.left)
    edges = np.concatenate([[0.0], np.cumsum(np.full(many, 20.0))])
    may, must = may_begin(report), must_begin(report, None)
    first, later = draw.choice([90.0, 130.0, 250.0]), draw.choice([120.0, 260.0, 500.0])
    found = bands(edges, first, later, may, must)
    assert [row for start, stop in found for row in range(start, stop)] == list(range(many))
    for number, (start, stop) in enumerate(found):
        room = first if number == 0 else later
        assert edges[stop] - edges[start] <= room + 0.01
        if start == 0:
            continue
        # Where a page could have ended a little earlier at a better place, it did.
        better = [at for at in range(found[number - 1][0] + 1, start) if may[at]]
        if may[start] or not better:
            continue
        pytest.fail(f"page {number + 1} begins with row {start}")
    for start, _ in found[1:]:
        if may[start]:
            assert not (left.is_total[start] and subtotal == "after")
            before = start - 1
            opens = before == 0 or left.names[before, 0] != left.names[before - 1, 0]
            assert not (opens and left.names[before, 0] == left.names[start, 0]), (
                "a group's first line alone at the foot"
            )


@pytest.mark.parametrize("seed", seeds(20))
def test_a_new_page_for_each_member_and_one_for_the_total_over_all(seed):
    report = report_of(random.Random(seed))
    must = must_begin(report, "a")
    edges = np.arange(len(report.left) + 1) * 20.0
    found = bands(edges, 10_000.0, 10_000.0, may_begin(report), must)
    names = [{report.rows.label(int(report.left.line[row]), 0) for row in range(start, stop)} for start, stop in found]
    members = sorted({report.rows.label(line, 0) for line in range(len(report.rows))} - {""})
    assert names == [*({each} for each in members), {""}]
    assert int(report.left.kind[found[-1][0]]) == Kind.GRAND


def test_columns_go_on_beside_where_they_do_not_fit():
    assert strips(np.array([0.0, 50, 100, 150, 200]), 110) == [(0, 2), (2, 4)]
    assert strips(np.array([0.0, 300, 350]), 100) == [(0, 1), (1, 2)]
    assert strips(np.array([0.0]), 100) == [(0, 0)]


def test_a_row_higher_than_the_page_still_gets_one():
    edges = np.array([0.0, 500, 520])
    assert bands(edges, 100, 100, np.ones(2, bool), np.zeros(2, bool)) == [(0, 1), (1, 2)]


def test_a_million_rows_are_cut_into_pages_at_once():
    edges = np.arange(1_000_001) * 20.0
    may = np.ones(1_000_000, bool)
    assert len(bands(edges, 700, 900, may, ~may)) == 1 + -(-(1_000_000 - 35) // 45)


def test_lines_at_head_and_foot_are_filled_and_a_wrong_field_is_told():
    rule = Members("f", FieldRef("T", "A"), members=("p", "q"), picker="Plot")
    tables = table("T", {"A": ["p", "q"], "N": [1, 2]})
    report = Engine(source(tables), as_of="2026-09-30").fold(
        Fold("Yield", (measure("sum", "T.N"),), (placed("T.A"),), filters=(rule,))
    )
    values = values_of(report.of(report.origin.fold, "farm.basket"))
    assert filled("{title} · {asof} · {source} · {file} · {picked} · {other}", values) == (
        "Yield · 30 Sep 2026 · T · farm.basket · Plot: p, q · {other}"
    )
    assert re.fullmatch(r"\d{1,2} \w{3} \d{4}", values["date"])
    check_line("{page} of {pages}, {group}")
    with pytest.raises(OutputError, match=r"there is no “\{pagee\}” for a page"):
        check_line("{pagee}")
