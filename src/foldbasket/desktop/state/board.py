"""What the services of the desk ask of it: the document, what is in view, and how an edit is done. They know no more of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import pyqtBoundSignal

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.history import History, Trail
from foldbasket.desktop.state.supply import Supply
from foldbasket.desktop.state.view import View
from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import Column
from foldbasket.tables.table import Table


class Editing(Protocol):
    """Whatever holds a document and does edits on it."""

    @property
    def basket(self) -> Basket:
        """The document as it is now."""

    @property
    def fold(self) -> Fold | None:
        """The fold in view."""

    def do(self, edit: Edit, *, select: str | None = None) -> bool:
        """Does an edit, and selects a word then; False, and why is told, where it cannot be done."""


class Board(Editing, Protocol):
    """The desk as its services see it."""

    failed: pyqtBoundSignal
    news: pyqtBoundSignal
    rested: pyqtBoundSignal
    told: pyqtBoundSignal
    supply: Supply
    view: View

    @property
    def path(self) -> Path | None:
        """The file that the basket was opened from or saved to."""

    @property
    def engine(self) -> Engine:
        """The engine over the tables."""

    @property
    def report(self) -> Report | None:
        """The report in view."""

    @property
    def spec(self) -> SourceSpec | None:
        """The source in view."""

    @property
    def source(self) -> Source:
        """The tables as they are joined."""

    def column(self, ref: FieldRef) -> Column | None:
        """A field's column; None where it is gone."""

    def listed_column(self, ref: FieldRef) -> Column | None:
        """The column that a field's members are listed from; None where they are not known."""

    def ensure_fold(self) -> Fold:
        """The fold in view, made if there is none."""

    def select_word(self, word: str | None) -> None:
        """Selects a word of the sentence."""

    def calculate(self, text: str | None = "") -> None:
        """Begins a formula; None puts it away."""

    def read_in_background(self, work: Callable[[Any], Callable[[], None]]) -> None:
        """Reads on a worker; what that gives is done on the window's thread."""

    def take_in(self, specs: list[SourceSpec], tables: list[Table], links: Sequence[Link] = ()) -> None:
        """Adds sources whose tables were just read."""

    def not_done(self, error: FoldBasketError) -> None:
        """Tells that work in the background has failed."""


class Keeper(Board, Protocol):
    """The desk as the work on files sees it, which may put another document on it."""

    history: History

    def take_up(
        self, basket: Basket, tables: Mapping[str, Table], problems: Mapping[str, FoldBasketError], trail: Trail | None
    ) -> None:
        """Puts another basket on the desk, with the steps that led to it."""

    def cancel(self) -> None:
        """Stops what is being read or folded."""
