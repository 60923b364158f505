"""Pickers: filters offered to the reader beside the report, each a button with the members to tick beneath it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QLabel, QListView, QPushButton, QVBoxLayout, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.tick import member_model
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.folding.filters.members import Members
from foldbasket.sentence.phrases import filter_phrase
from foldbasket.spec.filter import Filter

MOST_SHOWN = 14


class PickerBar(QWidget):
    """A line of pickers over the report; not there when the fold has none. A picker that is no list opens its card."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("pickers")
        self.flow = FlowLayout(self, gap=8, line_gap=4)
        self.flow.setContentsMargins(22, 6, 12, 2)
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self._shown: object = None
        self.open_list: PickerList | None = None
        desk.when(Part.FOLD | Part.TABLES | Part.VIEW, self, self.renew)
        desk.listings.ready.connect(self.renew)
        self.renew()

    def renew(self) -> None:
        """Makes the buttons anew when what they say has changed."""
        fold = self.desk.fold if self.desk.view.source_key is None else None
        offered = [rule for rule in fold.filters if rule.picker] if fold is not None else []
        texts = [filter_phrase(rule, self.desk.source, self.desk.basket.locale) for rule in offered]
        if (texts, [rule.id for rule in offered]) == self._shown:
            return
        self._shown = (texts, [rule.id for rule in offered])
        while (item := self.flow.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                let_go(widget)
        if offered:
            label = QLabel("Pick", self)
            label.setProperty("role", "quiet")
            self.flow.addWidget(label)
        for rule, text in zip(offered, texts, strict=True):
            button = QPushButton(f"{text}  ▾", self)
            button.setProperty("role", "picker")
            button.setAccessibleName(f"Picker {text}")
            button.clicked.connect(lambda _=False, id=rule.id, button=button: self.pick(id, button))
            self.flow.addWidget(button)
        self.setVisible(bool(offered))

    def pick(self, word: str, button: QWidget) -> None:
        """Opens the list of members under a button, or the card of a filter that has no list."""
        fold = self.desk.fold
        rule = edits.find_word(fold, word) if fold is not None else None
        if isinstance(rule, Members):
            self.open_list = PickerList(self.desk, rule, self)
            if self.open_list.model is not None:
                self.open_list.move(button.mapToGlobal(QPoint(0, button.height() + 2)))
                self.open_list.show()
                return
        self.desk.select_word(word)


class PickerList(QFrame):
    """The members of one picker, to tick; every tick folds the report anew. It closes when one clicks elsewhere."""

    def __init__(self, desk: Desk, rule: Members, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.desk, self.word = desk, rule.id
        self.setObjectName("pickerList")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.model = member_model(desk, rule, self._become, self)
        if self.model is None:
            return
        self.list = QListView(self)
        self.list.setObjectName("members")
        self.list.setModel(self.model)
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName(f"Members of {rule.field.field}; ticked ones are kept")
        self.list.setFixedHeight(25 * max(3, min(MOST_SHOWN, self.model.rowCount())) + 4)
        self.list.setMinimumWidth(200)
        column.addWidget(self.list)
        self.list.setFocus()

    def _become(self, rule: Filter) -> None:
        fold = self.desk.fold
        if fold is not None and self.model is not None:
            assert isinstance(rule, Members)
            self.desk.do(edits.Swap(fold.key, self.word, rule, f"Pick {rule.field.field}"))
            self.model.take(rule)
