"""What blocked or misled new hands: each found here once, by mouse and by keys."""

from decimal import Decimal

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QListView, QPushButton

from foldbasket.baskets import edits
from foldbasket.desktop.actions.action import ACTIONS
from foldbasket.desktop.card.depth import into_fields
from foldbasket.desktop.card.span import SpanDrawing, round_step
from foldbasket.desktop.shell import facts
from foldbasket.desktop.shell.helping import HelpWindow
from foldbasket.desktop.widgets.finder import Finder
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative
from foldbasket.folding.filters.values import Between
from foldbasket.spec.field import FieldRef
from foldbasket.tables import store
from foldbasket.tables.findings import looking

Key = Qt.Key
NONE = Qt.KeyboardModifier.NoModifier


def finder():
    popup = QApplication.activePopupWidget()
    assert isinstance(popup, Finder)
    return popup


def shown(popup):
    return [popup.list.item(row).text() for row in range(popup.list.count())]


def card(driver):
    return driver.workspace.card.at_once().body


def button(driver, text):
    return next(each for each in card(driver).findChildren(QPushButton) if each.text() == text)


def line(name):
    return FieldRef("Order lines", name)


# --- finding ----------------------------------------------------------------


def test_an_action_is_found_by_its_own_name_and_never_by_what_it_would_undo(driver, demo):
    driver.open(demo)
    driver.desk.words.place(line("Channel"), "filters")
    driver.settle()
    steps = len(driver.desk.history.steps)
    driver.key(Key.Key_K)
    popup = finder()
    driver.qtbot.keyClicks(popup.line, "filter")
    assert shown(popup)[0] == "Add a filter…"
    assert not any(text.startswith("Undo") for text in shown(popup))
    driver.press(popup.line, Key.Key_Return)
    assert finder().line.placeholderText() == "Keep only some…"
    assert len(driver.desk.history.steps) == steps
    finder().close()
    driver.key(Key.Key_K)
    popup = finder()
    driver.qtbot.keyClicks(popup.line, "undo")
    assert shown(popup)[0].startswith("Undo: ")
    popup.line.setText("zebra")
    assert shown(popup) == ["nothing found"]
    driver.press(popup.line, Key.Key_Return)
    assert finder() is popup
    popup.close()


def test_fields_are_found_exact_first_and_none_twice(driver, demo):
    driver.open(demo)
    popup = driver.workspace.sentence.open_finder("rows")
    assert shown(popup).count("Order no.") == shown(popup).count("Customer no.") == 1
    popup.line.setText("net")
    assert shown(popup)[0] == "Net"
    popup.close()


def test_what_can_be_placed_through_a_shared_field_is_not_called_unlinked(driver, demo):
    driver.open(demo)
    driver.desk.show_fold("Actual vs plan")
    driver.settle()
    for strand, field in (("measures", "Planned net"), ("rows", "Region")):
        popup = driver.workspace.sentence.open_finder(strand)
        details = {each.value: each.detail for each in popup.choices}
        fields = {ref.field: detail for ref, detail in details.items() if ref is not None and ref.table == "Plan"}
        assert "not linked" not in fields.get(field, ""), fields
        popup.close()


# --- the card of the whole report ---------------------------------------------


@pytest.mark.parametrize("way", ["fold", "grid", "sentence", "escape", "action"])
def test_the_card_of_the_whole_report_is_reached_in_every_way(driver, demo, way):
    driver.open(demo)
    driver.desk.select_word("region")
    driver.settle()
    space = driver.workspace
    if way == "fold":
        view = space.spine.folds
        QTest.mouseClick(
            view.viewport(), Qt.MouseButton.LeftButton, pos=view.visualRect(view.model().index(0, 0)).center()
        )
    elif way == "grid":
        QTest.mouseClick(
            space.grid.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(6, space.grid.viewport().height() - 6)
        )
    elif way == "sentence":
        QTest.mouseClick(space.sentence, Qt.MouseButton.LeftButton, pos=QPoint(4, 4))
    elif way == "escape":
        driver.word("Region").setFocus()
        QTest.keyClick(driver.word("Region"), Key.Key_Escape)
    else:
        driver.window.actions_by_name["Card of the whole report"].trigger()
    driver.settle()
    assert driver.desk.view.word is None
    assert card(driver).findChildren(QPushButton)
    assert button(driver, "along rows")


def test_escape_goes_from_the_card_to_its_word_and_leaves_a_formula_half_written(driver, demo):
    driver.open(demo)
    driver.desk.select_word("region")
    driver.unfold("Order")
    chip = button(driver, "Z to A")
    chip.setFocus()
    QTest.keyClick(chip, Key.Key_Escape)
    assert driver.window.focusWidget() is driver.word("Region")
    driver.key(Key.Key_M)
    text = driver.window.focusWidget()
    QTest.keyClicks(text, "1 + ")
    QTest.keyClick(text, Key.Key_Escape)
    driver.settle()
    assert driver.desk.view.drafted is None
    assert driver.window.focusWidget() is driver.workspace.grid


# --- keys -----------------------------------------------------------------------


def test_enter_presses_the_button_that_has_the_keyboard_which_keeps_it(driver, demo):
    driver.open(demo)
    driver.desk.select_word("region")
    driver.unfold("Order")
    chip = button(driver, "Z to A")
    chip.setFocus()
    QTest.keyClick(chip, Key.Key_Return)
    driver.settle()
    assert driver.table()[0][0] == "Westholt"
    assert driver.window.focusWidget() is button(driver, "Z to A")


def test_enter_opens_a_plus_and_typing_on_one_begins_to_write(driver, demo):
    driver.open(demo)
    plus = driver.workspace.sentence.pluses["rows"]
    plus.setFocus()
    QTest.keyClick(plus, Key.Key_Return)
    assert finder().line.placeholderText() == "A row for each…"
    finder().close()
    QTest.keyClick(plus, "c")
    QTest.keyClick(finder().line, "h")
    assert finder().line.text() == "ch"
    assert shown(finder())[0] == "Channel"
    driver.press(finder().line, Key.Key_Return)
    assert ("rows", "Channel") in driver.words()
    assert driver.window.focusWidget() is driver.word("Channel")


# --- filters ----------------------------------------------------------------------


def test_none_and_then_a_tick_says_what_is_kept(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.double_click_field(line("Net"))
    driver.desk.words.place(line("Channel"), "filters")
    driver.settle()
    QTest.mouseClick(button(driver, "keep none"), Qt.MouseButton.LeftButton)
    driver.settle()
    view = card(driver).findChild(QListView, "members")
    model = view.model()
    names = [model.index(row, 0).data() for row in range(model.rowCount())]
    model.setData(model.index(1, 0), Qt.CheckState.Checked.value, Qt.ItemDataRole.CheckStateRole)
    driver.settle()
    assert driver.words()[-1] == ("filters", f"Channel: {names[1]}")
    assert "(no match)" not in names


def test_a_member_is_drilled_into_fields_of_every_linked_table_dates_first_and_none_of_its_own_axis(driver, demo):
    driver.open(demo)
    fold = driver.desk.fold
    offered = into_fields(driver.desk, fold.rows[0])
    names = [name for _, name in offered]
    assert names[0] == "Year of order date"
    assert {"Variety", "Customer", "Seller", "Month of delivered"} <= set(names)
    assert not {"Region", "Site"} & set(names)
    assert len(names) == len(set(names))
    quarter = [name for _, name in into_fields(driver.desk, fold.columns[0])]
    assert quarter[:3] == ["Month of order date", "Week of order date", "Day of order date"]


def test_a_number_of_many_values_is_kept_by_a_range_on_a_drawing(driver, demo):
    driver.open(demo)
    kept = driver.desk.report.kept
    driver.desk.words.place(line("Net"), "filters")
    driver.settle()
    rule = driver.desk.fold.filters[-1]
    assert isinstance(rule, Between)
    assert driver.desk.report.kept == kept
    driver.qtbot.waitUntil(lambda: card(driver).findChild(SpanDrawing) is not None, timeout=10_000)
    drawing = card(driver).findChild(SpanDrawing)
    middle = QPoint(drawing.width() // 2, 20)
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=QPoint(9, 20))
    QTest.mouseMove(drawing, middle)
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=middle)
    driver.settle()
    rule = driver.desk.fold.filters[-1]
    assert rule.low
    assert not rule.high
    assert 0 < driver.desk.report.kept < kept
    drawing = card(driver).findChild(SpanDrawing)
    drawing.setFocus()
    QTest.keyClick(drawing, Key.Key_Left)
    driver.settle()
    assert float(driver.desk.fold.filters[-1].low) < float(rule.low)
    assert driver.window.focusWidget() is card(driver).findChild(SpanDrawing)
    QTest.keyClick(card(driver).findChild(SpanDrawing), Key.Key_Home)
    driver.settle()
    assert driver.desk.fold.filters[-1].low == ""
    assert driver.desk.report.kept == kept


@pytest.mark.parametrize(
    ("reach", "whole", "step"),
    [
        (100, False, "1"),
        (1, False, "0.01"),
        (181, False, "2"),
        (7, True, "1"),
        (3_000, True, "50"),
        (0, False, "1"),
        (1e308, False, "1E+306"),
    ],
)
def test_a_handle_moves_by_round_steps(reach, whole, step):
    assert round_step(reach, whole) == Decimal(step)


def test_relative_dates_are_offered_whatever_part_was_chosen(driver, demo):
    driver.open(demo)
    driver.desk.words.place(line("Order date"), "filters")
    driver.settle()
    rule = driver.desk.fold.filters[-1]
    assert isinstance(rule, Members)
    assert rule.part is not None
    QTest.mouseClick(button(driver, "Relative"), Qt.MouseButton.LeftButton)
    driver.settle()
    assert isinstance(driver.desk.fold.filters[-1], Relative)
    assert driver.desk.problem is None


# --- right clicks -------------------------------------------------------------------


def texts(menu):
    return [action.text() for action in menu.actions() if action.text()]


def chosen(menu, *path):
    """The action at the end of a path of texts."""
    for text in path[:-1]:
        menu = next(action.menu() for action in menu.actions() if action.text() == text)
    return next(action for action in menu.actions() if action.text() == path[-1])


def test_a_right_click_on_a_word_offers_what_its_card_offers(driver, demo):
    driver.open(demo)
    word = driver.word("Net sales")
    QTest.mouseClick(word, Qt.MouseButton.RightButton)  # as the press of a real one
    menu = driver.workspace.menu_of_word(word.word.id, word.mapToGlobal(QPoint(3, 3)))
    assert {"Summarise", "Compare: Show", "Take it out"} <= set(texts(menu))
    assert chosen(menu, "Summarise", "Sum").isChecked()
    chosen(menu, "Summarise", "Average").trigger()
    menu.close()
    driver.settle()
    assert driver.word("Net sales").text() == "Net sales, averaged"
    menu = driver.workspace.menu_of_word("region", QPoint())
    chosen(menu, "Order", "Z to A").trigger()
    menu.close()
    driver.settle()
    assert driver.table()[0][0] == "Westholt"


def test_a_right_click_on_a_cell_offers_its_proof_its_members_and_its_measure(driver, demo):
    driver.open(demo)
    grid = driver.workspace.grid
    area = grid.cell_area(1, 0)
    menu = driver.workspace.menu_over_grid(area.center(), QPoint())
    orders = ["Order rows by this column", "Order columns by this row"]
    assert texts(menu) == ["Proof of this cell", "Copy", *orders, "Drift House", "Q4 2025", "Net sales, summed"]
    assert (grid.marked.row, grid.marked.column) == (1, 0)
    chosen(menu, "Drift House", "Keep only Drift House").trigger()
    menu.close()
    driver.settle()
    assert ("filters", "Site: Drift House") in driver.words()
    menu = driver.workspace.menu_over_grid(grid.cell_area(0, 0).center(), QPoint())
    chosen(menu, "Proof of this cell").trigger()
    menu.close()
    driver.settle()
    assert driver.workspace.proof.isVisible()


# --- what is said -----------------------------------------------------------------------


def test_a_fold_is_called_by_what_it_holds_until_it_is_named_and_is_scrolled_to(driver, demo):
    driver.open(demo)
    view = driver.workspace.spine.folds
    for _ in range(4):
        driver.act("Add a fold")
    driver.desk.words.place(line("Net"), "measures")
    driver.desk.words.place(line("Channel"), "rows")
    driver.settle()
    last = view.model().index(view.model().rowCount() - 1, 0)
    assert last.data() == "Net by Channel"
    assert view.viewport().rect().contains(view.visualRect(last).center())
    driver.desk.do(edits.RenameFold(driver.desk.fold.name, "By channel"))
    driver.settle()
    assert view.model().index(view.model().rowCount() - 1, 0).data() == "By channel"


def test_a_file_that_was_written_is_named_and_can_be_looked_at(driver, demo, tmp_path, monkeypatch):
    seen = []
    monkeypatch.setattr(facts, "show_outside", seen.append)
    driver.open(demo)
    driver.desk.output.write_report(tmp_path / "a.csv")
    driver.settle()
    line = driver.workspace.facts
    assert line.news.whole == f"Written to {tmp_path / 'a.csv'}"
    for each in (line.open, line.folder):
        assert each.isVisible()
        each.click()
    assert seen == [tmp_path / "a.csv", tmp_path]
    line.seen.click()
    assert not line.open.isVisible()


def test_two_measures_of_one_field_have_two_headings(driver, demo):
    driver.open(demo)
    driver.act("Add a fold")
    for _ in range(3):
        driver.desk.words.place(line("Unit price"), "measures")
    driver.desk.words.change(driver.desk.fold.measures[0].id, "Sum it", aggregate="sum")
    driver.settle()
    assert [head.heading for head in driver.desk.report.measures] == [
        "Unit price, summed",
        "Unit price, averaged",
        "Unit price, averaged (2)",
    ]
    driver.desk.words.place(line("Order no."), "measures")
    driver.desk.words.change(driver.desk.fold.measures[-1].id, "Count them", aggregate="count different")
    driver.settle()
    assert driver.desk.report.measures[-1].heading == "Order no., different ones"


@pytest.mark.parametrize("is_full", [False, True])
def test_names_typed_in_quotes_are_all_opened_and_one_that_is_not_there_is_told(driver, demo, is_full):
    driver.act("Open…")
    dialog = driver.window.findChild(QFileDialog)
    dialog.setDirectory(str(demo.parent.parent if is_full else demo.parent))
    names = [f"{demo.parent}/{name}" if is_full else name for name in ("orders.csv", "customers.csv", "none.csv")]
    dialog.findChild(QLineEdit).setText(" ".join(f'"{name}"' for name in names))
    dialog.accept()
    driver.settle()
    assert [source.name for source in driver.desk.basket.sources] == ["Orders", "Customers"]
    assert [str(error) for error in driver.errors] == [
        f"“{names[2]}” is not there. Look for it and open it, too; the others were opened."
    ]


def test_of_several_baskets_the_first_is_opened_and_the_others_are_told(driver, demo):
    driver.window.open_paths([demo, demo.parent / "orders.csv"])
    driver.settle()
    assert driver.desk.basket.name == "Quillmoor sales"
    assert "only the first of these was opened" in str(driver.errors[0])
    assert "orders.csv" in driver.errors[0].todo


def test_help_holds_the_guide_the_keys_and_the_meaning_of_the_numbers(driver, demo):
    driver.open(demo)
    driver.key(Key.Key_F1, NONE)
    window = driver.window.findChild(HelpWindow)
    assert window.isVisible()
    assert "In the order of an analyst" in window.text.toPlainText()
    for page, holds in (("Keys", "Any action by name"), ("What the numbers mean", "Median"), ("Formulas", "COUNT")):
        window.chips[page].click()
        assert holds in window.text.toPlainText()
    keyed = [action.name for action in ACTIONS if action.key]
    window.show_page("Keys")
    assert all(name in window.text.toPlainText() for name in keyed)
    QTest.keyClick(window, Key.Key_Escape)
    assert not window.isVisible()


def test_what_is_read_is_kept_but_not_of_a_confidential_basket(driver, tmp_path, monkeypatch):
    from foldbasket.opening import sources
    from foldbasket.tables import store

    monkeypatch.setattr(sources, "WORTH", -1.0)
    monkeypatch.setattr(store, "SETTLED", -1.0)
    (tmp_path / "a.csv").write_text("Site,Net\nMill,1.50\nYard,2.50\n", "utf-8")
    driver.open(tmp_path / "a.csv")
    driver.settle()
    driver.qtbot.waitUntil(lambda: store.STORE.size()[0] == 1)
    table = driver.desk.source.tables["A"]
    driver.desk.do(edits.ChangeBasket({"confidential": True}, "Confidential"))
    driver.qtbot.waitUntil(lambda: store.STORE.size()[0] == 0)
    assert driver.desk.source.tables["A"].column("Net").text(1) == table.column("Net").text(1) == "2.50"
    driver.act("Undo")
    driver.act("Clear what is kept of files")
    assert store.STORE.size() == (0, 0)


def test_what_was_found_in_a_file_is_known_when_it_is_opened_again(driver, demo, monkeypatch):
    monkeypatch.setattr(store, "SETTLED", -1.0)
    monkeypatch.setattr(looking, "WORTH", -1.0)
    untidy = demo.parent / "untidy_order_lines.csv"

    def opened():
        driver.act("New basket")
        driver.open(untidy)
        driver.qtbot.waitUntil(lambda: not driver.desk.supply.looker.busy, timeout=20_000)
        [spec] = driver.desk.basket.sources
        table = driver.desk.tables[spec.key]
        profiles = {name: driver.desk.profiles[table.serial, name] for name in table.columns}
        return profiles, [(each.key, each.title) for each in driver.desk.supply.findings(spec.key)]

    first = opened()
    assert len(first[1]) > 8
    for name in ("profile_of", "findings_of"):
        monkeypatch.setattr(looking, name, None)
    assert opened() == first


def test_the_whole_name_of_a_field_means_that_field_and_enter_waits_for_what_is_being_read(driver, demo):
    driver.open(demo)
    driver.act("Add a fold")
    finder = driver.workspace.sentence.open_finder("filters")
    driver.qtbot.keyClicks(finder.line, "line")
    driver.settle()
    assert [finder.list.item(at).text() for at in range(3)] == ["Line", "Line: not blank", "Line no."]
    driver.press(finder.line, Qt.Key.Key_Return)
    assert driver.desk.fold.filters[0].field == FieldRef("Varieties", "Line")
    finder = driver.workspace.sentence.open_finder("rows")
    driver.qtbot.keyClicks(finder.line, "top 3 seller")
    driver.qtbot.keyClick(finder.line, Qt.Key.Key_Return)  # before anything was read
    driver.settle()
    assert driver.desk.fold.rows == ()  # there is no measure yet to pick by
    assert finder.isVisible()
    driver.qtbot.keyClick(finder.line, Qt.Key.Key_Escape)
    driver.act("Count records")
    finder = driver.workspace.sentence.open_finder("rows")
    driver.qtbot.keyClicks(finder.line, "top 3 seller")
    driver.qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    driver.settle()
    assert [word.field.field for word in driver.desk.fold.rows] == ["Seller"]


def test_up_and_down_go_from_line_to_line_of_a_cards_sections(driver, demo):
    driver.open(demo)
    driver.desk.select_word(None)
    heads = [section.head for section in driver.workspace.card.body.sections]
    heads[0].setFocus()
    for at in (1, 2, 1, 0, 0):
        here = QApplication.focusWidget()
        key = Qt.Key.Key_Down if at > heads.index(here) else Qt.Key.Key_Up
        driver.press(here, key)
        assert QApplication.focusWidget() is heads[at]


def test_tab_goes_through_what_an_open_section_holds_before_the_next_line(driver, demo):
    driver.open(demo)
    driver.desk.select_word(None)
    body = driver.window.workspace.card.at_once().body
    totals, measures = (
        next(each.head for each in body.sections if each.title == name) for name in ("Grand totals", "Measures")
    )
    totals.click()
    totals.setFocus()
    passed = []
    while QApplication.focusWidget() is not measures:
        driver.press(QApplication.focusWidget(), Qt.Key.Key_Tab)
        passed.append(QApplication.focusWidget().accessibleName())
        assert len(passed) < 10
    assert passed[:2] == ["Under rows", "Beside columns"]
