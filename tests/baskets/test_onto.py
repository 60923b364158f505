"""A fold's set-up on another source: its fields by name, what that does not have left out and told."""

import msgspec
from tests.folding.build import measure, placed, ref, source, table

from foldbasket.baskets.onto import onto
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.spec.fold import Fold, Measure
from foldbasket.spec.order import ByValue

LAST = table("Sales 2025", {"Site": ["a", "b"], "Channel": ["Web", "Trade"], "Net": [10, 20], "Cost": [4, 5]})
THIS = table("Sales 2026", {"SITE": ["a", "c"], "Channel": ["Web", "Web"], "Net": [30, 40]})
OF = source(LAST, THIS)
FOLD = Fold(
    "Sales",
    (
        measure("sum", "Sales 2025.Net"),
        measure("sum", "Sales 2025.Cost"),
        Measure("share", "formula", heading="Part", formula='SUM("Sales 2025"."Net") / 2'),
    ),
    (placed("Sales 2025.Site", by=ByValue("sum Sales 2025.Cost"), keep=Top("sum Sales 2025.Net", number="1")),),
    (placed("Sales 2025.Channel"),),
    (Members("f", ref("Sales 2025.Channel"), members=("Web",)),),
)


def reaches(key):
    return key == "Sales 2026"


def taken():
    return onto(FOLD, "Sales 2026", "Sales 2026", list(THIS.columns), reaches)


def test_a_fold_is_made_anew_over_another_source():
    made, missing = taken()
    assert missing == ["Cost"]
    assert [each.id for each in made.measures] == ["sum Sales 2025.Net", "share"]
    assert made.rows[0].field == ref("Sales 2026.SITE"), "whatever the case of its letters"
    assert made.rows[0].by is None, "an order by what was left out goes with it"
    assert made.rows[0].keep == FOLD.rows[0].keep
    assert made.filters[0].field == ref("Sales 2026.Channel")
    assert made.measures[1].formula == 'SUM("Sales 2026".Net) / 2'
    report = Engine(OF).fold(msgspec.structs.replace(made, rows=(msgspec.structs.replace(made.rows[0], keep=None),)))
    assert [report.text(row, 0) for row in range(report.height)] == ["30", "40", "70"]


def test_fields_of_tables_that_are_reached_stay():
    made, missing = onto(FOLD, "Sales 2026", "Sales 2026", list(THIS.columns), lambda _: True)
    assert (made.rows, missing) == (FOLD.rows, [])


def test_nothing_is_left_where_nothing_fits():
    made, missing = onto(FOLD, "x", "X", ["other"], lambda _: False)
    assert [each.id for each in made.measures] == ["share"]
    assert not made.rows
    assert missing == ["Net", "Cost", "Site", "Channel"]
