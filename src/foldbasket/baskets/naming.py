"""Names that others go by: what uses a field or a measure, and everything that follows when one is renamed."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.folding.sentence import headings_of, measure_heading, placed_heading
from foldbasket.formulas.renaming import is_named, names, renamed
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold

replace = msgspec.structs.replace


def with_field_named(basket: Basket, table: str, old: str, new: str) -> Basket:
    """The basket with every fold, link, shared field and formula that names a field following it to another name."""

    def formula(text: str) -> str:
        return renamed(text, lambda name: new if is_named(name, old, table) else None)

    def follow(value: Any) -> Any:
        if isinstance(value, FieldRef):
            return FieldRef(table, new) if value == FieldRef(table, old) else value
        if isinstance(value, tuple):
            return tuple(follow(each) for each in value)
        if isinstance(value, msgspec.Struct):
            changes = {name: follow(getattr(value, name)) for name in value.__struct_fields__}
            if changes.get("formula"):
                changes["formula"] = formula(changes["formula"])
            return replace(value, **changes)
        return value

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
    return replace(basket, links=links, calculated=calculated, folds=follow(basket.folds), shared=follow(basket.shared))


def with_measure_named(fold: Fold, old: str, new: str) -> Fold:
    """The fold with every formula that names a measure following it to another heading."""
    if old == new:
        return fold

    def follow(text: str) -> str:
        return renamed(text, lambda name: new if name.table is None and is_named(name, old) else None)

    return replace(
        fold,
        measures=tuple(replace(each, formula=follow(each.formula)) if each.formula else each for each in fold.measures),
    )


def uses_of_source(basket: Basket, name: str) -> list[str]:
    """What uses a source, in words: folds, calculated fields, and sources made of such folds."""
    used = [f"the fold “{fold.name}”" for fold in basket.folds if any(ref.table == name for ref in fold.fields())]
    used += [f"the field “{each.name}”" for each in basket.calculated if each.table == name]
    return used


def use_of_field(basket: Basket, table: str, field: str) -> str | None:
    """What uses a field, in words; None when nothing does."""
    for each in basket.calculated:
        if (each.table, each.name) != (table, field) and names(each.formula, field, table):
            return f"the field “{each.name}”"
    for fold in basket.folds:
        if FieldRef(table, field) in fold.fields():
            return f"the fold “{fold.name}”"
        if any(names(getattr(rule, "formula", ""), field, table) for rule in fold.filters):
            return f"a filter of “{fold.name}”"
        for measure in fold.measures:
            if measure.formula and names(measure.formula, field, table):
                return f"the measure “{measure_heading(measure)}” of “{fold.name}”"
    return None


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


UNNAMED = "New fold"


def is_unnamed(fold: Fold) -> bool:
    """Whether nobody has given a fold a name yet."""
    return re.fullmatch(rf"{UNNAMED}( \d+)?", fold.name) is not None


def label_of(fold: Fold, source: Source | None = None) -> str:
    """What a fold is called in lists: its name, or what it holds as long as it has been given none."""
    if fold.is_empty or not is_unnamed(fold):
        return fold.name
    headings = headings_of(fold, source)
    measures = ", ".join(headings[each.id] for each in fold.measures[:2]) + (" …" if len(fold.measures) > 2 else "")
    fields = " › ".join(placed_heading(each) for each in (*fold.rows, *fold.columns))
    return " by ".join(part for part in (measures, fields) if part)
