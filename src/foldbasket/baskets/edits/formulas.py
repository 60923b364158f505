"""Edits of calculated fields. Measures that are formulas are words of a fold and are edited as those are."""

from __future__ import annotations

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.naming import uses_of_field, with_field_named
from foldbasket.errors import BasketError

replace = msgspec.structs.replace


def _find(basket: Basket, table: str, name: str) -> Calculated:
    for each in basket.calculated:
        if (each.table, each.name) == (table, name):
            return each
    raise BasketError(f"“{basket.source_name(table)}” has no calculated field “{name}”.")


def _check_name(basket: Basket, table: str, name: str) -> None:
    if not name.strip():
        raise BasketError("a calculated field needs a name.", todo="Type at least one letter.")
    if any((each.table, each.name) == (table, name) for each in basket.calculated):
        raise BasketError(
            f"“{basket.source_name(table)}” has a calculated field “{name}” already.", todo="Choose another name."
        )


class AddField(Edit, frozen=True):
    """Adds a calculated field to a table."""

    field: Calculated

    def label(self, basket: Basket) -> str:
        return f"Calculate {self.field.name}"

    def apply(self, basket: Basket) -> Basket:
        basket.source(self.field.table)
        _check_name(basket, self.field.table, self.field.name)
        return replace(basket, calculated=(*basket.calculated, self.field))


class ChangeField(Edit, frozen=True):
    """Gives a calculated field another formula."""

    table: str
    name: str
    formula: str

    def label(self, basket: Basket) -> str:
        return f"Change the formula of {self.name}"

    def apply(self, basket: Basket) -> Basket:
        old = _find(basket, self.table, self.name)
        new = replace(old, formula=self.formula)
        return replace(basket, calculated=tuple(new if each is old else each for each in basket.calculated))


class RenameField(Edit, frozen=True):
    """Gives a calculated field another name; whatever names it follows."""

    table: str
    name: str
    to: str

    def label(self, basket: Basket) -> str:
        return f"Rename {self.name} to {self.to}"

    def apply(self, basket: Basket) -> Basket:
        _find(basket, self.table, self.name)
        _check_name(basket, self.table, self.to)
        return with_field_named(basket, self.table, self.name, self.to)


class RemoveField(Edit, frozen=True):
    """Takes a calculated field out. One in use is refused, and says where it is used."""

    table: str
    name: str

    def label(self, basket: Basket) -> str:
        return f"Take out {self.name}"

    def apply(self, basket: Basket) -> Basket:
        gone = _find(basket, self.table, self.name)
        use = next(uses_of_field(basket, self.table, self.name), None)
        if use is not None:
            raise BasketError(f"“{self.name}” is used by {use}.", todo="Take it out there first.")
        return replace(basket, calculated=tuple(each for each in basket.calculated if each is not gone))
