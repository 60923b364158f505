"""An exception in the window ends nothing: it is told, logged, and the work goes on."""

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton

from foldbasket import faults
from foldbasket.baskets import edits
from foldbasket.folding.filters.relative import Relative, Unit, Window
from foldbasket.spec.field import FieldRef

DATE = FieldRef("Order lines", "Order date")


def add_filter(driver, rule):
    driver.desk.do(edits.Place(driver.desk.fold.name, "filters", rule, "a filter"))
    driver.settle()
    driver.desk.select_word(rule.id)
    driver.settle()


@pytest.mark.parametrize("count", [99_999, 10**9])
def test_a_count_beyond_the_calendar_is_told_on_the_card_and_the_card_lets_it_be_mended(driver, demo, count):
    driver.open(demo)
    add_filter(driver, Relative("far", DATE, None, Window.LAST, count, Unit.QUARTER))
    card = driver.workspace.card.body
    assert any("beyond the calendar" in label.text() for label in card.findChildren(QLabel))
    entry = next(line for line in card.findChildren(QLineEdit) if line.accessibleName() == "How many")
    entry.setFocus()
    entry.selectAll()
    driver.qtbot.keyClicks(entry, "4")
    driver.press(entry, Qt.Key.Key_Return)
    assert edits.find_word(driver.desk.fold, "far").count == 4
    assert driver.desk.report is not None


def test_a_card_that_cannot_be_built_says_so_and_the_word_can_be_taken_out(driver, demo, monkeypatch):
    driver.open(demo)
    monkeypatch.setattr("foldbasket.desktop.card.panel.measure_card", lambda *_: {}["missing"])
    word = driver.desk.fold.measures[0].id
    driver.desk.select_word(word)
    card = driver.workspace.card.body
    assert "KeyError" in faults.log_file().read_text("utf-8")
    link = next(button for button in card.findChildren(QPushButton) if button.text() == "Take it out")
    link.click()
    driver.settle()
    assert word not in {each.id for each in driver.desk.fold.words()}


def goes_on(program):
    """Runs a program in which one fault escapes; it must tell that it was told of once, and end in good order. What it says on standard error."""
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, timeout=60, check=False,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "goes on 1" in done.stdout
    return done.stderr


STANDS = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from foldbasket.desktop.shell import app
from foldbasket.desktop.shell.window import MainWindow
told = []
MainWindow.say_error = lambda self, error: told.append(str(error))
from dataclasses import replace
from foldbasket.desktop.actions.action import ACTIONS
name = "Turn rows into columns"
turn = ACTIONS[name]
ACTIONS.leave(name)
ACTIONS.enter(name, replace(turn, run=lambda window: {}["missing"]))
def act():
    window = next(each for each in QApplication.topLevelWidgets() if isinstance(each, MainWindow))
    window.actions_by_name["Turn rows into columns"].setEnabled(True)
    window.actions_by_name["Turn rows into columns"].trigger()
    QTimer.singleShot(0, lambda: (print("goes on", len(told)), QApplication.quit()))
QTimer.singleShot(0, lambda: None)
from PyQt6.QtCore import QCoreApplication
import PyQt6.QtWidgets
start = MainWindow.show
MainWindow.show = lambda self: (start(self), QTimer.singleShot(50, act))
sys.exit(app.run([]))
"""


def test_an_exception_in_an_action_does_not_end_the_process():
    goes_on(STANDS)


PAINTS = """
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QWidget
from foldbasket.desktop.shell.boundary import Boundary
told = []
class Odd(QWidget):
    wrong = True
    def paintEvent(self, event):
        painter = QPainter(self)
        if self.wrong:
            raise KeyError("missing")
app = QApplication([])
Boundary(told.append).install()
odd = Odd()
odd.show()
for _ in range(5):
    app.processEvents()
Odd.wrong = False
odd.update()
for _ in range(5):
    app.processEvents()
odd.close()
del odd
print("goes on", len(told))
"""


def test_after_an_exception_in_painting_no_painter_is_left_at_work():
    """Python keeps the last exception it told of, and with it the painter: the process ended when the window was painted or closed next."""
    assert "painter" not in goes_on(PAINTS)
