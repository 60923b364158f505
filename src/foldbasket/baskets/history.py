"""Undo and redo: the list of steps, each with the basket that it made."""

from __future__ import annotations

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.edits import Edit
from foldbasket.baskets.following import followed
from foldbasket.errors import BasketError


class Step(msgspec.Struct, frozen=True):
    """What was done, and the basket after it; `gesture` names the gesture that it belongs to, if that goes on."""

    label: str
    basket: Basket
    gesture: str = ""


class Trail(msgspec.Struct, frozen=True):
    """Steps, and at which of them one is."""

    steps: tuple[Step, ...]
    at: int


MOST_KEPT = 300
"""So many of the latest steps are taken along when a trail is handed on."""


class History:
    """The steps of one sitting. Baskets share what they have in common, so keeping them all is cheap."""

    def __init__(self, basket: Basket) -> None:
        self.begin(basket)

    def begin(self, basket: Basket, trail: Trail | None = None) -> None:
        """Begins with another basket, which its file holds; or goes on along the steps that led to it, which another program has left."""
        self._steps = [Step("Open", basket)] if trail is None else list(trail.steps)
        self._at = 0 if trail is None else trail.at
        self._saved: Basket | None = basket

    @property
    def trail(self) -> Trail:
        """The latest steps around the one at which one is."""
        first = max(0, min(self._at, len(self._steps) - MOST_KEPT))
        return Trail(tuple(self._steps[first : first + MOST_KEPT]), self._at - first)

    @property
    def basket(self) -> Basket:
        return self._steps[self._at].basket

    @property
    def steps(self) -> tuple[Step, ...]:
        return tuple(self._steps)

    @property
    def position(self) -> int:
        return self._at

    @property
    def changed(self) -> bool:
        """Whether there is anything that the file does not hold."""
        return self.basket != self._saved

    def do(self, edit: Edit) -> Basket:
        """Applies an edit; what had been undone is gone. An edit that changes nothing makes no step. Raises BasketError for one that
        cannot be done, or that no file could hold."""
        goes_on = bool(edit.gesture) and self._steps[self._at].gesture == edit.gesture and self._at > 0
        before = self._steps[self._at - 1].basket if goes_on else self.basket
        label, basket = edit.label(before), followed(before, edit.apply(before))
        if goes_on and basket != self.basket:
            self._at -= 1
        if basket != self.basket:
            try:
                msgspec.json.encode(basket)
            except (ValueError, OverflowError):
                raise BasketError(
                    "this cannot be kept in a basket: a number in it is too large, or a letter is no letter.",
                    todo="Type a smaller number, or other signs.",
                ) from None
            del self._steps[self._at + 1 :]
            self._steps.append(Step(label, basket, edit.gesture))
            self._at += 1
        return self.basket

    def undo(self) -> str | None:
        """Goes one step back; the label of what was undone, or None at the beginning."""
        if self._at == 0:
            return None
        self._at -= 1
        return self._steps[self._at + 1].label

    def redo(self) -> str | None:
        """Goes one step on; the label of what was done again, or None at the end."""
        if self._at + 1 >= len(self._steps):
            return None
        self._at += 1
        return self._steps[self._at].label

    @property
    def undoable(self) -> str | None:
        return self._steps[self._at].label if self._at else None

    @property
    def redoable(self) -> str | None:
        return self._steps[self._at + 1].label if self._at + 1 < len(self._steps) else None

    def mark_saved(self, basket: Basket | None = None) -> None:
        """Remembers which basket the file holds."""
        self._saved = self.basket if basket is None else basket
