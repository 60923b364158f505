"""From a file to a saved report by keys alone: every key goes to whatever has the keyboard, and that is always to be seen."""

import openpyxl
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QLineEdit, QListView

from foldbasket.baskets.files import open_basket
from foldbasket.desktop.card.controls import SectionHead
from foldbasket.desktop.sentence.word import WordButton
from foldbasket.desktop.widgets.finder import Finder

Key = Qt.Key
Control = Qt.KeyboardModifier.ControlModifier
NONE = Qt.KeyboardModifier.NoModifier


class Hands:
    """Ten fingers and two eyes: they press keys, and look where the keyboard is before each."""

    def __init__(self, driver):
        self.driver = driver

    def where(self):
        dialog = next((each for each in self.driver.window.findChildren(QFileDialog) if each.isVisible()), None)
        popup = QApplication.activePopupWidget()
        over = dialog or (popup if isinstance(popup, Finder) else None)
        if over is None and QApplication.activeWindow() is None:  # no window manager here gives the focus back
            self.driver.window.activateWindow()
            QApplication.processEvents()
        place = (over or self.driver.window).focusWidget()
        assert place is not None, "nothing has the keyboard"
        assert place.isVisible()
        assert place.width() > 4
        return place

    def press(self, key, modifier=NONE):
        QTest.keyClick(self.where(), key, modifier)
        if not isinstance(QApplication.activePopupWidget(), Finder):
            self.driver.settle()

    def write(self, text):
        QTest.keyClicks(self.where(), text)

    def act(self, name):
        self.press(Key.Key_K, Control)
        self.write(name)
        self.press(Key.Key_Return)

    def tab_to(self, kind, name=""):
        for _ in range(80):
            place = self.where()
            if isinstance(place, kind) and name in place.accessibleName():
                return place
            self.press(Key.Key_Tab)
        raise AssertionError(f"Tab never comes to {kind.__name__} {name}")

    def name_file(self, key, path):
        """Presses a key that asks for a file, which is then named; that question waits for its answer."""

        def answer():
            dialog = next(
                each for each in QApplication.topLevelWidgets() if isinstance(each, QFileDialog) and each.isVisible()
            )
            line = dialog.findChild(QLineEdit)
            assert dialog.focusWidget() is line
            line.selectAll()
            QTest.keyClicks(line, str(path))
            QTest.keyClick(line, Key.Key_Return)

        QTimer.singleShot(300, answer)
        self.press(key, Control)
        self.driver.settle()


def test_from_a_csv_to_a_saved_report_and_a_workbook_by_keys_alone(driver, demo, tmp_path, monkeypatch):
    for name in ("mousePressEvent", "mouseReleaseEvent"):  # nobody has a mouse
        monkeypatch.setattr(WordButton, name, lambda *_: 1 / 0)
    hands = Hands(driver)
    hands.press(Key.Key_O, Control)
    dialog = driver.window.findChild(QFileDialog)
    assert dialog.focusWidget() is dialog.findChild(QLineEdit)
    hands.write(str(demo.parent / "order_lines.csv"))
    hands.press(Key.Key_Return)
    assert [source.name for source in driver.desk.basket.sources] == ["Order lines"]
    hands.act("add a measure")
    hands.write("net")
    hands.press(Key.Key_Return)
    hands.act("add rows")
    hands.write("variety")
    hands.press(Key.Key_Return)
    assert driver.words() == [("measures", "Net, summed"), ("rows", "Variety code")]
    assert hands.where() is driver.word("Variety code")
    plus = hands.tab_to(type(driver.workspace.sentence.pluses["filters"]), "filters")
    hands.press(Key.Key_Return)
    assert plus.strand == "filters"
    hands.write("chan")
    hands.press(Key.Key_Return)
    whole = driver.desk.report.kept
    hands.press(Key.Key_Return)  # into the card of the new word
    hands.tab_to(QListView, "Members of Channel")
    hands.press(Key.Key_Down)
    hands.press(Key.Key_Space)
    assert 0 < driver.desk.report.kept < whole
    assert isinstance(hands.where(), QListView)
    hands.press(Key.Key_Escape)
    assert isinstance(hands.where(), WordButton)
    hands.press(Key.Key_Escape)
    hands.act("card of the whole")
    hands.tab_to(SectionHead, "Grand totals")
    hands.press(Key.Key_Return)
    hands.tab_to(QComboBox, "Under rows")
    hands.press(Key.Key_Down)
    assert driver.desk.fold.row_total == "before"
    assert driver.desk.report.left.caption(0) == "Everything"
    assert hands.where().accessibleName() == "Under rows"
    hands.name_file(Key.Key_S, tmp_path / "mine.basket")
    assert open_basket(tmp_path / "mine.basket").basket.folds == driver.desk.basket.folds
    hands.name_file(Key.Key_E, tmp_path / "mine.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "mine.xlsx").active
    assert "Everything" in [cell.value for row in sheet.iter_rows() for cell in row]
    assert driver.workspace.facts.news.whole == f"Written to {tmp_path / 'mine.xlsx'}"
    assert driver.errors == []
