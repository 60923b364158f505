"""Hands at mouse and keyboard, whose gestures are counted: what an analyst does from data just opened to the answer."""

import os
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QListView, QPushButton, QWidget

from foldbasket.spec.field import FieldRef

LEFT, CONTROL, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier
LINES = "Order lines"
FAR = 60
"""Presses of Tab after which a part of the window counts as out of reach."""


class Walk:
    """A click, a double-click, a drag and a key with its modifiers count as one gesture; so does a line of typing with its Enter. With
    WALK_PICTURES in the environment each walk leaves a picture of its end in that folder."""

    def __init__(self, driver, demo=None) -> None:
        self.driver, self.gestures = driver, 0
        if demo is not None:
            driver.open(demo)

    @property
    def report(self):
        return self.driver.desk.report

    @property
    def said(self) -> str:
        """The report as its sentence."""
        return self.report.sentence

    def names(self) -> list[str]:
        """The names at the left of the report, line by line."""
        return [self.report.rows.label(line, 0) for line in range(self.report.height)]

    def ended(self, name: str) -> None:
        """Keeps a picture of where it ended, where pictures are wanted."""
        folder = os.environ.get("WALK_PICTURES")
        if folder:
            Path(folder).mkdir(parents=True, exist_ok=True)
            self.driver.settle()
            self.driver.window.grab().save(str(Path(folder) / f"{name}.png"))
            print(f"{name}: {self.gestures} gestures: {self.said}")

    # The mouse

    def double_click(self, field: str, table: str = LINES) -> None:
        """On a field in the list of fields."""
        self.gestures += 1
        self.driver.double_click_field(FieldRef(table, field))

    def click(self, widget: QWidget, point: QPoint | None = None, modifier=NONE) -> None:
        self.gestures += 1
        self.driver.qtbot.mouseClick(widget, LEFT, modifier, **({"pos": point} if point is not None else {}))
        self.driver.settle()

    def click_line(self, text: str) -> None:
        """A line of the list that is open to be typed into."""
        finder = QApplication.activePopupWidget()
        item = next(item for at in range(finder.list.count()) if (item := finder.list.item(at)).text() == text)
        self.click(finder.list.viewport(), finder.list.visualItemRect(item).center())

    def add_filter(self, field: str) -> None:
        """By the + behind the filters and a line of its list."""
        self.click(self.driver.workspace.sentence.pluses["filters"])
        self.click_line(field)

    def tick(self, member: str) -> None:
        """The box of a member in the card's list."""
        listed = self.members()
        box = listed.visualRect(self._member(listed, member))
        self.click(listed.viewport(), box.center() - QPoint(box.width() // 2 - 8, 0))

    def add_fold(self) -> None:
        spine = self.driver.workspace.spine
        self.click(next(each for each in spine.findChildren(QPushButton) if each.accessibleName() == "Add a fold"))

    def first_of(self, name: str) -> None:
        """The first line of a list at the left: Folds or Sources."""
        listed = next(
            each for each in self.driver.workspace.spine.findChildren(QListView) if each.accessibleName() == name
        )
        self.click(listed.viewport(), listed.visualRect(listed.model().index(0, 0)).center())

    # Keys

    def key(self, key, modifier=CONTROL) -> None:
        """A key of an action, wherever the keyboard is."""
        self.gestures += 1
        self.driver.key(key, modifier)

    def press(self, key, modifier=NONE) -> None:
        """A key where the keyboard is."""
        self.gestures += 1
        self.driver.press(QApplication.focusWidget() or self.driver.window, key, modifier)

    def tab_to(self, wanted) -> None:
        """Tab after Tab until the part that is `wanted` (a widget, or what holds for it) has the keyboard."""
        holds = wanted if not isinstance(wanted, QWidget) else lambda each: each is wanted
        for _ in range(FAR):
            if holds(QApplication.focusWidget()):
                return
            self.press(Qt.Key.Key_Tab)
        raise AssertionError("Tab does not lead there")

    def type_line(self, text: str) -> None:
        """Types where the keyboard is, and ends it with Enter."""
        self.gestures += 1
        QTest.keyClicks(QApplication.activePopupWidget() or QApplication.focusWidget(), text)
        self.driver.settle()
        self.driver.press(QApplication.activePopupWidget() or QApplication.focusWidget(), Qt.Key.Key_Return)

    def action(self, name: str, *more: str) -> None:
        """An action by its name, then what its lists ask for."""
        self.key(Qt.Key.Key_K)
        for each in (name.rstrip("…"), *more):
            finder = QApplication.activePopupWidget()
            self.gestures += 1
            QTest.keyClicks(finder.line, each)
            QTest.keyClick(finder.line, Qt.Key.Key_Return)
            self.driver.settle()

    def sentence(self, line: str) -> None:
        """Twice the key into the sentence, then the line."""
        self.key(Qt.Key.Key_L)
        self.key(Qt.Key.Key_L)
        self.gestures += 1
        typed = self.driver.workspace.typed
        QTest.keyClicks(typed.text, line)
        self.driver.settle()
        self.driver.press(typed.text, Qt.Key.Key_Return)
        assert not typed.isVisible(), typed.said.text()

    def tick_by_keys(self, member: str) -> None:
        """Down to a member in the list that has the keyboard, and Space."""
        listed = self.members()
        self.tab_to(listed)
        row = self._member(listed, member).row()
        for _ in range(FAR):
            if listed.currentIndex().row() == row:
                break
            self.press(Qt.Key.Key_Down if listed.currentIndex().row() < row else Qt.Key.Key_Up)
        self.press(Qt.Key.Key_Space)

    # What both look for

    def members(self) -> QListView:
        """The list of members of the card."""
        card = self.driver.window.workspace.card.at_once().body
        return next(each for each in card.findChildren(QListView) if each.accessibleName().startswith("Members of"))

    @staticmethod
    def _member(listed: QListView, name: str):
        model = listed.model()
        return next(at for row in range(model.rowCount()) if (at := model.index(row, 0)).data() == name)

    def part(self, kind, name: str):
        """A visible part of the card by its kind and what it is called or says."""
        card = self.driver.window.workspace.card.at_once().body
        found = {
            called: each
            for each in reversed(card.findChildren(kind))
            if each.isVisible()
            for called in (each.accessibleName(), each.property("text"))
        }
        assert name in found, sorted(filter(None, found))
        return found[name]

    def open_section(self, title: str) -> None:
        """By a click on its line, unless it is open."""
        if not self.head(title).isChecked():
            self.click(self.head(title))

    def head(self, title: str):
        """The line of a section of the card."""
        card = self.driver.window.workspace.card.at_once().body
        return next(each.head for each in card.sections if each.title == title)
