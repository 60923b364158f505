"""Renaming or removing what something else uses works or says where it is used; a basket that is written opens again."""

import json

import msgspec
import pytest

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.files import decode, encode, open_basket
from foldbasket.baskets.naming import uses_of_source
from foldbasket.baskets.needs import circle_of, depth_of
from foldbasket.errors import BasketError, LinkError
from foldbasket.folding.engine import Engine
from foldbasket.opening.reading import load_tables
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed


def basket():
    fold = Fold("Sales", (Measure("m", "sum", FieldRef("s", "Net")),), (Placed("r", FieldRef("s", "Site")),))
    above = Fold("Above", (Measure("m", "sum", FieldRef("Summary", "Net")),))
    return Basket("b", (SourceSpec("s", "s.csv"), SourceSpec("Summary", fold="Sales")), folds=(fold, above))


def opens_again(made, tmp_path):
    (tmp_path / "s.csv").write_text("Site,Net\nOak,1\nAsh,2\n")
    path = tmp_path / "b.json"
    path.write_bytes(encode(made))
    opened = open_basket(path)
    assert opened.basket == made
    return Engine(made.joined(load_tables(opened))).fold(made.folds[-1])


def test_a_fold_that_is_a_source_is_still_its_source_under_another_name(tmp_path):
    made = edits.RenameFold("Sales", "Net by site").apply(basket())
    assert made.fold(made.source("Summary").fold).name == "Net by site"
    assert opens_again(made, tmp_path).value(0, 0) == 3


def test_a_fold_that_is_a_source_is_not_taken_out_and_the_source_is_named():
    with pytest.raises(BasketError, match="the source “Summary” is made of the fold “Sales”"):
        edits.RemoveFold("Sales").apply(basket())
    without = edits.RemoveSource("Summary").apply(basket())
    assert [fold.name for fold in edits.RemoveFold("Sales").apply(without).folds] == ["Above"]


def test_taking_out_a_source_in_use_tells_its_uses_and_folds_say_how_to_get_it_back(tmp_path):
    used = msgspec.structs.replace(basket(), calculated=(Calculated("Twice", "Net * 2", "s"),))
    assert uses_of_source(used, "s") == ["the fold “Sales”", "the field “Twice”"]
    assert uses_of_source(used, "Summary") == ["the fold “Above”"]
    with pytest.raises(LinkError, match="Open it again or undo what took it out") as told:
        Engine(used.joined({})).fold(used.folds[0])
    assert "there is no source “s”" in str(told.value)


def chain(length):
    sources, folds = [SourceSpec("s0", "s.csv")], []
    for at in range(length):
        folds.append(Fold(f"f{at}", (Measure("m", "count"),), (Placed("r", FieldRef(f"s{at}", "Site")),)))
        sources.append(SourceSpec(f"s{at + 1}", fold=f"f{at}"))
    return Basket("b", tuple(sources), folds=tuple(folds))


def test_a_long_chain_of_folds_is_refused_by_name_and_a_short_one_opens():
    assert depth_of(chain(30)) == 30
    assert decode(encode(chain(30)), "b")
    with pytest.raises(BasketError, match="1500 folds stand on one another; the most is 40"):
        decode(encode(chain(1_500)), "b")


def test_a_circle_of_any_length_is_found_and_named():
    made = chain(200)
    turned = msgspec.structs.replace(made, sources=(SourceSpec("s0", fold="f199"), *made.sources[1:]))
    circle = circle_of(turned)
    assert len(circle) == 201
    assert circle[0] == circle[-1]
    assert json.loads(encode(turned))["name"] == "b"
