"""What a fold cannot answer is one clear message on the command line and in the window, and the other folds still work."""

import json

import pytest

from foldbasket.cli import main

LINES = "Order lines"


def field(name, table=LINES):
    return {"table": table, "field": name}


SUM = {"id": "m", "aggregate": "sum", "field": field("Net")}
REGION = {"id": "r", "field": field("Region", "Customers")}
BAD = {
    "unknown field": ({"measures": [{**SUM, "field": field("Nett")}]}, "no field “Nett”"),
    "part": ({"measures": [SUM], "rows": [{**REGION, "part": "quarter"}]}, "“Region” is text, so it has no quarter"),
    "percentile": (
        {"measures": [{**SUM, "aggregate": "percentile", "percent": 101}]},
        "101",
    ),
    "base member": (
        {
            "measures": [{**SUM, "compare": {"kind": "against", "along": "r", "other": "member", "member": "Atlantis"}}],
            "rows": [REGION],
        },
        "“Atlantis” is no longer a member of Region",
    ),
    "measure gone": (
        {"measures": [SUM], "rows": [{**REGION, "keep": {"measure": "gone", "kind": "top", "number": "3"}}]},
        "the measure that Region is ordered or picked by was taken out",
    ),
    "too many": (
        {
            "measures": [SUM],
            "rows": [{"id": "o", "field": field("Order no.")}],
            "columns": [{"id": "v", "field": field("Line no.")}, {"id": "n", "field": field("Net")}],
        },
        "cells",
    ),
    "bands": ({"measures": [SUM], "rows": [{**REGION, "bands": {"how": "width", "size": "10"}}]}, "is text, so it has no bands"),
    "side by side": (
        {
            "measures": [SUM, {"id": "p", "aggregate": "sum", "field": field("Planned net", "Plan")}],
            "rows": [{"id": "s", "field": field("Seller", "Sellers")}],
        },
        "has no field that stands for “Seller”",
    ),
}  # fmt: skip


def basket_with(demo, tmp_path, folds):
    """The demo's basket as JSON beside its data, with other folds."""
    import zipfile

    with zipfile.ZipFile(demo) as archive:
        name = next(name for name in archive.namelist() if name.endswith(".json"))
        document = json.loads(archive.read(name))
    for source in document["sources"]:
        source["path"] = str(demo.parent / source["path"])
    document["folds"] = folds
    path = tmp_path / "bad.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    return path


def test_the_command_line_says_what_is_wrong_with_each_and_renders_the_rest(demo, tmp_path, capsys):
    folds = [{"name": name, **fold} for name, (fold, _) in BAD.items()] + [{"name": "good", "measures": [SUM]}]
    path = basket_with(demo, tmp_path, folds)
    assert main(["check", str(path), "--trust"]) == 1
    said = capsys.readouterr()
    for name, (_, what) in BAD.items():
        errors = [line for line in said.err.splitlines() if f"the fold “{name}”" in line]
        assert len(errors) == 1
        assert what in errors[0]
    assert "Traceback" not in said.err
    assert "fold “good”: 1 row ×" in said.out
    for name, (_, what) in BAD.items():
        target = tmp_path / "out.csv"
        assert main(["render", str(path), "--trust", "--fold", name, "--to", str(target)]) == 1
        assert what in capsys.readouterr().err
        assert not target.exists()
    assert main(["render", str(path), "--trust", "--fold", "good", "--to", str(tmp_path / "out.csv")]) == 0


def test_the_window_says_what_is_wrong_with_each_and_shows_the_rest(driver, demo, tmp_path):
    folds = [{"name": name, **fold} for name, (fold, _) in BAD.items()] + [{"name": "good", "measures": [SUM]}]
    driver.window.desk.files.open_basket(basket_with(demo, tmp_path, folds), trusted=True)
    driver.settle()
    for name, (_, what) in BAD.items():
        driver.desk.show_fold(name)
        driver.settle()
        assert driver.desk.report is None
        assert what in str(driver.desk.problem)
        assert driver.workspace.card.body is not None
    driver.desk.show_fold("good")
    driver.settle()
    assert driver.desk.report is not None
    assert driver.errors == []


@pytest.mark.parametrize(
    ("fold", "where"),
    [
        ({"rows": [{**REGION, "bands": {"how": "wide"}}]}, "bands.how"),
        ({"rows": [{**REGION, "turned": "Eastfen"}]}, "turned"),
        ({"measures_on": "sides"}, "measures_on"),
        ({"filters": [{"kind": "either", "id": "f", "rules": [{"kind": "either", "id": "g"}]}]}, "rules"),
        ({"totals_cover": "nothing"}, "totals_cover"),
    ],
)
def test_a_document_with_a_wrong_value_is_refused_with_its_place(demo, tmp_path, capsys, fold, where):
    path = basket_with(demo, tmp_path, [{"name": "f", "measures": [SUM], **fold}])
    assert main(["check", str(path), "--trust"]) == 1
    assert where in capsys.readouterr().err
