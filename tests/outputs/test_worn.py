"""One report with every look, in every format, read back by another library and put beside the dressed report cell by cell."""

import math
import re
import zipfile
from decimal import Decimal

import msgspec
import openpyxl
import pyarrow.parquet as pq
import pypdf
import pytest
from lxml import etree
from lxml import html as lxml_html
from odf import grammar, opendocument
from odf import table as odf_table
from odf.style import Map, TableCellProperties
from odf.text import P
from tests.folding.build import measure, placed, source, table

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.folding.dress.conditions.ends import AmongTop
from foldbasket.folding.dress.conditions.others import Always
from foldbasket.folding.dress.conditions.thresholds import AtLeast, Below, Equal, InRange
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.graded import Bar, Shading, Thirds
from foldbasket.folding.dress.forms.marks import Ground, Ink, SignBefore
from foldbasket.folding.engine import Engine
from foldbasket.outputs.formats import save_report
from foldbasket.outputs.sheet import Sheet
from foldbasket.spec.fold import Fold, MeasuresOn
from foldbasket.spec.look import Highlight, Line, Look, ReportLook, Rule, Said, Scope
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.styles import STYLES, Colour

D = Decimal
SALES = source(
    table(
        "T",
        {
            "Region": ["=North", "=North", "South <b>", "South <b>", "West|*x*", "West|*x*"],
            "Site": ["Oak", "Ash", "Elm", "Fir", "Yew", "Bay"],
            "Half": ["H1", "H2", "H1", "H2", "H1", "H1"],
            "Net": [D("1234567.50"), D("-20.25"), D("0.00"), D("310.10"), None, D("99.99")],
            "Share": [0.5, -0.25, 0.125, 1.0, 0.75, None],
        },
    )
)
NET = measure("sum", "T.Net", number=NumberStyle("¤#,##0.00", negatives="parentheses", zero="nil"))
SHARE = measure("average", "T.Share", number=NumberStyle("0.0%"))
LOOK = ReportLook(
    title="Net & share",
    subtitle="by region",
    notes=("Freight is <not> in it.",),
    said=(
        Said(Look(blank="–"), measure=NET.id),
        Said(Look(italic=True, ground="#FFEECC"), word="T.Region", member="=North"),
        Said(Look(ink="#123456", above=Rule.THICK), line=Line.SUBTOTAL),
    ),
    highlights=(
        Highlight("a", NET.id, AtLeast("100"), Ground()),
        Highlight("b", NET.id, Below("0"), SignBefore(), totals=True),
        Highlight("c", SHARE.id, Always(), Shading(), Scope.COLUMN),
        Highlight("d", NET.id, Always(), Bar()),
        Highlight("e", SHARE.id, AmongTop("1"), Ink(), Scope.PARENT),
        Highlight("f", SHARE.id, InRange("0", "0.2"), Thirds()),
    ),
)


@pytest.fixture(scope="module", params=[*STYLES])
def report(request):
    look = msgspec.structs.replace(LOOK, style=request.param)
    fold = Fold("Everything on", (NET, SHARE), (placed("T.Region"), placed("T.Site")), (placed("T.Half"),), look=look)
    return Engine(SALES).fold(fold)


def cells(report):
    """Place, style, and text of every cell."""
    dressed = Dressed(report)
    for row in range(report.height):
        for column in range(report.width):
            style = dressed.style_of(row, column)
            yield row, column, style, dressed.text(row, column, style)


def test_html_has_every_text_ink_ground_weight_and_rule(report, tmp_path):
    save_report(report, tmp_path / "r.html", guard=OutputGuard())
    page = lxml_html.fromstring((tmp_path / "r.html").read_text("utf-8"))
    sheet = page.xpath("//style")[0].text
    rules = dict(re.findall(r"\.(c\d+)\{([^}]*)\}", sheet.partition("@media")[0]))
    found = [row.xpath("./td") for row in page.xpath("//tbody/tr")]
    for row, column, style, text in cells(report):
        cell = found[row][column]
        said = f"{style.sign} {text}" if style.sign and text else text
        assert (cell.text or "") == said
        css = dict(each.split(":", 1) for each in rules[cell.get("class")].split(";"))
        assert css["color"] == style.ink
        assert css.get("background", "") == style.ground
        assert ("font-weight" in css, "font-style" in css) == (style.bold, style.italic)
        assert ("border-top" in css) == (style.above is not Rule.NONE)
        assert ("box-shadow" in css) == bool(style.edge)
    assert page.xpath("//caption")[0].text == "by region"
    assert {each.get("scope") for each in page.xpath("//thead//th[@scope]")} <= {"col", "colgroup"}
    assert all(each.get("scope") == "row" for each in page.xpath("//tbody//th"))
    assert "Freight is <not> in it." in page.text_content()
    assert page.xpath("//b") == []
    assert "prefers-color-scheme:dark" in sheet
    drawn = [cell.get("class") for cell in page.xpath("//td[contains(@style, 'background-size')]")]
    night = dict(re.findall(r"\.(c\d+)\{([^}]*)\}", sheet.partition("@media")[2]))
    assert drawn, "bars are drawn, in the ink of either set"
    for name in drawn:
        assert re.search(r"--bar:#[0-9A-F]{6}", rules[name])
        assert re.search(r"--bar:#[0-9A-F]{6}", night[name])


def test_a_workbook_has_every_value_format_ink_ground_weight_and_rule(report, tmp_path):
    save_report(report, tmp_path / "r.xlsx", guard=OutputGuard())
    book = openpyxl.load_workbook(tmp_path / "r.xlsx")
    page = book.worksheets[0]
    sheet = Sheet(report)
    top, left = 3 + sheet.head_rows + 1, sheet.head_columns + 1
    live = {"a", "d"}  # said by the workbook's own conditional formats
    fixed = msgspec.structs.replace(
        report.look, highlights=tuple(h for h in report.look.highlights if h.id not in live)
    )

    for row, column, style, _ in cells(msgspec.structs.replace(report, look=fixed)):
        cell = page.cell(top + row, left + column)
        value = report.value(row, column)
        if value is None:
            assert cell.value in (None, style.blank)
        else:
            assert math.isclose(cell.value, float(value), rel_tol=1e-15)
        assert cell.font.color.rgb[2:] == style.ink[1:]
        assert (cell.fill.fgColor.rgb[2:] if cell.fill.fill_type else "") == style.ground[1:]
        assert (bool(cell.font.b), bool(cell.font.i)) == (style.bold, style.italic)
        border = {Rule.NONE: None, Rule.THIN: "thin", Rule.THICK: "medium", Rule.DOUBLE: "double"}
        assert cell.border.top.style == border[style.above]
        if style.sign and value is not None:
            assert style.sign in cell.number_format
    net = page.cell(top, left).number_format
    assert "€" in net
    assert "(" in net
    assert '"nil"' in net
    kinds = [rule.type for each in page.conditional_formatting for rule in each.rules]
    assert sorted(set(kinds)) == ["cellIs", "dataBar"]
    assert page.print_title_rows is not None
    assert page.freeze_panes == page.cell(top, left).coordinate
    assert page.row_dimensions[top].outlineLevel == 1
    assert book.sheetnames[1] == "About"
    texts = [cell.value for row in page.iter_rows() for cell in row]
    assert any(str(text).endswith("at least 100") for text in texts)
    assert "Freight is <not> in it." in texts
    assert all(cell.data_type != "f" for row in page.iter_rows() for cell in row)


def test_the_parts_of_a_workbook_are_well_formed_and_refer_to_what_is_there(report, tmp_path):
    """ECMA-376: every part has a content type, every relationship a target, every cell a style that exists."""
    save_report(report, tmp_path / "r.xlsx", guard=OutputGuard())
    with zipfile.ZipFile(tmp_path / "r.xlsx") as book:
        names = set(book.namelist())
        parts = {name: etree.fromstring(book.read(name)) for name in names if name.endswith((".xml", ".rels"))}
    types = parts["[Content_Types].xml"]
    overrides = {each.get("PartName").lstrip("/") for each in types if each.get("PartName")}
    endings = {each.get("Extension") for each in types if each.get("Extension")}
    assert overrides <= names
    assert all(name in overrides or name.rpartition(".")[2] in endings for name in names)
    for name, part in parts.items():
        if name.endswith(".rels"):
            base = name.replace("_rels/", "").rpartition("/")[0]
            for each in part:
                target = each.get("Target")
                whole = target.lstrip("/") if target.startswith("/") else "/".join(filter(None, [base, target]))
                assert whole in names, (name, target)
    main = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
    formats = len(parts["xl/styles.xml"].find(f"{main}cellXfs"))
    marks = len(parts["xl/styles.xml"].find(f"{main}dxfs"))
    page = parts["xl/worksheets/sheet1.xml"]
    assert all(int(cell.get("s", "0")) < formats for cell in page.iter(f"{main}c"))
    assert all(int(rule.get("dxfId", "0")) < max(1, marks) for rule in page.iter(f"{main}cfRule"))
    merged = [each.get("ref") for each in page.iter(f"{main}mergeCell")]
    assert len(merged) == len(set(merged))


def test_an_opendocument_sheet_has_every_value_text_and_style(report, tmp_path):
    save_report(report, tmp_path / "r.ods", guard=OutputGuard())
    file = opendocument.load(tmp_path / "r.ods")
    styles = {
        each.getAttribute("name"): each for each in file.automaticstyles.childNodes if each.tagName == "style:style"
    }
    formats = {each.getAttribute("name") for each in file.styles.childNodes if each.tagName.startswith("number:")}
    rows = file.spreadsheet.getElementsByType(odf_table.TableRow)
    sheet = Sheet(report)
    for row, column, style, text in cells(report):
        cell = rows[3 + sheet.head_rows + row].childNodes[sheet.head_columns + column]
        said = "".join(str(each) for each in cell.getElementsByType(P))
        assert said == (f"{style.sign} {text}" if style.sign and text else text)
        value = report.value(row, column)
        if value is not None:
            assert math.isclose(float(cell.getAttribute("value")), float(value), rel_tol=1e-15)
        own = styles[cell.getAttribute("stylename")]
        properties = {each.tagName: each for each in own.childNodes}
        letters, box = properties["style:text-properties"], properties["style:table-cell-properties"]
        assert letters.getAttribute("color") == style.ink
        assert (letters.getAttribute("fontweight") == "bold") == style.bold
        assert (box.getAttribute("backgroundcolor") or "") == style.ground
        assert bool(box.getAttribute("bordertop")) == (style.above is not Rule.NONE)
        named = own.getAttribute("datastylename")
        assert named is None or named in formats
    with zipfile.ZipFile(tmp_path / "r.ods") as parts:
        assert parts.namelist()[0] == "mimetype"
        assert parts.read("mimetype") == b"application/vnd.oasis.opendocument.spreadsheet"
        assert parts.getinfo("mimetype").compress_type == zipfile.ZIP_STORED
        listed = {each.get("{urn:oasis:names:tc:opendocument:xmlns:manifest:1.0}full-path") for each in etree.fromstring(parts.read("META-INF/manifest.xml"))}  # fmt: skip
        assert {name for name in parts.namelist() if not name.startswith(("META-INF", "mimetype"))} <= listed


@pytest.mark.parametrize("on_rows", [False, True])
@pytest.mark.parametrize(
    ("when", "holds"),
    [
        (AtLeast("100"), lambda value: value >= 100),
        (Below("0"), lambda value: value < 0),
        (Equal("0.00"), lambda value: value == 0),
        (InRange("-20.25", "99.99"), lambda value: Decimal("-20.25") <= value <= Decimal("99.99")),
    ],
)
def test_a_highlight_that_stands_alone_is_the_opendocument_sheets_own(tmp_path, when, holds, on_rows):
    """Cells of members wear it by themselves, so that it goes on when numbers in the sheet change; totals do not, and other measures neither."""
    look = ReportLook(
        highlights=(Highlight("a", NET.id, when, Ground()), Highlight("c", SHARE.id, Always(), Shading()))
    )
    fold = Fold("F", (NET, SHARE), (placed("T.Region"), placed("T.Site")), (placed("T.Half"),), look=look)
    fold = msgspec.structs.replace(fold, measures_on=MeasuresOn.ROWS if on_rows else MeasuresOn.COLUMNS)
    report = Engine(SALES).fold(fold)
    save_report(report, tmp_path / "r.ods", guard=OutputGuard())
    file = opendocument.load(tmp_path / "r.ods")
    own = {each.getAttribute("name"): each for each in file.automaticstyles.childNodes if each.tagName == "style:style"}
    worn = next(
        each
        for each in file.styles.childNodes
        if each.tagName == "style:style" and each.getAttribute("name") == "Highlight_1"
    )
    ground = worn.getElementsByType(TableCellProperties)[0].getAttribute("backgroundcolor")
    rows, sheet, marked = file.spreadsheet.getElementsByType(odf_table.TableRow), Sheet(report), 0
    for row, column, style, _ in cells(report):
        cell = rows[3 + sheet.head_rows + row].childNodes[sheet.head_columns + column]
        made = own[cell.getAttribute("stylename")]
        maps = made.getElementsByType(Map)
        measure, value = report.cell(row, column)[0], report.value(row, column)
        is_total = bool(report.left.is_total[row] or report.top.is_total[column])
        assert len(maps) == (measure == 0 and not is_total)
        box = made.getElementsByType(TableCellProperties)[0]
        if not maps:
            assert (box.getAttribute("backgroundcolor") or "") == style.ground
            continue
        assert maps[0].getAttribute("applystylename") == "Highlight_1"
        said = maps[0].getAttribute("condition")
        wears = value is not None and holds(Decimal(cell.getAttribute("value")))
        assert wears == (value is not None and says(said, Decimal(cell.getAttribute("value"))))
        assert style.ground == (ground if wears else box.getAttribute("backgroundcolor") or "")
        marked += wears
    assert marked


def says(condition, value):
    """OpenDocument's condition on a number."""
    between = re.fullmatch(r"cell-content-is-between\((.+),(.+)\)", condition)
    if between:
        return Decimal(between[1]) <= value <= Decimal(between[2])
    sign, number = re.fullmatch(r"cell-content\(\)([<>=]+)(.+)", condition).groups()
    return {">=": value >= Decimal(number), "<": value < Decimal(number), "=": value == Decimal(number)}[sign]


def test_of_two_highlights_that_differ_the_later_wins_in_a_workbook_as_well(tmp_path):
    """A workbook goes by the first of its conditional formats, and lays them over fixed ones."""
    both = (
        Highlight("a", NET.id, AtLeast("100"), Ground()),
        Highlight("b", NET.id, AtLeast("1000"), Ground(Colour.MOSS)),
    )
    later = Highlight("c", NET.id, AtLeast("100"), Ground(Colour.MOSS), Scope.CELLS, totals=True)
    for highlights, live in ((both, 2), ((*both[:1], later), 0), ((later, *both[:1]), 1)):
        report = Engine(SALES).fold(Fold("F", (NET,), (placed("T.Region"),), look=ReportLook(highlights=highlights)))
        save_report(report, tmp_path / "r.xlsx", guard=OutputGuard())
        page = openpyxl.load_workbook(tmp_path / "r.xlsx").worksheets[0]
        rules = [rule for each in page.conditional_formatting for rule in each.rules]
        assert len(rules) == live
        if live == 2:
            first = min(rules, key=lambda rule: rule.priority)
            assert [float(each) for each in first.formula] == [1000]


def test_of_several_highlights_of_a_measure_none_is_left_to_an_opendocument_sheet(tmp_path):
    look = ReportLook(highlights=(Highlight("a", NET.id, AtLeast("100"), Ground()), Highlight("b", NET.id, AtLeast("1000"), Ink())))  # fmt: skip
    report = Engine(SALES).fold(Fold("F", (NET,), (placed("T.Region"),), look=look))
    save_report(report, tmp_path / "r.ods", guard=OutputGuard())
    assert not opendocument.load(tmp_path / "r.ods").spreadsheet.getElementsByType(Map)
    with zipfile.ZipFile(tmp_path / "r.ods") as parts:
        assert b"cell-content()" not in parts.read("content.xml")


def test_the_parts_of_an_opendocument_sheet_hold_to_its_grammar_and_refer_to_styles_that_are_there(report, tmp_path):
    """OpenDocument's schema as odfpy's tables have it: which element stands within which, with which attributes; and what is referred to."""
    save_report(report, tmp_path / "r.ods", guard=OutputGuard())
    with zipfile.ZipFile(tmp_path / "r.ods") as parts:
        trees = [etree.fromstring(parts.read(name)) for name in ("content.xml", "styles.xml", "meta.xml")]
    known, seen = {}, 0
    for element in (each for tree in trees for each in tree.iter()):
        name = split(element.tag)
        children = grammar.allowed_children.get(name, ())
        assert children is None or {split(each.tag) for each in element} <= set(children), element.tag
        attributes = grammar.allowed_attributes.get(name)
        own = {split(key) for key, _ in element.items()}
        assert attributes is None or own <= set(attributes), element.tag
        assert own >= set(grammar.required_attributes.get(name, ())), element.tag
        if name not in grammar.allows_text:
            assert not (element.text or "").strip(), element.tag
        if (STYLE_NS, "name") in own:
            known.setdefault(element.get(f"{{{STYLE_NS}}}name"), element)
        seen += 1
    assert seen > 100
    for element in trees[0].iter():
        for key, value in element.items():
            if key.rpartition("}")[2] in ("style-name", "data-style-name", "apply-style-name"):
                assert value in known, (element.tag, value)


def split(name):
    space, _, local = name[1:].partition("}")
    return (space, local)


STYLE_NS = "urn:oasis:names:tc:opendocument:xmlns:style:1.0"


def test_markdown_says_every_cell_and_nothing_in_it_is_taken_for_markup(report, tmp_path):
    save_report(report, tmp_path / "r.md", guard=OutputGuard())
    lines = (tmp_path / "r.md").read_text("utf-8").splitlines()
    assert lines[0] == "# Net \\& share"
    rows = [re.split(r"(?<!\\)\|", line)[1:-1] for line in lines if line.startswith("| ")]
    sheet = Sheet(report)
    assert {len(row) for row in rows} == {sheet.head_columns + report.width}
    for row, column, style, text in cells(report):
        said = f"{style.sign} {text}" if style.sign and text else text
        shown = rows[1 + row][sheet.head_columns + column].strip()
        assert re.sub(r"\\(.)", r"\1", shown.replace("**", "")) == said
        assert shown.startswith("**") == bool(text and (style.bold or style.edge))
    assert any(line.startswith("- ") and "at least 100" in line for line in lines)


def test_markdown_says_headings_from_above_down_over_totals_as_well(tmp_path):
    columns = {"A": ["x", "y"], "N": [1, 2], "M": [3, 4]}
    fold = Fold("F", (measure("sum", "T.N"), measure("sum", "T.M")), (), (placed("T.A"),))
    save_report(Engine(source(table("T", columns))).fold(fold), tmp_path / "r.md", guard=OutputGuard())
    heads = next(line for line in (tmp_path / "r.md").read_text("utf-8").splitlines() if line.startswith("| "))
    said = [each.strip() for each in heads.strip("|").split("|") if each.strip()]
    assert said == ["x · N", "x · M", "y · N", "y · M", "All As · N", "All As · M"]


def test_pages_picture_and_drawing_are_made_with_title_and_text(report, tmp_path):
    for ending in ("pdf", "png", "svg"):
        save_report(report, tmp_path / f"r.{ending}", guard=OutputGuard())
    text = "".join(page.extract_text() for page in pypdf.PdfReader(tmp_path / "r.pdf").pages)
    assert "Net & share" in text
    assert "1,234,567.50" in text
    drawing = etree.parse(tmp_path / "r.svg").getroot()
    assert "1,234,567.50" in "".join(drawing.itertext())
    assert (tmp_path / "r.png").read_bytes()[:8] == b"\x89PNG\r\n\x1a\n"


def test_parquet_holds_the_members_and_their_measures_in_their_types(report, tmp_path):
    save_report(report, tmp_path / "r.parquet", guard=OutputGuard())
    made = pq.read_table(tmp_path / "r.parquet")
    assert made.column_names == ["Region", "Site", "Half", "Net", "Share"]
    assert str(made.schema.field("Net").type).startswith("decimal128")
    assert made.num_rows == 6
    assert sum(value for value in made["Net"].to_pylist() if value is not None) == D("1234957.34")
