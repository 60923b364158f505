"""An analyst's everyday questions, from data just opened to the answer, by mouse and again by keys alone; the gestures of each are counted.

In one line of typing the same questions are asked in `test_walks_typed`.
"""

import shutil
import time

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QLineEdit, QPushButton

from tests.desktop.walk import CONTROL, SHIFT, Walk

Key = Qt.Key
NET_BY_REGION = "Net, summed for each Region across Quarter of order date keeping Channel: Trade"
BEST_SELLER = "Net, summed for each Seller (top 1 by Net) keeping Line: Herbs and Month of order date: Mar 2026"


@pytest.fixture
def walk(driver, demo):
    return Walk(driver, demo)


# (a) net by region and quarter for trade customers


def test_net_by_region_and_quarter_for_trade_customers_by_mouse(walk):
    walk.add_fold()
    walk.double_click("Net")
    walk.double_click("Region", "Customers")
    walk.double_click("Order date")
    walk.add_filter("Channel")
    walk.click(walk.part(QPushButton, "keep none"))
    walk.tick("Trade")
    walk.ended("a-mouse")
    assert walk.said == NET_BY_REGION
    assert walk.gestures == 8


def test_net_by_region_and_quarter_for_trade_customers_by_keys(walk):
    walk.key(Key.Key_N, CONTROL | SHIFT)
    walk.action("Add a measure…", "Net")
    walk.action("Add rows…", "Region")
    walk.action("Add columns…", "Order date")
    walk.action("Add a filter…", "Channel")
    keep_only_by_keys(walk, "Trade")
    walk.ended("a-keys")
    assert walk.said == NET_BY_REGION
    assert walk.gestures <= 26


# (b) who sold most of one line in March


def test_who_sold_most_of_one_line_in_march_by_mouse(walk):
    walk.add_fold()
    walk.double_click("Net")
    walk.double_click("Seller", "Sellers")
    walk.add_filter("Line")
    walk.click(walk.part(QPushButton, "keep none"))
    walk.tick("Herbs")
    walk.add_filter("Order date")
    walk.click(walk.part(QPushButton, "Part: Month"))
    walk.open_section("Keep by")
    walk.click(walk.part(QPushButton, "keep none"))
    walk.tick("Mar 2026")
    walk.click(walk.driver.word("Seller"))
    walk.open_section("Show")
    choose(walk, "Members", "the top")
    type_over(walk, "Number", "1")
    walk.ended("b-mouse")
    assert walk.said == BEST_SELLER
    assert walk.report.height == 2


def test_who_sold_most_of_one_line_in_march_by_keys(walk):
    walk.key(Key.Key_N, CONTROL | SHIFT)
    walk.action("Add a measure…", "Net")
    walk.action("Add a filter…", "herbs")
    walk.action("Add a filter…", "in March 2026")
    walk.action("Add rows…", "top 1 seller")
    walk.ended("b-keys")
    assert walk.said == BEST_SELLER
    assert walk.report.height == 2


# (c) the ten best customers with their share, all others as one


def test_ten_best_customers_with_their_share_and_all_others_by_mouse(driver, demo):
    walk = Walk(driver)
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")))
    walk.click(next(card for card in driver.workspace.starters.cards if card.proposal.fold.name == "Top 10: Customer"))
    walk.ended("c-mouse")
    assert walk.names()[10:] == ["All others", ""]
    assert [head.heading for head in walk.report.measures] == ["Net", "Share"]
    assert walk.gestures == 1


def test_ten_best_customers_with_their_share_and_all_others_by_keys(driver, demo):
    walk = Walk(driver)
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")))
    card = next(card for card in driver.workspace.starters.cards if card.proposal.fold.name == "Top 10: Customer")
    walk.key(Key.Key_R)
    while QApplication.focusWidget() is not card:
        walk.press(Key.Key_Right)
    walk.press(Key.Key_Return)
    walk.ended("c-keys")
    assert walk.names()[10:] == ["All others", ""]


# (d) actual vs plan, marked where it is short by a tenth


def test_actual_against_plan_marked_where_it_is_short_by_mouse(walk):
    walk.add_fold()
    walk.double_click("Net")
    walk.double_click("Planned net", "Plan")
    walk.double_click("Line", "Varieties")
    walk.double_click("Order date")
    walk.double_click("Net")
    walk.click(walk.driver.workspace.sentence.words[2])
    walk.open_section("Compare")
    choose(walk, "Show", "with another measure")
    choose(walk, "Measure", "Planned net")
    choose(walk, "As", "change in %")
    walk.open_section("Highlights")
    walk.click(walk.part(QPushButton, "Add a highlight"))
    choose(walk, "When it is", "at most")
    type_over(walk, "this", "-0.1")
    walk.ended("d-mouse")
    check_marks(walk)


def test_actual_against_plan_marked_where_it_is_short_by_keys(walk):
    walk.sentence(
        "Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Line across Quarter of order date"
    )
    walk.press(Key.Key_Right)
    walk.press(Key.Key_Right)
    walk.press(Key.Key_Return)
    walk.action("Highlight cells of the measure at the mark")
    walk.tab_to(lambda each: each.accessibleName() == "When it is")
    while QApplication.focusWidget().currentText() != "at most":
        walk.press(Key.Key_Down)
    walk.tab_to(lambda each: each.accessibleName() == "this")
    walk.press(Key.Key_A, CONTROL)
    walk.type_line("-0.1")
    walk.ended("d-keys")
    check_marks(walk)


# (e) the same report next month


def test_the_same_report_next_month_follows_the_new_records_by_itself(walk, demo, tmp_path):
    more = next_month(demo.parent, tmp_path)
    walk.driver.open(more / demo.name)
    desk = walk.driver.desk
    before, fold, total = desk.report, desk.fold, everything(desk)
    path = more / "order_lines.csv"
    time.sleep(0.05)  # so that the file has another time
    path.write_text((more / "next.csv").read_text(encoding="utf-8"), encoding="utf-8")
    walk.driver.qtbot.waitUntil(
        lambda: desk.report is not None and desk.report.records > before.records, timeout=20_000
    )
    walk.driver.settle()
    walk.ended("e-itself")
    assert everything(desk) > total
    assert desk.fold == fold, "headings, order, formats and rules stay"
    assert walk.gestures == 0


def test_the_same_report_on_next_months_file_by_mouse(walk, demo, tmp_path):
    more = next_month(demo.parent, tmp_path)
    desk, fold, total = walk.driver.desk, walk.driver.desk.fold, everything(walk.driver.desk)
    walk.first_of("Sources")
    walk.open_section("How it is read")
    walk.driver.monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(more / "next.csv"), ""))
    walk.click(walk.part(QPushButton, "Read another file in its place…"))
    walk.gestures += 1  # the file, in the desktop's dialog
    walk.first_of("Folds")
    walk.ended("e-mouse")
    assert everything(desk) > total
    assert desk.fold == fold
    assert walk.gestures <= 5


def test_the_same_report_on_next_months_file_by_keys(walk, demo, tmp_path):
    more = next_month(demo.parent, tmp_path)
    desk, fold, total = walk.driver.desk, walk.driver.desk.fold, everything(walk.driver.desk)
    walk.driver.monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(more / "next.csv"), ""))
    walk.key(Key.Key_2)
    walk.action("Read another file in its place…")
    walk.gestures += 1  # the file, in the desktop's dialog
    walk.key(Key.Key_1)
    walk.ended("e-keys")
    assert everything(desk) > total
    assert desk.fold == fold
    assert walk.gestures <= 5


# (f) three files to a linked crosstab, charted and on paper


def test_three_files_to_a_linked_crosstab_charted_and_on_paper_by_mouse(driver, demo, tmp_path):
    walk = Walk(driver)
    names = [demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")]
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(name)) for name in names])
    walk.gestures += 1
    driver.drop(data, driver.window, QPoint(600, 400))
    driver.qtbot.waitUntil(lambda: len(driver.desk.supply.looker.suggestions) >= 2, timeout=20_000)
    walk.first_of("Sources")
    walk.click(driver.workspace.links.take)
    walk.first_of("Folds")
    walk.double_click("Net")
    walk.double_click("Segment", "Customers")
    walk.double_click("Order date")
    walk.click(driver.workspace.facts.to_chart)
    paper = tmp_path / "segments.pdf"
    driver.save_to(paper)
    menu(walk, "File", "Write the report to a file…")
    walk.ended("f-mouse")
    check_paper(walk, paper)


def test_three_files_to_a_linked_crosstab_charted_and_on_paper_by_keys(driver, demo, tmp_path):
    walk = Walk(driver)
    names = [str(demo.parent / f"{name}.csv") for name in ("order_lines", "orders", "customers")]
    walk.key(Key.Key_O)
    dialog = driver.window.findChild(QFileDialog)
    QTest.keyClicks(dialog.findChild(QLineEdit), " ".join(f'"{name}"' for name in names))
    walk.gestures += 1
    driver.press(dialog.findChild(QLineEdit), Key.Key_Return)
    driver.qtbot.waitUntil(lambda: len(driver.desk.supply.looker.suggestions) >= 2, timeout=20_000)
    walk.action("Accept the suggested links")
    walk.sentence("net by segment by quarter of order date")
    walk.key(Key.Key_G, CONTROL | SHIFT)
    paper = tmp_path / "segments.pdf"
    driver.save_to(paper)
    walk.key(Key.Key_E)
    walk.ended("f-keys")
    check_paper(walk, paper)
    assert walk.gestures <= 10


def check_paper(walk, paper):
    driver = walk.driver
    driver.qtbot.waitUntil(paper.exists, timeout=20_000)
    driver.settle()
    assert walk.said == "Net, summed for each Segment across Quarter of order date"
    assert {link.to_table for link in driver.desk.basket.links} == {"Orders", "Customers"}
    assert driver.desk.fold.chart is not None
    read = PdfReader(paper)
    assert "Segment" in read.pages[0].extract_text()
    assert "Net, thousand" in " ".join(read.pages[-1].extract_text().split()), "the chart is on it"


def next_month(folder, to):
    """A folder of files like those of a folder, and beside them next.csv: the lines of orders with some more."""
    more = to / "month"
    shutil.copytree(folder, more)
    head, *lines = (more / "order_lines.csv").read_text(encoding="utf-8").splitlines()
    kept = [line for line in lines if "2026-09" in line]
    (more / "next.csv").write_text("\n".join([head, *lines, *kept]) + "\n", encoding="utf-8")
    return more


def everything(desk):
    """The last cell but one of the grand total: net of everything."""
    return desk.report.value(desk.report.height - 1, desk.report.width - 2)


def menu(walk, title, name):
    """A line of a menu, by two clicks."""
    bar = walk.driver.window.menuBar()
    opened = next(each for each in bar.actions() if each.text().replace("&", "") == title)
    walk.click(bar, bar.actionGeometry(opened).center())
    shown = opened.menu()
    line = next(each for each in shown.actions() if each.text().replace("&", "") == name)
    walk.click(shown, shown.actionGeometry(line).center())


def check_marks(walk):
    report, dressed = walk.report, walk.driver.workspace.grid.geometry_of.dressed
    assert [head.heading for head in report.measures] == ["Net", "Planned net", "Net, % change from Planned net"]
    cells = [
        (row, column)
        for row in range(report.height - 1)
        for column in range(report.width - len(report.measures))
        if report.cell(row, column)[0] == 2
    ]
    short = {at for at in cells if report.value(*at) is not None and report.value(*at) <= -0.1}
    assert 0 < len(short) < len(cells)
    assert {at for at in cells if dressed.said_of(*at)} == short


def keep_only_by_keys(walk, member):
    """On the card of a filter by members: none, then the one."""
    walk.tab_to(lambda each: each.property("text") == "keep none")
    walk.press(Key.Key_Space)
    walk.tick_by_keys(member)


def choose(walk, name, text):
    """A line of a drop-down list of the card: a click on the list, and one on its line."""
    walk.gestures += 2
    found = walk.part(QComboBox, name)
    at = found.findText(text)
    assert at >= 0, [found.itemText(each) for each in range(found.count())]
    found.setCurrentIndex(at)
    found.activated.emit(at)
    walk.driver.settle()


def type_over(walk, name, text):
    """A double-click into a line of the card, and what is typed over it."""
    line = walk.part(QLineEdit, name)
    walk.gestures += 1
    line.setFocus()
    line.selectAll()
    walk.type_line(text)
