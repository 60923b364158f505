"""What of the window's state has changed: each view says which parts it shows and is renewed by those alone."""

from __future__ import annotations

from collections.abc import Callable
from enum import Flag, auto

from PyQt6.QtCore import QObject, pyqtBoundSignal

from foldbasket.baskets.changes import Changed


class Part(Flag):
    """Parts of the state."""

    NOTHING = 0
    SETTINGS = auto()
    """The document's name, and how numbers and dates are meant and written."""
    SOURCES = auto()
    """Where tables come from, their mends, links and calculated fields."""
    FOLDS = auto()
    """Any of the folds."""
    FOLD = auto()
    """The fold in view: another one, or another of its words."""
    LOOK = auto()
    """How the report in view looks, with the same numbers in the same places."""
    TABLES = auto()
    """Records, or the way in which tables are joined."""
    VIEW = auto()
    """What is in view: a source, one of its fields, or a fold."""
    WORD = auto()
    """The selected word, or what is being written on a card."""
    REPORT = auto()
    FINDINGS = auto()
    PROFILES = auto()

    DOCUMENT = SETTINGS | SOURCES | FOLDS


OF_DOCUMENT = {
    Changed.SETTINGS: Part.SETTINGS,
    Changed.SOURCES: Part.SOURCES,
    Changed.FOLDS: Part.FOLDS,
}


def parts_of(changed: Changed) -> Part:
    """The parts of the state that parts of a document are."""
    found = Part.NOTHING
    for each, part in OF_DOCUMENT.items():
        if each in changed:
            found |= part
    return found


class _Renewal(QObject):
    """Passes a notification on where it is about certain parts; goes with the view whose child it is."""

    def __init__(self, parts: Part, renew: Callable[[], object], view: QObject) -> None:
        super().__init__(view)
        self._parts, self._renew = parts, renew

    def take(self, changed: Part) -> None:
        if changed & self._parts:
            self._renew()


def renew_by(notified: pyqtBoundSignal, view: QObject, parts: Part, renew: Callable[[], object]) -> None:
    """Has a view renewed by the parts that it shows, for as long as there is the view. `notified` brings a `Part`."""
    notified.connect(_Renewal(parts, renew, view).take)
