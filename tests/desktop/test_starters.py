"""Reports to start from, in the window: there as soon as there are data, taken by a click or a key, gone once something is made."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton

from foldbasket.spec.field import FieldRef


def test_data_just_opened_are_offered_as_reports_and_one_is_taken(driver, demo):
    files = [demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers", "varieties")]
    driver.open(*files)
    starters = driver.workspace.starters
    assert starters.isVisible()
    named = [card.proposal.fold.name for card in starters.cards]
    assert named == ["Along time", "Net by Line", "Ten largest: Customer", "2026 against 2025"]
    card = starters.cards[2]
    assert card.accessibleName().startswith("Start from: Net, summed and Share, as % of the column for each Customer")
    card.setFocus()
    driver.press(card, Qt.Key.Key_Return)
    assert driver.desk.fold.name == "Ten largest: Customer"
    assert {link.to_table for link in driver.desk.basket.links} == {"Orders", "Customers", "Varieties"}
    assert not starters.isVisible()
    assert driver.desk.report.height == 12
    driver.desk.go_to_step(1)
    driver.settle()
    assert driver.desk.fold is None or driver.desk.fold.is_empty


def test_an_empty_report_can_be_begun_instead_and_a_field_placed(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    assert driver.workspace.starters.isVisible()
    driver.workspace.begin_empty()
    assert not driver.workspace.starters.isVisible()
    driver.double_click_field(FieldRef("Order lines", "Net"))
    assert driver.words() == [("measures", "Net, summed")]


def test_a_field_dragged_in_makes_room_for_the_report(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    starters = driver.workspace.starters
    driver.drop_field(FieldRef("Order lines", "Net"), starters.viewport(), starters.rect().center())
    assert not starters.isVisible()


def test_a_basket_with_reports_offers_none(driver, demo):
    driver.open(demo)
    assert "starters" not in driver.workspace.__dict__


def test_what_is_worth_a_look_stands_on_the_reports_card_and_is_done_by_a_click(driver, demo):
    driver.open(demo)
    fold = next(each for each in driver.desk.basket.folds if each.name == "Lines, quarter by quarter")
    driver.desk.show_fold(fold.key)
    driver.settle()
    body = driver.workspace.card.body
    assert body.sections[0].title == "What next"
    assert "2026 is not over: the data end on 30 Sep 2026." in [each.text() for each in body.findChildren(QLabel)]
    leave = next(each for each in body.findChildren(QPushButton) if each.text() == "Leave it out")
    driver.qtbot.mouseClick(leave, Qt.MouseButton.LeftButton)
    driver.settle()
    assert "2026" not in {driver.desk.report.columns.label(line, 0) for line in range(len(driver.desk.report.columns))}
    assert "What next" not in [each.title for each in driver.workspace.card.body.sections]
    driver.act("Undo")
    driver.settle()
    assert driver.workspace.card.body.sections[0].title == "What next"
    driver.act("Turn rows into columns")
    driver.settle()
    assert driver.workspace.card.body.sections[0].title == "What next", "it holds of the next report, too"
