"""What a PDF is beside its pages: text that is found and copied as it is read, an outline, a language, and the rules of archives."""

import io
import re

import msgspec
import pytest
from fontTools.ttLib import TTFont
from lxml import etree
from pypdf import PdfReader
from PyQt6.QtGui import QFont

from foldbasket.charts.kinds.blocks import Columns
from foldbasket.charts.kinds.lines import Areas
from foldbasket.charts.kinds.parts import Parts
from foldbasket.desktop.drawing import readable
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.drawing.pdf import save
from foldbasket.desktop.widgets import theme
from foldbasket.folding.engine import Engine
from foldbasket.spec.chart import Chart
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import Way
from foldbasket.styling.styles import STYLES
from tests.desktop.test_pages import long_report, read
from tests.folding.build import measure, placed, source, table

replace = msgspec.structs.replace
XMP = {
    "rdf": "http://www.w3.org/1999/02/22-rdf-syntax-ns#", "dc": "http://purl.org/dc/elements/1.1/", "xmp": "http://ns.adobe.com/xap/1.0/",
    "pdf": "http://ns.adobe.com/pdf/1.3/", "pdfaid": "http://www.aiim.org/pdfa/ns/id/",
}  # fmt: skip


def test_a_long_pdf_has_an_outline_of_its_groups_and_says_its_language(tmp_path, qapp):
    report = long_report(60, 12, way=Way.UPRIGHT)
    save(report, tmp_path / "long.pdf")
    made, texts = PdfReader(tmp_path / "long.pdf"), read(tmp_path / "long.pdf")
    assert made.root_object["/Lang"] == "en"
    assert made.metadata.title == "Long list"
    assert [each.title for each in made.outline] == [*(f"Group {at:03}" for at in range(60)), "Everything"]
    for each in made.outline:
        assert each.title in texts[made.get_destination_page_number(each)], "its page shows the group"
    first = [made.get_destination_page_number(each) for each in made.outline]
    assert first == sorted(first)
    save(long_report(2, 2), tmp_path / "short.pdf")
    assert PdfReader(tmp_path / "short.pdf").outline == [], "one page needs no outline"


def odd_report(style="ledger", drawn=Columns):
    """A report with all that may stand in one: signs, money, dates with hyphens, names in other scripts, and a chart."""
    columns = {
        "Who": ["Ashby-Cole & Sons", "Ærø (north) 1:1", "Ωμέγα Ж 11 file", "1-11 to 7,7"],
        "When": ["2026-10-11", "2026-11-11", "2026-01-07", "2026-11-17"],
        "N": [1111.11, 7777.70, 0.07, 41.0],
    }
    fold = Fold(
        "Odd & even",
        (measure("sum", "T.N"),),
        (placed("T.Who", id="w"), placed("T.When")),
        chart=Chart(drawn=drawn(), along="w"),
    )
    report = Engine(source(table("T", columns))).fold(fold)
    return replace(report, style=STYLES[style])


def test_text_is_read_back_as_it_stands_with_digits_of_one_width(tmp_path, qapp):
    report = odd_report()
    save(report, tmp_path / "r.pdf")
    text = "\n".join(read(tmp_path / "r.pdf"))
    for said in (
        "Odd & even",
        "Ashby-Cole & Sons",
        "Ærø (north) 1:1",
        "1-11 to 7,7",
        "2026-11-11",
        "1,111.11",
        "7,777.70",
        "page 1 of",
    ):
        assert said in text
    assert not re.search("[\x00-\x09\x0b-\x1f\ue000-\uf8ff]", text)
    at = Pages(report).geometry
    figures = at.face(bold=False, italic=False)[1]
    assert at.tabular
    assert {figures.wide(digit) for digit in "0123456789"} == {figures.wide("0")}


def test_digits_of_one_width_are_done_without_where_a_pdf_could_not_be_searched_for_them(tmp_path, qapp, monkeypatch):
    monkeypatch.setattr(readable, "ODD", "\t\x1f")  # a font that keeps them under no code point
    monkeypatch.setattr(readable, "kept", {})
    report = odd_report()
    assert not Pages(report).geometry.tabular
    save(report, tmp_path / "r.pdf")
    assert "1,111.11" in "".join(read(tmp_path / "r.pdf"))


def test_two_fonts_that_keep_different_signs_under_one_code_are_not_mixed(qapp, monkeypatch):
    one = readable.read_back([theme.font(tabular=True)])
    assert one.tabular
    first = next(code for code, sign in one.signs.items() if sign == "1")
    other = QFont(theme.font(20, tabular=True))
    monkeypatch.setattr(
        readable, "of_font", lambda key, font: one if key != other.key() else readable.ReadBack({first: "2"}, True)
    )
    both = readable.read_back([theme.font(tabular=True), other])
    assert not both.tabular


@pytest.mark.parametrize(
    ("table_of", "told"),
    [
        (b"<0001> <0003> [<E072> <0009> <0041> ]", b"<0001> <0003> [<0030> <0020> <0041>]"),
        (b"<0001> <0003> <E072>", b"<0001> <0003> [<0030> <0031> <E074>]"),
        (b"<0000> <0000> <0000>\n<0001> <0002> <0041>", b"<0000> <0000> <0000>\n<0001> <0002> <0041>"),
        (
            b"1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange",
            b"1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange",
        ),
    ],
)
def test_only_what_odd_codes_mean_is_told_anew(table_of, told):
    assert readable.told(table_of, {0xE072: "0", 0xE073: "1", 9: " "}) == told


@pytest.mark.parametrize("style", ["ledger", "newsprint"])
@pytest.mark.parametrize("drawn", [Columns, Areas, Parts])
def test_a_pdf_keeps_the_rules_of_archives(tmp_path, qapp, style, drawn):
    """PDF/A-1b, ISO 19005-1: those of its rules that what we draw could break, by their clauses."""
    path = tmp_path / "r.pdf"
    save(odd_report(style, drawn), path)
    raw, made = path.read_bytes(), PdfReader(path)
    root = made.root_object
    assert re.match(rb"%PDF-1\.4\n%[\x80-\xff]{4}", raw), "6.1.2: the head"
    assert len(made.trailer["/ID"]) == 2, "6.1.3: an identity"
    assert b"/ObjStm" not in raw, "6.1.4: objects are not within streams"
    assert b"/XRef" not in raw, "6.1.4: nor is the table of them"
    assert not re.search(rb"/(Encrypt|LZWDecode|EmbeddedFiles|JavaScript|AA|XFA|Launch|Movie|Sound)\b", raw), (
        "6.1.10 to 6.6"
    )
    assert set(re.findall(rb"/(?:ca|CA) ([\d.]+)", raw)) <= {b"1.0", b"1"}, "6.4: nothing shines through"
    assert set(re.findall(rb"/SMask ?(/?\w+)", raw)) <= {b"/None"}, "6.4"
    (intent,) = root["/OutputIntents"]
    assert intent["/S"] == "/GTS_PDFA1", "6.2.2: colours are meant in one space"
    assert intent["/DestOutputProfile"].get_object()["/N"] == 3
    _metadata_agrees(root["/Metadata"].get_object(), made.metadata)
    fonts = {id(font): font for page in made.pages for font in _fonts(page)}
    assert fonts
    for font in fonts.values():
        _font_is_whole(font)


def _metadata_agrees(stream, told):
    """6.7: what is said of the file is said twice alike, and can be read without unpacking."""
    assert "/Filter" not in stream
    tree = etree.parse(io.BytesIO(stream.get_data()))

    def one(path):
        (found,) = tree.xpath(path, namespaces=XMP)
        return found

    assert (one("//@pdfaid:part"), one("//@pdfaid:conformance")) == ("1", "B")
    assert one("//dc:title//rdf:li/text()") == told.title == "Odd & even"
    assert one("//@xmp:CreatorTool") == told.creator == "Fold Basket"
    assert one("//@pdf:Producer") == told.producer
    assert re.sub(r"\D", "", one("//@xmp:CreateDate"))[:14] == re.sub(r"\D", "", told["/CreationDate"])[:14]


def _fonts(page):
    return [each.get_object() for each in page["/Resources"].get("/Font", {}).values()]


def _font_is_whole(font):
    """6.3: fonts are within the file, with every glyph that is shown, as wide as is said."""
    (inner,) = font["/DescendantFonts"]
    inner = inner.get_object()
    program = TTFont(io.BytesIO(inner["/FontDescriptor"]["/FontFile2"].get_object().get_data()))
    start, widths = inner["/W"]
    units, names = program["head"].unitsPerEm, program.getGlyphOrder()
    assert start == 0
    assert len(widths) <= len(names)
    for said, name in zip(widths, names, strict=False):
        assert abs(float(said) - program["hmtx"][name][0] * 1000 / units) <= 1.0
    assert font["/ToUnicode"].get_object().get_data()


def test_long_reports_are_laid_upright_and_keep_for_archives_too(tmp_path, qapp):
    save(long_report(60, 12, way=Way.UPRIGHT), tmp_path / "long.pdf")
    raw = (tmp_path / "long.pdf").read_bytes()
    assert raw.startswith(b"%PDF-1.4")
    assert b"/XRef" not in raw
    assert len(PdfReader(tmp_path / "long.pdf").outline) == 61
