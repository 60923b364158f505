"""The pages view and what is printed: the same pages on the screen, in PDF and on a printer; texts read back page by page."""

import random
from decimal import Decimal

import msgspec
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtPrintSupport import QPrinter, QPrinterInfo
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton

from foldbasket.desktop.card.handlist import HandList
from foldbasket.desktop.drawing.book import Book, pages_of
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.drawing.pdf import print_out, save
from foldbasket.desktop.state.part import Part
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.spec.chart import Chart
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import ChartOn, Each, Fit, Listing, Order, Page, Paper, Way
from foldbasket.styling.styles import STYLES
from tests.desktop.test_looks import choose, press, type_into
from tests.folding.build import measure, placed, ref, source, table

replace = msgspec.structs.replace


def long_report(groups, lines, **page):
    draw = random.Random(5)
    keys = [(f"Group {one:03}", f"Member {one:03}-{two:03}") for one in range(groups) for two in range(lines)]
    columns = {
        "A": [one for one, _ in keys],
        "B": [two for _, two in keys],
        "N": [Decimal(draw.randrange(100, 99_999)) / 100 for _ in keys],
    }
    fold = Fold(
        "Long list", (measure("sum", "T.N"),), (placed("T.A", id="a"), placed("T.B", id="b")), page=Page(**page)
    )
    return Engine(source(table("T", columns))).fold(fold)


def read(path):
    """The text of each page."""
    return [page.extract_text() for page in PdfReader(path).pages]


@pytest.mark.parametrize(("groups", "lines", "least"), [(80, 15, 25), (220, 20, 100)])
def test_a_long_report_reads_back_page_by_page(tmp_path, qapp, groups, lines, least):
    report = long_report(groups, lines, way=Way.UPRIGHT)
    path = tmp_path / "long.pdf"
    save(report, path)
    pages, texts = Pages(report), read(path)
    assert len(texts) == len(pages) >= least
    seen = []
    for number, (sheet, text) in enumerate(zip(pages.sheets, texts, strict=True)):
        assert f"page {number + 1:,} of {len(pages):,}" in text
        assert "N" in text.split()
        assert "B" in text.split(), "headings are on every page"
        for row in range(*sheet.rows):
            member = report.rows.label(int(report.left.line[row]), 1)
            if member:
                assert member in text
                assert report.text(row, 0) in text
                seen.append(member)
        first = report.rows.label(int(report.left.line[sheet.rows[0]]), 0)
        assert first in text, "the group goes on under its name"
        assert not report.left.is_total[sheet.rows[0]]
    assert len(seen) == len(set(seen)) == groups * lines
    assert "Everything" in texts[-1]


def test_a_page_for_each_group_with_its_name_at_the_foot(tmp_path, qapp):
    report = long_report(6, 4, breaks="a")
    save(report, tmp_path / "groups.pdf")
    texts = read(tmp_path / "groups.pdf")
    assert len(texts) == 7
    assert [f"Group {at:03}" in texts[at] for at in range(6)] == [True] * 6
    assert "Everything" in texts[6]
    assert [Pages(report).group(at) for at in (0, 5, 6)] == ["Group 000", "Group 005", "Everything"]


def test_fit_paper_and_order(qapp):
    many = {
        "A": [f"a{at % 3}" for at in range(120)],
        "B": [f"Column {at % 40:02}" for at in range(120)],
        "N": [1234] * 120,
    }
    fold = Fold("Wide", (measure("sum", "T.N"),), (placed("T.A", id="a"),), (placed("T.B", id="b"),))
    report = Engine(source(table("T", many))).fold(fold)
    assert Pages(report, Page()).sideways
    full = Pages(report, Page(fit=Fit.FULL))
    assert len(full) > 2
    assert len({sheet.columns for sheet in full.sheets}) == len(full)
    one = Pages(report, Page(fit=Fit.PAGES, pages=2))
    assert len(one) <= 2
    assert Pages(report, Page(paper=Paper.A3, fit=Fit.FULL)).size.width() > full.size.width()
    tall = long_report(40, 10)
    down = Pages(tall, Page(paper=Paper.A5, way=Way.UPRIGHT, order=Order.BESIDE))
    assert [sheet.rows for sheet in down.sheets] == sorted(sheet.rows for sheet in down.sheets)
    with pytest.raises(OutputError, match="narrower than the headings") as told:
        len(Pages(tall, Page(paper=Paper.A5, way=Way.UPRIGHT, margin=68)))
    assert "Lay it sideways" in str(told.value)


def test_the_chart_stands_after_the_report_or_on_a_page_of_its_own(tmp_path, qapp):
    report = long_report(3, 3)
    fold = replace(report.origin.fold, chart=Chart(along="a", series="", title="Drawn here"))
    for where, many in ((ChartOn.AFTER, 1), (ChartOn.OWN, 2), (ChartOn.NONE, 1)):
        made = report.of(replace(fold, page=Page(chart=where)))
        pages = Pages(made)
        assert len(pages) == many
        assert pages.sheets[-1].charted == (where is not ChartOn.NONE)
        save(made, tmp_path / "charted.pdf")
        read = PdfReader(tmp_path / "charted.pdf")
        said = " ".join(read.pages[-1].extract_text().split())
        assert ("Drawn here" in said) == (where is not ChartOn.NONE), "its texts can be read"
        assert sum(len(page.images) for page in read.pages) == 0, "its lines are as fine as the paper's own"


def test_a_printer_gets_the_same_pages(tmp_path, qapp):
    report = long_report(30, 10, way=Way.UPRIGHT)
    pages = Pages(report)
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    printer.setPageLayout(pages.layout)
    printer.setFullPage(True)
    print_out(printer, pages)
    save(report, tmp_path / "written.pdf")
    words = [[sorted(text.split()) for text in read(tmp_path / name)] for name in ("printed.pdf", "written.pdf")]
    assert words[0] == words[1]


# --- the view -------------------------------------------------------------------


@pytest.fixture
def paged(driver, demo):
    driver.open(demo)
    driver.act("Pages")
    driver.settle()
    return driver


def test_the_view_shows_the_pages_and_goes_back(paged):
    view = paged.workspace.pages
    assert paged.workspace.middle.currentWidget() is view
    assert view.count == 1
    assert paged.workspace.pages_head.place.text() == "1 of 1"
    paged.unfold("Breaks")
    choose(paged, "New page for each", "Region")
    assert view.count == 6
    QTest.keyClick(view.large, Qt.Key.Key_PageDown)
    assert view.number == 1
    assert paged.workspace.pages_head.place.text() == "2 of 6"
    QTest.keyClick(view.large, Qt.Key.Key_End)
    assert view.number == 5
    point = view.small.area(0).center().toPoint()
    paged.qtbot.mouseClick(view.small.viewport(), Qt.MouseButton.LeftButton, pos=point)
    image = view.large.viewport().grab().toImage()
    assert image.width() > 100
    back = next(
        each for each in paged.workspace.pages_head.findChildren(QPushButton) if each.text() == "Back to the fold"
    )
    paged.qtbot.mouseClick(back, Qt.MouseButton.LeftButton)
    assert paged.workspace.middle.currentWidget() is paged.workspace.room
    paged.desk.undo()
    assert paged.desk.fold.page == Page()


def test_the_card_sets_paper_margins_and_lines_and_a_wrong_field_is_told(paged):
    paged.unfold("Paper")
    body = paged.workspace.card.body
    chip = next(each for each in body.findChildren(QPushButton) if each.text() == "upright" and each.isVisibleTo(body))
    paged.qtbot.mouseClick(chip, Qt.MouseButton.LeftButton)
    paged.settle()
    assert paged.desk.fold.page.way is Way.UPRIGHT
    assert not paged.workspace.pages.pages.sideways
    paged.unfold("Head")
    type_into(paged, "Middle", "{sentence}")
    assert paged.desk.fold.page.head == ("", "{sentence}", "")
    type_into(paged, "Left", "{who}")
    assert "there is no “{who}” for a page" in paged.errors.pop().what
    assert paged.desk.fold.page.head == ("", "{sentence}", "")
    paged.unfold("Fit")
    choose(paged, "Fit", "on so many pages")
    type_into(paged, "Pages", "none")
    assert "no number of pages" in paged.errors.pop().what


def test_zoom_and_other_folds_while_pages_are_shown(paged):
    view = paged.workspace.pages
    wide = view.large.page_width()
    paged.act("Larger")
    assert view.large.page_width() > wide
    paged.act("Usual size")
    assert view.large.page_width() == wide
    paged.desk.show_fold(paged.desk.basket.folds[1].key)
    paged.settle()
    assert view.pages.report.name == paged.desk.fold.name
    paged.act("Fold")
    assert paged.workspace.middle.currentWidget() is paged.workspace.room


def test_pdf_is_written_from_the_line_over_the_pages(paged, tmp_path, monkeypatch):
    path = tmp_path / "pages.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), "PDF (*.pdf)"))
    write = next(each for each in paged.workspace.pages_head.findChildren(QPushButton) if each.text() == "Write PDF…")
    paged.qtbot.mouseClick(write, Qt.MouseButton.LeftButton)
    paged.settle()
    assert len(read(path)) == paged.workspace.pages.count


def test_without_a_printer_it_says_so(paged, monkeypatch):
    monkeypatch.setattr(QPrinterInfo, "availablePrinters", staticmethod(list))
    paged.act("Print…")
    assert "there is no printer" in paged.errors.pop().what


def test_in_newsprint_the_whole_page_is_grey(qapp):
    report = long_report(4, 4, way=Way.UPRIGHT)
    pages = Pages(replace(report, style=STYLES["newsprint"]))
    image = QImage(pages.size.toSize(), QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.TextAntialiasing, False)
    pages.draw(painter, 0)
    painter.end()
    found = {image.pixelColor(x, y).getRgb()[:3] for y in range(image.height()) for x in range(0, image.width(), 2)}
    assert len(found) > 2
    assert all(max(colour) - min(colour) <= 2 for colour in found), found


def test_pages_are_made_again_only_where_report_or_page_changed(paged):
    view = paged.workspace.pages
    made = view.pages
    paged.desk.notify(Part.VIEW)
    paged.settle()
    assert view.pages is made
    paged.unfold("Breaks")
    choose(paged, "New page for each", "Region")
    assert view.pages is not made
    assert view.count == 6


def test_records_are_listed_under_their_groups_on_every_page(tmp_path, qapp):
    report = long_report(9, 14, way=Way.UPRIGHT, listing=Listing((ref("T.N"), ref("T.B"))), breaks="a")
    save(report, tmp_path / "listed.pdf")
    pages, texts = Pages(report), read(tmp_path / "listed.pdf")
    assert len(texts) == len(pages) == 10
    listed = pages.report
    assert listed.height == 9 * (14 * 2 + 1) + 1, "each member has one record and a total, each group a total"
    for number, (sheet, text) in enumerate(zip(pages.sheets, texts, strict=True)):
        assert "Record" in text.split()
        for row in range(*sheet.rows):
            assert listed.text(row, 0) in text
        if number < 9:
            assert f"Group {number:03}, 14 records" in text
    assert "Everything, 126 records" in texts[-1]


def test_the_card_has_records_listed_with_chosen_fields_in_order(paged, tmp_path, monkeypatch):
    paged.unfold("Records")
    press(paged, "the records")
    view, desk = paged.workspace.pages, paged.desk
    usual = [each.field for each in desk.fold.page.listing.fields]
    assert usual == ["Line no.", "Order date", "Channel", "Quantity", "Unit price", "Net", "Cost"]
    assert view.count > 50
    hand = paged.workspace.card.body.findChild(HandList)
    hand.setFocus()
    QTest.keyClick(hand, Qt.Key.Key_Delete)
    paged.settle()
    choose(paged, "Add", "Customers · Segment")
    choose(paged, "Leave out", "Cost")
    hand = paged.workspace.card.body.findChild(HandList)
    hand.setCurrentRow(4)
    QTest.keyClick(hand, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    paged.settle()
    assert [each.field for each in desk.fold.page.listing.fields] == [
        "Order date", "Channel", "Quantity", "Net", "Unit price", "Segment"
    ]  # fmt: skip
    choose(paged, "In order of", "Net")
    press(paged, "falling")
    listed = view.pages.report
    nets = [listed.value(row, 3) for row in range(50)]
    assert nets == sorted(nets, reverse=True)
    assert listed.text(0, 5)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *_: (str(tmp_path / "l.csv"), "")))
    paged.act("Write the records of each group…")
    paged.settle()
    assert len((tmp_path / "l.csv").read_text("utf-8").splitlines()) == 1 + listed.height
    for _ in range(7):
        paged.act("Undo")
    paged.settle()
    assert desk.fold.page.listing is None
    assert view.count == 1


def test_printing_waits_for_the_pages_that_are_made_in_the_background(driver, demo, tmp_path, monkeypatch):
    driver.open(demo)
    printed = []
    monkeypatch.setattr(QPrinterInfo, "availablePrinters", staticmethod(lambda: [object()]))
    monkeypatch.setattr("foldbasket.desktop.pages.printing.ask_and_print", lambda _, pages: printed.append(len(pages)))
    driver.act("Print…")
    driver.settle()
    assert printed == [1], "without the pages having been in view"
    driver.act("Pages")
    driver.settle()
    driver.act("Print…")
    driver.settle()
    assert printed == [1, 1]


def test_a_report_for_each_member_in_one_file_with_its_own_totals(tmp_path, qapp):
    report = long_report(5, 60, way=Way.UPRIGHT, each=Each(ref("T.A")), head=("{picked}", "", "{group}"))
    fold = report.origin.fold
    picked = replace(fold, filters=(Members("f", ref("T.A"), exclude=True, picker="Group"),))
    report = report.origin.again(picked).of(picked)
    save(report, tmp_path / "book.pdf")
    book, texts = pages_of(report), read(tmp_path / "book.pdf")
    assert isinstance(book, Book)
    assert len(texts) == len(book) == 10, "each member fills more than a page, and begins a new one"
    for number, text in enumerate(texts):
        member = f"Group {number // 2:03}"
        assert f"page {number + 1} of 10" in text
        assert f"Group: {member}" in text, "the head says what is picked"
        assert book.group(number) == member
        assert f"Group {(number // 2 + 1) % 5:03}" not in text
    for at, (member, part) in enumerate(book.parts):
        assert f"Long list, {member}" in texts[2 * at]
        total = part.report.text(part.report.height - 1, 0)
        assert total in texts[2 * at + 1]
    made = PdfReader(tmp_path / "book.pdf")
    tops = [each for each in made.outline if not isinstance(each, list)]
    assert [each.title for each in tops] == [f"Group {at:03}" for at in range(5)]
    assert [made.get_destination_page_number(each) for each in tops] == [0, 2, 4, 6, 8]
    nobody = replace(picked, filters=(Members("f", ref("T.A"), members=("nobody",)),))
    with pytest.raises(OutputError, match="“A” has no member"):
        len(pages_of(report.origin.again(nobody).of(nobody)))


def test_the_card_makes_a_report_for_each_member(paged):
    paged.unfold("Reports")
    choose(paged, "A report for each", "Region")
    view = paged.workspace.pages
    assert view.count == 5
    assert paged.desk.fold.page.each == Each(ref("Customers.Region"))
    assert [view.pages.group(at) for at in range(2)] == ["Eastfen", "Midmarsh"]
    view.turn_to(3)
    paged.settle()
    assert paged.workspace.pages_head.place.text() == "4 of 5"
    paged.act("Undo")
    paged.settle()
    assert view.count == 1
