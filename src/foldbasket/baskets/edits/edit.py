"""What every edit is."""

from __future__ import annotations

from foldbasket.baskets.basket import Basket


class Edit:
    """Base of all edits."""

    @property
    def label(self) -> str:
        """What was done, for the list of steps: “Place Region on rows”."""
        raise NotImplementedError

    def apply(self, basket: Basket) -> Basket:
        """The basket after the edit."""
        raise NotImplementedError
