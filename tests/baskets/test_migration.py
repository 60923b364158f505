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
    assert written["version"] == VERSION == 3
    assert written["folds"][1]["rows"][0]["bands"] == {"how": "width"}
    assert written["folds"][5]["rows"][0]["keep"] == {"kind": "top", "measure": "net"}
    assert decode(encode(basket), "b") == basket


def test_a_step_leaves_what_has_another_shape_to_the_types_and_changes_nothing_that_it_was_given():
    odd = {"folds": [7, {"rows": "x", "columns": [{"bands": 3, "keep": {"kind": "where"}}]}], "version": 1}
    was = json.loads(json.dumps(odd))
    assert migrated(odd, 1)["folds"][1]["columns"][0]["keep"] == {"kind": "where", "number": "10", "sign": ">"}
    assert odd == was


def month_basket(version, key):
    """A basket with a year from July that names January everywhere a member can be named."""
    day = {"table": "s", "field": "Day"}
    month = {"id": "m", "field": day, "part": "fiscal month of year"}
    against = {"kind": "against", "other": "member", "member": key, "along": "m"}
    return {
        "format": "fold-basket",
        "version": version,
        "fiscal": {"month": 7},
        "sources": [{"name": "s", "path": "s.csv"}],
        "folds": [
            {
                "name": "f",
                "measures": [
                    {"id": "n", "aggregate": "count"},
                    {"id": "o", "aggregate": "count", "compare": against},
                ],
                "rows": [{"id": "y", "field": day, "part": "year", "by": {"measure": "n", "among": [key]}}],
                "columns": [
                    {**month, "first": [key], "turned": [[key]]},
                    {**month, "id": "g", "groups": {"groups": [{"name": "Winter", "members": [key]}]}},
                ],
                "filters": [
                    {"kind": "members", "id": "a", "field": day, "part": "fiscal month of year", "members": [key]},
                    {"kind": "either", "id": "b", "rules": [
                        {"kind": "compare", "id": "c", "field": day, "part": "fiscal month of year", "value": key},
                        {"kind": "between", "id": "d", "field": day, "part": "fiscal month of year", "low": key, "high": key},
                        {"kind": "members", "id": "e", "field": day, "part": "month of year", "members": ["07"]},
                    ]},
                ],
                "look": {"said": [{"look": {"bold": True}, "word": "m", "member": key}]},
            }
        ],
    }  # fmt: skip


def test_months_of_the_fiscal_year_are_those_of_the_calendar_from_version_3_on():
    assert decode(json.dumps(month_basket(2, "07")), "b") == decode(json.dumps(month_basket(3, "01")), "b")
    calendar = {**month_basket(2, "07"), "fiscal": {"month": 1}}
    assert migrated(calendar, 2) == {**calendar, "version": VERSION}


def test_a_month_of_the_fiscal_year_in_a_filter_keeps_that_month_of_the_calendar(tmp_path, capsys):
    (tmp_path / "s.csv").write_text("Day,N\n2026-01-15,1\n2026-07-15,2\n")
    kept = {"kind": "members", "id": "a", "field": {"table": "s", "field": "Day"}, "part": "fiscal month of year"}
    for version, key in ((3, "07"), (2, "01")):
        basket = {
            "format": "fold-basket",
            "version": version,
            "fiscal": {"month": 7},
            "sources": [{"name": "s", "path": "s.csv"}],
            "folds": [
                {
                    "name": "f",
                    "measures": [{"id": "n", "aggregate": "sum", "field": {"table": "s", "field": "N"}}],
                    "filters": [{**kept, "members": [key]}],
                }
            ],
        }
        (tmp_path / "b.basket").write_text(json.dumps(basket))
        assert cli.main(["render", str(tmp_path / "b.basket"), "--to", str(tmp_path / "f.csv"), "--quiet"]) == 0
        assert (tmp_path / "f.csv").read_text("utf-8").split() == [",N", "Everything,2"]
