"""Edits of whole folds and of the basket itself."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket, free_name, named, taken
from foldbasket.baskets.edits.edit import Edit
from foldbasket.errors import BasketError
from foldbasket.sentence.carrying import carried
from foldbasket.spec.fold import Fold

replace = msgspec.structs.replace


class Turn(Edit, frozen=True):
    """Rows become columns and columns rows, totals included."""

    fold: str

    def label(self, basket: Basket) -> str:
        return "Turn the report"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(
            self.fold,
            lambda fold: replace(
                fold, rows=fold.columns, columns=fold.rows, row_total=fold.column_total, column_total=fold.row_total
            ),
        )


class ChangeFold(Edit, frozen=True):
    """Changes properties of the fold itself, such as where its grand totals stand."""

    fold: str
    changes: Mapping[str, Any]
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: replace(fold, **self.changes))


class SayFold(Edit, frozen=True):
    """Puts what a typed sentence asks for in place of a fold; what sentences say nothing of stays, looks among it."""

    fold: str
    said: Fold

    def label(self, basket: Basket) -> str:
        return "Type the sentence"

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: carried(self.said, fold))


class ChangeBasket(Edit, frozen=True):
    """Changes properties of the basket itself, such as the as-of date."""

    changes: Mapping[str, Any]
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        if "as_of" in self.changes and self.changes["as_of"] not in ("latest", "today"):
            try:
                datetime.date.fromisoformat(self.changes["as_of"])
            except ValueError:
                raise BasketError(
                    f"“{self.changes['as_of']}” is not a date.", todo="Write it like 2026-09-30."
                ) from None
        return replace(basket, **self.changes)


class AddFold(Edit, frozen=True):
    """Adds a fold behind the others."""

    fold: Fold

    def label(self, basket: Basket) -> str:
        return f"Add the fold “{self.fold.name}”"

    def apply(self, basket: Basket) -> Basket:
        name = free_name(self.fold.name, taken(basket.folds))
        return replace(basket, folds=(*basket.folds, replace(self.fold, name=name, id="")))


class RemoveFold(Edit, frozen=True):
    """Takes a fold out of the basket. One that a source is made of is kept, and says which."""

    fold: str

    def label(self, basket: Basket) -> str:
        return f"Take out the fold “{basket.fold_name(self.fold)}”"

    def apply(self, basket: Basket) -> Basket:
        name = basket.fold(self.fold).name
        made = [source.name for source in basket.sources if source.fold == self.fold]
        if made:
            raise BasketError(
                f"the source “{made[0]}” is made of the fold “{name}”.",
                todo="Take the source out first, or read another file in its place.",
            )
        return replace(basket, folds=tuple(fold for fold in basket.folds if fold.key != self.fold))


class RenameFold(Edit, frozen=True):
    """Gives a fold another name. What refers to it goes by its key and stays as it is."""

    fold: str
    name: str

    def label(self, basket: Basket) -> str:
        return f"Rename “{basket.fold_name(self.fold)}” to “{self.name}”"

    def apply(self, basket: Basket) -> Basket:
        if not self.name.strip():
            raise BasketError("a fold needs a name.", todo="Type at least one letter.")
        if any(fold.name == self.name for fold in basket.folds if fold.key != self.fold):
            raise BasketError(f"there is a fold “{self.name}” already.", todo="Choose another name.")
        return basket.with_fold(self.fold, lambda fold: named(fold, self.name))
