"""Reports to start from, in the place of an empty report: made of the data on a worker, each taken by a click."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.sentence.word import dropped_field
from foldbasket.desktop.starters.card import StarterCard
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.widgets.plain import Label, marked
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.opening.several import SURE, sure_links
from foldbasket.sentence.phrases import sentence_of, words_of
from foldbasket.starters.ground import Ground
from foldbasket.starters.proposing import Proposal, proposals
from foldbasket.styling.words import number_of
from foldbasket.tables.sample import is_sampled

NARROW = 620
"""Below so many pixels the cards stand one below another."""
BY_HAND = "Drag a field into the report, double-click one, or type what to show above."


class StartersView(QScrollArea):
    """`empty_wanted` tells that somebody would rather begin with an empty report."""

    empty_wanted = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setObjectName("starters")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAcceptDrops(True)
        self.setAccessibleName("Reports to start from")
        room = QWidget(self)
        room.setObjectName("startersRoom")
        self._column = QVBoxLayout(room)
        self._column.setContentsMargins(22, 14, 26, 20)
        self._column.setSpacing(12)
        self._told = Label("", room)
        self._told.setProperty("role", "quiet")
        self._told.setWordWrap(True)
        self._column.addWidget(self._told)
        self._trust = marked(Label("", room))
        self._trust.setProperty("role", "quiet")
        self._trust.setWordWrap(True)
        self._trust.linkActivated.connect(self.desk.show_source)
        self._look = QPushButton("", room)
        self._look.clicked.connect(self.look_through)
        self._look.hide()
        self._column.addWidget(self._look, 0, Qt.AlignmentFlag.AlignLeft)
        self._grid = QGridLayout()
        self._grid.setSpacing(16)
        self._column.addLayout(self._grid)
        self._column.addWidget(self._trust)
        self._empty = QPushButton("Begin with an empty report", room)
        self._empty.setProperty("role", "link")
        self._empty.clicked.connect(self.empty_wanted)
        self._column.addWidget(self._empty, 0, Qt.AlignmentFlag.AlignLeft)
        self._column.addStretch(1)
        self.setWidget(room)
        self.cards: list[StarterCard] = []
        self._of: tuple[Any, ...] = ()
        self._links: tuple[Link, ...] = ()
        self._worker = Worker("starters", self, behind=True)
        self._worker.finished.connect(self._came)
        self._worker.told.connect(self._tell)
        desk.add_work(self._worker)
        desk.when(Part.TABLES | Part.SETTINGS, self, self.renew)
        desk.when(Part.FINDINGS, self, self._say_findings)

    def take_keyboard(self) -> None:
        """Puts the keyboard on the first report, or on the way to an empty one."""
        first = self.cards[0] if self.cards else self._empty if self._look.isHidden() else self._look
        first.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def renew(self) -> None:
        """Proposes anew where the data are others than those that the cards were made of."""
        if not self.isVisible():
            return
        source, basket = self.desk.source, self.desk.basket
        of = (source.key, basket.locale, basket.currency, basket.as_of)
        if of == self._of or not source.tables:
            return
        self._of = of
        apart = [table for table in source.tables.values() if is_sampled(table)]
        self._look.setVisible(bool(apart))
        if apart:  # each report reads it all, so it is for the reader to say when
            self._worker.cancel()
            self._drop_cards()
            self._told.setText(BY_HAND)
            self._look.setText(f"Look for reports in all {sum(table.count for table in apart):,} records")
            return
        self._start()

    def look_through(self) -> None:
        """Proposes from records that are not held, which are all looked through for each report."""
        self._look.hide()
        self._start()

    def _start(self) -> None:
        desk, source, basket = self.desk, self.desk.source, self.desk.basket
        surveyor = desk.supply.looker.surveyor
        self._told.setText("Looking at the data…")

        def work(progress: Any) -> tuple[Source, tuple[Link, ...], list[Proposal]]:
            found = [link for link, part in sure_links(source.tables, source.links) if part >= SURE]
            links = tuple(link for link in found if not is_sampled(source.tables[link.to_table]))
            whole = Source(source.tables, (*source.links, *links), source.shared, source.fiscal, source.formulas)
            engine = desk.folding.another(whole, basket)
            ground = Ground(whole, lambda ref: surveyor.of_field(source.tables[ref.table], ref.field))
            return whole, links, list(proposals(ground, lambda fold: engine.fold(fold, progress)))

        self._worker.start(work)

    def _tell(self, what: str, share: float) -> None:
        """Says how far it is, where that takes long."""
        if any(is_sampled(table) for table in self.desk.source.tables.values()):
            self._told.setText(f"Looking at the data… {what}{f', {share:.0%}' if share else ''}")

    def _drop_cards(self) -> None:
        for card in self.cards:
            let_go(card)
        self.cards = []

    def _came(self, came: tuple[Source, tuple[Link, ...], Sequence[Proposal]]) -> None:
        source, self._links, found = came
        self._drop_cards()
        locale = self.desk.basket.locale
        for each in found:
            words = [
                word for word in words_of(each.fold, source, locale) if word.strand != "filters"
            ]  # its finding says what they keep
            card = StarterCard(each, words, sentence_of(each.fold, source, locale), self)
            card.clicked.connect(lambda _=False, each=each: self.take(each))
            self.cards.append(card)
        records = sum(table.count for table in source.tables.values())
        if found:
            many = len(self._links)
            fit = "link that fits is" if many == 1 else "links that fit are"
            linked = f" {many} {fit} taken with a report that needs {'it' if many == 1 else 'them'}." if many else ""
            self._told.setText(
                f"Made from your {number_of(records, 'record')} just now. Click one to go on with it, or type what to show above.{linked}"
            )
        else:
            self._told.setText(BY_HAND)
        self._arrange()
        self._say_findings()

    def _say_findings(self) -> None:
        """What looks wrong with the data, each with the way to its source."""
        said = []
        for spec in self.desk.basket.sources:
            found = [each for each in self.desk.supply.findings(spec.key) if each.offers]
            said += [f"{escape(spec.name)}: {escape(each.title)}" for each in found[:2]]
            if found:
                said[-1] += f' <a href="{escape(spec.key)}" style="color:{theme.palette().ink}">mend</a>'
        self._trust.setText(f"<b>Before you trust them</b> · {' · '.join(said)}" if said else "")
        self._trust.setVisible(bool(said))

    def _arrange(self) -> None:
        viewport = self.viewport()
        across = 2 if viewport is not None and viewport.width() > NARROW else 1
        for at, card in enumerate(self.cards):
            self._grid.addWidget(card, at // across, at % across)
            card.show()
        for column in range(2):
            self._grid.setColumnStretch(column, 1 if column < across else 0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._arrange()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.renew()

    def hideEvent(self, event: Any) -> None:
        """Gives up what is still being looked for: somebody has begun without it."""
        super().hideEvent(event)
        if self._worker.busy:
            self._worker.cancel()
            self._of = ()

    def take(self, proposal: Proposal) -> None:
        """Goes on with a proposal: it is put into the empty fold in view, with the links that it needs."""
        used = {ref.table for ref in proposal.fold.fields()}
        links = tuple(link for link in self._links if link.to_table in used or link.from_table in used)
        if links and not self.desk.do(edits.AddLinks(links)):
            return
        fold = self.desk.ensure_fold()
        changes = {name: getattr(proposal.fold, name) for name in WORDS}
        label = f"Start from “{proposal.fold.name}”"
        if self.desk.do(edits.ChangeFold(fold.key, changes, label)):
            self.desk.do(edits.RenameFold(fold.key, proposal.fold.name))

    # --- a field dropped here ------------------------------------------------------

    def dragEnterEvent(self, event: Any) -> None:
        """Whoever drags a field wants the empty report, whose edges receive it."""
        if dropped_field(event.mimeData()):
            event.acceptProposedAction()
            self.empty_wanted.emit()


WORDS = ("measures", "rows", "columns", "filters", "row_total", "column_total", "chart")


def is_first_look(desk: Desk) -> bool:
    """Whether there are data and nothing was made of them yet."""
    return bool(desk.basket.sources) and all(fold.is_empty and not fold.filters for fold in desk.basket.folds)
