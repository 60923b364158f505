"""Names that others go by: what uses a field or a measure, and everything that follows when one is renamed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.formulas.renaming import is_named, names, renamed
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold

replace = msgspec.structs.replace


def with_field_named(basket: Basket, table: str, old: str, new: str) -> Basket:
    """The basket with every fold, link, shared field and formula that names a field following it to another name."""

    called = basket.source_name(table)

    def formula(text: str) -> str:
        return renamed(text, lambda name: (new, name.table) if is_named(name, old, called) else None)

    def ref(value: FieldRef) -> FieldRef:
        return FieldRef(table, new) if value == FieldRef(table, old) else value

    links = tuple(
        replace(
            link,
            keys=tuple(
                (
                    new if link.from_table == table and near == old else near,
                    new if link.to_table == table and far == old else far,
                )
                for near, far in link.keys
            ),
        )
        for link in basket.links
    )
    calculated = tuple(
        replace(each, formula=formula(each.formula), name=new if (each.table, each.name) == (table, old) else each.name)
        for each in basket.calculated
    )
    return replace(
        basket,
        links=links,
        calculated=calculated,
        folds=_followed(basket.folds, ref, formula),
        shared=_followed(basket.shared, ref, formula),
    )


def with_table_named(basket: Basket, old: str, new: str) -> Basket:
    """The basket with every formula that says a table before a field following that table to another name."""

    def formula(text: str) -> str:
        return renamed(
            text,
            lambda name: (
                (name.name, new) if name.table is not None and name.table.casefold() == old.casefold() else None
            ),
        )

    return replace(
        basket,
        calculated=tuple(replace(each, formula=formula(each.formula)) for each in basket.calculated),
        folds=_followed(basket.folds, lambda ref: ref, formula),
    )


def _followed(value: Any, ref: Callable[[FieldRef], FieldRef], formula: Callable[[str], str]) -> Any:
    """Part of a document with every reference to a field, and the text of every formula, become another."""
    if isinstance(value, FieldRef):
        return ref(value)
    if isinstance(value, tuple):
        return tuple(_followed(each, ref, formula) for each in value)
    if isinstance(value, msgspec.Struct):
        changes = {name: _followed(getattr(value, name), ref, formula) for name in value.__struct_fields__}
        if changes.get("formula"):
            changes["formula"] = formula(changes["formula"])
        return replace(value, **changes)
    return value


def with_measure_named(fold: Fold, old: str, new: str) -> Fold:
    """The fold with every formula that names a measure following it to another heading."""
    if old == new:
        return fold

    def follow(text: str) -> str:
        return renamed(text, lambda name: (new, None) if name.table is None and is_named(name, old) else None)

    return replace(
        fold,
        measures=tuple(replace(each, formula=follow(each.formula)) if each.formula else each for each in fold.measures),
        look=_followed(fold.look, lambda ref: ref, follow),
    )


def uses_of_source(basket: Basket, key: str) -> list[str]:
    """What uses a source, by its key, in words: folds and calculated fields."""
    used = [f"the fold “{fold.name}”" for fold in basket.folds if any(ref.table == key for ref in fold.fields())]
    used += [f"the field “{each.name}”" for each in basket.calculated if each.table == key]
    return used


def uses_of_field(basket: Basket, table: str, field: str) -> Iterator[str]:
    """What uses a field, in words."""
    called = basket.source_name(table)
    for each in basket.calculated:
        if (each.table, each.name) != (table, field) and names(each.formula, field, called):
            yield f"the field “{each.name}”"
    for fold in basket.folds:
        if FieldRef(table, field) in fold.fields():
            yield f"the fold “{fold.name}”"
        if any(names(getattr(rule, "formula", ""), field, called) for rule in fold.filters):
            yield f"a filter of “{fold.name}”"
        for measure in fold.measures:
            if measure.formula and names(measure.formula, field, called):
                yield f"the measure “{measure_heading(measure)}” of “{fold.name}”"


def use_of_measure(fold: Fold, word: str) -> str | None:
    """Which formula of a fold names one of its measures, in words; None when none does."""
    measure = next((each for each in fold.measures if each.id == word), None)
    if measure is None:
        return None
    heading = measure_heading(measure)
    for each in fold.measures:
        if each.id != word and each.formula and names(each.formula, heading):
            return f"the measure “{measure_heading(each)}”"
    return None
