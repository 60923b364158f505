"""An analyst's everyday questions, from data just opened to the answer, by mouse and again by keys alone; the gestures of each are counted.

In one line of typing the same questions are asked in `test_walks_typed`.
"""

import shutil
import time

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton

from tests.desktop.walk import CONTROL, NONE, SHIFT, Walk

Key = Qt.Key
NET_BY_REGION = "Net, summed for each Region across Quarter of order date keeping Channel: Trade"
BEST_SELLER = (
    "Net, summed for each Seller (top 1 by Net) keeping Line: Herbs and Month of order date: Mar 2026"
)


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
    walk.click(
        next(card for card in driver.workspace.starters.cards if card.proposal.fold.name == "Ten largest: Customer")
    )
    walk.ended("c-mouse")
    assert walk.names()[10:] == ["All others", ""]
    assert [head.heading for head in walk.report.measures] == ["Net", "Share"]
    assert walk.gestures == 1


def test_ten_best_customers_with_their_share_and_all_others_by_keys(driver, demo):
    walk = Walk(driver)
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")))
    card = next(card for card in driver.workspace.starters.cards if card.proposal.fold.name == "Ten largest: Customer")
    walk.tab_to(card)
    walk.press(Key.Key_Return)
    walk.ended("c-keys")
    assert walk.names()[10:] == ["All others", ""]


# (d) actual against plan, marked where it is short by a tenth


def test_actual_against_plan_marked_where_it_is_short_by_mouse(walk):
    walk.add_fold()
    walk.double_click("Net")
    walk.double_click("Planned net", "Plan")
    walk.double_click("Region", "Customers")
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
    walk.sentence("Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Region")
    walk.key(Key.Key_L)
    walk.driver.settle()
    walk.ended("d-keys")


def check_marks(walk):
    report, dressed = walk.report, walk.driver.workspace.grid.geometry_of.dressed
    assert [head.heading for head in report.measures] == ["Net", "Planned net", "Net, % change from Planned net"]
    short = [report.value(row, 2) is not None and report.value(row, 2) <= -0.1 for row in range(report.height - 1)]
    assert [bool(dressed.said_of(row, 2)) for row in range(report.height - 1)] == short


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
