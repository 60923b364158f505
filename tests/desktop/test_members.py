"""What is done to members and measures in the window: folding up, drilling, picking, alternatives, bands, and places."""

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton

from foldbasket.baskets import edits
from foldbasket.desktop.grid.selection import Marked
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.lines.axis import Kind
from foldbasket.spec.field import FieldRef

SITES = "Net sales by site"


@pytest.fixture
def sites(driver, demo):
    driver.open(demo)
    return driver


def card(driver):
    return driver.workspace.card.body


def chooser(driver, label):
    return next(each for each in card(driver).findChildren(QComboBox) if each.accessibleName() == label)


def choose(driver, label, text):
    box = chooser(driver, label)
    at = box.findText(text)
    assert at >= 0, [box.itemText(each) for each in range(box.count())]
    box.setCurrentIndex(at)
    box.activated.emit(at)
    driver.settle()


def click(driver, text):
    button = next(each for each in card(driver).findChildren(QPushButton) if each.text() == text)
    driver.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    driver.settle()


def type_into(driver, label, text):
    line = next(each for each in card(driver).findChildren(QLineEdit) if each.accessibleName() == label)
    line.setFocus()
    line.selectAll()
    driver.qtbot.keyClicks(line, text)
    driver.press(line, Qt.Key.Key_Return)


def first_labels(driver):
    rows = driver.desk.report.rows
    return [(rows.label(line, 0), Kind(rows.kind[line]).name) for line in range(driver.desk.report.height)]


def test_minus_folds_the_group_at_the_mark_up_and_plus_opens_it(sites):
    wanted = sites.table()
    grid = sites.workspace.grid
    grid.mark(Marked(1, 0, 1, 0, 1, 0))
    grid.setFocus()
    sites.press(grid, Qt.Key.Key_Minus)
    assert first_labels(sites)[0] == ("Eastfen", "CLOSED")
    assert sites.desk.fold.rows[0].turned == (("Eastfen",),)
    grid.mark(Marked(0, 0, 0, 0, 0, 0))
    sites.press(grid, Qt.Key.Key_Plus)
    assert sites.table() == wanted
    sites.key(Qt.Key.Key_Z)
    assert first_labels(sites)[0] == ("Eastfen", "CLOSED")
    sites.key(Qt.Key.Key_Z)
    assert sites.table() == wanted


def test_a_double_click_on_a_name_folds_it_up(sites):
    grid = sites.workspace.grid
    at = grid.geometry_of
    point = QPointF(at.left + 30, at.head_height + at.row_height / 2)
    sites.qtbot.mouseDClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=point.toPoint())
    sites.settle()
    assert first_labels(sites)[0] == ("Eastfen", "CLOSED")
    assert sites.desk.report.value(0, 0) is not None


def test_all_groups_fold_up_and_open_by_action_and_card(sites):
    sites.act("Fold all groups up")
    sites.settle()
    assert {kind for _, kind in first_labels(sites)} == {"CLOSED", "GRAND"}
    sites.act("Open all groups")
    sites.settle()
    assert "CLOSED" not in {kind for _, kind in first_labels(sites)}
    sites.desk.select_word("region")
    click(sites, "all folded up")
    assert {kind for _, kind in first_labels(sites)} == {"CLOSED", "GRAND"}
    sites.act("Turn rows into columns")  # groups over columns are groups as well
    sites.settle()
    folded = sites.desk.report.width
    sites.act("Open all groups")
    sites.settle()
    assert sites.desk.report.width > folded
    sites.act("Fold all groups up")
    sites.settle()
    assert sites.desk.report.width == folded


def test_the_menu_over_a_member_folds_drills_keeps_and_leaves_out(sites):
    grid = sites.workspace.grid
    at = grid.geometry_of
    point = QPointF(at.left + 30, at.head_height + 3 * at.row_height)
    assert grid.member_at(point).path == ("Eastfen",)
    menu = sites.workspace.menu_over_grid(point, QPoint())
    assert [action.text() for action in menu.actions() if action.text()] == [
        "Fold up Eastfen",
        "Fold up all regions",
        "Open all regions",
        "Keep only Eastfen",
        "Leave Eastfen out",
        "Drill into Eastfen",
        "Look of Eastfen…",
        "Region",
    ]
    menu.close()
    next(action for action in menu.actions() if action.text() == "Leave Eastfen out").trigger()
    sites.settle()
    assert "Eastfen" not in {label for label, _ in first_labels(sites)}
    assert ("filters", "Region: not Eastfen") in sites.words()


def test_drilling_into_a_member_replaces_its_field_and_goes_back(sites):
    wanted = sites.table()
    sites.desk.select_word("quarter")
    choose(sites, "Open", "Q2 2026")
    choose(sites, "Into", "Month of order date")
    sites.workspace.card.again()  # as when findings come in meanwhile
    click(sites, "Drill into it")
    columns = sites.desk.report.columns
    assert [columns.label(line, 0) for line in range(3)] == ["Apr 2026", "May 2026", "Jun 2026"]
    assert ("filters", "Quarter of order date: Q2 2026") in sites.words()
    click(sites, "Back to Quarter of order date")
    assert sites.table() == wanted


def test_a_picker_stands_beside_the_report_and_is_shared_by_folds(sites):
    desk, bar = sites.desk, sites.workspace.pickers
    assert not bar.isVisible()
    desk.select_word("channel")
    box = next(each for each in card(sites).findChildren(QCheckBox) if each.text() == "Offer it beside the report")
    box.click()
    sites.settle()
    other = next(each for each in card(sites).findChildren(QCheckBox) if "Freight by team" in each.text())
    other.click()
    sites.settle()
    assert bar.isVisible()
    button = bar.findChild(QPushButton)
    assert button.text().startswith("Channel: Trade, Web")
    bar.pick("channel", button)
    model = bar.open_list.picker.list.model
    model.setData(model.index(2), Qt.CheckState.Unchecked.value, Qt.ItemDataRole.CheckStateRole)
    sites.settle()
    assert desk.basket.fold(SITES).filters[0].members == ("Web",)
    shared = desk.basket.fold("Freight by team").filters
    assert [(rule.members, rule.picker) for rule in shared] == [(("Web",), "Channel")]
    bar.open_list.close()
    desk.show_fold("Freight by team")
    sites.settle()
    assert bar.isVisible()
    assert sites.words()[-1] == ("filters", "Channel: Web")
    desk.show_fold("Channels and segments")
    sites.settle()
    assert not bar.isVisible()


def test_alternatives_are_made_and_taken_out_on_the_filters_card(sites):
    desk = sites.desk
    desk.select_word("channel")
    choose(sites, "Keep also by", "Net · Order lines")
    rule = desk.fold.filters[0]
    assert isinstance(rule, Either)
    assert [type(each) for each in rule.rules] == [Members, Compare]
    type_into(sites, "Value to compare with", "500")
    assert ("filters", "Channel: Trade, Web, or Net: ≥ 500") in sites.words()
    type_into(sites, "Value to compare with", "1,500")
    assert ("filters", "Channel: Trade, Web, or Net: ≥ 1,500") in sites.words()
    assert desk.fold.filters[0].rules[1].value == "1500"
    type_into(sites, "Value to compare with", "500")
    choose(sites, "Show", "Channel: Trade, Web")
    click(sites, "Take this alternative out")
    assert ("filters", "Net: ≥ 500") in sites.words()


def test_bands_groups_and_members_without_records_are_set_on_the_card(sites):
    desk = sites.desk
    desk.words.place(FieldRef("Order lines", "Quantity"), "rows", 0)
    sites.settle()
    click(sites, "bands at edges")
    type_into(sites, "Edges", "1, 10, 100")
    assert desk.report.rows.label(0, 0) == "1 to below 10"
    type_into(sites, "Edges", "9, 3")
    assert "must rise" in str(desk.problem)
    type_into(sites, "Edges", "0, 10")
    desk.words.remove(desk.view.word)
    desk.select_word("region")
    type_into(sites, "New group", "Coast: Eastfen, Southcliff")
    assert "Coast" in {label for label, _ in first_labels(sites)}
    type_into(sites, "New group", "Wrong: Atlantis")
    assert "“Atlantis” is not a member of Region" in str(sites.errors[-1])
    choose(sites, "The others", "are gathered")
    assert {label for label, _ in first_labels(sites)} == {"Coast", "Others", ""}


def test_measures_are_moved_to_rows_on_the_folds_card(sites):
    sites.desk.select_word(None)
    click(sites, "along rows")
    report = sites.desk.report
    assert [report.left.heading(place) for place in range(3)] == ["Region", "Site", ""]
    choose(sites, "Their place", "outside Region")
    report = sites.desk.report
    assert report.left.label(0, 0) == "Net sales"
    grid = sites.workspace.grid
    assert grid.heading_at(QPointF(grid.geometry_of.left + 10, grid.geometry_of.head_height + 5)) == "net"
    assert grid.viewport().grab().size().width() > 100


def test_what_a_field_is_in_another_table_is_said_on_its_card(sites):
    desk = sites.desk
    desk.show_fold("Actual vs plan")
    sites.settle()
    assert [each.base for each in desk.report.counted] == ["Order lines", "Plan"]
    desk.select_word("region")
    choose(sites, "In Plan", "nothing")
    assert "has no field that stands for “Region”" in str(desk.problem)
    choose(sites, "In Plan", "Region")
    assert desk.problem is None
    assert "720" in sites.workspace.facts.kept.text()


def test_the_rest_is_gathered_and_totals_cover_what_is_shown_by_the_card(sites):
    desk = sites.desk
    desk.select_word("site")
    choose(sites, "Members", "the top")
    type_into(sites, "Number", "1")
    choose(sites, "Totals cover", "what is shown")
    assert "only what is shown" in sites.workspace.facts.kept.text()
    choose(sites, "The rest", "stands as All others")
    labels = {desk.report.rows.label(line, 1) for line in range(desk.report.height)}
    assert "All others" in labels
    assert "the rest as one" in desk.report.sentence


def test_edits_of_members_can_all_be_undone(sites):
    desk = sites.desk
    before = desk.basket
    for edit in (
        edits.FoldUp(SITES, "region", ("Eastfen",)),
        edits.FoldLevel(SITES, "region", True, "Region"),
        edits.DrillInto(SITES, "region", "Eastfen", FieldRef("Customers", "Segment")),
        edits.DrillBack(SITES, "region"),
        edits.OfferPicker(SITES, "channel", (SITES, "Freight by team"), "Channel"),
        edits.ShareField(FieldRef("Customers", "Region"), "Plan", FieldRef("Plan", "Line"), "Region in Plan"),
    ):
        assert desk.do(edit)
        assert desk.history.undoable == edit.label(before)
    sites.settle()
    while desk.history.undoable:
        desk.undo()
    assert desk.basket == before
    assert sites.workspace.grid.mapToGlobal(QPoint(0, 0)) is not None
