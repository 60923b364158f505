"""The card of a measure: how it is summed up, how its numbers are written, its name."""

from __future__ import annotations

import msgspec
from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.compare import compare_section
from foldbasket.desktop.card.formula import measure_formula_section
from foldbasket.desktop.card.highlights import highlights_section
from foldbasket.desktop.card.number import number_section
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, offered
from foldbasket.sentence.phrases import shown_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, TotalOf
from foldbasket.styling.words import number_of, ordinal
from foldbasket.tables.column import Column, DeferredColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.sample import is_sampled


def measure_card(desk: Desk, measure: Measure, parent: QWidget) -> CardBody:
    """Builds the card."""
    fold = desk.fold
    assert fold is not None
    column = desk.column(measure.field) if measure.field is not None else None
    body = CardBody(shown_heading(measure, fold, desk.source), _remark(desk, measure, column), parent)
    if measure.formula:
        measure_formula_section(desk, body, measure)
    if column is not None:
        _summarise_section(desk, body, fold, measure, column)
    compare_section(body, desk, measure)
    number_section(desk, body, measure)
    highlights_section(desk, body, measure)
    body.section("Totals")
    body.choice(
        "Totals",
        TotalOf.choices(),
        measure.total,
        lambda value: desk.words.change(measure.id, "Change what totals are", total=value),
    )
    default = shown_heading(msgspec.structs.replace(measure, heading=None), fold, desk.source)
    body.renaming(
        measure.heading, default, lambda text: desk.words.change(measure.id, f"Rename {default}", heading=text)
    )
    at = [each.id for each in fold.measures].index(measure.id)
    body.section("Place", f"{ordinal(at + 1)} measure" if len(fold.measures) > 1 else "the measure")
    if measure.field is not None:
        body.link("Make rows of it", lambda: desk.words.move(measure.id, "rows"))
    body.link("Take it out", lambda: desk.words.remove(measure.id))
    return body.end()


def _remark(desk: Desk, measure: Measure, column: Column | None) -> str:
    """What the card says under its title."""
    if measure.formula:
        return "Worked out on the summaries of every cell and every total"
    if measure.field is None:
        return "Counts the records themselves"
    table = desk.basket.source_name(measure.field.table)
    if column is None:
        return f"{measure.field.field} is no longer in {table}"
    if isinstance(column, DeferredColumn):  # asking for its blanks would encode it, and the window would wait
        return f"{measure.field.field} · {table} · {number_of(len(column), 'record')}"
    whole = desk.tables[measure.field.table]
    if is_sampled(whole):
        profile = desk.profiles.get((whole.serial, measure.field.field))
        if profile is None or profile.blanks is None:
            return f"{measure.field.field} · {table} · {number_of(whole.count, 'record')}"
        return _values_said(measure.field.field, table, whole.count, profile.blanks)
    return _values_said(measure.field.field, table, len(column), column.blank_count)


def _values_said(field: str, table: str, records: int, blank: int) -> str:
    blanks = f"{blank:,} blank" if blank else "none blank"
    return f"{field} · {table} · {number_of(records - blank, 'value')}, {blanks}"


def _summarise_section(desk: Desk, body: CardBody, fold: Fold, measure: Measure, column: Column) -> None:
    """How its values become one."""
    body.section("Summarise")
    ref = measure.field
    assert ref is not None
    fitting = [node for node in offered() if column.type in node.takes and node.needs_field]

    def reset(changed: Measure) -> None:
        desk.do(edits.Swap(fold.key, measure.id, changed, f"Change how {ref.field} is summed up"))

    def summarise(name: str) -> None:
        desk.words.change(measure.id, f"{AGGREGATES[name].label} of {ref.field}", aggregate=name)

    usual = [node for node in fitting if node.is_usual or node.name == measure.aggregate]
    body.chips([(node.name, node.label, node.meaning) for node in usual], measure.aggregate, summarise, "Summarise")
    others = [(node.name, node.label) for node in fitting if node not in usual]
    body.choice("Another way", [(None, "choose…"), *others], None, lambda name: summarise(name) if name else None)
    summed_by = AGGREGATES.get(measure.aggregate)
    if summed_by is not None:
        body.text(summed_by.meaning, "quiet")
        draw_parameters(body, desk, fold, measure, reset, measure.id, summed_by.parameters)
    _warn_of_price(desk, body, measure, column)
    if desk.report is not None:
        head = next((head for head in desk.report.measures if head.id == measure.id), None)
        if head is not None and head.remark:
            body.text(head.remark, "quiet")


def _warn_of_price(desk: Desk, body: CardBody, measure: Measure, column: Column) -> None:
    """Prices added up mean nothing: says so, and offers what does."""
    if measure.field is None or measure.aggregate != "sum" or not nature_of(column).is_rate:
        return
    body.text(
        f"A sum of {measure.field.field.lower()} means little: average it, or weight it by a quantity.",
        "warning",
    )
    quantities = [
        FieldRef(measure.field.table, name)
        for name, each in desk.source.table(measure.field.table).columns.items()
        if nature_of(each) is Nature.QUANTITY
    ]
    if quantities:
        weight = quantities[0]
        body.link(
            f"Average it, weighted by {weight.field}",
            lambda: desk.words.change(
                measure.id, f"Weight by {weight.field}", aggregate="weighted average", weight=weight
            ),
        )
