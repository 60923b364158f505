"""What cannot be written is refused in one message that says what to do; nothing is half written, and the earlier file stays."""

import json

import pytest
from tests.folding.build import measure, placed, source, table

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.cli import main
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.outputs import ods, xlsx
from foldbasket.outputs.formats import save_report
from foldbasket.spec.fold import Fold


@pytest.mark.parametrize(
    ("ending", "module", "bounds", "told"),
    [
        (".xlsx", xlsx, {"MOST_ROWS": 12}, "20 rows and 1 column,"),
        (".xlsx", xlsx, {"MOST_COLUMNS": 1}, "20 rows and 1 column,"),
        (".ods", ods, {"MOST_CELLS": 20}, "more than 20 cells"),
    ],
)
def test_a_report_past_the_limits_of_a_format_is_refused_before_it_is_written(
    tmp_path, monkeypatch, ending, module, bounds, told
):
    of = source(table("T", {"R": list("abcdefghijklmnopqrst"), "X": list(range(20))}))
    report = Engine(of).fold(Fold("f", (measure("sum", "T.X"),), (placed("T.R"),), row_total="off"))
    for name, bound in bounds.items():
        monkeypatch.setattr(module, name, bound)
    path = tmp_path / f"r{ending}"
    path.write_bytes(b"the earlier report")
    with pytest.raises(OutputError) as found:
        save_report(report, path, guard=OutputGuard())
    assert told in str(found.value)
    assert found.value.todo
    assert path.read_bytes() == b"the earlier report"
    assert [each.name for each in tmp_path.iterdir()] == [path.name]


@pytest.mark.parametrize(
    "ending", [".csv", ".xlsx", ".ods", ".html", ".md", ".txt", ".parquet", ".pdf", ".png", ".svg"]
)
def test_where_the_folder_is_a_file_or_the_name_a_folder_it_is_said(tmp_path, demo, capsys, ending):
    (tmp_path / "taken").write_text("not a folder")
    (tmp_path / f"dir{ending}").mkdir()
    for target in (tmp_path / "taken" / f"out{ending}", tmp_path / f"dir{ending}"):
        code = main(["render", str(demo), "--fold", "Freight by team", "--to", str(target)])
        said = capsys.readouterr().err.strip().splitlines()
        assert code == 1
        assert len([line for line in said if "cannot be" in line]) == 1, said
        assert "Traceback" not in "\n".join(said)
    assert (tmp_path / "taken").read_text() == "not a folder"
    assert sorted(each.name for each in tmp_path.iterdir()) == sorted(["taken", f"dir{ending}"])


def test_a_pattern_that_is_none_is_refused_with_the_basket_that_holds_it(tmp_path, capsys):
    (tmp_path / "t.csv").write_text("R,X\na,1\n")
    fold = {"name": "f", "measures": [{"id": "x", "aggregate": "sum", "field": {"table": "T", "field": "X"}, "number": {"pattern": "no;number;at all"}}]}  # fmt: skip
    basket = {"format": "fold-basket", "version": 2, "name": "b", "sources": [{"name": "T", "path": "t.csv"}], "folds": [fold]}  # fmt: skip
    (tmp_path / "b.json").write_text(json.dumps(basket))
    before = sorted(each.name for each in tmp_path.iterdir())
    assert main(["render", str(tmp_path / "b.json"), "--to", str(tmp_path / "out.html")]) != 0
    said = capsys.readouterr().err
    assert "no;number;at all" in said
    assert "Traceback" not in said
    assert sorted(each.name for each in tmp_path.iterdir()) == before
