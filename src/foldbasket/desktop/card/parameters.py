"""What can be set on a kind, drawn by what it is: a choice, a yes or no, a number, a text, or something of the fold that it names."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import msgspec

from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.kinds import Parameter, parameters
from foldbasket.sentence.phrases import measure_heading, placed_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold


def draw_parameters(
    body: CardBody,
    desk: Desk,
    fold: Fold,
    now: Any,
    become: Callable[[Any], object],
    own: str = "",
    of: Sequence[Parameter] | None = None,
) -> None:
    """A line for each parameter of a kind, or each of those given, that says something as the others stand; `become` is given `now` as
    it is then. `own` is the measure that it belongs to, which is not offered to itself."""
    for parameter in parameters(type(now)) if of is None else of:
        if not parameter.says(now):
            continue
        value = getattr(now, parameter.name)
        change = partial(_change, now, parameter.name, become)
        named = _named(desk, fold, parameter, now, own)
        if named is None and parameter.of:
            continue
        if named is not None or parameter.choices:
            body.choice(parameter.label, named or parameter.choices, value, change)
        else:
            shown = (
                f"{value:g}"
                if isinstance(value, float)
                else ", ".join(value)
                if isinstance(value, tuple)
                else f"{value}"
            )
            body.entry(parameter.label, shown, parameter.hint, partial(_typed, desk, parameter, change))
            if parameter.type is tuple and parameter.meaning:
                body.text(parameter.meaning, "quiet")


def _change(now: Any, name: str, become: Callable[[Any], object], value: Any) -> None:
    become(msgspec.structs.replace(now, **{name: value}))


def _typed(desk: Desk, parameter: Parameter, change: Callable[[Any], object], text: str) -> None:
    """Takes what was typed where it is of the parameter's type, else says what is wanted."""
    if parameter.type is str:
        change(text.strip())
        return
    if parameter.type is tuple:
        change(tuple(each.strip() for each in text.split(",") if each.strip()))
        return
    try:
        value = parameter.type(text.strip().replace(",", ".").removesuffix("%"))
        fits = (parameter.least is None or value >= parameter.least) and (
            parameter.most is None or value <= parameter.most
        )
    except ValueError:
        fits = False
    if fits:
        change(value)
    else:
        unit = f" of {parameter.unit}" if parameter.unit else ""
        desk.sources.complain(f"“{text}” is not a number{unit}.", f"Type a number such as {parameter.hint}.")


def _named(desk: Desk, fold: Fold, parameter: Parameter, now: Any, own: str) -> list[tuple[Any, str]] | None:
    """The things of the fold that a parameter can name; None where it names none, or there is nothing to list them by."""
    words = fold.columns + fold.rows
    if parameter.of == "measure":
        return [(each.id, measure_heading(each)) for each in fold.measures if each.id != own]
    if parameter.of == "word":
        return [(None, parameter.none), *((word.id, placed_heading(word)) for word in words)]
    if parameter.of == "member":
        word = next((each for each in words if each.id == getattr(now, "along", None)), None)
        return members_of(desk, word.field, word.part) if word is not None else None
    if parameter.of in ("field", "number") and now.field is not None:
        columns = desk.source.tables[now.field.table].columns if now.field.table in desk.source.tables else {}
        refs = [
            FieldRef(now.field.table, name)
            for name, column in columns.items()
            if parameter.of == "field" or (column.type.is_number and name != now.field.field)
        ]
        return [(None, parameter.none), *((ref, ref.field) for ref in refs)]
    return None
