"""Formulas in the window: written with keys, completed, judged as one types, used, proved, renamed and undone."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPlainTextEdit, QPushButton

from foldbasket.baskets import edits
from foldbasket.desktop.card.editor import FormulaEditor
from foldbasket.desktop.grid.selection import Marked
from foldbasket.formulas.help import PATTERNS
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef

Key = Qt.Key


@pytest.fixture
def sites(driver, demo):
    driver.open(demo)
    return driver


def card(driver):
    return driver.workspace.card.body


def text_of(driver):
    return card(driver).findChild(QPlainTextEdit)


def editor_of(driver):
    return card(driver).findChild(FormulaEditor)


def write(driver, formula):
    """Types a formula sign by sign, taking nothing that is offered."""
    text = text_of(driver)
    text.setFocus()
    text.selectAll()
    driver.qtbot.keyClicks(text, formula)
    if text.list.isVisible():  # else the key would leave the formula
        driver.qtbot.keyClick(text, Key.Key_Escape)
    editor_of(driver).renew()
    return text


def test_a_margin_is_added_used_sorted_by_filtered_on_renamed_and_undone_by_keys_alone(sites):
    desk, first = sites.desk, sites.desk.basket
    wanted = sites.table()
    sites.key(Key.Key_M)
    text = text_of(sites)
    assert text is not None
    called = next(line for line in card(sites).findChildren(QLineEdit) if line.accessibleName() == "Called")
    sites.qtbot.keyClicks(called, "Margin")
    # Completed with keys: SU, Enter, Ne …
    text.setFocus()
    sites.qtbot.keyClicks(text, "(SU")
    assert text.current_offer().shown == "SUM"
    sites.qtbot.keyClick(text, Key.Key_Return)
    sites.qtbot.keyClicks(text, "Ne")
    assert text.current_offer().shown == "Net · Order lines"
    sites.qtbot.keyClick(text, Key.Key_Return)
    assert text.toPlainText() == "(SUM(Net)"
    write(sites, "(SUM(Net) - SUM(Cost)) / SUM(Net)")
    sites.settle()
    assert editor_of(sites).values.text().startswith("In total: 0.")
    sites.press(text_of(sites), Key.Key_Return)
    assert sites.words()[2] == ("measures", "Margin, calculated")
    total = desk.report.height - 1
    net, cost, margin = (desk.report.value(total, desk.report.width - 3 + at) for at in range(3))
    assert margin == pytest.approx(float(net - cost) / float(net), rel=1e-12)
    assert desk.report.text(total, desk.report.width - 1).endswith("%")

    word = desk.fold.measures[-1].id
    sites.press(sites.word("Site"), Key.Key_Return)
    choose_by_keys(sites, "By", "Margin")
    shown = [desk.report.value(row, desk.report.width - 1) for row in range(3)]
    assert shown == sorted(shown, reverse=True)
    choose_by_keys(sites, "Members", "where it is")
    choose_by_keys(sites, "By", "Margin", which=1)
    assert desk.fold.rows[1].keep.measure == word
    line = next(each for each in card(sites).findChildren(QLineEdit) if each.accessibleName() == "Number")
    line.setFocus()
    line.selectAll()
    sites.qtbot.keyClicks(line, "0.38")
    sites.press(line, Key.Key_Return)
    kept = [
        desk.report.value(row, desk.report.width - 1)
        for row in range(desk.report.height)
        if not desk.report.rows.kind[row]
    ]
    assert kept
    assert min(kept) > 0.38
    sites.key(Key.Key_2)
    desk.show_source("Order lines", "Cost")
    sites.settle()
    line = next(each for each in card(sites).findChildren(QLineEdit) if each.accessibleName() == "Rename to")
    line.setFocus()
    sites.qtbot.keyClicks(line, "Cost of goods")
    sites.press(line, Key.Key_Return)
    assert desk.fold.measures[-1].formula == '(SUM(Net) - SUM("Cost of goods")) / SUM(Net)'
    sites.key(Key.Key_1)
    assert desk.problem is None
    while desk.history.undoable:
        sites.key(Key.Key_Z)
    assert desk.basket == first
    sites.settle()
    assert sites.table() == wanted


def choose_by_keys(driver, label, text, which=0):
    """Steps through a drop-down with the arrow keys until it says the text."""
    boxes = [each for each in card(driver).findChildren(QComboBox) if each.accessibleName() == label]
    at = boxes[which].findText(text)
    assert at >= 0, [boxes[which].itemText(each) for each in range(boxes[which].count())]
    for _ in range(20):
        box = [each for each in card(driver).findChildren(QComboBox) if each.accessibleName() == label][which]
        if box.currentText() == text:
            return
        box.setFocus()
        driver.press(box, Key.Key_Down if box.currentIndex() < at else Key.Key_Up)
    raise AssertionError(text)


def test_an_error_is_told_under_the_word_and_nothing_is_made(sites):
    sites.key(Key.Key_M)
    text = write(sites, "SUM(Nett) / 2")
    editor = editor_of(sites)
    assert editor.error.text() == "There is no field or measure “Nett”. Did you mean Net?"
    assert text.wrong == (4, 8)
    before = sites.desk.basket
    sites.press(text, Key.Key_Return)
    assert sites.desk.basket == before
    write(sites, "Net - ")
    assert editor_of(sites).error.text().startswith("Something is missing")


def test_a_field_of_each_record_is_made_shown_placed_changed_and_taken_out(sites):
    desk = sites.desk
    sites.key(Key.Key_M)
    called = next(line for line in card(sites).findChildren(QLineEdit) if line.accessibleName() == "Called")
    sites.qtbot.keyClicks(called, "Profit")
    text = write(sites, "Net - Cost")
    assert editor_of(sites).said.text() == "A field: a number for each record of Order lines."
    sites.settle()
    assert editor_of(sites).values.text().startswith("First records: ")
    sites.press(text, Key.Key_Return)
    ref = FieldRef("Order lines", "Profit")
    assert desk.column(ref) is not None
    sites.double_click_field(ref)
    assert sites.words()[2] == ("measures", "Profit, summed")
    desk.show_source("Order lines", "Profit")
    sites.settle()
    write(sites, "Net - Cost * 2")
    sites.press(text_of(sites), Key.Key_Return)
    assert desk.basket.calculated[0].formula == "Net - Cost * 2"
    assert not desk.do(edits.RemoveField("Order lines", "Profit"))
    assert "is used by the fold" in str(sites.errors[-1])
    sites.key(Key.Key_Z)
    sites.key(Key.Key_Z)
    desk.show_source("Order lines", "Profit")
    sites.settle()
    next(each for each in card(sites).findChildren(QPushButton) if each.text() == "Take the field out").click()
    sites.settle()
    assert desk.basket.calculated == ()


def test_members_are_completed_within_quotes_and_patterns_have_gaps(sites):
    sites.key(Key.Key_M)
    text = text_of(sites)
    text.setFocus()
    sites.qtbot.keyClicks(text, "SUM(Net) FILTER (WHERE Channel = 'W")
    assert text.current_offer().shown == "Web"
    sites.qtbot.keyClick(text, Key.Key_Return)
    assert text.toPlainText().endswith("Channel = 'Web'")
    editor = editor_of(sites)
    for pattern in PATTERNS:
        editor.start_from(pattern.text)
        assert text.textCursor().selectedText().startswith("«")
        assert editor.renew() is False
        assert "Fill in" in editor.said.text()


def test_two_measures_are_combined_by_picking(sites):
    sites.key(Key.Key_M)
    next(each for each in card(sites).findChildren(QPushButton) if each.text() == "Make a measure of them").click()
    sites.settle()
    made = sites.desk.fold.measures[-1]
    assert (made.heading, made.formula) == ("Net sales less Cost", '"Net sales" - Cost')
    assert sites.desk.problem is None


def test_what_is_typed_outlives_news_on_the_desk(sites):
    sites.key(Key.Key_M)
    write(sites, "SUM(Net) / 7")
    sites.workspace.card.again()
    assert text_of(sites).toPlainText() == "SUM(Net) / 7"
    sites.desk.calculate(None)
    assert text_of(sites) is None


def test_a_proof_is_of_the_source_its_report_was_made_of_although_that_is_another_by_now(sites):
    drawer, desk = sites.workspace.proof, sites.desk
    assert desk.folding.prove(0, 0)
    desk.supply.source = Source({})  # as when a header line is set while the proof is worked out
    sites.settle()
    assert drawer.isVisible()
    assert drawer.table.model().rowCount() == min(1000, len(drawer.proof.records)) > 0
    assert drawer.table.model().columnCount() > 0


def test_the_proof_of_a_cell_opens_below_and_follows_the_mark(sites):
    grid, drawer = sites.workspace.grid, sites.workspace.proof
    grid.mark(Marked(0, 0, 0, 0, 0, 0))
    grid.setFocus()
    sites.press(grid, Key.Key_Return)
    assert drawer.isVisible()
    assert drawer.title.text().startswith("Net sales: ")
    assert "it agrees" in drawer.told.text()
    model = drawer.table.model()
    assert model.rowCount() == min(1000, len(drawer.proof.records)) > 0
    assert model.headerData(0, Qt.Orientation.Horizontal) == "Order no."
    assert model.data(model.index(0, 0)).startswith("Q-")
    first = drawer.title.text()
    sites.press(grid, Key.Key_Down)
    assert drawer.title.text() != first
    sites.act("Proof of the cell at the mark")
    sites.desk.words.turn()
    sites.settle()
    assert not drawer.isVisible()


def test_a_condition_becomes_a_filter_and_is_changed_on_its_card(sites):
    sites.key(Key.Key_M)
    write(sites, "Net > 500 AND Channel = 'Web'")
    next(
        each for each in card(sites).findChildren(QPushButton) if each.text() == "Keep only records where it holds"
    ).click()
    sites.settle()
    assert sites.words()[-1] == ("filters", "where Net > 500 AND Channel = 'Web'")
    few = sites.desk.report.kept
    text = write(sites, "Net > 100 AND Channel = 'Web'")
    sites.press(text, Key.Key_Return)
    assert sites.desk.report.kept > few
    write(sites, "Net + 1")
    assert "a condition" in editor_of(sites).error.text()
