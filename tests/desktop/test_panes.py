"""Panes: narrowed, widened, put away by drag and by key, and so the next time; nothing moves under the hand."""

import os

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox

from foldbasket.desktop import memory
from foldbasket.desktop.shell.app import set_type_size
from foldbasket.desktop.shell.settings import SettingsDialog
from foldbasket.spec.field import FieldRef

Key = Qt.Key
CHORD = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier


def test_a_pane_is_dragged_wider_and_is_so_in_the_next_window(driver, demo):
    driver.open(demo)
    card = driver.workspace.card
    edge = driver.workspace.beside.handle(1)
    before = card.width()
    QTest.mousePress(edge, Qt.MouseButton.LeftButton, pos=QPoint(0, 40))
    QTest.mouseMove(edge, QPoint(-60, 40))
    QTest.mouseRelease(edge, Qt.MouseButton.LeftButton, pos=QPoint(-60, 40))
    driver.settle()
    assert card.width() > before + 30
    driver.qtbot.waitUntil(lambda: memory.pane("card") == card.width(), timeout=5_000)


def test_panes_go_and_come_back_by_key_and_stay_away(driver, demo):
    driver.open(demo)
    space = driver.workspace
    for key, name in ((Key.Key_1, "spine"), (Key.Key_2, "card")):
        pane, grid = getattr(space, name), space.grid.width()
        driver.key(key, CHORD)
        assert not pane.isVisible()
        assert space.grid.width() > grid + 100
        assert memory.is_away(name)
        driver.key(key, CHORD)
        assert pane.isVisible()
        assert space.grid.width() == grid
        assert not memory.is_away(name)


def test_the_pane_with_the_keyboard_grows_by_key(driver, demo):
    driver.open(demo)
    space = driver.workspace
    space.spine.focus_fields()
    before = space.spine.width()
    driver.key(Key.Key_Plus, CHORD)
    assert space.spine.width() == before + 24
    driver.key(Key.Key_Minus, CHORD)
    assert space.spine.width() == before


def test_the_card_stays_where_it_is_when_the_sentence_takes_another_line(driver, demo):
    driver.open(demo)
    space = driver.workspace
    high = space.sentence.height()
    place = space.card.mapTo(driver.window, QPoint())
    for field in ("Channel", "Quantity", "Unit price", "Line no."):
        driver.desk.words.place(FieldRef("Order lines", field), "measures")
        driver.settle()
    assert space.sentence.height() > high
    assert space.card.mapTo(driver.window, QPoint()) == place


def test_one_table_has_no_map_of_links_and_two_have(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.desk.show_source("Order lines")
    driver.settle()
    assert not driver.workspace.links.isVisible()
    driver.window.open_paths([demo.parent / "orders.csv"])
    driver.settle()
    driver.desk.show_source("Orders")
    driver.settle()
    assert driver.workspace.links.isVisible()
    assert len(driver.workspace.map.boxes) == 2


@pytest.mark.parametrize("size", [(1000, 700), (860, 540)])
def test_a_small_window_cuts_no_pane(driver, demo, size):
    driver.open(demo)
    driver.window.resize(*size)
    driver.desk.select_word("region")
    driver.settle()
    space = driver.workspace
    assert (driver.window.width(), driver.window.height()) == size
    for pane in (space.spine, space.sentence, space.grid, space.card):
        corner = pane.mapTo(driver.window, QPoint(pane.width(), pane.height()))
        assert corner.x() <= size[0]
        assert corner.y() <= size[1]
        assert pane.height() > 40
        assert pane.width() > 100


def test_the_type_size_of_everything_is_chosen_and_holds_from_the_next_start_on(driver, demo, monkeypatch):
    driver.open(demo)
    monkeypatch.setenv("QT_SCALE_FACTOR", "1")  # so that whatever is set here is taken back
    del os.environ["QT_SCALE_FACTOR"]
    set_type_size()
    assert "QT_SCALE_FACTOR" not in os.environ
    driver.act("Settings…")
    settings = next(each for each in driver.window.findChildren(SettingsDialog) if each.isVisible())
    size = next(each for each in settings.findChildren(QComboBox) if each.accessibleName() == "Size of everything")
    driver.qtbot.keyClicks(size, "150")
    size.activated.emit(size.currentIndex())
    settings.close()
    assert memory.type_size() == 150
    set_type_size()
    assert os.environ["QT_SCALE_FACTOR"] == "1.5"
