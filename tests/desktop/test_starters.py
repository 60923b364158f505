"""Reports to start from, in the window: there as soon as there are data, taken by a click or a key, gone once something is made."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton

from foldbasket.spec.field import FieldRef
from tests.desktop.test_looks import states


def test_data_just_opened_are_offered_as_reports_and_one_is_taken(driver, demo):
    files = [demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers", "varieties")]
    driver.open(*files)
    starters = driver.workspace.starters
    assert starters.isVisible()
    named = [card.proposal.fold.name for card in starters.cards]
    assert named == ["Over time", "Net by Line", "Top 10: Customer", "2026 vs 2025"]
    card = starters.cards[2]
    assert card.accessibleName().startswith("Start from: Net, summed and Share, as % of the column for each Customer")
    card.setFocus()
    driver.press(card, Qt.Key.Key_Return)
    assert driver.desk.fold.name == "Top 10: Customer"
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
    assert "2026 is incomplete: data ends 30 Sep 2026." in [each.text() for each in body.findChildren(QLabel)]
    for _ in range(2):  # it begins within a year as well
        body = driver.workspace.card.body
        leave = next(each for each in body.findChildren(QPushButton) if each.text() == "Exclude it")
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


def test_the_card_tells_what_reports_begin_with_and_there_it_is_put_right(driver, demo):
    driver.open(*(demo.parent / f"{name}.csv" for name in ("order_lines", "orders", "customers", "varieties")))
    driver.qtbot.waitUntil(lambda: len(driver.desk.supply.looker.suggestions) == 3)
    driver.settle()
    said = states(driver)
    assert list(said)[:4] == ["Links", "What counts as money", "Date that leads", "As of"]
    assert said["Links"] == "3 suggested"
    assert said["What counts as money"] == "Net, Cost …"
    assert said["Date that leads"] == "Order date"
    assert said["As of"] == "30 Sep 2026, the latest"
    assert "Report's style" not in said
    driver.unfold("What counts as money")
    chooser = next(each for each in driver.workspace.card.findChildren(QComboBox) if each.accessibleName() == "Net")
    assert chooser.currentText() == "amount"
    chooser.setCurrentText("price or rate")
    chooser.activated.emit(chooser.currentIndex())
    driver.settle()
    assert states(driver)["What counts as money"] == "Cost, Freight"
    assert all("Net" not in card.proposal.fold.name for card in driver.workspace.starters.cards)
    driver.desk.undo()
    driver.settle()
    assert states(driver)["What counts as money"] == "Net, Cost …"
    driver.unfold("Links")
    take = next(
        each for each in driver.workspace.card.findChildren(QPushButton) if each.text().startswith("Take the 3")
    )
    driver.qtbot.mouseClick(take, Qt.MouseButton.LeftButton)
    driver.settle()
    assert len(driver.desk.basket.links) == 3
    assert states(driver)["Links"] == "3 taken"


def test_what_was_found_stands_under_the_reports_and_leads_to_its_source(driver, demo):
    driver.open(demo.parent / "untidy_order_lines.csv")
    driver.qtbot.waitUntil(lambda: not driver.desk.supply.looker.busy)
    line = next(each for each in driver.workspace.starters.findChildren(QLabel) if "Before you trust" in each.text())
    assert line.isVisible()
    assert line.textFormat() == Qt.TextFormat.RichText
    line.linkActivated.emit(driver.desk.basket.sources[0].key)
    assert driver.desk.view.source_key == driver.desk.basket.sources[0].key


def test_once_a_field_is_placed_the_card_is_about_the_whole_report(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    assert "Links" not in states(driver)
    driver.desk.words.place(FieldRef("Order lines", "Net"))
    driver.settle()
    driver.desk.select_word(None)
    driver.settle()
    assert "Report's style" in states(driver)
    assert "What counts as money" not in states(driver)
