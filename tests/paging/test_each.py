"""A report for each member of a field: of every member that the fold's own records have, those without a partner too."""

from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.paging.each import for_each
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import Each
from tests.folding.build import measure, placed, ref, source, table

LINES = table("Lines", {"No": ["a", "a", "b", "x", None], "Net": [1, 2, 4, 8, 16]})
ORDERS = table("Orders", {"No": ["a", "b", "c"], "Seller": ["Ann", None, "Cem"]})


def test_every_member_that_a_record_of_the_fold_has_and_no_other():
    engine = Engine(source(LINES, ORDERS, links=[Link("Lines", "Orders", (("No", "No"),))]))
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.No"),))
    made = list(for_each(fold, engine.fold, Each(ref("Orders.Seller"))))
    assert [name for _, name in made] == ["Ann", "(blank)", "(no match)"]
    totals = [engine.fold(each).exact(0, engine.fold(each).height - 1, 0) for each, _ in made]
    assert totals == [3, 4, 24]
    assert sum(totals) == 31
