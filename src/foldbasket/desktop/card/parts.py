"""The pieces that every card is made of: titles, sections, chips and lines with a choice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QKeySequence, QPainter, QPaintEvent, QPen, QPolygon
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import tip

Control = TypeVar("Control", bound=QWidget)


MANY = 60
"""A drop-down of more choices than that is not measured by each of them."""


class Chooser(QComboBox):
    """A drop-down that is as wide as its text, with our own small mark."""

    def wheelEvent(self, event: Any) -> None:
        event.ignore()  # scrolling the card must not change the report

    def minimumSizeHint(self) -> QSize:
        return QSize(64, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        room = self.width() - 32
        option.currentText = self.fontMetrics().elidedText(option.currentText, Qt.TextElideMode.ElideRight, room)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(theme.palette().muted))
        x, y = self.width() - 12, self.height() // 2 - 1
        painter.drawPolyline(QPolygon([QPoint(x - 3, y - 1), QPoint(x, y + 2), QPoint(x + 3, y - 1)]))


class LinkButton(QPushButton):
    """An action in words, which end in an ellipsis where the card is too narrow for them."""

    def minimumSizeHint(self) -> QSize:
        return QSize(40, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, option = QStylePainter(self), QStyleOptionButton()
        self.initStyleOption(option)
        option.text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width() - 4)
        painter.drawControl(QStyle.ControlElement.CE_PushButton, option)


class Line(QLineEdit):
    """A line to type into that keeps undo to itself only while there is typing to undo."""

    def event(self, event: Any) -> bool:
        if event.type() == event.Type.ShortcutOverride:
            undoes = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
            redoes = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
            if undoes or redoes:
                event.ignore()
                return False
        return super().event(event)


class SectionHead(QPushButton):
    """The line of a section: what it is at the left, how it stands at the right, and whether it is open."""

    def __init__(self, title: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.title, self.state = title, ""
        self.setCheckable(True)
        self.setProperty("role", "head")
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.say("")

    def say(self, state: str) -> None:
        """Says how the section stands."""
        self.state = state
        self.setAccessibleName(f"{self.title}: {state}" if state else self.title)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, colours = QPainter(self), theme.palette()
        painter.setPen(QColor(colours.line))
        painter.drawLine(0, 0, self.width(), 0)
        room = self.rect().adjusted(0, 1, -14, 0)
        painter.setFont(theme.font(theme.SMALL, QFont.Weight.DemiBold))
        painter.setPen(QColor(colours.ink if self.underMouse() or self.isChecked() else colours.muted))
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.title)
        left = painter.fontMetrics().horizontalAdvance(self.title) + 12
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.ink))
        if self.state and not self.isChecked():
            shown = painter.fontMetrics().elidedText(self.state, Qt.TextElideMode.ElideRight, room.width() - left)
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(colours.muted))
        x, y = self.width() - 6, self.height() // 2
        down = [QPoint(x - 3, y - 1), QPoint(x, y + 2), QPoint(x + 3, y - 1)]
        painter.drawPolyline(
            QPolygon(down if self.isChecked() else [QPoint(x - 2, y - 3), QPoint(x + 1, y), QPoint(x - 2, y + 3)])
        )
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.rows), 2))
            painter.drawRect(self.rect().adjusted(1, 2, -1, -1))


@dataclass
class Section:
    """A section of a card: its line, what it holds, and how it stands where that is not what its first piece says."""

    title: str
    head: SectionHead
    inner: QWidget
    state: str | None
    wanted: bool
    texts: list[str] = field(default_factory=list)


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
    typed."""

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
        self.text(title, "title")
        if remark:
            self.text(remark, "quiet")

    def text(self, text: str, role: str) -> QLabel:
        """A paragraph in one of the roles title, quiet, warning."""
        label = QLabel(text, self)
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
        self.column = layout
        section = Section(title, head, inner, state, wanted)
        self.sections.append(section)
        head.clicked.connect(lambda: self.open(section if head.isChecked() else None))

    def aside(self) -> None:
        """What follows stands in no section."""
        self._section, self.column = "", self._whole

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
    ) -> dict[Any, QPushButton]:
        """A row of chips, one of them chosen. Each choice is its value, its label and its meaning; what they are about is said before them
        where it is `named`."""
        self.offered.append(
            Offered(self._section, "", tuple((value, label) for value, label, _ in choices), chosen, act)
        )
        holder = QWidget(self)
        holder.setAccessibleName(name)
        flow = FlowLayout(holder, gap=5, line_gap=5)
        flow.setContentsMargins(0, 0, 0, 0)
        policy = holder.sizePolicy()
        policy.setHeightForWidth(True)
        holder.setSizePolicy(policy)
        if named:
            flow.addWidget(QLabel(f"{name} ", holder))
        group = QButtonGroup(holder)
        group.setExclusive(True)
        made = {}
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
            made[value] = chip
        self.column.addWidget(holder)
        return made

    def row(self, label: str, make: Callable[[QWidget], Control]) -> Control:
        """A line with a label at the left and a control at the right, which `make` makes in the line it is given: to move a control
        from one parent to another would style it twice."""
        holder = QWidget(self)
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        said = QLabel(label, holder)
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
        self, label: str, choices: Sequence[tuple[Any, str]], chosen: Any, act: Callable[[Any], object]
    ) -> Chooser:
        """A line with a drop-down."""
        self.offered.append(Offered(self._section, label, tuple(choices), chosen, act))
        chooser = self.row(label, Chooser)
        values = [value for value, _ in choices]
        chooser.addItems([text for _, text in choices])  # at once: it measures itself anew at each that is added
        if len(choices) > MANY:
            chooser.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            chooser.setMinimumContentsLength(16)
        chooser.setCurrentIndex(values.index(chosen) if chosen in values else 0)
        chooser.activated.connect(lambda at: act(values[at]))
        return chooser

    def entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> QLineEdit:
        """A line to type into; `act` is called when it is left or Enter is pressed, and the text differs."""
        if self.sections and self._section:
            self.sections[-1].texts.append(text)
        line = self.row(label, lambda holder: Line(text, holder))
        line.setPlaceholderText(hint)
        line.setMinimumWidth(56)
        line.setMaximumWidth(160)
        line.setCursorPosition(0)
        line.editingFinished.connect(lambda: act(line.text()) if line.text() != text and line.isModified() else None)
        return line

    def wide_entry(self, label: str, text: str, hint: str, act: Callable[[str], object]) -> QLineEdit:
        """A line to type into over the whole width of the card, for what is too long to stand beside its label."""
        line = Line(text, self)
        line.setPlaceholderText(hint)
        line.setAccessibleName(label)
        line.setToolTip(tip(text))
        line.setCursorPosition(0)
        line.editingFinished.connect(lambda: act(line.text()) if line.text() != text and line.isModified() else None)
        self.column.addWidget(line)
        return line

    def renaming(self, heading: str | None, default: str, act: Callable[[str | None], object]) -> None:
        """The section that gives a word a heading of its own; an empty one goes back to the default."""
        self.section("Heading", heading or default)
        self.entry("Heading", heading or "", default, lambda text: act(text.strip() or None))

    def link(self, label: str, act: Callable[[], object]) -> QPushButton:
        """A quiet action in words."""
        self.offered.append(Offered(self._section, label, (), None, act))
        button = LinkButton(label, self)
        button.setProperty("role", "link")
        button.setToolTip(tip(label))
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda: act())
        self.column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        return button

    def end(self) -> CardBody:
        """Fills the rest of the column, and opens the section that was opened last, or the one most likely wanted."""
        self._whole.addStretch(1)
        self.column = self._whole
        for section in self.sections:
            section.head.say(self._stands(section))
        found = next((each for each in self.sections if each.title in self._opened), None)
        wanted = next((each for each in self.sections if each.wanted), self.sections[0] if self.sections else None)
        self._show(found or wanted)
        return self

    def sizeHint(self) -> QSize:
        return QSize(theme.CARD_WIDTH - 1, super().sizeHint().height())
