"""Folds and sources are referred to by id, so that a name may change at any time; where none is given the name serves."""

import json

import pytest

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket, SourceSpec, named
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.files import decode, encode, open_basket, save_basket
from foldbasket.baskets.history import History
from foldbasket.errors import BasketError, LinkError
from foldbasket.links.link import Link
from foldbasket.opening.reading import load_tables
from foldbasket.opening.ready import made_ready
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.mending.fields import HideFields, RenameField
from foldbasket.tables.mending.texts import TrimSpaces

NET = Measure("net", "sum", FieldRef("Lines", "Net"))
EACH = Measure("each", "formula", formula="SUM(Lines.Net) / SUM(Orders.Freight)", heading="Each")
START = Basket(
    "b",
    (SourceSpec("Lines", "lines.csv"), SourceSpec("Orders", "orders.csv"), SourceSpec("Above", fold="Sales")),
    (Link("Lines", "Orders", (("Order", "Order"),)),),
    (
        Fold(
            "Sales", (NET, EACH), (Placed("c", FieldRef("Orders", "Channel")), Placed("t", FieldRef("Lines", "Size")))
        ),
        Fold(
            "Of sales", (Measure("n", "sum", FieldRef("Above", "Net")),), (Placed("c", FieldRef("Above", "Channel")),)
        ),
    ),
    calculated=(Calculated("Size", "CASE WHEN Lines.Net > 4 THEN 'large' ELSE 'small' END", "Lines"),),
)
RENAMES = [
    edits.RenameSource("Lines", "Order lines"),
    edits.RenameSource("Orders", "The \"orders\" of 2026"),
    edits.RenameSource("Above", "Summary"),
    edits.RenameFold("Sales", "Net by channel"),
    edits.RenameField("Lines", "Size", "How large"),
    edits.AddMends("Lines", (RenameField("Net", "Amount"),)),
    edits.AddMends("Orders", (RenameField("Channel", "Way"),)),
    edits.AddMends("Lines", (RenameField("Order", "Order no."),)),
]  # fmt: skip


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "lines.csv").write_text("Order,Net\n1,3\n1,4\n2,10\n3,2\n")
    (tmp_path / "orders.csv").write_text("Order,Channel,Freight\n1,Web,1\n2,Trade,2\n3,Web,4\n")
    return tmp_path


def cells(basket, folder):
    """Every cell of every fold after saving and opening again, and no problem on the way."""
    path = folder / "b.json"
    save_basket(basket, path)
    opened = open_basket(path)
    assert opened.basket == basket
    ready = made_ready(opened.basket, load_tables(opened))
    assert ready.problems == ()
    found = []
    for fold in opened.basket.folds:
        report = ready.engine.fold(fold)
        found.append([[report.value(row, at) for at in range(report.width)] for row in range(report.height)])
    return found


def test_every_rename_of_something_used_keeps_every_cell_saved_reopened_and_undone(folder):
    before = cells(START, folder)
    assert before[0][0] is not None
    history = History(START)
    for edit in RENAMES:
        history.do(edit)
        assert cells(history.basket, folder) == before, edit
    assert [source.name for source in history.basket.sources] == ["Order lines", 'The "orders" of 2026', "Summary"]
    while history.undo():
        assert cells(history.basket, folder) == before
    assert history.basket == START


def test_only_what_was_renamed_has_an_id_and_none_once_it_has_its_first_name_again(folder):
    renamed = edits.RenameSource("Lines", "Order lines").apply(START)
    written = json.loads(encode(renamed))["sources"]
    assert [source.get("id") for source in written] == ["Lines", None, None]
    assert edits.RenameSource("Lines", "Lines").apply(renamed) == START
    assert named(named(START.folds[0], "x"), "Sales") == START.folds[0]


def test_a_new_thing_takes_neither_the_name_nor_the_id_of_another():
    made = edits.RenameFold("Sales", "Net").apply(START)
    made = edits.AddFold(Fold("Sales")).apply(made)
    assert [(fold.name, fold.key) for fold in made.folds] == [("Net", "Sales"), ("Of sales", "Of sales"), ("Sales 2", "Sales 2")]  # fmt: skip
    made = edits.RenameFold("Sales 2", "Sales").apply(made)
    assert made.source("Above").fold == "Sales"
    assert made.fold("Sales").name == "Net"
    assert edits.AddFold(made.folds[0]).apply(made).folds[-1].key == "Net 2"
    source = edits.RenameSource("Lines", "Order lines").apply(START)
    with pytest.raises(BasketError, match="there is a source “Lines” already"):
        edits.AddSources((SourceSpec("Lines", "x.csv"),)).apply(source)


def test_names_that_are_taken_or_empty_are_refused():
    for name, said in (("Orders", "already"), ("orders", "already"), (" ", "needs a name")):
        with pytest.raises(BasketError, match=said):
            edits.RenameSource("Lines", name).apply(START)


def test_two_things_with_one_id_are_refused_when_opened():
    twice = json.loads(encode(START))
    twice["folds"][1]["id"] = "Sales"
    with pytest.raises(BasketError, match="two folds have the id “Sales”"):
        decode(json.dumps(twice).encode(), "b")


def test_taking_back_a_rename_is_followed_and_refused_where_a_later_mend_is_about_the_new_name(folder):
    before = cells(START, folder)
    made = edits.AddMends("Lines", (RenameField("Net", "Amount"),)).apply(START)
    back = edits.RemoveMend("Lines", 0).apply(made)
    assert back == START
    assert cells(back, folder) == before
    more = edits.AddMends("Lines", (TrimSpaces(("Amount",)),)).apply(made)
    with pytest.raises(BasketError, match="“Trim spaces in Amount” is about the field by the name that this gave it"):
        edits.RemoveMend("Lines", 0).apply(more)


def test_what_loses_something_it_uses_is_named_as_it_is_taken_out():
    assert edits.RemoveSource("Lines").leaves(START) == {"Lines": ["the fold “Sales”", "the field “Size”"]}
    assert edits.AddMends("Lines", (HideFields(("Net",)),)).leaves(START) == {
        "Net": ["the field “Size”", "the fold “Sales”", "the measure “Each” of “Sales”"]
    }
    assert edits.AddMends("Lines", (TrimSpaces(("Net",)),)).leaves(START) == {}


def test_labels_of_steps_say_names_and_not_ids():
    made = edits.RenameSource("Lines", "Order lines").apply(edits.RenameFold("Sales", "Net").apply(START))
    assert edits.RemoveSource("Lines").label(made) == "Take out Order lines"
    assert edits.RemoveFold("Sales").label(made) == "Take out the fold “Net”"
    assert edits.RemoveLink(made.links[0]).label(made) == "Unlink Order lines from Orders"
    with pytest.raises(BasketError, match="the source “Above” is made of the fold “Net”"):
        edits.RemoveFold("Sales").apply(made)


def test_messages_say_names_and_not_ids(folder):
    made = edits.RenameSource("Lines", "Order lines").apply(START)
    with pytest.raises(LinkError, match="Links lead from “Order lines” to “Orders” already"):
        edits.AddLinks((Link("Orders", "Lines", (("Order", "Order"),)),)).apply(made)
    ready = made_ready(made, load_tables(open_basket(_saved(made, folder))))
    assert ready.source.called("Lines") == "Order lines"
    report = ready.engine.fold(made.folds[0])
    assert report.counted[0].base == "Lines"


def _saved(basket, folder):
    save_basket(basket, folder / "b.json")
    return folder / "b.json"


def test_two_headings_of_a_summary_that_change_places_are_both_followed():
    site = FieldRef("Lines", "Site")
    below = Fold("Below", (NET,), (Placed("r", site),), (Placed("c", site),))
    above = Fold(
        "Over",
        (Measure("n", "formula", formula='COUNT("Site") + COUNT("Site (2)")'),),
        (Placed("x", FieldRef("Of below", "Site")), Placed("y", FieldRef("Of below", "Site (2)"))),
    )
    basket = Basket("b", (SourceSpec("Lines", "l.csv"), SourceSpec("Of below", fold="Below")), folds=(below, above))
    history = History(basket)
    turned = history.do(edits.Turn("Below")).folds[1]
    assert [word.field.field for word in turned.rows] == ["Site (2)", "Site"]
    assert turned.measures[0].formula.replace('"', "") == "COUNT(Site (2)) + COUNT(Site)"
    history.undo()
    assert history.basket == basket
