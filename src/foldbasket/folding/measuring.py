"""What the measures of a fold are aggregated with: their aggregates, checked, and what those run over."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.states.aggregates.aggregate import Aggregate, Operand, aggregate_named
from foldbasket.folding.states.quantities import Quantity
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Measure, TotalOf
from foldbasket.tables.column import CodedColumn, Column


def completed(measure: Measure, source: Source) -> Measure:
    """The measure with its order by default: the first date of its table."""
    if measure.aggregate == FORMULA:
        return measure
    aggregate = aggregate_named(measure.aggregate)
    if aggregate.takes_setting("order") and measure.order is None and measure.field is not None:
        table = source.table(measure.field.table)
        dates = [name for name, column in table.columns.items() if column.type.is_time]
        if dates:
            return msgspec.structs.replace(measure, order=FieldRef(measure.field.table, dates[0]))
    return measure


def fitting(measure: Measure, source: Source) -> Aggregate:
    """The aggregate of a measure. Raises FoldError where its field is of no type that it takes, or a setting is wrong."""
    aggregate, operand = aggregate_named(measure.aggregate), None
    if measure.field is not None:
        column = source.column(measure.field)
        operand = Operand(column.type, column.scale)
        aggregate.quantities(measure)
    aggregate.check(operand, measure.field.field if measure.field else measure.id)
    return aggregate


def operand_of(
    measure: Measure,
    aggregate: Aggregate,
    column_of: Callable[[Quantity], Column],
    locale: str,
    in_order: Callable[[Quantity], tuple[Column, npt.NDArray[np.int64]]],
) -> Operand | None:
    """What an aggregate runs over, from the column of each quantity; None for the records themselves. `in_order` gives, for one that numbers records by
    another field, the column of their values and the record at each number."""
    if measure.field is None:
        return None
    needs = aggregate.quantities(measure) if aggregate.parameters and not aggregate.needs_values else {}
    ranked = next((quantity for quantity, _ in needs.values() if quantity.kind == "rank"), None)
    column, records = in_order(ranked) if ranked is not None else (column_of(Quantity(measure.field)), None)
    return Operand(
        column.type,
        column.scale,
        column.dictionary if isinstance(column, CodedColumn) else None,
        column,
        {key: column_of(quantity).scale for key, (quantity, _) in needs.items()},
        records,
        locale,
    )


def standing(cube: Cube, maker: LocalMaker, quantity: Quantity) -> Column:
    """What tells the type and the members of a quantity: what stands for it in a cube, or its own column."""
    return cube.stands[quantity] if quantity in cube.stands else maker.column(quantity)


def remark_on(measure: Measure, base: str | None, source: Source) -> str:
    """What is to be known of a measure's totals, in a sentence; nothing where they say what one expects. `base` is the table it is aggregated over."""
    said = TotalOf(measure.total).meaning
    if measure.field is not None and base is not None and measure.field.table != base and measure.total == "records":
        return f"Each record of {source.called(measure.field.table)} counts once in a cell, so totals can be less than the sum of their parts."
    return said
