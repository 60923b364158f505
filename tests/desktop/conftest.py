"""The window as tests drive it: made, shown, and waited for; no dialog ever blocks."""

import gc
import threading
from functools import cache

import pytest
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QFileDialog

from foldbasket.desktop.actions.action import ACTIONS
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.desktop.widgets.dialogs import Dialog
from tests.desktop.overlaps import marks_told, overlapping


@pytest.fixture(scope="session")
def qapp_args():
    return ["fold-basket"]


class Driver:
    """A window and the ways of a user with it."""

    def __init__(self, window, qtbot, monkeypatch):
        self.window, self.qtbot, self.monkeypatch = window, qtbot, monkeypatch

    @property
    def desk(self):
        return self.window.desk

    @property
    def workspace(self):
        """The workspace, its card built and made whole, so that tests find what stands in closed sections."""
        self.window.workspace.card.at_once().body.whole()
        return self.window.workspace

    def act(self, name):
        """Does an action, by its name."""
        ACTIONS[name].run(self.window)

    def unfold(self, title):
        """Opens a section of the card by its line."""
        body = self.workspace.card.body
        head = next(each.head for each in body.sections if each.title == title)
        if not head.isChecked():
            self.qtbot.mouseClick(head, Qt.MouseButton.LeftButton)

    def settle(self):
        """Waits until nothing is read or folded any more."""
        for _ in range(5):  # what came may set further work off, as a card does that lists members
            self.qtbot.waitUntil(lambda: not self.desk.busy, timeout=20_000)
            QApplication.processEvents()
            if not self.desk.busy:
                break
        assert overlapping(self.window.workspace.sentence) == []

    def open(self, *paths):
        self.window.open_paths(list(paths))
        self.settle()

    def field(self, ref):
        """The line of a field in the spine, scrolled to, as a point of its viewport."""
        view, index = self.workspace.spine.fields, self.workspace.spine.index_of(ref)
        assert index.isValid(), ref
        view.scrollTo(index)
        return view.visualRect(index).center()

    def double_click_field(self, ref):
        point = self.field(ref)
        self.qtbot.mouseClick(self.workspace.spine.fields.viewport(), Qt.MouseButton.LeftButton, pos=point)
        self.qtbot.mouseDClick(self.workspace.spine.fields.viewport(), Qt.MouseButton.LeftButton, pos=point)
        self.settle()

    def drop(self, data: QMimeData, target, point: QPoint):
        """What Qt does at the end of a drag: enter, move, drop."""
        actions, button, keys = (
            Qt.DropAction.CopyAction | Qt.DropAction.MoveAction,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        for event in (
            QDragEnterEvent(point, actions, data, button, keys),
            QDragMoveEvent(point, actions, data, button, keys),
            QDropEvent(QPointF(point), actions, data, button, keys, QEvent.Type.Drop),
        ):
            QApplication.sendEvent(target, event)
        self.settle()

    def drop_field(self, ref, target, point):
        self.drop(self.workspace.spine.fields.model().mimeData([self.workspace.spine.index_of(ref)]), target, point)

    def word(self, text):
        """The word of the sentence that begins with a text."""
        return next(button for button in self.workspace.sentence.words if button.text().startswith(text))

    def words(self):
        return [(button.word.strand, button.text()) for button in self.workspace.sentence.words]

    def press(self, widget, key, modifier=Qt.KeyboardModifier.NoModifier):
        self.qtbot.keyClick(widget, key, modifier)
        self.settle()

    def key(self, key, modifier=Qt.KeyboardModifier.ControlModifier):
        if QApplication.activeWindow() is None:  # no window manager here gives the focus back after a list closed
            self.window.activateWindow()
            self.qtbot.waitUntil(lambda: QApplication.activeWindow() is self.window)
        self.press(self.window, key, modifier)

    def question(self):
        """The question that is open over the window."""
        return next(each for each in self.window.findChildren(Dialog) if each.isVisible())

    def answer(self, label, text=None):
        """Answers it by keys: types a text where there is a line, goes to the button and presses Enter."""
        dialog = self.question()
        if text is not None:
            dialog.line.selectAll()
            self.qtbot.keyClicks(dialog.line, text)
        dialog.buttons[label].setFocus()
        self.qtbot.keyClick(dialog.buttons[label], Qt.Key.Key_Return)
        self.settle()

    def edge(self, strand):
        """The middle of the grid's edge that a strand receives drops on."""
        return self.workspace.grid.edges()[strand].center().toPoint()

    def hold_folds(self):
        """Makes folds wait: two events, set when one has begun, and to be set to let it go on."""
        entered, gate = threading.Event(), threading.Event()
        real = self.desk.engine.fold

        def slow(fold, progress):
            entered.set()
            gate.wait(10)
            progress.step("Folding", 0.5)
            return real(fold, progress)

        self.monkeypatch.setattr(self.desk.engine, "fold", slow)
        return entered, gate

    def table(self):
        """The report as texts."""
        report = self.desk.report
        return [
            [*(report.rows.label(line, field) for field in range(report.rows.depth)), report.rows.caption(line), *(report.text(line, column) for column in range(report.width))]
            for line in range(report.height)
        ]  # fmt: skip

    def save_to(self, path):
        self.monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))


@cache
def put_modules_aside():
    """What was imported so far is not looked through at every collection of garbage."""
    gc.collect()
    gc.freeze()


@pytest.fixture(autouse=True)
def _collected_here():
    """As in the program, garbage is collected by the window's thread, never by a worker's."""
    put_modules_aside()
    gc.disable()
    yield
    gc.collect()
    gc.enable()


@pytest.fixture
def driver(qtbot, monkeypatch):
    """A shown window. Errors that would open a box are kept in `driver.errors`."""
    window = MainWindow()
    driver = Driver(window, qtbot, monkeypatch)
    driver.errors = []
    monkeypatch.setattr(window, "say_error", driver.errors.append)
    window.desk.failed.disconnect()
    window.desk.failed.connect(driver.errors.append)
    monkeypatch.setattr(window, "leaving", lambda go_on: go_on())  # what is not saved is given up without a question
    qtbot.addWidget(window)
    window.resize(1280, 800)  # whatever the screen
    window.show()
    qtbot.waitExposed(window)
    yield driver
    # Whatever a test did to the window, nothing lies over anything else.
    assert overlapping(window) == []
    assert marks_told(window) == []
    window.desk.close()
