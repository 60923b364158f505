"""The Proof drawer: the records behind the marked cell, and the arithmetic that leads to it."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.proof.records import RecordsPane
from foldbasket.desktop.state.folding import Proved
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import Label, marked, minus, short
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.proof import Proof, is_same
from foldbasket.styling.words import number_of

NAMED = 300
"""So many signs of what a cell stands for, or of a value, are said at most."""


class ProofDrawer(QFrame):
    """Shows the proof of one cell at a time; follows the mark while it is open."""

    closed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.proof: Proof | None = None
        self._waits = False
        """Whether a proof is being worked out for it."""
        self.setObjectName("proof")
        across = QHBoxLayout(self)
        across.setContentsMargins(22, 10, 12, 10)
        across.setSpacing(18)
        left = QVBoxLayout()
        self.title = Label("", self)
        self.title.setProperty("role", "title")
        self.title.setWordWrap(True)
        self.told = Label("", self)
        marked(self.told)
        self.told.setWordWrap(True)
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.told.setAccessibleName("Arithmetic")
        close = QPushButton("close", self)
        close.setProperty("role", "link")
        close.clicked.connect(self._leave)
        left.addWidget(self.title)
        self.told.setAlignment(Qt.AlignmentFlag.AlignTop)
        rolled = QScrollArea(self)
        rolled.setWidgetResizable(True)
        rolled.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        rolled.setWidget(self.told)
        left.addWidget(rolled, 1)
        left.addWidget(close, 0, Qt.AlignmentFlag.AlignLeft)
        holder = QWidget(self)
        holder.setLayout(left)
        holder.setFixedWidth(300)
        across.addWidget(holder)
        self.listed = RecordsPane(desk, self)
        self.table = self.listed.table
        across.addWidget(self.listed, 1)
        self.hide()
        desk.when(Part.REPORT | Part.LOOK, self, self._leave)
        desk.folding.proved.connect(self._show)
        desk.rested.connect(self._rest)

    def show_cell(self, row: int, column: int) -> None:
        """Proves a cell of the report in view; shows it when it is worked out."""
        self._waits = self.desk.folding.prove(row, column)
        if self._waits and self.isVisible():
            self.title.setText("Working it out…")

    def _leave(self) -> None:
        self.hide()
        if self._waits:
            self._waits = False
            self.desk.folding.stop_proving()
            self.desk.rested.emit()

    def _rest(self) -> None:
        """What was being worked out may have been given up."""
        if self._waits and not self.desk.folding.is_proving:
            self._waits = False
            self.hide()

    def _show(self, proved: Proved) -> None:
        self._waits = False
        self.desk.rested.emit()
        if proved.report is not self.desk.report:
            return  # the report is another by now
        self.proof = proof = proved.proof
        muted = theme.palette().muted
        shown = proved.report.text(proved.row, proved.column) or "(blank)"
        self.title.setText(f"{proof.measure}: {short(shown, NAMED)}")
        lines = [
            f"<span style='color:{muted}'>{escape(short(proof.where, NAMED))} · {number_of(proof.behind.many, 'record')} of {escape(self.desk.source.called(proof.base))}</span>",
            escape(proof.arithmetic),
        ]
        rows = "".join(
            f"<tr><td style='padding-right:14px'>{escape(part.name)}</td><td align='right'><b>{escape(minus(short(part.text, NAMED)))}</b></td></tr>"
            for part in proof.parts
        )
        lines.append(f"<table cellspacing='0'>{rows}</table>" if rows else "")
        if proof.note:
            lines.append(escape(proof.note))
        if proof.left_out:
            said = " · ".join(f"{each.many:,} {short(each.why, NAMED)}" for each in proof.left_out)
            lines.append(f"<span style='color:{muted}'>Not counted: {escape(said)}</span>")
        marks = Dressed(proved.report).said_of(proved.row, proved.column)
        if marks:
            lines.append(f"Marked: {escape('; '.join(marks))}.")
        beneath = "the amount beneath it agrees" if proof.is_compared else "it agrees"
        verdict = (
            "There is nothing to work out."
            if not proof.is_checked
            else f"{_ways(proof)}, {beneath}."
            if proof.agrees
            else _disagreement(proof)
        )
        lines.insert(1, f"<span style='color:{muted}'>{verdict}</span>")
        self.told.setText("".join(f"<p style='margin:3px 0'>{line}</p>" for line in lines if line))
        self.listed.take(proof, proved.records)
        self.show()


def _ways(proof: Proof) -> str:
    """By which ways a number was worked out again."""
    if not proof.by_hand:
        return "Worked out again" + (f" (not by hand: {proof.not_by_hand})" if proof.not_by_hand else "")
    many = proof.behind.many
    return f"Worked out again, and by hand from {'its one record' if many == 1 else f'each of its {many:,} records'}"


def _disagreement(proof: Proof) -> str:
    """What came out otherwise."""
    other = next((each for each in proof.by_hand if not is_same(each.value, each.engine)), None)
    if other is None:
        return f"Worked out again it is {proof.again}: please report this."
    return f"{other.name}, added up by hand, is {other.value} and not {other.engine}: please report this."
