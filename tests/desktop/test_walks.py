"""An analyst's everyday questions, from data just opened to the answer, by mouse, by keys and in one line; the gestures of each are counted."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QListView, QPushButton

from foldbasket.spec.field import FieldRef

LEFT, CONTROL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier
LINES = "Order lines"


class Walk:
    """Hands at mouse and keyboard. A click, a double-click, a drag and a key with its modifiers count as one gesture; so does a line of typing with its Enter."""

    def __init__(self, driver) -> None:
        self.driver, self.gestures = driver, 0

    def double_click(self, ref: FieldRef) -> None:
        self.gestures += 1
        self.driver.double_click_field(ref)

    def click(self, widget, point=None) -> None:
        self.gestures += 1
        self.driver.qtbot.mouseClick(widget, LEFT, **({"pos": point} if point is not None else {}))
        self.driver.settle()

    def click_line(self, finder, text: str) -> None:
        """A line of the list to type into, clicked."""
        item = next(item for at in range(finder.list.count()) if (item := finder.list.item(at)).text() == text)
        self.click(finder.list.viewport(), finder.list.visualItemRect(item).center())

    def key(self, key, modifier=CONTROL) -> None:
        self.gestures += 1
        self.driver.key(key, modifier)

    def type_line(self, text: str) -> None:
        """Types a sentence over the old one and ends it."""
        self.gestures += 1
        line = self.driver.workspace.typed.text
        QTest.keyClicks(line, text)
        self.driver.settle()
        self.driver.press(line, Qt.Key.Key_Return)
        assert not self.driver.workspace.typed.isVisible(), self.driver.workspace.typed.said.text()


@pytest.fixture
def walk(driver, demo):
    driver.open(demo)
    return Walk(driver)


def said(walk):
    """The report as its sentence, and its first line of members with the grand total's cells."""
    return walk.driver.desk.report.sentence


A = "Net, summed for each Region across Quarter of order date keeping Channel: Trade"


def test_net_by_region_and_quarter_for_trade_customers_by_mouse(walk):
    driver = walk.driver
    walk.click(
        next(each for each in driver.workspace.spine.findChildren(QPushButton) if each.accessibleName() == "Add a fold")
    )
    walk.double_click(FieldRef(LINES, "Net"))
    walk.double_click(FieldRef("Customers", "Region"))
    walk.double_click(FieldRef(LINES, "Order date"))
    walk.click(driver.workspace.sentence.pluses["filters"])
    walk.click_line(QApplication.activePopupWidget(), "Channel")
    walk.click(button(driver, "keep none"))
    driver.workspace.card.at_once()
    listed = next(
        each
        for each in driver.workspace.card.body.findChildren(QListView)
        if each.accessibleName().startswith("Members of Channel")
    )
    row = next(at for at in range(listed.model().rowCount()) if listed.model().index(at, 0).data() == "Trade")
    box = listed.visualRect(listed.model().index(row, 0))
    walk.click(listed.viewport(), box.center() - type(box.center())(box.width() // 2 - 8, 0))
    assert said(walk) == A
    assert walk.gestures <= 8


def test_net_by_region_and_quarter_for_trade_customers_in_one_line(walk):
    by_keys(walk, "net by region by quarter for trade customers")
    assert said(walk) == A
    assert walk.gestures == 3  # twice the key into the sentence, and the line


def test_who_sold_most_of_one_line_in_march(walk):
    by_keys(walk, "top 1 seller by net, herbs only, in March 2026")
    assert (
        said(walk) == "Net, summed for each Seller (top 1 by Net) keeping Line: Herbs and Month of order date: Mar 2026"
    )
    assert walk.driver.desk.report.height == 2  # who it is, and everything


def test_ten_best_customers_with_their_share_and_all_others_by_one_click(driver, demo):
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")))
    walk = Walk(driver)
    walk.click(
        next(card for card in driver.workspace.starters.cards if card.proposal.fold.name == "Ten largest: Customer")
    )
    rows = driver.desk.report.rows
    assert [rows.label(line, 0) for line in range(12)][10:] == ["All others", ""]
    assert walk.gestures == 1


def test_ten_best_customers_with_their_share_and_all_others_in_one_line(walk):
    by_keys(
        walk,
        "Net, summed and Net, summed, as % of the column for each Customer (top 10 by Net, the rest as one; largest first by Net)",
    )
    assert walk.driver.desk.report.height == 12
    assert walk.gestures == 3


def test_actual_against_plan_in_one_line(walk):
    by_keys(walk, "Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Region")
    report = walk.driver.desk.report
    assert [head.heading for head in report.measures] == ["Net", "Planned net", "Net, % change from Planned net"]
    assert walk.gestures == 3


def by_keys(walk, line):
    """Twice the key into the sentence, then the line."""
    walk.key(Qt.Key.Key_L)
    walk.key(Qt.Key.Key_L)
    walk.type_line(line)


def button(driver, text):
    return next(each for each in driver.workspace.card.body.findChildren(QPushButton) if each.text() == text)
