"""What every edit is."""

from __future__ import annotations

import msgspec

from foldbasket.baskets.basket import Basket


class Edit(msgspec.Struct, frozen=True, kw_only=True):
    """Base of all edits. Those of one `gesture`, such as a sentence while it is typed, make one step: the last of them, done to the basket as it was before
    the first."""

    gesture: str = ""

    def label(self, basket: Basket) -> str:
        """What it does to a basket, for the list of steps: “Place Region on rows”."""
        raise NotImplementedError

    def leaves(self, basket: Basket) -> dict[str, list[str]]:
        """What it takes out that is in use: its name, and what uses it in words: “the fold “Net by region””. Told when it is done, since
        undoing brings it back."""
        return {}

    def apply(self, basket: Basket) -> Basket:
        """The basket after the edit."""
        raise NotImplementedError
