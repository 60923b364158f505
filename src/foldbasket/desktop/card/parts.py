"""The pieces that every card is made of: titles, sections, chips and lines with a choice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any, TypeVar

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop.card.controls import Chooser, Line, LinkButton, SectionHead
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import Label, tip

Control = TypeVar("Control", bound=QWidget)


MANY = 60
"""A drop-down of more choices than that is not measured by each of them."""


Draw = Callable[[], object]
"""Makes a piece of a card and puts it where the card's column is then."""


@dataclass
class Section:
    """A section of a card: its line, what it holds, how it stands where that is not what its first piece says, and the pieces that are made
    once it is opened."""

    title: str
    head: SectionHead
    inner: QWidget
    state: str | None
    wanted: bool
    texts: list[str] = field(default_factory=list)
    pieces: list[Draw] = field(default_factory=list)


@dataclass(frozen=True)
class Offered:
    """Something that a card offers, for the menu of a right click: under which section, its name, and either what can be chosen, with what
    is chosen now, or nothing to choose from."""

    section: str
    label: str
    choices: tuple[tuple[Any, str], ...]
    chosen: Any
    act: Callable[..., Any]


class CardBody(QWidget):
    """A column to add pieces to. Pieces that change something call back with the new value; `offered` lists those that are chosen, not
    typed. What stands in a section is described at once and made when the section is first opened: of a card's widgets nine in ten
    stand in sections that are closed, and to make them all took four fifths of a card's time."""

    def __init__(self, title: str, remark: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("cardBody")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._whole = self.column = QVBoxLayout(self)
        self.column.setContentsMargins(16, 12, 16, 14)
        self.column.setSpacing(6)
        self.offered: list[Offered] = []
        self.sections: list[Section] = []
        self.noticed: list[Any] = []
        """What it says is worth a second look."""
        if parent is not None and not hasattr(parent, "opened"):
            parent.opened = []  # type: ignore[attr-defined]
        self._opened: list[str] = getattr(parent, "opened", [])
        """The title of the section that was opened last, kept by what holds the cards."""
        self._section = ""
        self._drawing = True  # until the first section begins
        self.text(title, "title")
        if remark:
            self.text(remark, "quiet")

    def piece(self, draw: Draw) -> None:
        """Something made by `draw`: now, or when the section it stands in is first opened. Within it other pieces are made at once."""
        if self._drawing:
            draw()
        else:
            self.sections[-1].pieces.append(draw)

    def widget(self, make: Callable[[QWidget], QWidget]) -> None:
        """A widget that `make` makes in the parent it is given."""
        self.piece(lambda: self.column.addWidget(make(self)))

    def gap(self, height: int) -> None:
        """Some room, in pixels."""
        self.piece(lambda: self.column.addSpacing(height))

    def text(self, text: str, role: str) -> None:
        """A paragraph in one of the roles title, strong, quiet, warning."""
        self.piece(partial(self.made_text, text, role))

    def made_text(self, text: str, role: str) -> QLabel:
        """A paragraph, made at once."""
        label = Label(text, self)
        label.setProperty("role", role)
        label.setWordWrap(True)
        label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        self.column.addWidget(label)
        label.ensurePolished()  # else its height is reckoned in another size of type
        return label

    def section(self, title: str, state: str | None = None, *, wanted: bool = False) -> None:
        """A line that opens what follows in place, and closes the section before. `state` says how it stands, else its first piece does;
        the first section is open from the start, or the one most likely `wanted`."""
        self._section = title
        head, inner = SectionHead(title, self), QWidget(self)
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(6)
        self._whole.addWidget(head)
        self._whole.addWidget(inner)
        self._drawing = False
        section = Section(title, head, inner, state, wanted)
        self.sections.append(section)
        head.clicked.connect(lambda: self.open(section if head.isChecked() else None))
        head.passed.connect(partial(self._pass, len(self.sections) - 1))

    def whole(self) -> CardBody:
        """The card with every piece of every section made, for whoever looks for one of them."""
        for each in self.sections:
            self._make(each)
        return self

    def _make(self, section: Section) -> None:
        """Makes the pieces of a section, if they are not made."""
        layout = section.inner.layout()
        assert isinstance(layout, QVBoxLayout)
        pieces, section.pieces = section.pieces, []
        column, drawing, self.column, self._drawing = self.column, self._drawing, layout, True
        try:
            for draw in pieces:
                draw()
        finally:
            self.column, self._drawing = column, drawing
        before: QWidget = section.head
        for made in section.inner.findChildren(QWidget) if pieces else ():
            # Else Tab would come to them after all lines of sections. Lists that drop down are windows of their own.
            if made.focusPolicy() & Qt.FocusPolicy.TabFocus and made.window() is self.window():
                QWidget.setTabOrder(before, made)
                before = made

    def _pass(self, at: int, step: int) -> None:
        """Puts the keyboard on the line of the next section, or of the one before."""
        if 0 <= at + step < len(self.sections):
            self.sections[at + step].head.setFocus(Qt.FocusReason.TabFocusReason)

    def open(self, section: Section | None) -> None:
        """Opens a section and closes the others; the next card that has one of its name opens that."""
        self._opened[:] = [section.title] if section is not None else []
        self._show(section)

    def reveal(self, part: QWidget) -> None:
        """Opens the section that a part of the card stands in."""
        for each in self.sections:
            if each.inner.isAncestorOf(part) and not each.head.isChecked():
                self.open(each)

    def _show(self, section: Section | None) -> None:
        if section is not None:
            self._make(section)
        for each in self.sections:
            each.head.setChecked(each is section)
            each.inner.setVisible(each is section)

    def _stands(self, section: Section) -> str:
        """How a section stands: what is chosen in its first piece, or typed."""
        if section.state is not None:
            return section.state
        for each in self.offered:
            if each.section == section.title and each.choices:
                said = next((label for value, label in each.choices if value == each.chosen), "")
                if said and not said.endswith("…"):
                    return said
        return next((text for text in section.texts if text), "")

    def chips(
        self,
        choices: Sequence[tuple[Any, str, str]],
        chosen: Any,
        act: Callable[[Any], object],
        name: str,
        *,
        named: bool = False,
    ) -> None:
        """A row of chips, one of them chosen. Each choice is its value, its label and its meaning; what they are about is said before them
        where it is `named`."""
        self.offered.append(
            Offered(self._section, "", tuple((value, label) for value, label, _ in choices), chosen, act)
        )
        self.piece(partial(self._chips, choices, chosen, act, name, named))

    def _chips(
        self,
        choices: Sequence[tuple[Any, str, str]],
        chosen: Any,
        act: Callable[[Any], object],
        name: str,
        named: bool,
    ) -> None:
        holder = QWidget(self)
        holder.setAccessibleName(name)
        flow = FlowLayout(holder, gap=5, line_gap=5)
        flow.setContentsMargins(0, 0, 0, 0)
        policy = holder.sizePolicy()
        policy.setHeightForWidth(True)
        holder.setSizePolicy(policy)
        if named:
            flow.addWidget(Label(f"{name} ", holder))
        group = QButtonGroup(holder)
        group.setExclusive(True)
        for value, label, meaning in choices:
            chip = QPushButton(label, holder)
            chip.setCheckable(True)
            chip.setChecked(value == chosen)
            chip.setToolTip(tip(meaning))
            chip.setAccessibleName(f"{name}: {label}")
            chip.setAccessibleDescription(meaning)
            chip.clicked.connect(lambda _=False, value=value: act(value))
            group.addButton(chip)
            flow.addWidget(chip)
        self.column.addWidget(holder)

    def row(self, label: str, make: Callable[[QWidget], QWidget]) -> None:
        """A line with a label at the left and a control at the right, which `make` makes in the line it is given: to move a control
        from one parent to another would style it twice."""
        self.piece(partial(self.made_row, label, make))

    def made_row(self, label: str, make: Callable[[QWidget], Control]) -> Control:
        """Such a line, made at once; gives its control."""
        holder = QWidget(self)
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        said = Label(label, holder)
        said.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        widget = make(holder)
        line.addWidget(said)
        line.addStretch(1)
        line.addWidget(widget)
        said.setBuddy(widget)
        widget.setAccessibleName(label)
        self.column.addWidget(holder)
        return widget

    def choice(
        self,
        label: str,
        choices: Sequence[tuple[Any, str]],
        chosen: Any,
        act: Callable[[Any], object],
        meaning: str = "",
    ) -> None:
        """A line with a drop-down; its `meaning` is told by its tip."""
        offered = Offered(self._section, label, tuple(choices), chosen, act)
        self.offered.append(offered)
        self.piece(partial(self._choice, offered, meaning))

    def _choice(self, offered: Offered, meaning: str) -> None:
        choices, chosen, act = offered.choices, offered.chosen, offered.act
        chooser = self.made_row(offered.label, Chooser)
        chooser.setToolTip(tip(meaning))
        values = [value for value, _ in choices]
        chooser.addItems([text for _, text in choices])  # at once: it measures itself anew at each that is added
        if len(choices) > MANY:
            chooser.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            chooser.setMinimumContentsLength(16)
        chooser.setCurrentIndex(values.index(chosen) if chosen in values else 0)
        chooser.activated.connect(lambda at: act(values[at]))

    def entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> None:
        """A line to type into; `act` is called when it is left or Enter is pressed, and the text differs."""
        if self.sections:
            self.sections[-1].texts.append(text)
        self.piece(partial(self.made_entry, label, text, hint, act))

    def made_entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> QLineEdit:
        """Such a line, made at once."""
        line = self.made_row(label, lambda holder: Line(text, holder))
        line.setPlaceholderText(hint)
        line.setMinimumWidth(56)
        line.setMaximumWidth(160)
        line.setCursorPosition(0)
        line.editingFinished.connect(lambda: act(line.text()) if line.text() != text and line.isModified() else None)
        return line

    def wide_entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> None:
        """A line to type into over the whole width of the card, for what is too long to stand beside its label."""
        self.piece(partial(self._wide_entry, label, text, hint, act))

    def _wide_entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> None:
        line = Line(text, self)
        line.setPlaceholderText(hint)
        line.setAccessibleName(label)
        line.setToolTip(tip(text))
        line.setCursorPosition(0)
        line.editingFinished.connect(lambda: act(line.text()) if line.text() != text and line.isModified() else None)
        self.column.addWidget(line)

    def renaming(self, heading: str | None, default: str, act: Callable[[str | None], object]) -> None:
        """The section that gives a word a heading of its own; an empty one goes back to the default."""
        self.section("Heading", heading or default)
        self.entry("Heading", heading or "", default, lambda text: act(text.strip() or None))

    def link(self, label: str, act: Callable[[], object], meaning: str = "") -> None:
        """A quiet action in words; its `meaning` is told by its tip."""
        self.offered.append(Offered(self._section, label, (), None, act))
        self.piece(partial(self._link, label, act, meaning or label))

    def _link(self, label: str, act: Callable[[], object], meaning: str) -> None:
        button = LinkButton(label, self)
        button.setProperty("role", "link")
        button.setToolTip(tip(meaning))
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda: act())
        self.column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)

    def end(self) -> CardBody:
        """Fills the rest of the column, and opens the section that was opened last, or the one most likely wanted."""
        self._whole.addStretch(1)
        for section in self.sections:
            section.head.say(self._stands(section))
        found = next((each for each in self.sections if each.title in self._opened), None)
        wanted = next((each for each in self.sections if each.wanted), self.sections[0] if self.sections else None)
        self._show(found or wanted)
        return self

    def sizeHint(self) -> QSize:
        return QSize(theme.CARD_WIDTH - 1, super().sizeHint().height())
