"""The window's own manners: menus, titles, saving, files that are written, what is remembered, what a screen reader hears."""

import msgspec
import openpyxl
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QListView,
    QPushButton,
    QTreeView,
)

from foldbasket.baskets.files import open_basket
from foldbasket.desktop import memory
from foldbasket.desktop.actions.action import ACTIONS
from foldbasket.desktop.card.tick import MemberModel
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.spec.field import FieldRef


def line(field):
    return FieldRef("Order lines", field)


def test_every_action_does_something_in_a_menu_and_keys_are_given_once(driver):
    keys = [spec.key for spec in ACTIONS if spec.key]
    assert len(keys) == len(set(keys))
    for spec in ACTIONS:
        assert callable(spec.run)
        assert driver.window.actions_by_name[spec.name].text().startswith(spec.name)


def test_actions_wait_for_what_they_need_and_undo_says_what_it_would_undo(driver, demo):
    actions = driver.window.actions_by_name
    assert actions["Open…"].isEnabled()
    assert not any(actions[name].isEnabled() for name in ("Save", "Copy", "Turn rows into columns", "Undo", "Redo"))
    driver.open(demo)
    assert all(actions[name].isEnabled() for name in ("Save", "Copy", "Turn rows into columns"))
    driver.key(Qt.Key.Key_T)
    assert actions["Undo"].text() == "Undo: Turn the report"
    driver.key(Qt.Key.Key_Z)
    assert (actions["Undo"].text(), actions["Redo"].text()) == ("Undo", "Redo: Turn the report")


def test_the_title_names_the_basket_and_says_when_it_is_changed(driver, demo):
    driver.open(demo)
    assert driver.window.windowTitle().startswith("Quillmoor sales")
    assert not driver.window.isWindowModified()
    driver.key(Qt.Key.Key_T)
    assert driver.window.isWindowModified()
    assert driver.workspace.spine.place.text() == "quillmoor.basket · changed"
    driver.key(Qt.Key.Key_Z)
    assert not driver.window.isWindowModified()


@pytest.mark.parametrize(("answer", "leaves"), [("Cancel", False), ("Give it up", True), ("Save it", True)])
def test_unsaved_work_is_asked_about_before_it_is_left(driver, demo, tmp_path, answer, leaves):
    driver.open(demo.parent / "order_lines.csv")
    driver.save_to(tmp_path / "kept.basket")
    left = []
    MainWindow.leaving(driver.window, lambda: left.append(True))
    driver.answer(answer)
    assert bool(left) is leaves
    assert (tmp_path / "kept.basket").exists() is (answer == "Save it")


def test_a_basket_is_saved_with_its_data_inside_and_stays_so(driver, demo, tmp_path):
    driver.open(demo)
    path = tmp_path / "carried.basket"
    driver.save_to(path)
    driver.act("Save with the data inside…")
    driver.settle()
    assert [source.data for source in open_basket(path).basket.sources] == [
        f"data/{number}.parquet" for number in range(1, 7)
    ]
    wanted = driver.table()
    driver.open(path)
    assert driver.table() == wanted
    driver.key(Qt.Key.Key_T)
    driver.key(Qt.Key.Key_S)
    assert open_basket(path).basket.sources[0].data == "data/1.parquet"
    assert driver.errors == []


def test_a_save_that_cannot_be_is_said_and_the_work_stays_unsaved(driver, demo):
    driver.open(demo)
    driver.key(Qt.Key.Key_T)
    driver.desk.files.save(demo.parent / "no such folder" / "b.basket")
    driver.settle()
    assert "cannot be saved" in driver.errors.pop().what
    assert driver.desk.history.changed
    assert driver.desk.path == demo.resolve()


@pytest.mark.parametrize("ending", ["xlsx", "csv", "html", "pdf", "png", "txt"])
def test_the_report_is_written_to_the_file_asked_for(driver, demo, tmp_path, ending):
    driver.open(demo)
    path = tmp_path / f"report.{ending}"
    driver.save_to(path)
    driver.key(Qt.Key.Key_E)
    assert path.stat().st_size > 1_000
    if ending == "xlsx":
        assert openpyxl.load_workbook(path).active["A1"].value == "Net sales by site"
    assert driver.errors == []


def test_cells_are_written_as_records_and_a_bad_ending_is_said(driver, demo, tmp_path):
    driver.open(demo)
    driver.save_to(tmp_path / "cells")
    driver.act("Write cells as records…")
    driver.settle()
    assert (tmp_path / "cells.csv").read_text("utf-8").startswith("Region,Site,Quarter of order date,Row total")
    driver.save_to(tmp_path / "report.doc")
    driver.act("Write the report to a file…")
    driver.settle()
    assert "no format ends in “.doc”" in driver.errors.pop().what


def test_the_fold_is_written_as_sql_for_the_server_that_is_chosen(driver, demo, tmp_path, monkeypatch):
    driver.open(demo)
    path = tmp_path / "fold.sql"
    for label, quote in (("SQL for MariaDB (*.sql)", "`Customers`"), ("SQL for PostgreSQL (*.sql)", '"Customers"')):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, label=label, **__: (str(path), label))
        driver.act("Write the fold as SQL for a server…")
        driver.settle()
        assert quote in path.read_text("utf-8")


def test_closing_the_dialogs_without_a_choice_does_nothing(driver, demo, monkeypatch):
    driver.open(demo)
    before = driver.desk.basket
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: ("", ""))
    driver.act("Open…")
    driver.window.findChild(QFileDialog).reject()
    driver.act("Write the report to a file…")
    driver.act("Write cells as records…")
    driver.act("Save as…")
    assert driver.desk.basket is before


def test_every_control_has_a_name_that_a_screen_reader_can_say(driver, demo):
    driver.open(demo)
    for word in ("net", "region", "channel", None):
        driver.desk.select_word(word)
        for kind in (QAbstractButton, QLineEdit, QComboBox, QListView, QTreeView):
            for widget in driver.workspace.findChildren(kind):
                if widget.isVisible():
                    assert widget.accessibleName() or getattr(widget, "text", lambda: "")(), widget
    assert driver.workspace.grid.accessibleDescription().startswith(
        "Net sales, summed and Cost, summed for each Region › Site"
    )
    assert driver.workspace.sentence.accessibleDescription() == driver.workspace.grid.accessibleDescription()


def test_recent_and_trusted_baskets_are_remembered_newest_first_and_only_while_they_exist(tmp_path):
    paths = [tmp_path / f"{number}.basket" for number in range(12)]
    for path in paths:
        path.touch()
        memory.remember(path)
    memory.remember(paths[9])
    assert memory.recent()[:2] == [paths[9], paths[11]]
    assert len(memory.recent()) == memory.MOST_RECENT
    paths[9].unlink()
    assert memory.recent()[0] == paths[11]
    assert not memory.is_trusted("digest of places")
    memory.trust("digest of places")
    assert memory.is_trusted("digest of places")
    memory.file().write_text("not json")
    assert memory.recent() == []


def members(driver):
    return driver.workspace.card.findChild(QListView, "members").model().sourceModel()


def press_link(driver, text):
    button = next(each for each in driver.workspace.card.findChildren(QPushButton) if each.text() == text)
    driver.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    driver.settle()


def test_members_are_kept_all_none_or_by_search_and_new_ones_as_chosen(driver, demo):
    driver.open(demo)
    driver.qtbot.mouseClick(driver.word("Channel"), Qt.MouseButton.LeftButton)
    assert isinstance(members(driver), MemberModel)
    press_link(driver, "keep all")
    assert all(members(driver).kept(row) for row in range(4))
    assert (
        driver.word("Channel").text() == "Channel: Counter, Phone, Trade, Web"
        or "Counter" in driver.word("Channel").text()
    )
    press_link(driver, "keep none")
    assert driver.desk.report.kept == 0
    search = next(
        each for each in driver.workspace.card.findChildren(QLineEdit) if each.accessibleName() == "Find a member"
    )
    driver.qtbot.keyClicks(search, "tra")
    press_link(driver, "keep all")
    assert driver.word("Channel").text() == "Channel: Trade"
    kept = driver.desk.report.kept
    later = driver.workspace.card.findChild(QCheckBox)
    assert not later.isChecked()
    later.click()
    driver.settle()
    assert driver.word("Channel").text() == "Channel: not Counter, Phone, Web"
    assert driver.desk.report.kept == kept


def test_a_count_of_records_stays_a_measure_and_a_word_that_is_gone_is_no_longer_selected(driver, demo):
    driver.open(demo)
    driver.desk.words.place_count()
    driver.settle()
    word = driver.desk.view.word
    driver.desk.words.move(word, "rows")
    assert "stays where it is" in driver.errors.pop().what
    driver.desk.words.remove(word)
    driver.settle()
    assert driver.desk.view.word is None


def test_fields_of_tables_that_are_not_linked_say_so_instead_of_a_report(driver, demo):
    driver.open(demo)
    driver.desk.words.place(FieldRef("Plan", "Planned net"), "rows")
    driver.settle()
    assert driver.desk.report is None
    assert "no links lead from one table to" in driver.desk.problem.what
    driver.key(Qt.Key.Key_Z)
    assert driver.desk.report is not None


def test_work_that_is_cancelled_leaves_things_as_they_were(driver, demo):
    driver.open(demo)
    before = driver.table()
    entered, gate = driver.hold_folds()
    driver.desk.words.turn()
    assert entered.wait(5)
    driver.desk.cancel()
    gate.set()
    driver.settle()
    assert driver.table() == before
    driver.desk.undo()
    driver.settle()
    assert driver.table() == before


def test_two_pasted_blocks_are_two_sources_with_their_own_records(driver):
    for text in ("Site\tNet\nOak\t1\n", "Site\tNet\nAsh\t2\nElm\t3\n"):
        driver.desk.sources.paste(text)
        driver.settle()
    tables = driver.desk.source.tables
    assert [len(table.columns["Site"].coded().codes) for table in tables.values()] == [1, 2]
    driver.desk.undo()
    driver.desk.undo()
    driver.desk.sources.paste("Site\tNet\nFir\t4\nYew\t5\nBox\t6\n")
    driver.settle()
    assert driver.desk.source.tables["Pasted 2"].count == 3
    driver.desk.undo()
    driver.desk.redo()
    driver.settle()
    assert driver.desk.source.tables["Pasted 2"].count == 3
    assert driver.errors == []


def test_the_fold_in_view_stays_in_view_when_its_rename_is_undone_and_done_again(driver, demo):
    from foldbasket.baskets.edits import RenameFold

    driver.open(demo)
    second = driver.desk.basket.folds[1].name
    driver.desk.show_fold(second)
    driver.settle()
    driver.desk.do(RenameFold(second, "Another name"))
    assert driver.desk.fold.name == "Another name"
    driver.desk.undo()
    assert driver.desk.fold.name == second
    driver.desk.redo()
    assert driver.desk.fold.name == "Another name"


def turned_and_saved_elsewhere(driver, demo, tmp_path):
    """A basket that is open and changed here, while somebody else saves it under its name."""
    path = tmp_path / "shared.basket"
    driver.open(demo)
    driver.desk.files.save(path)
    driver.settle()
    other = open_basket(path)
    from foldbasket.baskets.files import save_basket

    save_basket(msgspec.structs.replace(other.basket, name="Theirs"), path)
    driver.key(Qt.Key.Key_T)
    return path


@pytest.mark.parametrize("choice", ["Keep both…", "Put mine in its place", "Cancel"])
def test_two_windows_on_one_basket_lose_neither_work(driver, demo, tmp_path, choice):
    path = turned_and_saved_elsewhere(driver, demo, tmp_path)
    driver.save_to(tmp_path / "mine.basket")
    driver.key(Qt.Key.Key_S)
    assert driver.question().windowTitle() == "Saved by somebody else"
    assert open_basket(path).basket.name == "Theirs"
    driver.answer(choice)
    if choice == "Keep both…":
        assert open_basket(path).basket.name == "Theirs"
        assert open_basket(tmp_path / "mine.basket").basket.folds == driver.desk.basket.folds
    elif choice == "Cancel":
        assert open_basket(path).basket.name == "Theirs"
        assert driver.desk.history.changed
    else:
        assert open_basket(path).basket.folds == driver.desk.basket.folds
        earlier = path.rename(tmp_path / "kept.basket").with_name("shared.basket~")
        assert open_basket(earlier.rename(tmp_path / "earlier.basket")).basket.name == "Theirs"
    assert driver.errors == []


def test_saving_twice_in_a_row_is_no_conflict(driver, demo, tmp_path):
    driver.open(demo)
    driver.desk.files.save(tmp_path / "b.basket")
    driver.settle()
    for _ in range(2):
        driver.key(Qt.Key.Key_T)
        driver.key(Qt.Key.Key_S)
        assert not driver.desk.history.changed
    assert driver.errors == []


def test_names_from_files_are_drawn_as_they_are(driver, tmp_path):
    from PyQt6.QtCore import Qt as Core
    from PyQt6.QtWidgets import QLabel

    from foldbasket.desktop.widgets.plain import tip

    odd = "<i>x</i><img src='y'>"
    path = tmp_path / "odd.csv"
    path.write_text(f'"{odd}",Net\n{odd},1\nz,2\n')
    driver.open(path)
    field = driver.desk.basket.sources[0].name
    driver.desk.show_source(field)
    driver.settle()
    driver.desk.show_source(field, odd)
    driver.settle()
    driver.desk.show_fold(driver.desk.basket.folds[0].name)
    driver.desk.words.place(FieldRef(field, odd))
    driver.desk.words.place(FieldRef(field, odd), "filters")
    driver.settle()
    driver.act("About Fold Basket")
    labels = driver.window.findChildren(QLabel)
    box = driver.question()
    labels += box.findChildren(QLabel)
    box.close()
    assert len(labels) > 10
    for label in labels:
        label.ensurePolished()
        plain = label.textFormat() == Core.TextFormat.PlainText
        assert plain or (label.property("marked") and "<img" not in label.text()), (label.text(), label.textFormat())
    assert tip(odd) == "<qt>&lt;i&gt;x&lt;/i&gt;&lt;img src=&#x27;y&#x27;&gt;</qt>"
    assert tip("Net > 3") == "Net > 3"
    assert driver.errors == []


def test_a_word_that_is_gone_is_not_selected(driver, demo):
    driver.open(demo)
    driver.desk.select_word("gone")
    assert driver.desk.view.word is None
    assert driver.window.workspace.card.at_once().body is not None


def test_a_card_makes_only_what_stands_in_the_section_that_is_open(driver, demo):
    driver.open(demo)
    card = driver.window.workspace.card.at_once().body
    made = {section.title: len(section.inner.children()) - 1 for section in card.sections}
    opened = next(section for section in card.sections if section.head.isChecked())
    assert made.pop(opened.title) > 0
    assert set(made.values()) == {0}
    layout = next(section for section in card.sections if section.title == "Layout")
    driver.qtbot.mouseClick(layout.head, Qt.MouseButton.LeftButton)
    assert [each.accessibleName() for each in layout.inner.findChildren(QComboBox)][:2] == ["Row names", "Said"]
    assert opened.inner.isHidden()
    assert layout.inner.isVisible()
    assert "Turn rows into columns" in {each.label for each in card.offered}, "a menu offers what is not made yet"
