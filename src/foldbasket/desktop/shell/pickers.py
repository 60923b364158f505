"""Pickers: filters offered to the reader beside the report, each a button with what it sets beneath it, or all of them in a pane."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QPushButton, QScrollArea, QVBoxLayout, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.filter import picker_body
from foldbasket.desktop.card.memberlist import MemberList
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import Label
from foldbasket.folding.filters.members import Members
from foldbasket.sentence.phrases import filter_phrase
from foldbasket.spec.filter import Filter, OneField

WIDE = 250


class PickerBar(QWidget):
    """A line of pickers over the report; not there when the fold has none."""

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
        self.has_any = False
        self.open_list: PickerPopup | None = None
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
            label = Label("Pick", self)
            label.setProperty("role", "quiet")
            self.flow.addWidget(label)
        for rule, text in zip(offered, texts, strict=True):
            button = QPushButton(f"{text}  ▾", self)
            button.setProperty("role", "picker")
            button.setAccessibleName(f"Picker {text}")
            button.clicked.connect(lambda _=False, id=rule.id, button=button: self.pick(id, button))
            self.flow.addWidget(button)
        self.has_any = bool(offered)
        self.setVisible(self.has_any and not self.desk.view.reading)

    def pick(self, word: str, button: QWidget) -> None:
        """Opens a picker under its button; one that is more than a condition on one field opens its card."""
        fold = self.desk.fold
        rule = edits.find_word(fold, word) if fold is not None else None
        if isinstance(rule, OneField):
            self.open_list = PickerPopup(self.desk, word, self)
            self.open_list.move(button.mapToGlobal(QPoint(0, button.height() + 2)))
            self.open_list.show()
            return
        self.desk.select_word(word)


class PickerPopup(QFrame):
    """One picker; every change folds the report anew. It closes when one clicks elsewhere."""

    def __init__(self, desk: Desk, word: str, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("pickerList")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.picker = Picker(desk, word, self)
        column.addWidget(self.picker)
        self.setFixedWidth(WIDE)
        listed = self.picker.list
        (listed.list if listed is not None else self.picker).setFocus()


class PickerPanel(QScrollArea):
    """All pickers of the fold in view, one below the other, for the reader's view."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("card")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder = QWidget(self)
        holder.setObjectName("cardBody")
        self._column = QVBoxLayout(holder)
        self._column.setContentsMargins(0, 0, 0, 8)
        self._column.setSpacing(0)
        self._column.addStretch(1)
        self.setWidget(holder)
        self.setAccessibleName("Pickers")
        self.pickers: list[Picker] = []
        desk.when(Part.FOLD | Part.TABLES | Part.VIEW, self, self.renew)
        self.renew()

    def renew(self) -> None:
        """Shows the pickers of the fold in view; those that stay are left as they are."""
        fold = self.desk.fold
        wanted = [rule.id for rule in fold.filters if rule.picker and isinstance(rule, OneField)] if fold else []
        key = fold.key if fold is not None else ""
        if [(each.fold, each.word) for each in self.pickers] == [(key, word) for word in wanted]:
            return
        for each in self.pickers:
            let_go(each)
        self.pickers = [Picker(self.desk, word, self.widget() or self) for word in wanted]
        for at, each in enumerate(self.pickers):
            self._column.insertWidget(at, each)


class Picker(QWidget):
    """One filter that is offered, as the reader sets it. `list` is its list of members, None where it has none."""

    def __init__(self, desk: Desk, word: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk, self.word = desk, word
        self.fold = desk.fold.key if desk.fold is not None else ""
        self._body: CardBody | None = None
        self._rule: Filter | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        desk.when(Part.FOLD, self, self.renew)
        desk.when(Part.TABLES | Part.PROFILES, self, self._again)
        desk.listings.ready.connect(self._again)
        self.renew()

    @property
    def list(self) -> MemberList | None:
        """Its list of members; None where it has none."""
        return self._body.findChild(MemberList) if self._body is not None else None

    def _again(self) -> None:
        """Draws what was not known before: members, or the values under a range."""
        if self.list is None:
            self._rule = None
            self.renew()

    def renew(self) -> None:
        """Shows the filter as it is now."""
        fold = self.desk.fold
        rule = next((each for each in fold.filters if each.id == self.word), None) if fold is not None else None
        if not isinstance(rule, OneField) or fold is None or fold.key != self.fold:
            return
        listed = self.list
        if listed is not None and isinstance(rule, Members) and rule.part == listed.model.rule.part:
            listed.take(rule)
        elif rule != self._rule:
            old, self._body = self._body, picker_body(self.desk, rule, self._become, self)
            self._column.addWidget(self._body)
            if old is not None:
                let_go(old)
        self._rule = rule

    def _become(self, rule: OneField, done: str) -> None:
        fold = self.desk.fold
        now = next((each for each in fold.filters if each.id == self.word), None) if fold is not None else None
        if fold is not None and now is not None:
            self.desk.do(edits.Swap(fold.key, self.word, rule.as_word(self.word, now.picker), done))
