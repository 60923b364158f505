"""The workspace: spine, head, middle and card in their places, for a fold or for a source."""

from __future__ import annotations

from functools import cached_property

from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QMenu, QStackedWidget, QVBoxLayout, QWidget

from foldbasket.charts.plot import Mark
from foldbasket.desktop import memory
from foldbasket.desktop.card.panel import CardPanel
from foldbasket.desktop.chart.room import ChartRoom
from foldbasket.desktop.chart.view import ChartView
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.finding import FindLine
from foldbasket.desktop.grid.view import GridView
from foldbasket.desktop.pages.head import PagesHead
from foldbasket.desktop.pages.view import PagesView
from foldbasket.desktop.proof.drawer import ProofDrawer
from foldbasket.desktop.sentence.typed import TypedSentence
from foldbasket.desktop.sentence.view import SentenceBar, SentenceRoom
from foldbasket.desktop.shell import menus
from foldbasket.desktop.shell.facts import FactsLine
from foldbasket.desktop.shell.pickers import PickerBar, PickerPanel
from foldbasket.desktop.shell.reading import ReaderHead
from foldbasket.desktop.shell.spine import Spine
from foldbasket.desktop.source.linkmap import LinkMap
from foldbasket.desktop.source.links import LinksPane
from foldbasket.desktop.source.view import SourceHead, SourceMiddle
from foldbasket.desktop.starters.view import StartersView, is_first_look
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.panes import Panes

LINKS_HEIGHT = 226


class Workspace(QWidget):
    """The frame that all views share. `print_wanted` and `write_wanted`, with an ending or none, tell what was asked for over the pages."""

    print_wanted = pyqtSignal()
    write_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self._is_begun = False
        self.spine = Spine(desk, self)
        self.sentence = SentenceBar(desk, self)
        self.facts = FactsLine(desk, self)
        self.pickers = PickerBar(desk, self)
        self.grid = GridView(desk, self)
        self.card = CardPanel(desk, lambda *finding: self.source.show_finding(*finding), self)
        self.facts.join(self.grid)
        self.grid.heading_chosen.connect(desk.select_word)
        self.grid.proof_wanted.connect(lambda row, column: self.proof.show_cell(row, column))
        self.grid.marked_cell.connect(self._follow_mark)
        self.grid.menu_wanted.connect(self.menu_over_grid)
        self.sentence.menu_wanted.connect(self.menu_of_word)
        self.sentence.card_wanted.connect(self.card.take_keyboard)
        self.sentence.typing_wanted.connect(self.type_sentence)
        upper = QWidget(self)
        self._head = column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._telling = SentenceRoom(self.sentence, upper)
        column.addWidget(self._telling)
        column.addWidget(self.facts)
        column.addWidget(self.pickers)
        self.middle = QStackedWidget(self)
        self.room = ChartRoom(desk, self.grid, self)
        self.room.made.connect(self._join_chart)
        self.room.menu_wanted.connect(self.menu_over_chart)
        self.middle.addWidget(self.room)
        column.addWidget(self.middle, 1)
        # The card stands beside the sentence: when that takes another line, nothing moves under the hand that works on the card.
        self._centre, self.beside, self._right, across = (Panes(each, self) for each in (False, True, False, True))
        self._centre.add(upper)
        self.beside.add(self._centre)
        self.beside.add(self.card, "card", theme.CARD_WIDTH, (220, 560))
        self._right.add(self.beside)
        across.add(self.spine, "spine", theme.SPINE_WIDTH, (150, 460))
        across.add(self._right)
        self._across = across
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(across)
        for name in ("spine", "card"):
            self._pane(name).setVisible(not memory.is_away(name))
        for before, after in ((self.spine.fields, self.sentence), (self.sentence, self.grid), (self.grid, self.card)):
            self.setTabOrder(before, after)
        desk.when(Part.VIEW | Part.SOURCES | Part.FOLD, self, self.renew)
        self.renew()

    # What is not needed from the start is made on first use, so that the window is there at once.

    @cached_property
    def proof(self) -> ProofDrawer:
        """The drawer below the report."""
        drawer = ProofDrawer(self.desk, self)
        self._centre.add(drawer, "proof", 232, (120, 700))
        return drawer

    @cached_property
    def finding(self) -> FindLine:
        """The line to find something in the report with."""
        return FindLine(self.desk, self.grid)

    @cached_property
    def typed(self) -> TypedSentence:
        """The sentence typed as a whole, in the place of its words."""
        made = TypedSentence(self.desk, self)
        self._head.insertWidget(1, made)
        made.done.connect(self._typed)
        return made

    def type_sentence(self, typed: str = "") -> None:
        """Has the sentence typed; what is `typed` begins it."""
        if not self.desk.basket.sources or self.desk.view.source_key is not None:
            return
        self.typed.begin(typed)
        self._telling.hide()

    def _typed(self) -> None:
        self.renew()
        self.sentence.focus_words()

    @cached_property
    def source_head(self) -> SourceHead:
        """The line over the source in view."""
        head = SourceHead(self.desk, self)
        self._head.insertWidget(1, head)
        return head

    @cached_property
    def source(self) -> SourceMiddle:
        """The source in view, its records and findings."""
        made = SourceMiddle(self.desk, self)
        self.middle.addWidget(made)
        self.setTabOrder(self.grid, made.preview)
        self.setTabOrder(made.preview, self.card)
        return made

    @cached_property
    def starters(self) -> StartersView:
        """Reports to start from, while there is none yet."""
        made = StartersView(self.desk, self)
        self.middle.addWidget(made)
        made.empty_wanted.connect(self.begin_empty)
        return made

    def begin_empty(self) -> None:
        """Shows the empty report in place of those to start from."""
        self._is_begun = True
        self.renew()
        self.grid.take_keyboard()

    def into_report(self) -> None:
        """Puts the keyboard on the report, or on those to start from."""
        (self.starters if self._starts else self.grid).take_keyboard()

    @property
    def _starts(self) -> bool:
        return not self._is_begun and is_first_look(self.desk)

    @cached_property
    def reader_head(self) -> ReaderHead:
        """The line over a report that is read and not edited."""
        made = ReaderHead(self.desk, self)
        self._head.insertWidget(1, made)
        return made

    @cached_property
    def picking(self) -> PickerPanel:
        """The pickers beside a report that is read."""
        made = PickerPanel(self.desk, self)
        self.beside.add(made, "pickers", 250, (200, 460))
        self.setTabOrder(self.grid, made)
        return made

    @cached_property
    def pages(self) -> PagesView:
        """The fold as pages."""
        made = PagesView(self.desk, self)
        self.middle.addWidget(made)
        made.turned.connect(lambda number: self.pages_head.say(number, made.count))
        return made

    @cached_property
    def pages_head(self) -> PagesHead:
        """The line over the pages."""
        head = PagesHead(self.desk, self)
        head.print_wanted.connect(self.print_wanted)
        head.pdf_wanted.connect(lambda: self.write_wanted.emit(".pdf"))
        head.other_wanted.connect(lambda: self.write_wanted.emit(""))
        self._head.insertWidget(1, head)
        return head

    @cached_property
    def links(self) -> LinksPane:
        """The strip with the map of links."""
        frame = LinksPane(self.desk, self)
        self._right.add(frame, "links", LINKS_HEIGHT, (90, 700))
        self.setTabOrder(self.card, frame.take)
        self.setTabOrder(frame.take, frame.map)
        return frame

    def _join_chart(self, chart: ChartView) -> None:
        """Ties a chart that was just made to grid and Proof."""
        chart.cell_chosen.connect(self.grid.show_cell)
        chart.proof_wanted.connect(lambda row, column: self.proof.show_cell(row, column))
        self.grid.marked_cell.connect(chart.follow)
        self.setTabOrder(self.grid, chart)
        self.setTabOrder(chart, self.card)

    # --- menus --------------------------------------------------------------

    def menu_over_chart(self, mark: Mark | None, at: QPoint) -> QMenu:
        """Opens what can be done with a mark of the chart, and with the chart."""
        return menus.over_chart(self, mark, at)

    def menu_of_word(self, word: str, at: QPoint) -> QMenu:
        """Opens what the card of a word offers, as a menu."""
        return menus.of_word(self, word, at)

    def menu_over_grid(self, point: QPointF, at: QPoint) -> QMenu | None:
        """Opens what can be done with what lies under a point of the grid: a cell, a member, a heading."""
        return menus.over_grid(self, point, at)

    # --- panes --------------------------------------------------------------

    def _pane(self, name: str) -> QWidget:
        pane = getattr(self, name)
        assert isinstance(pane, QWidget)
        return pane

    def show_pane(self, name: str, shown: bool) -> None:
        """Puts a pane away, or brings it back; it stays so. Proof only goes: a cell brings it back."""
        if name != "proof":
            memory.put_away(name, not shown)
        self._pane(name).setVisible(shown)
        self.renew()
        for panes in (self._across, self.beside, self._centre, self._right):
            panes.arrange()
        if not shown:
            self.grid.setFocus()

    def turn_pane(self, name: str) -> None:
        """Puts a pane away that is shown, and brings back one that is not."""
        self.show_pane(name, not self._pane(name).isVisibleTo(self))

    def nudge(self, by: int) -> None:
        """Makes the pane that has the keyboard larger or smaller."""
        window = self.window()
        focused = window.focusWidget() if window is not None else None
        for name, panes in (
            ("spine", self._across),
            ("card", self.beside),
            ("proof", self._centre),
            ("links", self._right),
        ):
            if name not in ("proof", "links") or name in self.__dict__:
                pane = self._pane(name)
                if focused is not None and (focused is pane or pane.isAncestorOf(focused)):
                    panes.nudge(pane, by)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._telling.fit()
        for panes in (self._across, self._right, self.beside, self._centre):
            panes.arrange()

    def step_back(self) -> None:
        """Escape: from the card to its word, from a formula half written to the report, from a word to the whole report."""
        desk, focused = self.desk, self.window().focusWidget() if self.window() is not None else None
        if desk.view.source_key is not None:
            self.source.preview.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif desk.view.drafted is not None:
            desk.calculate(None)
            self.grid.take_keyboard()
        elif focused is not None and self.card.isAncestorOf(focused):
            self.sentence.focus_words()
        elif desk.view.word is not None:
            desk.select_word(None)

    def _follow_mark(self, row: int, column: int) -> None:
        if "proof" in self.__dict__ and self.proof.isVisible():
            self.proof.show_cell(row, column)

    @property
    def map(self) -> LinkMap:
        """The map of links."""
        return self.links.map

    def renew(self) -> None:
        """Shows the fold's widgets or the source's."""
        in_source = self.desk.view.source_key is not None
        in_pages = not in_source and self.desk.view.paged and self.desk.fold is not None
        if (in_source or in_pages) and "proof" in self.__dict__:
            self.proof.hide()
        is_typed = "typed" in self.__dict__ and self.typed.isVisible()
        if is_typed and (in_source or in_pages):
            self.typed.finish()
            self.typed.hide()
        reads = self.desk.view.reading and not in_source and not in_pages
        self._telling.setVisible(not in_source and not in_pages and not is_typed and not reads)
        self._show_reading(reads)
        if in_pages or "pages" in self.__dict__:
            self.pages_head.setVisible(in_pages)
            self.pages_head.say(self.pages.number, self.pages.count)
        self.facts.in_pages(in_pages)
        if in_source or "source" in self.__dict__:
            self.source_head.setVisible(in_source)
            # With one table there is nothing to link.
            self.links.setVisible(in_source and len(self.desk.basket.sources) > 1 and not memory.is_away("links"))
            self._right.arrange()
        self.middle.setCurrentWidget(
            self.source if in_source else self.pages if in_pages else self.starters if self._starts else self.room
        )

    def _show_reading(self, reads: bool) -> None:
        """Shows report, chart and pickers alone, or everything again."""
        if not reads and "reader_head" not in self.__dict__:
            return
        self.reader_head.setVisible(reads)
        self.reader_head.renew()
        self.picking.renew()
        self.picking.setVisible(reads and bool(self.picking.pickers))
        self.pickers.setVisible(not reads and self.pickers.has_any)
        for name in ("spine", "card"):
            self._pane(name).setVisible(not reads and not memory.is_away(name))
        for panes in (self._across, self.beside):
            panes.arrange()
