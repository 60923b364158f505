"""The source view as a user works in it: findings mended by their buttons, links made by dragging, fresh data followed."""

import os
import shutil
import threading

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QPushButton

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import save_basket
from foldbasket.demo.untidy import UNTIDY_LINES
from foldbasket.desktop.card.controls import Chooser
from foldbasket.desktop.source import card
from foldbasket.desktop.source.database import DatabaseDialog
from foldbasket.desktop.source.linklayout import columns_of, likeliest
from foldbasket.desktop.source.preview import ROW, Preview
from foldbasket.desktop.widgets.dialogs import Dialog
from foldbasket.links.link import Link
from foldbasket.opening import sources
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed
from foldbasket.tables import store
from foldbasket.tables.findings import looking
from foldbasket.tables.types import FieldType
from tests.tables.reading import heron


@pytest.fixture
def settled(driver, qtbot):
    """Waits until nothing is read, folded or looked through any more."""

    def settle():
        qtbot.waitUntil(lambda: not driver.desk.busy and not driver.desk.supply.looker.busy, timeout=20_000)
        driver.settle()

    return settle


@pytest.fixture
def untidy(driver, demo, settled):
    """The untidy file beside the varieties, open in the source view."""
    driver.open(demo.parent / UNTIDY_LINES, demo.parent / "varieties.csv")
    driver.desk.show_source("Untidy order lines")
    settled()
    return driver


def buttons(driver, text):
    return [
        each
        for each in driver.workspace.card.findChildren(QPushButton)
        if each.accessibleName() == text and each.isVisible()
    ]


def click(driver, button):
    driver.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def kinds(driver):
    return sorted(finding.kind for finding in driver.desk.supply.findings(driver.desk.view.source_key))


def test_a_click_on_a_source_brings_it_into_view_and_a_fold_back(driver, demo, settled):
    driver.open(demo)
    spine = driver.workspace.spine
    driver.qtbot.mouseClick(
        spine.sources.viewport(),
        Qt.MouseButton.LeftButton,
        pos=spine.sources.visualRect(spine.sources.model().index(2, 0)).center(),
    )
    settled()
    assert driver.desk.view.source_key == "Customers"
    assert driver.workspace.source_head.name.text() == "Customers"
    assert "612 records, 5 fields" in driver.workspace.source_head.facts.text()
    assert driver.workspace.links.isVisible()
    assert not driver.workspace.sentence.isVisible()
    driver.key(Qt.Key.Key_1)
    assert driver.desk.view.source_key is None
    assert driver.workspace.grid.isVisible()
    driver.key(Qt.Key.Key_2)
    assert driver.desk.view.source_key == "Customers"


def test_a_field_that_was_taken_for_something_else_goes_where_it_belongs(driver, demo, settled):
    driver.open(demo)
    driver.desk.show_source("Order lines")
    settled()
    driver.workspace.findChild(Preview).field_chosen.emit("Line no.")
    settled()
    chooser = next(each for each in driver.workspace.card.findChildren(Chooser) if each.accessibleName() == "Taken for")
    assert chooser.currentText() == "identifier"
    at = chooser.findText("quantity")
    chooser.setCurrentIndex(at)
    chooser.activated.emit(at)
    settled()
    assert driver.desk.spec.mends[-1].label == "Take Line no. for a quantity"
    fold = driver.desk.basket.folds[0]
    driver.desk.show_fold(fold.key)
    driver.desk.words.place(FieldRef("Order lines", "Line no."), None)
    settled()
    assert driver.desk.fold.measures[-1].field == FieldRef("Order lines", "Line no.")
    driver.key(Qt.Key.Key_Z)
    driver.key(Qt.Key.Key_Z)
    settled()
    driver.desk.words.place(FieldRef("Order lines", "Line no."), None)
    settled()
    assert driver.desk.fold.rows[-1].field == FieldRef("Order lines", "Line no.")


def test_the_first_button_of_each_finding_mends_it_and_undo_brings_it_back(untidy, settled):
    first = kinds(untidy)
    assert {"misfits", "spellings", "empty rows", "far dates", "total lines", "repeated rows", "spaces"} <= set(first)
    texts = untidy.desk.tables["Untidy order lines"].texts
    assert set(texts) == {"Order date", "Net"}
    steps = 0
    while todo := [
        finding
        for finding in untidy.desk.supply.findings("Untidy order lines")
        if finding.offers and finding.kind != "no amount"
    ]:
        click(untidy, buttons(untidy, todo[0].offers[0].label)[0])
        settled()
        steps += 1
        assert steps < 30
    assert kinds(untidy) == ["no amount", "title lines"]
    assert untidy.desk.tables["Untidy order lines"].texts == {}
    for _ in range(steps):
        untidy.key(Qt.Key.Key_Z)
    settled()
    assert kinds(untidy) == first
    assert (
        untidy.desk.tables["Untidy order lines"] is untidy.desk.supply.as_read("Untidy order lines")
        or not untidy.desk.spec.mends
    )


def test_show_narrows_the_rows_to_the_findings_records_and_escape_widens_them(untidy):
    finding = next(
        each
        for each in untidy.desk.supply.findings("Untidy order lines")
        if each.kind == "misfits" and each.field == "Order date"
    )
    show = buttons(untidy, "Show")
    order = [each for each in untidy.desk.supply.findings("Untidy order lines") if each.count]
    click(untidy, show[order.index(finding)])
    preview = untidy.workspace.source.preview
    untidy.qtbot.waitUntil(lambda: preview.count == 8)
    assert [preview.record(row) for row in range(8)] == list(finding.records())
    assert all("/" in preview.text("Order date", preview.record(row)) for row in range(8))
    assert untidy.workspace.source.strip.isVisible()
    untidy.qtbot.keyClick(preview, Qt.Key.Key_Escape)
    assert preview.count == 249


def test_the_records_of_what_was_kept_are_never_looked_for_by_the_windows_thread(driver, demo, settled, monkeypatch):
    """A file that is opened again is not looked through, but its marked values are found: a while after, where there are millions."""
    monkeypatch.setattr(store, "SETTLED", -1.0)
    monkeypatch.setattr(looking, "WORTH", -1.0)
    driver.open(demo.parent / UNTIDY_LINES)
    settled()
    asked, real = [], looking.each_finding
    monkeypatch.setattr(
        looking,
        "each_finding",
        lambda table, progress: asked.append(threading.current_thread()) or real(table, progress),
    )
    driver.desk.supply.forget()
    driver.desk.supply.renew(driver.desk.basket)
    settled()
    driver.desk.show_source("Untidy order lines")
    marked = [each for each in driver.desk.supply.findings("Untidy order lines") if each.field]
    driver.qtbot.waitUntil(lambda: sum(each.found is not None for each in marked) > 2, timeout=20_000)
    assert len(asked) == 1, "one look is enough for all of them"
    assert asked[0] is not threading.main_thread()
    for each in marked:
        if each.found is not None and each.counted == "record":
            assert len(each.found) == each.count


def test_leave_takes_a_finding_from_the_card_for_good_and_can_be_undone(untidy, settled):
    before = kinds(untidy)
    click(untidy, buttons(untidy, "Leave")[0])
    settled()
    assert len(kinds(untidy)) == len(before) - 1
    assert untidy.desk.spec.left
    untidy.key(Qt.Key.Key_Z)
    settled()
    assert kinds(untidy) == before


def test_mends_are_listed_with_what_they_changed_moved_and_taken_back(untidy, settled):
    click(untidy, buttons(untidy, "Drop them")[0])
    settled()
    click(untidy, buttons(untidy, "Trim them")[0])
    settled()
    labels = [label.text() for label in untidy.workspace.card.findChildren(type(untidy.workspace.source_head.name))]
    assert "1 · Drop empty rows · 4 records" in labels
    assert any(text.startswith("2 · Trim spaces in Order no. · 27 values") for text in labels)
    click(untidy, buttons(untidy, "Do “Trim spaces in Order no.” earlier")[0])
    settled()
    assert [mend.label for mend in untidy.desk.spec.mends] == ["Trim spaces in Order no.", "Drop empty rows"]
    click(untidy, buttons(untidy, "Take back “Drop empty rows”")[0])
    settled()
    assert untidy.desk.tables["Untidy order lines"].count == 249


def test_a_head_opens_the_fields_card_where_its_type_and_values_are_mended(untidy, settled):
    preview = untidy.workspace.source.preview
    at = list(preview.table.columns).index("Channel")
    untidy.qtbot.mouseClick(preview.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(int(preview.lefts[at] + 8), 20))
    assert untidy.desk.view.field == "Channel"
    line = next(each for each in untidy.workspace.card.findChildren(QLineEdit) if each.accessibleName() == "Rename to")
    line.setFocus()
    untidy.qtbot.keyClicks(line, "Way")
    untidy.qtbot.keyClick(line, Qt.Key.Key_Return)
    settled()
    assert "Way" in untidy.desk.tables["Untidy order lines"].columns
    untidy.desk.show_source("Untidy order lines", "Quantity")
    settled()
    line = next(each for each in untidy.workspace.card.findChildren(QLineEdit) if each.accessibleName() == "Replace")
    line.setFocus()
    untidy.qtbot.keyClicks(line, "no sign")
    untidy.qtbot.keyClick(line, Qt.Key.Key_Return)
    assert "does not say what to put in its place" in str(untidy.errors[-1])


def test_the_rows_are_walked_by_keys(untidy):
    preview = untidy.workspace.source.preview
    preview.setFocus()
    untidy.qtbot.keyClick(preview, Qt.Key.Key_End)
    assert preview.row_at == 248
    assert preview.verticalScrollBar().value() > 200
    untidy.qtbot.keyClick(preview, Qt.Key.Key_Right)
    assert untidy.desk.view.field == "Order no."
    untidy.qtbot.keyClick(preview, Qt.Key.Key_Escape)
    assert untidy.desk.view.field is None


def test_a_million_rows_draw_only_what_is_in_view(driver, tmp_path, settled, monkeypatch):
    import pyarrow as pa
    import pyarrow.parquet as pq

    pq.write_table(pa.table({"n": list(range(1_000_000)), "t": ["a", "b"] * 500_000}), tmp_path / "many.parquet")
    driver.open(tmp_path / "many.parquet")
    driver.desk.show_source("Many")
    settled()
    preview = driver.workspace.source.preview
    asked = []
    real = preview.text
    monkeypatch.setattr(preview, "text", lambda name, record: asked.append(record) or real(name, record))
    preview.verticalScrollBar().setValue(700_000)
    preview.viewport().repaint()
    assert asked
    assert min(asked) >= 700_000
    assert len(asked) <= 2 * (preview.viewport().height() // ROW + 2)


# --- links ------------------------------------------------------------------


def test_dragging_a_field_onto_a_table_links_them_and_the_map_says_how_it_fits(untidy, settled):
    chart = untidy.workspace.map
    chart.renew()
    box = chart.box("Varieties")
    mime = untidy.workspace.spine.fields.model().mimeData(
        [untidy.workspace.spine.index_of(FieldRef("Untidy order lines", "Variety code"))]
    )
    untidy.drop(mime, chart, box.area.center().toPoint())
    settled()
    link = Link("Untidy order lines", "Varieties", (("Variety code", "Variety code"),))
    assert untidy.desk.basket.links == (link,)
    assert chart.remark("Varieties") == ("5 not found", True)
    assert "no partner" in kinds(untidy)
    assert "5 not found" in chart.said(link)
    untidy.key(Qt.Key.Key_Z)
    settled()
    assert untidy.desk.basket.links == ()


def test_a_field_dropped_the_wrong_way_round_still_runs_from_many_to_one(untidy, settled):
    chart = untidy.workspace.map
    assert chart.link(FieldRef("Varieties", "Variety code"), FieldRef("Untidy order lines", "Variety code"))
    assert untidy.desk.basket.links[0].from_table == "Untidy order lines"


def test_suggested_links_are_accepted_and_a_far_field_is_folded_at_once(driver, demo, settled):
    driver.open(
        *(demo.parent / f"{stem}.csv" for stem in ("order_lines", "orders", "customers", "varieties", "sellers"))
    )
    settled()
    assert {(link.from_table, link.to_table) for link in driver.desk.supply.looker.suggestions} == {
        ("Order lines", "Orders"),
        ("Order lines", "Varieties"),
        ("Orders", "Customers"),
        ("Orders", "Sellers"),
    }
    driver.window.actions_by_name["Accept the suggested links"].trigger()
    settled()
    driver.desk.words.place(FieldRef("Order lines", "Net"))
    driver.desk.words.place(FieldRef("Customers", "Region"))
    settled()
    assert isinstance(driver.desk.fold.rows[0], Placed)
    assert driver.desk.report.height == 6
    assert driver.desk.supply.looker.suggestions == ()


def test_a_second_path_is_refused_with_the_reason(driver, demo, settled):
    driver.open(demo)
    driver.desk.sources.link(FieldRef("Order lines", "Channel"), FieldRef("Customers", "Customer no."))
    assert "two ways from" in str(driver.errors[-1])


def test_the_maps_menu_turns_a_link_round_and_takes_it_out(driver, demo, settled):
    driver.open(demo)
    driver.desk.show_source("Orders")
    settled()
    link = driver.desk.basket.links[0]
    menu = driver.workspace.map.menu(link, False)
    actions = {action.text(): action for action in menu.actions()}
    actions["Turn it round"].trigger()
    assert any(
        each.from_table == link.to_table and each.to_table == link.from_table for each in driver.desk.basket.links
    )
    settled()
    turned = next(each for each in driver.desk.basket.links if each.to_table == link.from_table)
    assert driver.workspace.map.remark(turned.to_table)[1]
    driver.workspace.map.menu(turned, False).actions()[-1].trigger()
    assert len(driver.desk.basket.links) == 3


def test_the_map_puts_each_table_right_of_those_that_lead_to_it():
    links = [Link("a", "b", ()), Link("b", "c", ()), Link("a", "c", ())]
    assert columns_of(["c", "a", "b", "d"], links) == {"a": 0, "b": 1, "c": 2, "d": 0}
    assert likeliest("Customer no.", ["Name", "customer_id", "Region"]) == "customer_id"


# --- fresh data -------------------------------------------------------------


@pytest.fixture
def watched(driver, demo, tmp_path, settled):
    """A copy of the demo whose order lines may change."""
    for file in demo.parent.iterdir():
        shutil.copy(file, tmp_path)
    driver.open(tmp_path / "quillmoor.basket")
    settled()
    return driver, tmp_path / "order_lines.csv"


def test_an_appended_line_comes_by_itself_when_it_is_whole_and_nothing_else_changes(watched, qtbot, settled):
    driver, path = watched
    driver.desk.show_fold("Channels and segments")
    settled()
    before, basket = driver.desk.report, driver.desk.basket
    patterns = [before.pattern(measure) for measure in range(len(before.measures))]
    with path.open("a") as file:
        file.write("Q-20001,9,2026-09-30,Tra")
        file.flush()
        os.fsync(file.fileno())
        qtbot.waitUntil(lambda: "half a line" in driver.workspace.facts.news.whole, timeout=20_000)
        assert driver.desk.tables["Order lines"].count == 6_000
        file.write("de,V0147,1,9.53,100000.00,5.00\n")
    qtbot.waitUntil(lambda: driver.desk.tables["Order lines"].count == 6_001, timeout=20_000)
    settled()
    assert "Order lines: 1 record added." in driver.workspace.facts.news.whole
    assert driver.desk.basket == basket
    assert driver.desk.report.records == before.records + 1
    assert [driver.desk.report.rows.label(line, 0) for line in range(driver.desk.report.height)] == [
        before.rows.label(line, 0) for line in range(before.height)
    ]
    assert [driver.desk.report.pattern(measure) for measure in range(len(before.measures))] == patterns
    assert [head.heading for head in driver.desk.report.measures] == [head.heading for head in before.measures]


def test_a_renamed_field_is_told_and_the_fold_says_which_word_it_misses(watched, qtbot, settled):
    driver, path = watched
    text = path.read_text()
    path.write_text(text.replace("Channel", "Way", 1))
    qtbot.waitUntil(lambda: driver.desk.problem is not None, timeout=20_000)
    assert "Channel is missing" in driver.workspace.facts.news.whole
    assert "new field: Way" in driver.workspace.facts.news.whole
    assert "“Channel”" in str(driver.desk.problem)
    path.write_text(text)
    qtbot.waitUntil(lambda: driver.desk.problem is None and driver.desk.report is not None, timeout=20_000)


def test_a_vanished_file_leaves_the_last_records_with_a_note(watched, qtbot, settled):
    driver, path = watched
    path.unlink()
    qtbot.waitUntil(lambda: "is gone" in driver.workspace.facts.news.whole, timeout=20_000)
    assert driver.desk.tables["Order lines"].count == 6_000
    assert driver.desk.report is not None
    driver.desk.show_source("Order lines")
    assert "the last records are kept" in driver.workspace.source_head.facts.text()


def test_a_broken_new_file_leaves_the_last_records(watched, qtbot, settled):
    driver, path = watched
    path.write_bytes(b"\x00\x01\x02 nothing\n" * 50)
    qtbot.waitUntil(lambda: "could not be read again" in driver.workspace.facts.news.whole, timeout=20_000)
    assert driver.desk.tables["Order lines"].count == 6_000


def test_mends_are_done_again_on_fresh_records(untidy, demo, tmp_path, settled, qtbot):
    path = tmp_path / "fresh.csv"
    path.write_text("Channel,Net\nTrade,1\ntrade,2\n" + "Trade,3\n" * 20)
    untidy.open(path)
    untidy.desk.show_source("Fresh")
    settled()
    click(untidy, buttons(untidy, "Make them “Trade”")[0])
    settled()
    with path.open("a") as file:
        file.write("trade,4\nWeb,5\n")
    qtbot.waitUntil(lambda: untidy.desk.tables["Fresh"].count == 24, timeout=20_000)
    assert untidy.desk.tables["Fresh"].columns["Channel"].dictionary.texts == ["Trade", "Web"]
    assert untidy.desk.supply.outcomes["Fresh"][0].changed == 2


def test_another_file_can_be_read_in_a_sources_place(watched, tmp_path, settled, monkeypatch):
    driver, path = watched
    other = tmp_path / "later.csv"
    other.write_text("\n".join(path.read_text().splitlines()[:101]).replace("Channel", "Way", 1) + "\n")
    driver.desk.show_source("Order lines")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(other), ""))
    driver.act("Read another file in its place…")
    settled()
    assert driver.desk.tables["Order lines"].count == 100
    assert driver.desk.spec.path == str(other)
    assert "Channel is missing" in driver.workspace.facts.news.whole
    driver.key(Qt.Key.Key_Z)
    settled()
    assert driver.desk.tables["Order lines"].count == 6_000


# --- other ways in ------------------------------------------------------------


def test_a_block_on_the_clipboard_becomes_a_source_and_is_saved_with_the_data(driver, settled, tmp_path):
    QApplication.clipboard().setText("Region\tNet\nNord\t1,50\nSüd\t2,25\n")
    driver.act("Paste as data")
    settled()
    assert driver.desk.tables["Pasted"].columns["Net"].type is FieldType.DECIMAL
    driver.desk.files.save(tmp_path / "pasted.basket", with_data=True)
    driver.settle()
    driver.open(tmp_path / "pasted.basket")
    settled()
    assert [driver.desk.tables["Pasted"].columns["Net"].text(record) for record in range(2)] == ["1.50", "2.25"]


def test_a_fold_as_a_source_follows_its_fold_and_never_runs_in_a_circle(driver, demo, settled):
    driver.open(demo)
    driver.desk.show_fold("Freight by team")
    driver.window.actions_by_name["Use the fold as a source"].trigger()
    settled()
    table = driver.desk.tables["Freight by team, summary"]
    assert list(table.columns) == ["Team", "Seller", "Freight", "Pieces", "Latest order"]
    assert table.count == 24
    driver.desk.words.remove(driver.desk.fold.rows[1].id)
    settled()
    assert driver.desk.tables["Freight by team, summary"].count == len(
        {*driver.desk.tables["Sellers"].columns["Team"].dictionary.texts}
    )
    driver.desk.words.place(FieldRef("Freight by team, summary", "Team"), "rows")
    settled()
    assert "made of itself" in driver.desk.supply.notes["Freight by team, summary"]


def test_a_workbooks_sheet_is_chosen_on_the_card(driver, settled, tmp_path):
    import xlsxwriter

    with xlsxwriter.Workbook(tmp_path / "two.xlsx") as book:
        for name, rows in (("First", [["a", "b"], [1, 2]]), ("Second", [["Region", "Net"], ["Nord", 3], ["Süd", 4]])):
            sheet = book.add_worksheet(name)
            for at, row in enumerate(rows):
                sheet.write_row(at, 0, row)
    driver.open(tmp_path / "two.xlsx")
    driver.desk.show_source("Two")
    settled()
    chooser = next(each for each in driver.workspace.card.findChildren(Chooser) if each.accessibleName() == "Sheet")
    chooser.setCurrentIndex(2)
    chooser.activated.emit(2)
    settled()
    assert list(driver.desk.tables["Two"].columns) == ["Region", "Net"]
    driver.key(Qt.Key.Key_Z)
    settled()
    assert list(driver.desk.tables["Two"].columns) == ["a", "b"]


def test_a_missing_file_leaves_the_rest_of_the_basket_open_with_a_note(driver, demo, tmp_path, settled):
    for file in demo.parent.iterdir():
        shutil.copy(file, tmp_path)
    (tmp_path / "sellers.csv").unlink()
    driver.open(tmp_path / "quillmoor.basket")
    settled()
    assert driver.desk.report is not None
    assert "no such file" in str(driver.errors[-1])
    assert "no such file" in driver.desk.supply.notes["Sellers"]
    driver.desk.show_source("Sellers")
    assert driver.workspace.source.preview.count == 0


def test_a_second_field_dropped_between_two_linked_tables_makes_a_key_of_two(driver, tmp_path, settled):
    (tmp_path / "plan.csv").write_text("Region,Month,Planned\nN,1,5\nN,2,6\nS,1,7\n")
    (tmp_path / "sales.csv").write_text("Region,Month,Net\nN,1,1\nN,1,2\nS,1,3\nS,2,4\n")
    driver.open(tmp_path / "plan.csv", tmp_path / "sales.csv")
    settled()
    assert driver.desk.sources.link(FieldRef("Sales", "Region"), FieldRef("Plan", "Region"))
    settled()
    assert driver.workspace.map.remark("Plan") == ("1 key repeated", True)
    assert driver.desk.sources.link(FieldRef("Sales", "Month"), FieldRef("Plan", "Month"))
    settled()
    (link,) = driver.desk.basket.links
    assert link.keys == (("Region", "Region"), ("Month", "Month"))
    assert driver.workspace.map.remark("Plan") == ("1 not found", True)


def test_all_tables_of_an_sqlite_file_come_with_their_own_links(driver, tmp_path, settled):
    import sqlite3

    with sqlite3.connect(tmp_path / "nursery.sqlite") as db:
        db.execute("CREATE TABLE customers (no INTEGER PRIMARY KEY, region TEXT)")
        db.execute("CREATE TABLE sales (customer INTEGER REFERENCES customers (no), net INTEGER)")
        db.executemany("INSERT INTO customers VALUES (?, ?)", [(1, "North"), (2, "South")])
        db.executemany("INSERT INTO sales VALUES (?, ?)", [(1, 5), (1, 6), (2, 7)])
    driver.open(tmp_path / "nursery.sqlite")
    driver.desk.sources.add_other_tables(driver.desk.basket.sources[0])
    settled()
    assert {source.reading.table for source in driver.desk.basket.sources} == {None, "sales"}
    assert [(link.to_table, link.keys) for link in driver.desk.basket.links] == [("Nursery", (("customer", "no"),))]


def test_json_is_data_unless_it_says_that_it_is_a_basket(driver, tmp_path, settled):
    (tmp_path / "records.json").write_text('[{"Region": "North", "Net": 1.5}]')
    driver.open(tmp_path / "records.json")
    settled()
    assert list(driver.desk.tables["Records"].columns) == ["Region", "Net"]


def test_the_database_dialog_lists_reads_and_says_what_is_wrong(driver, settled, monkeypatch, qtbot):
    from foldbasket.desktop.source import database as dialogs
    from foldbasket.errors import ReadError
    from foldbasket.tables.reading.database import Listed, Server

    listed = [
        Listed("customers", False, ("no",)),
        Listed("sales", False, ("customer", "net"), (("customers", (("customer", "no"),)),)),
    ]
    asked = []

    def contents(server, password):
        asked.append((server, password))
        if password != "carrots":
            raise ReadError("the server refused the user or the password.", todo="Type the password again.")
        return listed

    monkeypatch.setattr(dialogs, "contents", contents)
    driver.act("Open a database…")
    dialog = driver.window.findChild(DatabaseDialog)
    click(driver, dialog.look)
    assert "name of the database" in dialog.told.text()
    dialog.database.setText("nursery")
    dialog.user.setText("seller")
    dialog.password.setText("turnips")
    click(driver, dialog.look)
    qtbot.waitUntil(lambda: "refused" in dialog.told.text())
    dialog.password.setText("carrots")
    click(driver, dialog.look)
    qtbot.waitUntil(lambda: dialog.tables.count() == 2)
    assert not dialog.read.isEnabled()
    dialog.tick("customers")
    dialog.tick("sales")
    assert dialog.read.text() == "Read 2 sources"
    assert [name for name, _ in dialog.choices()] == ["Customers", "Sales"]
    assert dialog.links(["Customers", "Sales"]) == [Link("Sales", "Customers", (("customer", "no"),))]
    assert asked[-1][0] == Server("postgresql", "localhost", "nursery", "seller")
    dialog.reject()


def test_a_database_of_another_dialect_is_listed_and_read_but_not_left_there(driver, qtbot, settled, tmp_path):
    heron.register()
    heron.fill(tmp_path / "odd.heron")
    driver.act("Open a database…")
    dialog = driver.window.findChild(DatabaseDialog)
    assert not dialog.dialect.isVisible()
    dialog.kind.setCurrentIndex(2)
    assert dialog.dialect.isVisible()
    assert not dialog.stay.isEnabled()
    assert "not known here" in dialog.stay.toolTip()
    click(driver, dialog.look)
    assert "name of the dialect" in dialog.told.text()
    dialog.dialect.setText("os.path")
    dialog.database.setText(str(tmp_path / "odd.heron"))
    click(driver, dialog.look)
    assert "“os.path” is no dialect" in dialog.told.text()
    dialog.dialect.setText("gull")
    click(driver, dialog.look)
    qtbot.waitUntil(lambda: "no dialect “gull”" in dialog.told.text())
    dialog.dialect.setText("heron")
    click(driver, dialog.look)
    qtbot.waitUntil(lambda: dialog.tables.count() == 2)
    dialog.tick("odd sales")
    click(driver, dialog.read)
    settled()
    assert driver.desk.source.tables["Odd sales"].count == 3


def test_a_server_that_refuses_the_password_asks_for_it_and_reads_then(driver, settled, monkeypatch, tmp_path):
    from foldbasket.baskets import passwords
    from foldbasket.errors import ReadError
    from foldbasket.opening import sources
    from foldbasket.tables.column import text_column
    from foldbasket.tables.reading.contract import Reading
    from foldbasket.tables.reading.database import Server
    from foldbasket.tables.table import Table

    def read_server(server, name, reading, password, progress):
        if password != "carrots":
            raise ReadError("the server refused the user or the password.", where=server.label, todo="Type it again.")
        return Table.of(name, [text_column("Region", ["North"])], server.label)

    passwords.forget()
    monkeypatch.setattr(sources, "read_server", read_server)
    server = Server("mariadb", "db.example", "nursery", "seller")
    passwords.remember(server, "carrots")
    driver.desk.sources.add_server(server, [("Sales", Reading(table="sales"))], lambda names: [])
    settled()
    driver.desk.files.save(tmp_path / "served.basket")
    driver.settle()
    assert b"carrots" not in (tmp_path / "served.basket").read_bytes()
    passwords.forget()
    driver.open(tmp_path / "served.basket")
    driver.qtbot.waitUntil(lambda: any(each.isVisible() for each in driver.window.findChildren(Dialog)), timeout=10_000)
    driver.answer("Read the data", "carrots")
    settled()
    assert driver.desk.tables["Sales"].count == 1
    passwords.forget()


def test_another_file_is_read_in_the_place_of_a_source_that_is_a_fold(driver, demo, tmp_path):
    driver.open(demo)
    driver.desk.sources.add_fold_source(driver.desk.basket.folds[0].name)
    driver.settle()
    name = driver.desk.basket.sources[-1].name
    driver.desk.show_source(name)
    (tmp_path / "other.csv").write_text("Site,Net\nOak,1\nAsh,2\n")
    driver.desk.sources.repoint(tmp_path / "other.csv")
    driver.settle()
    assert driver.errors == []
    assert driver.desk.tables[name].count == 2
    assert driver.desk.basket.source(name).fold is None


def test_taking_out_a_source_in_use_says_who_uses_it_and_undo_brings_it_back(driver, demo):
    driver.open(demo)
    said = []
    driver.desk.news.connect(said.append)
    report = driver.table()
    driver.desk.do(edits.RemoveSource("Order lines"))
    driver.settle()
    assert any("Order lines was used by the fold “" in line and "Ctrl+Z" in line for line in said)
    driver.desk.undo()
    driver.settle()
    assert driver.table() == report


def test_thousands_of_findings_are_shown_some_at_a_time(driver, demo, monkeypatch):
    monkeypatch.setattr(card, "AT_FIRST", 5)
    driver.open(demo.parent / "untidy_order_lines.csv")
    driver.qtbot.waitUntil(lambda: not driver.desk.supply.looker.busy, timeout=20_000)
    [spec] = driver.desk.basket.sources
    driver.desk.show_source(spec.key)
    driver.settle()

    def leaves():
        body = driver.workspace.card.at_once().body
        return [each for each in body.findChildren(QPushButton) if each.text() == "Leave"]

    def more():
        body = driver.workspace.card.at_once().body
        return next((each for each in body.findChildren(QPushButton) if "more findings" in each.text()), None)

    assert (len(leaves()), more().text()) == (5, "7 more findings: show the next 5")
    driver.qtbot.mouseClick(more(), Qt.MouseButton.LeftButton)
    driver.settle()
    assert (len(leaves()), more().text()) == (10, "2 more findings: show them")
    driver.press(more(), Qt.Key.Key_Space)
    assert (len(leaves()), more()) == (12, None)


@pytest.mark.parametrize("how", ["basket", "added", "prepared"])
@pytest.mark.parametrize("first", ["one.csv", "many", "many/*.csv"])
def test_a_file_that_changes_while_a_later_source_is_read_is_noticed(
    driver, tmp_path, settled, qtbot, monkeypatch, first, how
):
    (tmp_path / "many").mkdir()
    changing = tmp_path / ("one.csv" if first == "one.csv" else "many/a.csv")
    changing.write_text("Region,Net\nEast,1\n")
    (tmp_path / "last.csv").write_text("Region,Net\nEast,5\n")
    plain = sources.read_table

    def read_table(place, name, *rest, **more):
        if place.name == "last.csv" and changing.read_text().count("\n") == 2:
            with changing.open("a") as file:
                file.write("West,2\n")
        return plain(place, name, *rest, **more)

    monkeypatch.setattr(sources, "read_table", read_table)
    specs = (SourceSpec("first", str(tmp_path / first)), SourceSpec("last", str(tmp_path / "last.csv")))
    if how == "added":
        driver.open(tmp_path / first, tmp_path / "last.csv")
    elif how == "basket":
        save_basket(Basket(sources=specs), tmp_path / "b.basket")
        driver.open(tmp_path / "b.basket")
    else:
        driver.desk.do(edits.AddSources(specs))
    qtbot.waitUntil(lambda: [each.count for each in driver.desk.tables.values()] == [2, 1], timeout=20_000)
    settled()
