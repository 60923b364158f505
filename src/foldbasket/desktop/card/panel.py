"""The panel at the right: the card of the selected word, built anew when the word or its fold changes."""

from __future__ import annotations

import time
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QApplication,
    QLineEdit,
    QListView,
    QPlainTextEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from foldbasket import faults
from foldbasket.baskets import edits
from foldbasket.desktop.card.axis import axis_card
from foldbasket.desktop.card.chart import chart_card
from foldbasket.desktop.card.filter import filter_card
from foldbasket.desktop.card.first import is_first
from foldbasket.desktop.card.fold import fold_card
from foldbasket.desktop.card.formula import new_formula_card
from foldbasket.desktop.card.measure import measure_card
from foldbasket.desktop.card.next import notices_of
from foldbasket.desktop.card.page import page_card
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.source.card import Show, field_card, source_card
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.errors import FoldBasketError
from foldbasket.folding.filters.values import Between
from foldbasket.spec.fold import Measure, Placed

TAB = Qt.FocusPolicy.TabFocus
PATIENCE = 0.1
"""Seconds that the card waits for the report at most."""
POLL = 3
"""Milliseconds between two looks whether the report has come."""


class CardPanel(QScrollArea):
    """Shows one card. Its place in the list of members survives an edit, so that ticking goes on where it was."""

    def __init__(self, desk: Desk, show_finding: Show, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self._show_finding = show_finding
        self.setObjectName("card")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidgetResizable(True)
        # Cards come and go in a holder that stays: a widget that loses its parent is styled anew with all that is in it.
        self._holder = holder = QWidget(self)
        holder.setObjectName("cardBody")
        holder.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._place = QVBoxLayout(holder)
        self._place.setContentsMargins(0, 0, 0, 0)
        self.setWidget(holder)
        self.body: CardBody | None = None
        self._shown: Any = None
        self._about: Any = None
        self._said_of_chart: Any = None
        # One edit changes several things at once: the card is built once for all of them, in an event of its own.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._renew_behind_report)
        self._due = 0.0
        self._has_report = False
        desk.when(Part.WORD | Part.DOCUMENT | Part.FOLD | Part.LOOK | Part.VIEW, self, self._soon)
        desk.when(Part.TABLES, self, self.again)
        desk.when(Part.FINDINGS, self, self._again_over_sources)
        desk.when(Part.PROFILES, self, self._draw_range)
        desk.when(Part.REPORT, self, self._reported)
        desk.listings.ready.connect(self.again)
        desk.charts.drawn.connect(self._again_over_chart)
        desk.sources.listed.connect(self._again_over_sources)
        self.renew()

    def _draw_range(self) -> None:
        """The range of a field is drawn once its values were looked through."""
        fold, word = self.desk.fold, self.desk.view.word
        found = edits.find_word(fold, word) if fold is not None and word is not None else None
        if isinstance(found, Between) and self.body is not None and self.body.findChild(SpanDrawing) is None:
            self.again()

    def _soon(self) -> None:
        if not self._later.isActive():
            self._due = time.monotonic() + PATIENCE
            self._later.start(0)

    def _renew_behind_report(self) -> None:
        """Builds the card once the report is on the screen: who changes something looks there first, and a card takes longer than most reports. A
        fold that takes long does not keep it; nor does it wait for whoever works on it, since what stands on it is then out of date."""
        focus = QApplication.focusWidget()
        is_worked_on = self.underMouse() or (focus is not None and self.isAncestorOf(focus))
        if not is_worked_on and self.desk.folding.worker.busy and time.monotonic() < self._due:
            self._later.start(POLL)
        else:
            self.renew()

    def _reported(self) -> None:
        self._has_report = True
        self._soon()

    def _look_over_report(self) -> None:
        """The card of a measure shows numbers of the report in view, that of the whole report what is worth a look in it."""
        self._has_report = False
        fold, word = self.desk.fold, self.desk.view.word
        about_all = fold is not None and word is None and not self.desk.view.paged and not self.desk.view.charted
        shown = self.body.noticed if self.body is not None else None
        is_measure = fold is not None and word in {each.id for each in fold.measures}
        is_other = about_all and self.desk.spec is None and notices_of(self.desk) != shown
        if (is_measure or is_other) and self.desk.view.drafted is None:  # a formula that is being written is left alone
            self._shown = None

    def _again_over_chart(self) -> None:
        """What fits, and what was refused, is known once it was drawn."""
        if self.desk.view.charted and self.desk.spec is None and self.body is not None and not self.body.hasFocus():
            made = self.desk.charts.last
            said = (made.chart, made.offered, str(made.problem)) if made is not None else None
            if said != self._said_of_chart:
                self._said_of_chart = said
                self.again()

    def _again_over_sources(self) -> None:
        """What only the cards of sources show is known now, and that of a fold in which nothing is placed yet."""
        if self.desk.spec is not None or is_first(self.desk):
            self.again()

    def again(self) -> None:
        if self.desk.view.drafted is None:
            self._shown = None
            self._soon()

    def at_once(self) -> CardPanel:
        """The panel with its card built, for whoever needs it now."""
        if self._later.isActive():
            self.renew()
        return self

    def renew(self) -> None:
        """Builds the card of the selected word, if anything it shows has changed."""
        self._later.stop()
        if self._has_report:
            self._look_over_report()
        desk = self.desk
        word = (
            edits.find_word(desk.fold, desk.view.word) if desk.fold is not None and desk.view.word is not None else None
        )
        spec = desk.spec
        shown = (
            (
                desk.fold,
                desk.view.word,
                desk.view.alternative,
                desk.view.drafted is None,
                (desk.view.charted, desk.view.paged),
                (desk.view.highlight, desk.view.looked, desk.view.line, desk.view.level),
                (desk.basket.style, desk.basket.styles, desk.basket.locale, desk.basket.currency, desk.basket.as_of),
            )
            if spec is None
            else (spec, (spec.key, desk.view.field))
        )
        if shown == self._shown and self.body is not None:
            return
        same_word = self._about == shown[1]
        self._shown, self._about = shown, shown[1]
        kept = self._state() if same_word else None
        keyboard = self._keyboard()
        if desk.view.section is not None:
            self._holder.opened, desk.view.section = [desk.view.section], None  # type: ignore[attr-defined]
        old, self.body = self.body, self._sound_card(word)
        self.setUpdatesEnabled(False)
        if old is not None:
            self._place.removeWidget(old)
        self._place.addWidget(self.body)
        self.body.show()
        if kept is not None:
            self._restore(kept)
        if keyboard is not None:  # before the old card goes, so that the keyboard does not wander over the window
            self._give_keyboard(*keyboard)
        if old is not None:
            let_go(old)
        self.setUpdatesEnabled(True)

    def _sound_card(self, word: Any) -> CardBody:
        """The card; or one that says why there is none, and offers to take out what it is about."""
        try:
            return self._card(word)
        except Exception as error:
            for half in self._holder.findChildren(CardBody, options=Qt.FindChildOption.FindDirectChildrenOnly):
                if half is not self.body:
                    let_go(half)
            told = error if isinstance(error, FoldBasketError) else faults.note(error)
        body = CardBody("This card cannot be shown", "", self._holder)
        body.text(str(told), "warning")
        if word is not None:
            body.link("Take it out", lambda: self.desk.words.remove(word.id))
        return body.end()

    def _card(self, word: Any) -> CardBody:
        desk = self.desk
        if desk.spec is not None:
            table = desk.tables.get(desk.spec.key)
            column = table.columns.get(desk.view.field) if table is not None and desk.view.field else None
            if column is not None and desk.view.field is not None:
                return field_card(desk, desk.spec, desk.view.field, column, self._show_finding, self._holder)
            return source_card(desk, desk.spec, self._show_finding, self._holder)
        if desk.view.drafted is not None:
            return new_formula_card(desk, desk.view.drafted, self._holder)
        if desk.view.paged and desk.fold is not None:
            return page_card(desk, desk.fold, self._holder)
        if word is None and desk.fold is not None and desk.fold.chart is not None and desk.view.charted:
            return chart_card(desk, desk.fold, desk.fold.chart, self._holder)
        if word is None or desk.fold is None:
            return fold_card(desk, self._holder)
        if isinstance(word, Measure):
            return measure_card(desk, word, self._holder)
        if isinstance(word, Placed):
            return axis_card(desk, word, edits.strand_of(desk.fold, word.id), self._holder)
        return filter_card(desk, word, self._holder)

    def take_keyboard(self) -> None:
        """Puts the keyboard into the formula that the card holds, else on the first thing there that takes it."""
        card = self.at_once().body
        if card is None:
            return
        first: QWidget | None = card.findChild(QPlainTextEdit)
        if first is None:
            stops = (each for each in card.findChildren(QWidget) if each.focusPolicy() & TAB)
            first = next((each for each in stops if each.isVisibleTo(card) and each.isEnabled()), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _keyboard(self) -> tuple[type[QWidget], str, int] | None:
        """Which of the card's parts has the keyboard: its kind, its name, and which it is of those alike; None where none has it."""
        window = self.window()
        focused = window.focusWidget() if window is not None else None
        if focused is None or self.body is None or not self.body.isAncestorOf(focused):
            return None
        return type(focused), _name(focused), self._alike(type(focused), _name(focused)).index(focused)

    def _alike(self, kind: type[QWidget], name: str) -> list[QWidget]:
        found = self.body.findChildren(kind) if self.body is not None else []
        return [each for each in found if type(each) is kind and _name(each) == name]

    def _give_keyboard(self, kind: type[QWidget], name: str, at: int) -> None:
        """Puts the keyboard on the like part of the card as it is now; where there is none, on the first that takes it."""
        alike = self._alike(kind, name)
        if alike:
            alike[min(at, len(alike) - 1)].setFocus(Qt.FocusReason.OtherFocusReason)
        else:
            self.take_keyboard()

    def _state(self) -> tuple[int, str, int, int]:
        card = self.body
        members = card.findChild(QListView, "members") if card else None
        search = self._search()
        return (
            self.verticalScrollBar().value(),
            search.text() if search else "",
            members.verticalScrollBar().value() if members else 0,
            members.currentIndex().row() if members else -1,
        )

    def _search(self) -> QLineEdit | None:
        lines = self.body.findChildren(QLineEdit) if self.body is not None else []
        return next((line for line in lines if line.accessibleName() == "Find a member"), None)

    def _restore(self, state: tuple[int, str, int, int]) -> None:
        scroll, typed, list_scroll, row = state
        card = self.body
        assert card is not None
        card.ensurePolished()
        card.adjustSize()
        self.verticalScrollBar().setValue(scroll)
        members, search = card.findChild(QListView, "members"), self._search()
        if search is not None and typed:
            search.setText(typed)
        if members is not None:
            members.verticalScrollBar().setValue(list_scroll)
            if row >= 0:
                members.setCurrentIndex(members.model().index(row, 0))


def _name(widget: QWidget) -> str:
    """What tells a part of a card from others of its kind: its accessible name, or what stands on it."""
    return widget.accessibleName() or str(widget.property("text") or "")
