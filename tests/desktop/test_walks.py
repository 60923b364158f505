"""An analyst's everyday questions, from data just opened to the answer, by mouse, by keys and in one line; the gestures of each are counted."""

import shutil
import time

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QListView, QPushButton

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

    def press(self, widget, key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        self.gestures += 1
        self.driver.press(widget, key, modifier)

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


def test_net_by_region_and_quarter_for_trade_customers_by_keys_alone(walk):
    walk.key(Qt.Key.Key_N, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    place(walk, "Add a measure…", "Net")
    place(walk, "Add rows…", "Region")
    place(walk, "Add columns…", "Order date")
    place(walk, "Add a filter…", "Channel")
    driver = walk.driver
    body = driver.workspace.card.body
    none = button(driver, "keep none")
    none.setFocus()
    walk.press(none, Qt.Key.Key_Space)
    listed = next(each for each in driver.workspace.card.body.findChildren(QListView) if each.isVisible())
    row = next(at for at in range(listed.model().rowCount()) if listed.model().index(at, 0).data() == "Trade")
    listed.setFocus()
    for _ in range(row + 1 if listed.currentIndex().row() < 0 else row - listed.currentIndex().row()):
        walk.press(listed, Qt.Key.Key_Down)
    walk.press(listed, Qt.Key.Key_Space)
    assert said(walk) == A
    assert body is not None


def test_actual_against_plan_with_what_is_short_by_a_tenth_marked(walk):
    by_keys(walk, "Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Region")
    driver = walk.driver
    change = driver.desk.fold.measures[2]
    driver.desk.select_word(change.id)
    driver.unfold("Highlights")
    walk.click(button(driver, "Add a highlight"))
    when = next(
        each for each in driver.workspace.card.body.findChildren(QComboBox) if each.accessibleName() == "When it is"
    )
    walk.gestures += 1
    when.setCurrentIndex(when.findText("at most"))
    when.activated.emit(when.currentIndex())
    driver.settle()
    value = next(each for each in driver.workspace.card.body.findChildren(QLineEdit) if each.accessibleName() == "this")
    walk.gestures += 1
    value.setFocus()
    value.selectAll()
    QTest.keyClicks(value, "-0.1")
    driver.press(value, Qt.Key.Key_Return)
    report, dressed = driver.desk.report, driver.workspace.grid.geometry_of.dressed
    for row in range(report.height - 1):
        short = report.value(row, 2) is not None and report.value(row, 2) <= -0.1
        assert bool(dressed.said_of(row, 2)) == short, report.text(row, 2)
    assert walk.gestures == 6


def test_the_same_report_next_month_follows_the_new_records_by_itself(driver, demo, tmp_path):
    folder = tmp_path / "month"
    shutil.copytree(demo.parent, folder)
    driver.open(folder / demo.name)
    walk = Walk(driver)
    desk, path = driver.desk, folder / "order_lines.csv"
    before, fold, total = desk.report, desk.fold, desk.report.value(desk.report.height - 1, desk.report.width - 2)
    head, *lines = path.read_text(encoding="utf-8").splitlines()
    kept = [line for line in lines if "2026-09" in line]
    time.sleep(0.05)  # so that the file has another time
    path.write_text("\n".join([head, *lines, *kept]) + "\n", encoding="utf-8")
    driver.qtbot.waitUntil(
        lambda: desk.report is not None and desk.report.records == before.records + len(kept), timeout=20_000
    )
    driver.settle()
    assert desk.report.value(desk.report.height - 1, desk.report.width - 2) > total
    assert desk.fold == fold, "headings, order, formats and rules stay"
    assert walk.gestures == 0


def test_three_files_to_a_linked_crosstab_charted_and_on_paper(driver, demo, tmp_path):
    walk = Walk(driver)
    walk.gestures += 1  # they are dropped on the window
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers")))
    driver.qtbot.waitUntil(lambda: len(driver.desk.supply.looker.suggestions) >= 2, timeout=20_000)
    walk.key(Qt.Key.Key_K)
    walk.gestures += 1
    finder = QApplication.activePopupWidget()
    QTest.keyClicks(finder.line, "accept the suggested links")
    driver.press(finder.line, Qt.Key.Key_Return)
    by_keys(walk, "net by segment by quarter of order date")
    assert said(walk) == "Net, summed for each Segment across Quarter of order date"
    assert {link.to_table for link in driver.desk.basket.links} == {"Orders", "Customers"}
    walk.key(Qt.Key.Key_G, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert driver.desk.fold.chart is not None
    paper = tmp_path / "segments.pdf"
    driver.save_to(paper)
    walk.key(Qt.Key.Key_E)
    driver.qtbot.waitUntil(lambda: paper.exists(), timeout=20_000)
    driver.settle()
    read = PdfReader(paper)
    assert "Segment" in read.pages[0].extract_text()
    assert sum(len(page.images) for page in read.pages) > 0, "the chart is on it"
    assert walk.gestures <= 8


def place(walk, action, name):
    """An action of the menu by its name, then a field by what is typed."""
    driver = walk.driver
    walk.key(Qt.Key.Key_K)
    finder = QApplication.activePopupWidget()
    walk.gestures += 1
    QTest.keyClicks(finder.line, action.rstrip("…"))
    driver.press(finder.line, Qt.Key.Key_Return)
    finder = QApplication.activePopupWidget()
    walk.gestures += 1
    QTest.keyClicks(finder.line, name)
    driver.press(finder.line, Qt.Key.Key_Return)


def by_keys(walk, line):
    """Twice the key into the sentence, then the line."""
    walk.key(Qt.Key.Key_L)
    walk.key(Qt.Key.Key_L)
    walk.type_line(line)


def button(driver, text):
    return next(each for each in driver.workspace.card.body.findChildren(QPushButton) if each.text() == text)
