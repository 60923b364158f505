"""Edits of how a report looks and stands on paper. They change no number, so nothing is folded for them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.edits.edit import Edit
from foldbasket.errors import BasketError
from foldbasket.spec.look import Highlight, Said

replace = msgspec.structs.replace


class _ChangeWithin(Edit, frozen=True):
    """Changes properties of a part of a fold; the others stay as they are when it is done."""

    fold: str
    changes: Mapping[str, Any]
    done: str
    part: ClassVar[str]

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(
            self.fold, lambda fold: replace(fold, **{self.part: replace(getattr(fold, self.part), **self.changes)})
        )


class ChangeLook(_ChangeWithin, frozen=True):
    """Changes properties of a report's look: its style, title, notes, layout or widths."""

    part = "look"


class ChangePage(_ChangeWithin, frozen=True):
    """Changes how a fold stands on paper."""

    part = "page"


class SayLook(Edit, frozen=True):
    """Says a look of part of a report, in place of what was said of it."""

    fold: str
    said: Said
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: replace(fold, look=fold.look.with_said(self.said)))


class PutHighlight(Edit, frozen=True):
    """Puts a highlight in the place of the one of its id, or behind the others."""

    fold: str
    highlight: Highlight
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        now = basket.fold(self.fold).look.highlights
        new = tuple(self.highlight if each.id == self.highlight.id else each for each in now)
        new = new if any(each.id == self.highlight.id for each in now) else (*new, self.highlight)
        return ChangeLook(self.fold, {"highlights": new}, self.done).apply(basket)


class MoveHighlight(Edit, frozen=True):
    """Takes a highlight to a place among the others, of which the later wins; None takes it out."""

    fold: str
    highlight: str
    to: int | None
    said: str

    def label(self, basket: Basket) -> str:
        return f"Take out “{self.said}”" if self.to is None else f"Move “{self.said}”"

    def apply(self, basket: Basket) -> Basket:
        now = basket.fold(self.fold).look.highlights
        own = next((each for each in now if each.id == self.highlight), None)
        if own is None:
            raise BasketError("there is no such highlight.")
        rest = [each for each in now if each is not own]
        if self.to is not None:
            rest.insert(max(0, self.to), own)
        return ChangeLook(self.fold, {"highlights": tuple(rest)}, "").apply(basket)
