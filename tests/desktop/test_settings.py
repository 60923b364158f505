"""The settings of a machine, help at the right place, actions by the words people use, and a fold's set-up on another source."""

import os
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QPushButton

from foldbasket.desktop import memory
from foldbasket.desktop.shell import helping
from foldbasket.desktop.shell.settings import SettingsDialog, hold_what_was_chosen
from foldbasket.desktop.widgets.finder import Finder
from foldbasket.desktop.work.files import new_basket
from foldbasket.tables.reading import contract
from foldbasket.tables.reading.contract import ALLOWED, memory_allowed
from foldbasket.tables.store import STORE

LEFT = Qt.MouseButton.LeftButton


def settings(driver):
    driver.act("Settings…")
    return next(each for each in driver.window.findChildren(SettingsDialog) if each.isVisible())


def choose(dialog, name, value):
    chooser = next(each for each in dialog.findChildren(QComboBox) if each.accessibleName() == name)
    at = chooser.findData(value)
    assert at >= 0, [chooser.itemText(each) for each in range(chooser.count())]
    chooser.setCurrentIndex(at)
    chooser.activated.emit(at)


def test_new_baskets_and_bounds_are_as_chosen(driver, monkeypatch):
    monkeypatch.setenv(ALLOWED, "1GB")
    monkeypatch.setattr(contract, "_chosen", [])
    monkeypatch.setattr(STORE, "most", STORE.most)
    dialog = settings(driver)
    choose(dialog, "New baskets are in", "de")
    choose(dialog, "and their currency is", "CHF")
    choose(dialog, "Of a table is held", "2GB")
    choose(dialog, "Kept of files read", 2)
    assert (new_basket().locale, new_basket().currency) == ("de", "CHF")
    assert memory_allowed() == 2_000_000_000
    assert STORE.most == 2 << 30
    assert os.environ[ALLOWED] == "1GB", "the environment of this process and those it starts stays as it is"
    monkeypatch.delenv(ALLOWED)
    monkeypatch.setattr(contract, "_chosen", [])
    STORE.most = 0
    hold_what_was_chosen()  # as the next start does
    assert (memory_allowed(), STORE.most) == (2_000_000_000, 2 << 30)
    choose(dialog, "Of a table is held", "")
    assert memory_allowed() not in (10**9, 2 * 10**9)
    assert memory.chosen("memory") == ""
    forget = next(each for each in dialog.findChildren(QPushButton) if each.text() == "Forget it")
    driver.qtbot.mouseClick(forget, LEFT)
    assert dialog.kept.text() == "Nothing is kept of files at present."
    dialog.close()


def test_every_heading_that_help_leads_to_is_in_the_guide():
    text = Path("docs/guide.md").read_text(encoding="utf-8")
    headings = {line.removeprefix("## ") for line in text.splitlines() if line.startswith("## ")}
    assert set(helping.SECTIONS.values()) <= headings
    source = Path(helping.__file__).read_text(encoding="utf-8")
    led = [line for line in source.splitlines() if 'return "Guide", "' in line and 'return "Guide", ""' not in line]
    for line in led:
        for part in line.split('return "Guide", ')[1].replace(" if view.word is None else ", "|").split("|"):
            assert part.strip().strip('"') in headings, line


def test_help_opens_where_the_guide_speaks_of_what_has_the_keyboard(driver, demo):
    driver.open(demo)
    space, window = driver.workspace, driver.window

    def at():
        return helping.place_for(space, window.focusWidget())

    space.grid.setFocus()
    assert at() == ("Guide", "Hands on the report")
    space.sentence.words[0].setFocus()
    assert at() == ("Guide", "Edit the sentence")
    driver.desk.select_word("net")
    driver.unfold("Compare")
    space.card.body.sections[1].head.setFocus()
    assert at() == ("Guide", "Compare")
    driver.act("Guide")
    text = next(each for each in window.findChildren(helping.HelpWindow) if each.isVisible()).text
    assert text.textCursor().block().text() == "Compare"
    assert text.verticalScrollBar().value() > 0
    text.window().close()
    space.type_sentence("net by region")
    driver.settle()
    space.typed.text.setFocus()
    assert at() == ("The sentence", "Short forms")
    space.typed.finish()
    driver.act("Calculate a field or measure…")
    assert at()[0] == "Formulas"
    driver.act("Source")
    driver.settle()
    assert at() == ("Guide", "See what is wrong, and mend it")


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("transpose", "Turn rows into columns"),
        ("collapse", "Fold the group at the mark up"),
        ("export", "Write the report to a file…"),
        ("refresh", "Read all sources again"),
        ("graph", "Chart"),
        ("separate", "Take the selected groups apart"),
        ("preferences", "Settings…"),
        ("formula", "Formulas"),
        ("history", "Steps so far…"),
        ("shortcuts", "Keys"),
    ],
)
def test_actions_are_found_by_the_words_people_use(driver, demo, typed, found):
    driver.open(demo)
    driver.act("Any action by name…")
    finder = next(each for each in driver.window.findChildren(Finder) if each.isVisible())
    driver.qtbot.keyClicks(finder.line, typed)
    assert found in [finder.list.item(at).text() for at in range(finder.list.count())]
    finder.close()


def test_a_fold_is_copied_onto_another_source(driver, demo, tmp_path):
    driver.open(demo)
    other = tmp_path / "last_year.csv"
    other.write_text("Region,Net,Order date\nEastfen,10.50,2024-01-05\nWestholt,20.25,2024-02-05\n", encoding="utf-8")
    driver.open(other)
    driver.desk.show_fold(driver.desk.basket.folds[0].key)
    driver.settle()
    driver.act("Copy the fold onto another source…")
    finder = QApplication.activePopupWidget() or next(
        each for each in driver.window.findChildren(Finder) if each.isVisible()
    )
    driver.qtbot.keyClicks(finder.line, "last")
    driver.press(finder.line, Qt.Key.Key_Return)
    report = driver.desk.report
    assert driver.desk.fold.name == "Net sales by site, Last year"
    assert report.base == driver.desk.basket.sources[-1].key
    assert "left out" in driver.workspace.facts.news.whole
    assert [word.id for word in driver.desk.fold.rows] == ["region"]
    driver.act("Undo")
    driver.settle()
    assert len(driver.desk.basket.folds) == 6
