"""Calculated fields: made in order, refused by name when they go in circles, and followed by all that names them."""

from decimal import Decimal

import pytest

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.files import decode, encode
from foldbasket.baskets.history import History
from foldbasket.errors import BasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.links.link import Link
from foldbasket.opening.calculating import Calculating
from foldbasket.opening.ready import Keeping
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.mending.fields import RenameField
from tests.folding.build import lines, table

D = Decimal
TABLES = {
    "Lines": table(
        "Lines",
        {"No": ["a", "a", "b"], "Net": [D("10.00"), D("4.00"), None], "Cost": [D("6.00"), D("5.00"), D("1.00")]},
    ),
    "Orders": table("Orders", {"No": ["a", "b"], "Freight": [D("2.00"), D("3.00")]}),
}


def basket(*calculated, folds=()):
    return Basket(
        sources=(SourceSpec("Lines", "lines.csv"), SourceSpec("Orders", "orders.csv")),
        links=(Link("Lines", "Orders", (("No", "No"),)),),
        calculated=calculated,
        folds=tuple(folds),
    )


def made(of):
    made = Keeping().calculated(of, TABLES)
    return of.joined(made.tables), made.problems


def texts(source, table_name, field):
    column = source.column(FieldRef(table_name, field))
    return [column.text(at) for at in range(len(column))]


PROFIT = Calculated("Profit", "Net - Cost", "Lines")
BAND = Calculated("Band", "CASE WHEN Profit > 0 THEN 'gain' WHEN Profit <= 0 THEN 'loss' END", "Lines")


def test_fields_are_made_in_the_order_in_which_they_name_each_other():
    source, problems = made(basket(BAND, PROFIT, Calculated("Net and freight", "Net + Freight", "Lines")))
    assert problems == {}
    assert texts(source, "Lines", "Profit") == ["4.00", "-1.00", None]
    assert texts(source, "Lines", "Band") == ["gain", "loss", None]
    assert texts(source, "Lines", "Net and freight") == ["12.00", "6.00", None]


def test_they_are_placed_filtered_and_aggregated_like_any_field():
    fold = Fold(
        "f",
        (Measure("m", "sum", FieldRef("Lines", "Profit")), Measure("f", "formula", formula="SUM(Profit) / SUM(Net)")),
        (Placed("b", FieldRef("Lines", "Band")),),
        filters=(Compare("c", FieldRef("Lines", "Profit"), None, "<", "100"),),
    )
    source, _ = made(basket(PROFIT, BAND, folds=[fold]))
    assert lines(Engine(source).fold(fold)) == [
        ("gain", D("4.00"), 0.4),
        ("loss", D("-1.00"), -0.25),
        ("Everything", D("3.00"), pytest.approx(3 / 14)),
    ]


def test_a_field_that_names_itself_through_others_is_refused_by_name_and_the_rest_stays():
    circle = (Calculated("A", "B + 1", "Lines"), Calculated("B", "C + 1", "Lines"), Calculated("C", "A + 1", "Lines"))
    source, problems = made(basket(*circle))
    assert "“A” → “B” → “C” → “A”" in str(problems["Lines", "A"])
    assert "A" not in source.tables["Lines"].columns


def test_a_wrong_formula_leaves_out_its_field_and_those_that_need_it():
    source, problems = made(
        basket(Calculated("Bad", "Nett - 1", "Lines"), Calculated("Worse", "Bad * 2", "Lines"), PROFIT)
    )
    assert "Did you mean Net?" in str(problems["Lines", "Bad"])
    assert "“Bad”" in str(problems["Lines", "Worse"])
    assert "Profit" in source.tables["Lines"].columns
    _, far = made(basket(Calculated("Of lines", "Net + 1", "Orders")))
    assert "of which one of Orders has many" in str(far["Orders", "Of lines"])
    _, twice = made(basket(Calculated("Net", "Cost + 1", "Lines")))
    assert "has a field “Net” already" in str(twice["Lines", "Net"])


def test_what_did_not_change_is_not_calculated_again():
    of = basket(PROFIT, BAND)
    work = Calculating()
    first = work.outcome(of.calculated, of.joined(TABLES), "latest").tables["Lines"]
    assert work.is_ready(of.calculated, of.joined(TABLES), "latest")
    again = work.outcome(of.calculated, of.joined(TABLES), "latest").tables["Lines"]
    assert again is first
    more = work.outcome((*of.calculated, Calculated("Twice", "Net * 2", "Lines")), of.joined(TABLES), "latest").tables[
        "Lines"
    ]
    assert more.columns["Profit"] is first.columns["Profit"]


def test_renaming_a_field_is_followed_by_formulas_folds_and_links():
    fold = Fold(
        "f",
        (
            Measure("p", "sum", FieldRef("Lines", "Profit"), heading="Gain"),
            Measure("r", "formula", formula='"Gain" / SUM(Lines.Net)'),
        ),
        (Placed("b", FieldRef("Lines", "Band")),),
    )
    history = History(basket(PROFIT, BAND, folds=[fold]))
    first = history.basket
    history.do(edits.RenameField("Lines", "Profit", "Net gain"))
    assert [each.formula for each in history.basket.calculated] == [
        "Net - Cost",
        "CASE WHEN \"Net gain\" > 0 THEN 'gain' WHEN \"Net gain\" <= 0 THEN 'loss' END",
    ]
    assert history.basket.folds[0].measures[0].field == FieldRef("Lines", "Net gain")
    history.do(edits.AddMends("Lines", (RenameField("Net", "Net amount"), RenameField("No", "Order no."))))
    assert history.basket.calculated[0].formula == '"Net amount" - Cost'
    assert history.basket.folds[0].measures[1].formula == '"Gain" / SUM(Lines."Net amount")'
    assert history.basket.links[0].keys == (("Order no.", "No"),)
    history.do(edits.Change("f", "p", {"heading": "Profit made"}, "Rename"))
    assert history.basket.folds[0].measures[1].formula == '"Profit made" / SUM(Lines."Net amount")'
    while history.undoable:
        history.undo()
    assert history.basket == first
    assert decode(encode(first), "b") == first


def test_one_in_use_is_not_taken_out_and_says_where_it_is_used():
    fold = Fold(
        "f",
        (
            Measure("p", "sum", FieldRef("Lines", "Cost"), heading="Costs"),
            Measure("r", "formula", heading="Half", formula="Costs / 2"),
        ),
    )
    history = History(basket(PROFIT, BAND, folds=[fold]))
    for edit, said in (
        (edits.RemoveField("Lines", "Profit"), "“Profit” is used by the field “Band”"),
        (edits.Remove("f", "p", "Costs"), "Costs is used by the measure “Half”"),
        (edits.AddField(PROFIT), "has a calculated field “Profit” already"),
        (edits.ChangeField("Lines", "None", "1"), "has no calculated field “None”"),
    ):
        with pytest.raises(BasketError, match=said):
            history.do(edit)
    history.do(edits.RemoveField("Lines", "Band"))
    history.do(edits.RemoveField("Lines", "Profit"))
    assert history.basket.calculated == ()


def test_bands_of_a_case_stand_on_columns_in_an_order_by_hand():
    fold = Fold(
        "f",
        (Measure("m", "sum", FieldRef("Lines", "Net")),),
        (),
        (Placed("b", FieldRef("Lines", "Band"), first=("loss",)),),
    )
    source, _ = made(basket(PROFIT, BAND, folds=[fold]))
    report = Engine(source).fold(fold)
    assert [report.columns.label(line, 0) for line in range(3)] == ["loss", "gain", "(blank)"]
    assert [report.value(0, column) for column in range(4)] == [D("4.00"), D("10.00"), None, D("14.00")]
