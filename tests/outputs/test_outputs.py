"""What is written is read back by another library, and says the same as the report."""

import csv
import datetime
import io
from decimal import Decimal

import msgspec
import openpyxl
import pytest
from lxml import html as lxml_html
from tests.folding.build import fold, measure, placed, ref, source, table

from foldbasket.baskets.files import open_basket
from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.opening.reading import load_tables
from foldbasket.outputs import delimited, text
from foldbasket.outputs.formats import save_report
from foldbasket.styling.numbers import NumberStyle


@pytest.mark.parametrize(
    "name",
    ["x" * 200, "🌱" * 20, "'Oak'", "y" * 30 + "'z", "a/b:c?[d]*\\", "History", "history", " ", "", "''", "a\x00b\x1fc", "x\n y", "日付" * 30],
)  # fmt: skip
def test_a_sheet_may_be_called_after_any_fold(tmp_path, name):
    of = source(table("T", {"Site": ["Oak", "Ash"], "Net": [1, 2]}))
    report = fold(of, [measure("sum", "T.Net")], [placed("T.Site")])
    save_report(msgspec.structs.replace(report, name=name), tmp_path / "a.xlsx", guard=OutputGuard())
    title, _ = openpyxl.load_workbook(tmp_path / "a.xlsx").sheetnames
    assert 0 < len(title.encode("utf-16-le")) <= 62
    assert not set(title) & set("[]:*?/\\")
    assert title.strip("' ") == title
    assert title.casefold() != "history"


@pytest.fixture(scope="session")
def reports(demo):
    opened = open_basket(demo)
    engine = Engine(opened.basket.joined(load_tables(opened)))
    return {each.name: engine.fold(each) for each in opened.basket.folds}


def read_csv(text_of):
    return list(csv.reader(io.StringIO(text_of, newline="")))


def written(report, write=delimited.write_table):
    file = io.StringIO(newline="")
    write(report, file)
    return read_csv(file.getvalue())


def test_a_csv_table_has_every_cell_exactly(reports):
    report = reports["Net sales by site"]
    rows = written(report)
    assert rows[0][2:6] == ["Q4 2025", "", "Q1 2026", ""]
    assert rows[1][:4] == ["Region", "Site", "Net sales", "Cost"]
    assert len(rows) == report.height + 2
    for line in range(report.height):
        assert [Decimal(cell) for cell in rows[line + 2][2:]] == [
            report.value(line, column) for column in range(report.width)
        ]
    assert rows[-1][0] == "Everything"


def test_cells_as_records_name_every_member_and_the_level_of_total(reports):
    report = reports["Lines, quarter by quarter"]
    rows = written(report, delimited.write_cells)
    assert rows[0] == [
        "Line",
        "Family",
        "Year of order date",
        "Quarter",
        "Row total",
        "Column total",
        "Measure",
        "Value",
    ]
    assert {row[4] for row in rows[1:]} == {"member", "subtotal", "total"}
    whole = [row for row in rows if row[4:6] == ["total", "total"]]
    assert whole == [
        ["", "", "", "", "total", "total", "Net sales", str(report.value(report.height - 1, report.width - 1))]
    ]
    members = [Decimal(row[7]) for row in rows[1:] if row[4:6] == ["member", "member"]]
    assert sum(members) == Decimal(whole[0][7])


def test_cells_as_records_tell_alike_members_and_headings_apart():
    of = source(table("T", {"R": ["(blank)", None, "\\x", "All others"], "X": [1, 2, 4, 8]}))
    rows = written(
        fold(of, [measure("sum", "T.X")], [placed("T.R"), placed("T.R", id="again")], row_total="off"),
        delimited.write_cells,
    )
    assert rows[0] == ["R", "R (2)", "Row total", "Column total", "Measure", "Value"]
    named = {row[0]: row[5] for row in rows[1:] if row[2] == "member"}
    assert named == {"\\(blank)": "1", "(blank)": "2", "\\\\x": "4", "\\All others": "8"}
    clash = written(fold(of, [measure("sum", "T.X")], [placed("T.R", heading="Value")]), delimited.write_cells)
    assert clash[0] == ["Value (2)", "Row total", "Column total", "Measure", "Value"]


def test_text_that_a_spreadsheet_would_run_stays_text(tmp_path):
    nasty = ["=1+1", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "plain"]
    report = fold(source(table("T", {"x": nasty})), [measure("count"), measure("largest", "T.x")], [placed("T.x")])
    for row in written(report)[1:]:
        assert not row[0].startswith(("=", "+", "-", "@"))
        assert not row[2].startswith(("=", "+", "-", "@"))
    assert {row[0] for row in written(report, delimited.write_cells)[1:]} >= set(nasty)
    save_report(report, tmp_path / "x.xlsx", guard=OutputGuard())
    for row in openpyxl.load_workbook(tmp_path / "x.xlsx").active.iter_rows():
        for cell in row:
            assert cell.data_type != "f"


@pytest.mark.parametrize(
    "name", ["Net sales by site", "Lines, quarter by quarter", "Channels and segments", "Freight by team"]
)
def test_a_workbook_holds_numbers_as_numbers_with_formats_merges_panes_and_widths(reports, tmp_path, name):
    report = reports[name]
    path = tmp_path / "r.xlsx"
    save_report(report, path, guard=OutputGuard())
    page = openpyxl.load_workbook(path).active
    heads = report.columns.depth + (1 if len(report.measures) > 1 or not report.columns.depth else 0)
    left, first = report.rows.depth + 1, 3 + heads + 1
    assert page["A1"].value == report.name
    assert page["A2"].value == report.sentence
    assert page.freeze_panes == page.cell(first, left).coordinate
    assert page.column_dimensions["A"].width > 8
    for line in range(report.height):
        for column in range(report.width):
            cell, value = page.cell(first + line, left + column), report.value(line, column)
            if value is None:
                assert cell.value is None
            elif isinstance(value, datetime.date):
                assert cell.value.date() == value
                assert cell.number_format == "d mmm yyyy"
            else:
                assert cell.data_type == "n"
                assert cell.value == float(f"{value:.16g}")  # a workbook holds 16 digits
    if report.columns.depth and len(report.measures) > 1:
        assert any(str(span).startswith("C4:") or span.min_row == 4 for span in page.merged_cells.ranges)
    if report.rows.depth > 1:
        assert any(span.max_row > span.min_row and span.min_col == 1 for span in page.merged_cells.ranges)


def test_a_workbook_has_the_number_patterns_of_the_measures(tmp_path):
    styles = {
        "#,##0": NumberStyle("#,##0"),
        '"€"#,##0.00': NumberStyle("¤#,##0.00"),
        "#,##0,;(#,##0,)": NumberStyle("#,##0", "parentheses", "thousand"),
        "0.0%": NumberStyle("0.0%"),
    }
    of = source(table("T", {"x": [Decimal("-1234567.89"), Decimal("1.00")]}))
    report = fold(
        of, [measure("sum", "T.x", number=style, heading=str(at)) for at, style in enumerate(styles.values())]
    )
    save_report(report, tmp_path / "r.xlsx", guard=OutputGuard())
    page = openpyxl.load_workbook(tmp_path / "r.xlsx").active
    assert [page.cell(5, 2 + at).number_format for at in range(4)] == list(styles)


def test_a_large_workbook_is_written_in_constant_memory_and_says_the_same(tmp_path):
    of = source(table("T", {"a": list(range(700)), "b": [at % 300 for at in range(700)], "v": list(range(700))}))
    report = fold(of, [measure("sum", "T.v")], [placed("T.a")], [placed("T.b")])
    assert report.height * report.width > 200_000
    save_report(report, tmp_path / "big.xlsx", guard=OutputGuard())
    page = openpyxl.load_workbook(tmp_path / "big.xlsx", read_only=True).active
    for line, row in enumerate(page.iter_rows(min_row=5, values_only=True)):
        if line % 97 == 0:
            assert list(row[1 : 1 + report.width]) == [report.value(line, column) for column in range(report.width)]


def test_an_html_page_says_every_cell_as_it_is_seen(reports, tmp_path):
    report = reports["Channels and segments"]
    save_report(report, tmp_path / "r.html", guard=OutputGuard())
    page = lxml_html.fromstring((tmp_path / "r.html").read_text("utf-8"))
    rows = page.xpath("//tbody/tr")
    assert len(rows) == report.height
    for line, row in enumerate(rows):
        assert [cell.text or "" for cell in row.xpath("./td")] == [
            report.text(line, column) for column in range(report.width)
        ]
    spans = [int(cell.get("colspan", "1")) for cell in page.xpath("//thead/tr[1]/th")]
    assert sum(spans) == report.width + 1
    assert page.xpath("string(//caption)") == report.sentence


def test_html_cannot_be_broken_by_a_member(tmp_path):
    report = fold(source(table("T", {"x": ["<script>alert(1)</script>", "a&b"]})), [measure("count")], [placed("T.x")])
    save_report(report, tmp_path / "r.html", guard=OutputGuard())
    assert "<script>" not in (tmp_path / "r.html").read_text("utf-8")


def test_text_with_tabs_has_one_line_per_line(reports):
    report = reports["Freight by team"]
    lines = text.table(report).splitlines()
    assert len(lines) == report.height + 1
    assert lines[0] == "Team\tSeller\tFreight\tPieces\tLatest order"
    assert text.block(report, range(2), range(1, 3)).splitlines()[0] == f"{report.text(0, 1)}\t{report.text(0, 2)}"


def test_what_cannot_be_written_is_one_clear_error_and_leaves_nothing(reports, tmp_path):
    report = reports["Freight by team"]
    for path, shape, what in (
        (tmp_path / "x.doc", "table", "no format ends in “.doc”"),
        (tmp_path / "x.xlsx", "cells", "no shape “cells”"),
        (tmp_path / "none" / "x.csv", "table", "cannot be written"),
    ):
        with pytest.raises(OutputError, match=what):
            save_report(report, path, shape, guard=OutputGuard())
    assert list(tmp_path.iterdir()) == []


RUN = [
    "=1+1",
    "+cmd|' /C calc'!A0",
    "-2+3",
    "@SUM(A1)",
    " =1+1",
    "\t=1",
    "\u00a0=1",
    "＝1+1",
    "|x",
    "%0A=1",
    "x;=1+1",
    "x\t=1+1",
]


@pytest.mark.parametrize("ending", [".csv", ".txt", ".html"])
def test_no_text_format_leaves_text_that_a_spreadsheet_would_run(tmp_path, ending):
    of = source(table("T", {"=R": [*RUN, "-5", "1,200", "a - b"], "X": range(len(RUN) + 3)}))
    report = fold(
        of, [measure("sum", "T.X", heading="=1+1"), measure("first", "T.=R", order=ref("T.X"))], [placed("T.=R")]
    )
    path = tmp_path / f"out{ending}"
    save_report(report, path, guard=OutputGuard())
    if ending == ".html":
        cells = [cell.text_content() for cell in lxml_html.parse(str(path)).iter("td", "th")]
    else:
        sign = "," if ending == ".csv" else "\t"
        cells = [cell for row in csv.reader(io.StringIO(path.read_text("utf-8")), delimiter=sign) for cell in row]
    assert len(cells) > 3 * len(RUN)
    for cell in cells:
        assert cell[:1] not in ("=", "+", "@", "＝", "|", "%"), cell
        assert cell.strip()[:1] != "=", cell
        assert not cell.startswith("-") or cell.lstrip("-").replace(",", "").isdigit(), cell
    assert "a - b" in cells
    assert "-5" in cells
    # A file with commas that is opened by semicolons is cut elsewhere.
    if ending == ".csv":
        cut = [cell for row in csv.reader(io.StringIO(path.read_text("utf-8")), delimiter=";") for cell in row]
        assert not any(cell.startswith("=") for cell in cut if not cell.startswith('=1+1"')), cut
