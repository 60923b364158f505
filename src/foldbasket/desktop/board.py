"""What the services of the desk ask of it: the document, what is in view, and how an edit is done. They know no more of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Protocol

from PyQt6.QtCore import pyqtBoundSignal

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.edits.edit import Edit
from foldbasket.desktop.supply import Supply
from foldbasket.folding.engine import Engine
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

    def do(self, edit: Edit) -> bool:
        """Does an edit; False, and why is told, where it cannot be done."""


class Board(Editing, Protocol):
    """The desk as its services see it."""

    failed: pyqtBoundSignal
    news: pyqtBoundSignal
    rested: pyqtBoundSignal
    supply: Supply
    engine: Engine
    source_key: str | None

    @property
    def spec(self) -> SourceSpec | None:
        """The source in view."""

    @property
    def source(self) -> Source:
        """The tables as they are joined."""

    def column(self, ref: FieldRef) -> Column | None:
        """A field's column; None where it is gone."""

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
