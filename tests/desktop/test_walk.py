"""The paths an analyst walks, with mouse and keys, in the real window offscreen."""

import csv
import errno
import shutil

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QLineEdit, QListView, QPushButton

from foldbasket.baskets.basket import Basket
from foldbasket.desktop.card.controls import Chooser
from foldbasket.desktop.widgets.finder import Finder
from foldbasket.spec.field import FieldRef

Key, Alt, Control, Shift = (
    Qt.Key,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def line(field):
    return FieldRef("Order lines", field)


def finder():
    return next(
        widget for widget in QApplication.topLevelWidgets() if isinstance(widget, Finder) and widget.isVisible()
    )


def chip(driver, text):
    return next(button for button in driver.workspace.card.findChildren(QPushButton) if button.text() == text)


def chooser(driver, name):
    return next(each for each in driver.workspace.card.findChildren(Chooser) if each.accessibleName() == name)


def entry(driver, name):
    return next(each for each in driver.workspace.card.findChildren(QLineEdit) if each.accessibleName() == name)


def test_from_a_csv_to_a_saved_report_and_back(driver, demo, tmp_path):
    """Open, place four fields four ways, filter, undo five steps, redo, turn, save, reopen: the same report."""
    qtbot, workspace = driver.qtbot, None
    driver.open(demo.parent / "order_lines.csv")
    workspace = driver.workspace
    assert driver.window.stack.currentWidget() is workspace
    assert driver.words() == []

    driver.double_click_field(line("Net"))
    driver.double_click_field(line("Order date"))
    assert driver.words() == [("measures", "Net, summed"), ("columns", "Quarter of order date")]

    driver.drop_field(line("Channel"), workspace.grid.viewport(), driver.edge("rows"))
    qtbot.mouseClick(workspace.sentence.pluses["measures"], Qt.MouseButton.LeftButton)
    qtbot.keyClicks(finder().line, "quant")
    driver.press(finder().line, Key.Key_Return)
    assert driver.words() == [
        ("measures", "Net, summed"), ("measures", "Quantity, summed"), ("rows", "Channel"), ("columns", "Quarter of order date"),
    ]  # fmt: skip
    placed = driver.table()
    assert len(placed) == 5

    qtbot.mouseClick(workspace.sentence.pluses["filters"], Qt.MouseButton.LeftButton)
    qtbot.keyClicks(finder().line, "channel")
    driver.press(finder().line, Key.Key_Return)
    members = workspace.card.findChild(QListView, "members")
    assert [members.model().index(row, 0).data() for row in range(4)] == ["Counter", "Phone", "Trade", "Web"]
    for _ in range(2):
        members = workspace.card.findChild(QListView, "members")
        members.setCurrentIndex(members.model().index(_, 0))
        driver.press(members, Key.Key_Space)
    assert driver.words()[-1] == ("filters", "Channel: not Counter, Phone")
    filtered = driver.table()
    assert [row[0] for row in filtered] == ["Trade", "Web", ""]

    steps = [driver.table()]
    for _ in range(5):
        driver.key(Key.Key_Z)
        steps.append(driver.table())
    assert len(driver.words()) == 2
    for wanted in steps[-2::-1]:
        driver.key(Key.Key_Z, Control | Shift)
        assert driver.table() == wanted
    assert driver.table() == filtered

    driver.key(Key.Key_T)
    turned = driver.table()
    assert [word for word in driver.words() if word[0] in ("rows", "columns")] == [
        ("rows", "Quarter of order date"),
        ("columns", "Channel"),
    ]
    assert turned != filtered

    path = tmp_path / "sales.basket"
    driver.save_to(path)
    driver.key(Key.Key_S)
    assert not driver.desk.history.changed
    driver.act("New basket")
    assert driver.window.stack.currentWidget() is driver.window.start
    driver.open(path)
    assert driver.table() == turned
    assert driver.errors == []


def test_the_report_in_the_window_adds_up_to_the_raw_records(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.double_click_field(line("Channel"))
    driver.double_click_field(line("Net"))
    with (demo.parent / "order_lines.csv").open(encoding="utf-8", newline="") as file:
        cents = sum(
            int(record["Net"].replace(".", "")) for record in csv.DictReader(file) if record["Channel"] == "Web"
        )
    web = next(row for row in driver.table() if row[0] == "Web")
    assert web[-1] == f"{cents / 100:,.2f}"


def test_words_are_moved_with_keys_and_taken_out(driver, demo):
    driver.open(demo)
    assert [text for _, text in driver.words()][:4] == ["Net sales, summed", "Cost, summed", "Region", "Site"]
    driver.key(Key.Key_L)
    word = driver.word("Net sales")
    assert driver.window.focusWidget() is word
    driver.press(word, Key.Key_Right, Alt)
    assert [text for _, text in driver.words()][:2] == ["Cost, summed", "Net sales, summed"]
    driver.press(driver.word("Net sales"), Key.Key_Right)
    assert driver.window.focusWidget() is driver.word("Region")
    driver.press(driver.word("Region"), Key.Key_Down, Alt)
    assert ("columns", "Region") in driver.words()
    driver.press(driver.word("Region"), Key.Key_Up, Alt)
    assert [text for strand, text in driver.words() if strand == "rows"] == ["Site", "Region"]
    driver.press(driver.word("Region"), Key.Key_Delete)
    assert "Region" not in [text for _, text in driver.words()]
    driver.press(driver.word("Site"), Key.Key_Return)
    assert driver.desk.view.word == "site"


def test_words_are_dropped_between_words_and_on_the_grids_edges(driver, demo):
    from PyQt6.QtCore import QByteArray, QMimeData

    from foldbasket.desktop.sentence.word import WORD_MIME

    driver.open(demo)
    sentence = driver.workspace.sentence

    def carried(id):
        data = QMimeData()
        data.setData(WORD_MIME, QByteArray(id.encode()))
        return data

    driver.drop(carried("site"), sentence, driver.word("Region").geometry().topLeft() + QPoint(1, 14))
    assert [text for strand, text in driver.words() if strand == "rows"] == ["Site", "Region"]
    driver.drop_field(
        line("Channel"), sentence, driver.word("Quarter of order date").geometry().topRight() + QPoint(2, 14)
    )
    assert [text for strand, text in driver.words() if strand == "columns"] == ["Quarter of order date", "Channel"]
    grid = driver.workspace.grid
    driver.drop(carried("region"), grid.viewport(), driver.edge("columns"))
    assert ("columns", "Region") in driver.words()
    driver.drop(carried("cost"), grid.viewport(), driver.edge("rows"))
    assert ("rows", "Cost") in driver.words()
    driver.drop(carried("channel"), grid.viewport(), driver.edge("measures"))
    assert ("measures", "Channel, values counted") in driver.words()
    assert driver.errors == []


def test_the_card_of_a_measure_sets_aggregation_pattern_and_name(driver, demo):
    driver.open(demo)
    driver.qtbot.mouseClick(driver.word("Net sales"), Qt.MouseButton.LeftButton)
    driver.qtbot.mouseClick(chip(driver, "Average"), Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.word("Net sales").text() == "Net sales, averaged"
    driver.unfold("Number")
    form = chooser(driver, "Form")
    form.setFocus()
    euros = next(at for at in range(form.count()) if form.itemText(at).startswith("€") and "." in form.itemText(at))
    form.setCurrentIndex(euros)
    form.activated.emit(euros)
    driver.settle()
    assert driver.table()[0][3].startswith("€")
    own = entry(driver, "Your own")
    own.clear()
    own.setFocus()
    driver.qtbot.keyClicks(own, "0.0.0")
    driver.press(own, Key.Key_Return)
    assert own.property("wrong") == "true"
    own.selectAll()
    driver.qtbot.keyClicks(own, "0000.0")
    driver.press(own, Key.Key_Return)
    assert driver.table()[0][3].index(".") == 4
    driver.key(Key.Key_F2, Qt.KeyboardModifier.NoModifier)
    heading = entry(driver, "Heading")
    assert driver.window.focusWidget() is heading
    driver.qtbot.keyClicks(heading, "Usual net")
    driver.press(heading, Key.Key_Return)
    assert driver.word("Usual net").text() == "Usual net, averaged"
    assert [step.label for step in driver.desk.history.steps][-2:] == ["Change the number pattern", "Rename Net"]


def test_the_card_of_a_field_sets_part_order_and_totals(driver, demo):
    driver.open(demo)
    driver.qtbot.mouseClick(driver.word("Region"), Qt.MouseButton.LeftButton)
    driver.qtbot.mouseClick(chip(driver, "Z to A"), Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.table()[0][0] == "Westholt"
    for name, value in (("Of each region", "before them"), ("Everything", "none")):
        box = chooser(driver, name)
        box.setCurrentIndex(box.findText(value))
        box.activated.emit(box.currentIndex())
        driver.settle()
    assert driver.table()[0][2] == "Westholt, all sites"
    assert driver.table()[-1][2] == ""
    driver.qtbot.mouseClick(driver.word("Quarter of order date"), Qt.MouseButton.LeftButton)
    driver.qtbot.mouseClick(chip(driver, "Weekday"), Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.desk.report.columns.label(0, 0) == "Monday"


def test_the_card_of_a_filter_compares_ranges_and_blanks(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.double_click_field(line("Net"))
    driver.desk.words.place(line("Net"), "filters")
    driver.settle()
    driver.qtbot.mouseClick(chip(driver, "Compare"), Qt.MouseButton.LeftButton)
    driver.settle()
    value = entry(driver, "Value to compare with")
    value.setFocus()
    value.selectAll()
    driver.qtbot.keyClicks(value, "1000")
    driver.press(value, Key.Key_Return)
    kept = driver.desk.report.kept
    assert 0 < kept < 6_000
    assert driver.words()[-1] == ("filters", "Net: ≥ 1,000")
    value = entry(driver, "Value to compare with")
    value.selectAll()
    driver.qtbot.keyClicks(value, "much")
    driver.press(value, Key.Key_Return)
    assert driver.desk.report is None
    assert "“much” is not a number" in driver.desk.problem.what
    driver.key(Key.Key_Z)
    assert driver.desk.report.kept == kept
    driver.qtbot.mouseClick(chip(driver, "Blank"), Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.desk.report.kept == 0


def test_every_action_is_found_by_name_and_by_its_key(driver, demo):
    driver.open(demo)
    driver.key(Key.Key_K)
    listed = finder()
    assert listed.list.count() == len(driver.window.actions_by_name)
    driver.qtbot.keyClicks(listed.line, "turn rows")
    driver.press(listed.line, Key.Key_Return)
    assert ("columns", "Region") in driver.words()
    driver.act("Steps so far…")
    steps = finder()
    assert steps.list.item(0).text() == "Turn the report"
    driver.press(steps.line, Key.Key_Down)
    driver.press(steps.line, Key.Key_Return)
    assert ("rows", "Region") in driver.words()


def test_cells_are_selected_with_keys_and_copied_as_text_and_table(driver, demo):
    driver.open(demo)
    grid = driver.workspace.grid
    driver.key(Key.Key_R)
    assert driver.window.focusWidget() is grid
    for key in (Key.Key_Down, Key.Key_Right):
        driver.press(grid, key)
    assert (grid.marked.row, grid.marked.column) == (1, 1)
    driver.key(Key.Key_C)
    mime = QApplication.clipboard().mimeData()
    assert mime.text() == driver.desk.report.text(1, 1) + "\n"
    assert f"<td>{driver.desk.report.text(1, 1)}</td>" in mime.html()
    area = grid.cell_area(3, 2).center().toPoint()
    driver.qtbot.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, Shift, area)
    driver.key(Key.Key_C)
    assert [row.count("\t") for row in QApplication.clipboard().text().splitlines()] == [1, 1, 1]
    driver.key(Key.Key_A)
    driver.key(Key.Key_C)
    copied = QApplication.clipboard().mimeData()
    assert copied.text().splitlines()[1].startswith("Region\tSite\tNet sales")
    assert "<thead>" in copied.html()
    driver.press(grid, Key.Key_End, Control)
    assert (grid.marked.row, grid.marked.column) == (driver.desk.report.height - 1, driver.desk.report.width - 1)
    assert grid.viewport().rect().contains(grid.cell_area(grid.marked.row, grid.marked.column).toRect())


def test_headings_choose_the_word_they_belong_to(driver, demo):
    driver.open(demo)
    grid = driver.workspace.grid
    at = grid.geometry_of
    for x, y, word in (
        (at.left + 20, at.head_height + 40, "region"),
        (at.heads_width + 30, 30, "quarter"),
        (at.heads_width + 30, at.head_height - 8, "net"),
    ):
        driver.qtbot.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(int(x), int(y)))
        assert driver.desk.view.word == word


def test_folds_are_added_copied_renamed_shown_and_taken_out(driver, demo):
    driver.open(demo)
    driver.key(Key.Key_N, Control | Shift)
    assert driver.desk.view.fold_key == "New fold"
    assert driver.desk.report is None
    folds = driver.workspace.spine.folds
    driver.qtbot.mouseClick(
        folds.viewport(), Qt.MouseButton.LeftButton, pos=folds.visualRect(folds.model().index(5, 0)).center()
    )
    driver.settle()
    assert driver.desk.report.name == "Freight by team"
    driver.act("Copy the fold")
    driver.settle()
    assert driver.desk.view.fold_key == "Freight by team 2"
    driver.act("Rename the fold…")
    driver.answer("Rename", "Freight again")
    assert driver.desk.report.name == "Freight again"
    driver.act("Take the fold out")
    driver.settle()
    assert "Freight again" not in [fold.name for fold in driver.desk.basket.folds]


def test_files_are_dropped_and_bad_ones_leave_the_basket_as_it_was(driver, demo, tmp_path):
    from PyQt6.QtCore import QMimeData, QUrl

    driver.open(demo)
    before = driver.desk.basket

    def drop(path):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        driver.drop(data, driver.window, QPoint(600, 300))

    for name, content in (("empty.csv", b""), ("broken.basket", b"PK\x03\x04 nothing"), ("ragged.csv", b"a,b\n1\n")):
        (tmp_path / name).write_bytes(content)
        drop(tmp_path / name)
        assert driver.desk.basket is before
        assert len(driver.errors) == 1
        assert driver.errors.pop().todo
    (tmp_path / "more.csv").write_text("Town,Net\nAsh,1.50\n")
    drop(tmp_path / "more.csv")
    assert driver.desk.basket.sources[-1].name == "More"
    assert driver.workspace.spine.index_of(FieldRef("More", "Town")).isValid()
    driver.key(Key.Key_Z)
    assert driver.desk.basket == before


def test_a_strangers_basket_asks_before_it_reads_elsewhere(driver, tmp_path):
    import json

    from PyQt6.QtWidgets import QPlainTextEdit

    (tmp_path / "s.csv").write_text("Town,Net\nAsh,1\n")
    inner = tmp_path / "in"
    inner.mkdir()
    path = inner / "b.json"
    path.write_text(json.dumps({"format": "fold-basket", "version": 1, "sources": [{"name": "S", "path": "../s.csv"}]}))
    driver.open(path)
    assert str(tmp_path / "s.csv") in driver.question().findChild(QPlainTextEdit).toPlainText()
    driver.answer("Don’t allow")
    assert driver.desk.basket.sources == ()
    driver.open(path)
    driver.answer("Allow")
    assert driver.desk.tables["S"].count == 1


def test_the_window_answers_while_a_long_fold_runs_and_drops_an_outdated_result(driver, demo):
    driver.open(demo)
    entered, gate = driver.hold_folds()
    before = driver.desk.report
    driver.desk.words.turn()
    assert entered.wait(5)
    driver.qtbot.mouseClick(driver.word("Region"), Qt.MouseButton.LeftButton)
    assert driver.desk.view.word == "region"
    assert driver.desk.report is before
    driver.desk.words.turn()
    gate.set()
    driver.settle()
    assert driver.table()[0][0] == "Eastfen"
    assert driver.desk.report is not before


def test_the_first_start_offers_data_the_demo_and_recent_baskets(driver, tmp_path, demo):
    from foldbasket.desktop import memory
    from foldbasket.desktop.shell.start import StartView

    assert driver.window.stack.currentWidget() is driver.window.start
    driver.qtbot.mouseClick(driver.window.start.demo_button, Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.desk.report.name == "Net sales by site"
    assert driver.desk.report.records == 48_000
    driver.open(demo)
    view = StartView(memory.recent())
    driver.qtbot.addWidget(view)
    rows = [button for button in view.findChildren(QPushButton) if button.property("role") == "row"]
    assert rows[0].toolTip() == str(demo.resolve())
    with driver.qtbot.waitSignal(view.recent_wanted) as chosen:
        rows[0].click()
    assert chosen.args == [demo.resolve()]


@pytest.mark.parametrize("shade", ["light", "dark", "strong", "strong dark"])
def test_text_has_enough_contrast_in_every_set(shade):
    from foldbasket.desktop.widgets import theme

    sets = {"light": theme.LIGHT, "dark": theme.DARK, "strong": theme.STRONG, "strong dark": theme.STRONG_DARK}
    colours, least = sets[shade], 7 if shade.startswith("strong") else 4.5

    def luminance(colour):
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    for text in (colours.ink, colours.muted, colours.columns):
        for ground in (colours.paper, colours.page, colours.panel):
            light, dark = sorted((luminance(text), luminance(ground)), reverse=True)
            assert (light + 0.05) / (dark + 0.05) >= least, (text, ground)


def test_unsaved_work_is_written_aside_and_taken_up_after_a_crash(driver, demo, qtbot):
    from foldbasket.baskets import recovery
    from foldbasket.baskets.recovery import Recovered

    driver.open(demo)
    driver.desk.files.write_aside()
    driver.settle()
    assert list(recovery.folder().glob("*")) == []
    driver.key(Key.Key_T)
    driver.desk.files.write_aside()
    driver.settle()
    assert recovery.left_over() == []  # the program that wrote it still runs
    (aside,) = recovery.folder().glob("*/work.json")
    turned = driver.table()
    crashed = aside.parent.with_name("crashed")
    shutil.copytree(aside.parent, crashed)
    driver.desk.files.begin_anew()
    (left,) = recovery.left_over()
    assert isinstance(left, Recovered)
    driver.window.start.offer([left])
    button = next(each for each in driver.window.start.findChildren(QPushButton) if each.text().startswith("Take up"))
    button.click()
    driver.settle()
    assert driver.table() == turned
    assert driver.desk.path == demo.resolve()
    assert driver.desk.history.changed
    assert not crashed.exists()
    assert driver.window.actions_by_name["Undo"].text() == "Undo: Turn the report"
    driver.desk.undo()
    driver.settle()
    assert driver.table() != turned, "the steps came with it"
    driver.desk.close()
    assert list(recovery.folder().glob("*")) == []


def test_a_measure_is_compared_on_its_card_and_its_pattern_goes_with_the_comparison(driver, demo):
    from PyQt6.QtWidgets import QComboBox

    driver.open(demo)
    driver.desk.show_fold("Lines, quarter by quarter")
    driver.settle()
    driver.desk.select_word("net")

    def choose(name, text):
        chooser = next(each for each in driver.workspace.card.findChildren(QComboBox) if each.accessibleName() == name)
        at = chooser.findText(text)
        assert at >= 0, [chooser.itemText(n) for n in range(chooser.count())]
        chooser.setCurrentIndex(at)
        chooser.activated.emit(at)
        driver.settle()

    choose("Show", "% of the column")
    assert driver.desk.report.text(driver.desk.report.height - 1, 0) == "100.0%"
    assert "as % of the column" in driver.desk.report.sentence
    choose("Show", "with a year before")
    choose("Along", "Year of order date")
    choose("As", "change in %")
    assert driver.desk.problem is None
    choose("Show", "with another measure")
    assert "no other measure" in str(driver.errors[-1])
    choose("Show", "not at all")
    choose("Another way", "Percentile")
    assert driver.desk.fold.measures[0].aggregate == "percentile"
    assert "90th percentile" in driver.desk.report.sentence


def test_members_are_ordered_by_value_and_picked_on_their_card(driver, demo):
    from PyQt6.QtWidgets import QComboBox, QLineEdit

    driver.open(demo)
    driver.desk.show_fold("Lines, quarter by quarter")
    driver.settle()
    driver.desk.select_word("line")

    def choose(name, text, which=0):
        found = [each for each in driver.workspace.card.findChildren(QComboBox) if each.accessibleName() == name]
        at = found[which].findText(text)
        assert at >= 0, [found[which].itemText(n) for n in range(found[which].count())]
        found[which].setCurrentIndex(at)
        found[which].activated.emit(at)
        driver.settle()

    def lines():
        report = driver.desk.report
        return list(
            dict.fromkeys(report.rows.label(line, 0) for line in range(report.height) if report.rows.level[line])
        )

    before = lines()
    choose("By", "Net sales")
    assert sorted(lines()) == sorted(before)
    assert lines() != before
    choose("In", "2025")
    choose("Members", "the top")
    number = next(each for each in driver.workspace.card.findChildren(QLineEdit) if each.accessibleName() == "Number")
    number.setFocus()
    number.selectAll()
    driver.qtbot.keyClicks(number, "2")
    driver.press(number, Qt.Key.Key_Return)
    assert len(lines()) == 2
    assert "(top 2 by Net sales)" in driver.desk.report.sentence
    assert "members not shown too" in driver.workspace.facts.kept.text()
    first = next(each for each in driver.workspace.card.findChildren(QLineEdit) if each.accessibleName() == "First")
    first.setFocus()
    driver.qtbot.keyClicks(first, "nobody")
    driver.press(first, Qt.Key.Key_Return)
    assert "“nobody” is not a member" in str(driver.errors[-1])
    for _ in range(4):
        driver.key(Qt.Key.Key_Z)
    assert lines() == before


def test_many_cells_are_copied_in_the_background_and_are_the_same(driver, demo, monkeypatch):
    driver.open(demo)
    driver.key(Key.Key_R)
    driver.key(Key.Key_A)
    driver.key(Key.Key_C)
    at_once = QApplication.clipboard().mimeData()
    at_once = at_once.text(), at_once.html()
    QApplication.clipboard().setText("")
    monkeypatch.setattr("foldbasket.desktop.work.output.COPIED_AT_ONCE", 0)
    driver.key(Key.Key_C)
    driver.settle()
    copied = QApplication.clipboard().mimeData()
    assert (copied.text(), copied.html()) == at_once
    assert at_once[0].count("\n") > 10


@pytest.mark.parametrize("trouble", ["disk", "records"])
def test_recovered_work_stays_until_it_is_written_again(driver, demo, monkeypatch, trouble):
    """A second crash, or a full disk, loses nothing."""
    from foldbasket.baskets import recovery
    from foldbasket.baskets.basket import SourceSpec

    driver.open(demo)
    driver.key(Key.Key_T)
    driver.desk.files.write_aside()
    driver.settle()
    (aside,) = recovery.folder().glob("*/work.json")
    crashed = aside.parent.with_name("crashed")
    shutil.copytree(aside.parent, crashed)
    driver.desk.files.begin_anew()
    (left,) = recovery.left_over()
    plain = recovery.write_aside

    def write_aside(*given):
        assert crashed.exists(), "it is there while its new copy is written"
        if trouble == "disk":
            raise OSError(errno.ENOSPC, "No space left on device")
        return plain(*given) and False  # some records did not come with it

    with monkeypatch.context() as patch:
        patch.setattr(recovery, "write_aside", write_aside)
        driver.desk.files.recover(left)
        driver.settle()
        assert crashed.exists()
    assert recovery.left_over()[0].basket == left.basket
    driver.desk.files.write_aside()
    driver.settle()
    assert not crashed.exists()
    assert not recovery.write_aside(Basket(sources=(SourceSpec("p", data="pasted/1"),)), None), (
        "its records are missing"
    )
    driver.desk.close()


def test_consent_names_servers_first_lists_every_place_and_keeps_its_buttons_on_the_screen(
    driver, tmp_path, monkeypatch
):
    from PyQt6.QtGui import QGuiApplication
    from PyQt6.QtWidgets import QLabel, QPlainTextEdit

    from foldbasket.baskets.basket import SourceSpec
    from foldbasket.baskets.files import save_basket
    from foldbasket.tables.reading.contract import Reading
    from foldbasket.tables.reading.database import Server

    monkeypatch.setenv("FOLD_BASKET_PASSWORD", "carrots")
    query = "SELECT 1\n" + "-- line\n" * 3_000
    files = tuple(SourceSpec(f"s{at}", str(tmp_path / f"{at} \u202efdp.csv")) for at in range(40))
    servers = tuple(
        SourceSpec(
            f"d{at}", server=Server("postgresql", f"evil{at}.example", "sales", "reader"), reading=Reading(query=query)
        )
        for at in range(3)
    )
    (tmp_path / "in").mkdir()
    save_basket(Basket(sources=(*files, *servers)), tmp_path / "in" / "b\u202e.basket")
    driver.open(tmp_path / "in" / "b\u202e.basket")
    dialog = driver.question()
    told = " ".join(label.text() for label in dialog.findChildren(QLabel))
    listed = dialog.findChild(QPlainTextEdit).toPlainText()
    assert "43 places" in told
    for at in range(3):
        assert f"evil{at}.example" in told
        assert listed.index(f"evil{at}.example") < listed.index("fdp.csv")
    assert told.count("with the password for reader from the environment") == 3
    assert all(f"{at} ⟨U+202E⟩fdp.csv" in listed for at in range(40))
    assert listed.count("-- line") == 9_000
    assert "\u202e" not in told + listed
    room = QGuiApplication.primaryScreen().availableGeometry()
    assert dialog.height() <= min(room.height(), 700)
    for button in dialog.buttons.values():
        assert dialog.rect().contains(button.geometry()), "on the screen without scrolling"
    driver.answer("Don’t allow")


@pytest.mark.parametrize("text", ["word " * 5_000, "w" * 20_000, "line\n" * 3_000])
def test_no_message_is_higher_than_the_screen(driver, text):
    from foldbasket.desktop.widgets import dialogs

    dialog = dialogs.tell(driver.window, "Title", text, text)
    assert dialog.height() < 700
    assert dialog.rect().contains(dialog.buttons["Close"].geometry())
    dialog.close()
