"""Baskets of version 1 open, give the cells that the program of that time gave, and are written in the present version.

`version1/` holds such a basket and what its reports were, written by the last program of version 1.
"""

import json
from pathlib import Path

import pytest

from foldbasket import cli
from foldbasket.baskets.basket import VERSION
from foldbasket.baskets.files import decode, encode, open_basket
from foldbasket.baskets.migration import migrated

OLD = Path(__file__).parent / "version1"
CELLS = sorted((OLD / "cells").glob("*.csv"))


@pytest.fixture(scope="module")
def now(tmp_path_factory):
    folder = tmp_path_factory.mktemp("now")
    assert cli.main(["render", str(OLD / "basket.json"), "--to", str(folder / "{fold}.csv"), "--quiet"]) == 0
    return folder


@pytest.mark.parametrize("cells", CELLS, ids=lambda path: path.stem)
def test_a_fold_of_version_1_gives_the_cells_it_gave(cells, now):
    assert (now / cells.name).read_text("utf-8") == cells.read_text("utf-8")


def test_every_fold_of_the_old_basket_was_compared():
    assert {path.stem for path in CELLS} == {fold.name for fold in open_basket(OLD / "basket.json").basket.folds}


def test_it_is_written_in_the_present_version_and_that_is_the_same_basket(tmp_path):
    basket = open_basket(OLD / "basket.json").basket
    written = json.loads(encode(basket))
    assert written["version"] == VERSION == 2
    assert written["folds"][1]["rows"][0]["bands"] == {"how": "width"}
    assert written["folds"][5]["rows"][0]["keep"] == {"kind": "top", "measure": "net"}
    assert decode(encode(basket), "b") == basket


def test_a_step_leaves_what_has_another_shape_to_the_types_and_changes_nothing_that_it_was_given():
    odd = {"folds": [7, {"rows": "x", "columns": [{"bands": 3, "keep": {"kind": "where"}}]}], "version": 1}
    was = json.loads(json.dumps(odd))
    assert migrated(odd, 1)["folds"][1]["columns"][0]["keep"] == {"kind": "where", "number": "10", "sign": ">"}
    assert odd == was
