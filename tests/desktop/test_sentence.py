"""The sentence as it stands on the screen."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from foldbasket.spec.field import FieldRef
from tests.desktop.overlaps import overlapping


def test_nothing_in_the_sentence_lies_over_anything_else_when_words_come_and_go(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.double_click_field(FieldRef("Order lines", "Net"))
    sentence = driver.workspace.sentence
    places = []
    for _ in range(2):
        driver.double_click_field(FieldRef("Order lines", "Channel"))
        assert overlapping(sentence) == []
        places.append([each.x() for each in sentence.pluses.values()])
        driver.key(Qt.Key.Key_Z)
        assert overlapping(sentence) == []
    assert places[0] == places[1]


def test_tab_goes_through_the_sentence_as_it_is_read(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    for name in ("Net", "Channel", "Quantity"):
        driver.double_click_field(FieldRef("Order lines", name))
    driver.word("Net").setFocus()
    seen = []
    for _ in range(7):
        place = QApplication.focusWidget()
        seen.append(place.accessibleName().partition(", on ")[0])
        QTest.keyClick(place, Qt.Key.Key_Tab)
    assert seen == [
        *("Net, summed", "Quantity, summed", "Add to measures", "Channel"),
        *("Add to rows", "Add to columns", "Add to filters"),
    ]


def test_a_key_that_was_on_its_way_to_a_word_that_went_moves_nothing(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    for name in ("Net", "Channel"):
        driver.double_click_field(FieldRef("Order lines", name))
    gone = driver.word("Channel")
    driver.key(Qt.Key.Key_Z)
    assert gone not in driver.workspace.sentence.words
    key = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Left, Qt.KeyboardModifier.NoModifier)
    assert driver.workspace.sentence.key_on_word(gone, key)
