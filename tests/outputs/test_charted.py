"""Charts in files, read back by other libraries: by themselves, within a page for the web, and as a workbook's own."""

import base64
import io
import json
import re
import subprocess
import sys
import zipfile
from decimal import Decimal

import lxml.html
import openpyxl
import pytest
from lxml import etree
from PIL import Image
from pypdf import PdfReader
from tests.folding.build import measure, placed, source, table

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.charts.kinds.blocks import Bars, Columns, Stacked
from foldbasket.charts.kinds.lines import Areas, Lines
from foldbasket.charts.kinds.parts import Parts
from foldbasket.charts.kinds.points import Points
from foldbasket.cli import main
from foldbasket.folding.engine import Engine
from foldbasket.outputs.formats import save_report
from foldbasket.spec.chart import Chart
from foldbasket.spec.fold import Fold

COLUMNS = {
    "Site": ["Oak", "Elm", "=Ash"] * 4, "Year": ["2024", "2025"] * 6, "Net": [Decimal(at * 150) for at in range(1, 13)],
    "Cost": [Decimal(at * 70) for at in range(1, 13)],
}  # fmt: skip


def report_of(chart, rows=("Site",), columns=("Year",)):
    fold = Fold("Sales", (measure("sum", "T.Net"), measure("sum", "T.Cost")), tuple(placed(f"T.{each}", id=each) for each in rows),
                tuple(placed(f"T.{each}", id=each) for each in columns), chart=chart)  # fmt: skip
    return Engine(source(table("T", COLUMNS))).fold(fold)


def test_a_chart_is_a_picture_a_drawing_and_a_page(tmp_path):
    report = report_of(Chart())
    for ending in ("png", "svg", "pdf"):
        save_report(report, tmp_path / f"chart.{ending}", "chart", guard=OutputGuard())
    assert Image.open(tmp_path / "chart.png").size == (1920, 1080)
    assert lxml.html.fromstring((tmp_path / "chart.svg").read_bytes()).tag == "svg"
    text = PdfReader(tmp_path / "chart.pdf").pages[0].extract_text()
    assert {"Oak", "Elm", "2024", "2025"} <= set(text.split())


def test_a_page_for_the_web_holds_the_chart_with_its_words(tmp_path):
    save_report(report_of(Chart(note="Mine <b>")), tmp_path / "page.html", guard=OutputGuard())
    page = lxml.html.parse(str(tmp_path / "page.html"))
    (image,) = page.findall(".//img")
    assert image.get("alt").startswith("Columns: Net")
    assert "Mine <b>" in image.get("alt")
    kind, data = image.get("src").split(",", 1)
    assert kind == "data:image/svg+xml;base64"
    assert b"<svg" in base64.b64decode(data)
    (dark,) = page.findall(".//source")
    assert "dark" in dark.get("media")
    save_report(report_of(None), tmp_path / "plain.html", guard=OutputGuard())
    assert not lxml.html.parse(str(tmp_path / "plain.html")).findall(".//img")


KINDS = {
    "barChart": [Bars(), Columns(), Columns(Stacked.STACKED), Columns(Stacked.HUNDRED)], "lineChart": [Lines()], "areaChart": [Areas()],
    "doughnutChart": [Parts()], "scatterChart": [Points()],
}  # fmt: skip
C = "{http://schemas.openxmlformats.org/drawingml/2006/chart}"


@pytest.mark.parametrize(("name", "drawn"), [(name, drawn) for name, kinds in KINDS.items() for drawn in kinds])
def test_a_workbook_has_a_chart_of_its_own_that_refers_to_its_figures(tmp_path, name, drawn):
    path = tmp_path / "book.xlsx"
    save_report(report_of(Chart(drawn=drawn, measure="sum T.Net", along="Site")), path, guard=OutputGuard())
    page = openpyxl.load_workbook(path)["Chart"]
    with zipfile.ZipFile(path) as parts:
        (part,) = [each for each in parts.namelist() if each.startswith("xl/charts/chart")]
        root = etree.fromstring(parts.read(part))
    (chart,) = root.iter(f"{C}{name}")
    heads = [cell.value for cell in page[1]]
    assert [page.cell(row, 1).value for row in range(2, 5)] == ["'=Ash", "Elm", "Oak"]
    assert page.cell(2, 1).data_type == "s"
    values = [each.text for tag in ("val", "yVal") for each in chart.iterfind(f".//{C}{tag}/{C}numRef/{C}f")]
    assert len(values) >= 1
    for said in values:
        found = re.fullmatch(r"'?Chart'?!\$([A-Z])\$2:\$\1\$4", said)
        column = "ABCDEFG".index(found[1])
        assert heads[column]
        assert all(isinstance(page.cell(row, column + 1).value, (int, float)) for row in range(2, 5))
    if name == "barChart":
        grouping = chart.find(f"{C}grouping").get("val")
        assert (
            grouping
            == {Stacked.BESIDE: "clustered", Stacked.STACKED: "stacked", Stacked.HUNDRED: "percentStacked"}[
                drawn.stacked
            ]
        )
        totals = {}
        for site, year, net in zip(COLUMNS["Site"], COLUMNS["Year"], COLUMNS["Net"], strict=True):
            totals[site, year] = totals.get((site, year), 0) + float(net)
        assert [page.cell(row, 2).value for row in range(2, 5)] == [
            totals[each, heads[1]] for each in ("=Ash", "Elm", "Oak")
        ]


def test_a_chart_that_would_mislead_is_left_out_with_a_word_and_the_rest_is_written(tmp_path):
    report = report_of(Chart(drawn=Points(), measure="sum T.Net"))
    fold = Fold("One", (measure("average", "T.Net"),), (placed("T.Site", id="Site"),), chart=Chart(drawn=Parts()))
    averaged = Engine(source(table("T", COLUMNS))).fold(fold)
    assert report is not None
    save_report(averaged, tmp_path / "book.xlsx", guard=OutputGuard())
    page = openpyxl.load_workbook(tmp_path / "book.xlsx")["Chart"]
    assert "do not add up" in page["A1"].value
    save_report(averaged, tmp_path / "page.html", guard=OutputGuard())
    assert "The chart is left out: its values do not add up" in (tmp_path / "page.html").read_text()


def test_the_command_writes_charts_and_tells_a_refusal(tmp_path, capsys):
    (tmp_path / "lines.csv").write_text("Site,Net\nOak,1.10\nElm,-2.20\n")
    fold = {
        "name": "F",
        "measures": [{"id": "m", "aggregate": "sum", "field": {"table": "Lines", "field": "Net"}}],
        "rows": [{"id": "r", "field": {"table": "Lines", "field": "Site"}}],
    }
    bad = {**fold, "name": "G", "chart": {"drawn": {"kind": "parts"}}}
    basket = {
        "format": "fold-basket",
        "version": 2,
        "name": "b",
        "sources": [{"name": "Lines", "path": "lines.csv"}],
        "folds": [fold, bad],
    }
    (tmp_path / "b.json").write_text(json.dumps(basket))
    code = main(
        ["render", str(tmp_path / "b.json"), "--to", str(tmp_path / "{fold}.png"), "--shape", "chart", "--quiet"]
    )
    assert code == 1
    assert Image.open(io.BytesIO((tmp_path / "F.png").read_bytes())).size == (1920, 1080)
    assert not (tmp_path / "G.png").exists()
    assert "some of its values are negative" in capsys.readouterr().err


def test_nothing_of_matplotlib_is_imported_until_something_is_drawn():
    said = (
        "import sys; from foldbasket.baskets.basket import Basket; from foldbasket.spec.chart import Drawn; list(Drawn.kinds);"
        "import foldbasket.outputs.formats as f; list(f.OUTPUTS); import foldbasket.charts.figures, foldbasket.charts.choosing;"
        "print([m for m in sys.modules if m.startswith(('matplotlib', 'PIL'))])"
    )
    done = subprocess.run([sys.executable, "-c", said], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
