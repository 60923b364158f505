"""A file for each member, from the window and by the command: each with its own totals and title, safe names, an index."""

import csv
import json

import lxml.html
import openpyxl
import pytest
from pypdf import PdfReader
from PyQt6.QtWidgets import QFileDialog

from foldbasket.cli import main

REGIONS = ["Eastfen", "Midmarsh", "Northmoor", "Southcliff", "Westholt"]


def burst(driver, monkeypatch, path, name):
    offered = []

    def offer(title, choices, chosen):
        offered.extend(choices)
        chosen(next(each.value for each in choices if each.text == name))

    monkeypatch.setattr(driver.window, "offer", offer)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    driver.act("Write a file for each member…")
    driver.settle()
    return offered


@pytest.mark.parametrize("ending", [".pdf", ".xlsx"])
def test_five_regions_from_the_window_each_with_its_own_totals_and_title(driver, demo, tmp_path, monkeypatch, ending):
    driver.open(demo)
    offered = burst(driver, monkeypatch, tmp_path / f"{{member}}{ending}", "Region")
    assert offered[0].text == "Region"
    totals = {}
    report = driver.desk.report
    for row in range(report.height):
        caption = report.left.caption(row)
        if caption.endswith(", all sites"):
            totals[caption.removesuffix(", all sites")] = report.text(row, report.width - 2)
    for region in REGIONS:
        path = tmp_path / f"{region}{ending}"
        if ending == ".pdf":
            text = PdfReader(path).pages[0].extract_text()
            assert f"Net sales by site, {region}" in text
            assert totals[region] in text
        else:
            page = openpyxl.load_workbook(path).worksheets[0]
            assert page["A1"].value == f"Net sales by site, {region}"
            last = max(row for row in range(1, page.max_row + 1) if page.cell(row, 1).value == "Everything")
            numbers = [cell.value for cell in page[last] if isinstance(cell.value, (int, float))]
            assert f"{round(numbers[-2]):,}" == totals[region]
    index = lxml.html.parse(str(tmp_path / "index.html"))
    assert [each.get("href") for each in index.findall(".//a")] == [f"{region}{ending}" for region in REGIONS]
    assert "Written to" in driver.workspace.facts.news.whole


def test_five_regions_from_the_command_with_an_index(demo, tmp_path, capsys):
    code = main(["render", str(demo), "--fold", "Net sales by site", "--each", "Region", "--to", str(tmp_path / "{member}.pdf"), "--to", str(tmp_path / "{member}.xlsx"),
                 "--index", str(tmp_path / "index.csv"), "--quiet"])  # fmt: skip
    assert code == 0, capsys.readouterr().err
    with (tmp_path / "index.csv").open(encoding="utf-8") as file:
        lines = list(csv.DictReader(file))
    assert [line["Member"] for line in lines] == [region for region in REGIONS for _ in range(2)]
    assert all((tmp_path / line["File"]).exists() for line in lines)
    assert {line["Report"] for line in lines} == {"Net sales by site"}


def test_a_member_that_would_leave_the_folder_gets_a_safe_name(driver, tmp_path, monkeypatch, capsys):
    (tmp_path / "lines.csv").write_text('Site,Net\n"../a:b?",1\nOak,2\n')
    out = tmp_path / "out"
    out.mkdir()
    fold = {"name": "F", "measures": [{"id": "m", "aggregate": "sum", "field": {"table": "Lines", "field": "Net"}}]}
    basket = {
        "format": "fold-basket",
        "version": 1,
        "name": "b",
        "sources": [{"name": "Lines", "path": "lines.csv"}],
        "folds": [fold],
    }
    (tmp_path / "b.json").write_text(json.dumps(basket))
    assert (
        main(["render", str(tmp_path / "b.json"), "--each", "Site", "--to", str(out / "{member}.csv"), "--quiet"]) == 0
    )
    assert sorted(each.name for each in out.iterdir()) == ["-a-b-.csv", "Oak.csv"]
    driver.open(tmp_path / "b.json")
    burst(driver, monkeypatch, out / "sheet.csv", "Site")
    assert sorted(each.name for each in out.iterdir()) == [
        "-a-b-.csv",
        "Oak.csv",
        "index.html",
        "sheet -a-b-.csv",
        "sheet Oak.csv",
    ]
    assert [each.name for each in tmp_path.iterdir() if each.suffix == ".csv"] == ["lines.csv"]
    code = main(
        ["render", str(tmp_path / "b.json"), "--to", str(out / "x.csv"), "--index", str(out / "index.doc"), "--quiet"]
    )
    assert code == 1
    assert "an index has no form “.doc”" in capsys.readouterr().err
