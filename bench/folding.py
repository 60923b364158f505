"""Folding against the cost of reading the columns once, and against Arrow's own grouping of the leaves."""

from __future__ import annotations

import datetime
import time

import msgspec
import numpy as np
import pyarrow as pa

from bench.timing import Row, compare, timed
from foldbasket.demo.generator import quillmoor
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.cubes import kernels
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.formulas.checking import checked, schema_of
from foldbasket.formulas.evaluation import calculated
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue, Rest
from foldbasket.tables.column import CodedColumn, Column, Dictionary, NumberColumn, smallest_codes
from foldbasket.tables.conversion import from_arrow, to_arrow
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


def order_lines(lines: int) -> Table:
    """One wide table of order lines with the members of their customers and varieties, as a warehouse hands it out."""
    tables = quillmoor(lines)
    flat, orders = tables["order_lines"], tables["orders"]
    order = flat["Order no."].combine_chunks().indices
    customer = pa.array(
        np.searchsorted(tables["customers"]["Customer no."].to_numpy(), orders["Customer no."].to_numpy())
    ).take(order)
    variety = flat["Variety code"].combine_chunks().indices
    columns = {
        name: tables["customers"][name].combine_chunks().dictionary_encode().take(customer)
        for name in ("Region", "Site")
    }
    columns |= {"Line": tables["varieties"]["Line"].combine_chunks().dictionary_encode().take(variety)}
    columns |= {name: flat[name] for name in ("Order date", "Channel", "Quantity", "Net", "Cost")}
    return Table.of("Sales", [from_arrow(name, _chunked(values)) for name, values in columns.items()])


def _chunked(values: pa.Array | pa.ChunkedArray) -> pa.ChunkedArray:
    return values if isinstance(values, pa.ChunkedArray) else pa.chunked_array([values])


def ref(field: str) -> FieldRef:
    return FieldRef("Sales", field)


NET, COUNT = Measure("net", "sum", ref("Net")), Measure("count", "count")
ROWS, COLUMNS = (Placed("r", ref("Region")), Placed("s", ref("Site"))), (Placed("c", ref("Channel")),)
FOLD = Fold("bench", (NET, COUNT), ROWS, COLUMNS)


def fresh(table: Table, fold: Fold) -> object:
    """A fold with no stage kept from before."""
    return Engine(Source({"Sales": table})).fold(fold)


def raw(column: Column) -> np.ndarray:
    return column.codes if isinstance(column, CodedColumn) else column.values


def rows(lines: int) -> list[Row]:
    """The rows of the table that concern folding."""
    kernels.warm()
    table = order_lines(lines)
    used = [raw(table.columns[name]) for name in ("Region", "Site", "Channel", "Net")]
    arrow = to_arrow(Table.of("Sales", [table.columns[name] for name in ("Region", "Site", "Channel", "Net")]))
    million = f"{lines / 1e6:g} million records"
    found = [
        compare(
            f"fold {million}: 2 row fields × 1 column field, sum and count, all totals",
            "NumPy sum of the columns used",
            2.0,
            lambda: fresh(table, FOLD),
            lambda: [each.sum() for each in used],
        ),
        compare(
            "the same",
            "pyarrow group_by, the leaf grouping alone",
            0.2,
            lambda: fresh(table, FOLD),
            lambda: arrow.group_by(["Region", "Site", "Channel"]).aggregate([("Net", "sum"), ([], "count_all")]),
            rounds=3,
        ),
    ]
    kept = Fold("kept", (NET, COUNT), ROWS, COLUMNS, (Members("f", ref("Line"), members=("Herbs", "Trees")),))
    line = to_arrow(Table.of("Sales", [table.columns["Line"]]))["Line"]
    import pyarrow.compute as pc

    wanted = pa.array(["Herbs", "Trees"])
    found.append(
        compare(
            "the same with a filter on members",
            "pyarrow filter and group_by",
            0.3,
            lambda: fresh(table, kept),
            lambda: (
                arrow.filter(pc.is_in(line, value_set=wanted))
                .group_by(["Region", "Site", "Channel"])
                .aggregate([("Net", "sum"), ([], "count_all")])
            ),
            rounds=3,
        )
    )
    net = pa.chunked_array([pa.array(table.columns["Net"].values.astype(np.float64))])
    found.append(
        compare(
            f"median of {million}",
            "pyarrow.compute.quantile, exact",
            1.0,
            lambda: fresh(table, Fold("median", (Measure("m", "median", ref("Net")),))),
            lambda: pc.quantile(net),
            rounds=3,
        )
    )
    quantities = to_arrow(Table.of("Sales", [table.columns[name] for name in ("Channel", "Quantity")]))
    found.append(
        compare(
            f"different values of {million} in each channel",
            "pyarrow group_by, count_distinct",
            1.0,
            lambda: fresh(table, Fold("different", (Measure("m", "count different", ref("Quantity")),), COLUMNS)),
            lambda: quantities.group_by("Channel").aggregate([("Quantity", "count_distinct")]),
            rounds=3,
        )
    )
    found += formula_rows(table, arrow, line)
    found += kept_stages(table)
    return found


def formula_rows(table: Table, arrow: pa.Table, line: pa.ChunkedArray) -> list[Row]:
    """A record formula with three operations: alone, against the same by hand, and within a filtered fold."""
    import pyarrow.compute as pc

    source = Source({"Sales": table})
    text = "(Net - Cost) * 3 + Quantity"
    formula = checked(text, schema_of(source))
    today = datetime.date(2026, 9, 30)
    net, cost, quantity = (table.columns[name].values for name in ("Net", "Cost", "Quantity"))  # type: ignore[union-attr]
    three = to_arrow(Table.of("Sales", [table.columns[name] for name in ("Net", "Cost", "Quantity")]))
    cents = [
        pc.cast(three[name], pa.int64())
        if name == "Quantity"
        else pa.chunked_array([pa.array(table.columns[name].values)])
        for name in three.column_names
    ]  # type: ignore[union-attr]

    def in_arrow() -> pa.ChunkedArray:
        return pc.add(pc.multiply(pc.subtract(cents[0], cents[1]), 3), pc.multiply(cents[2], 100))

    def whole() -> object:
        measure = Measure("m", "formula", formula=f"SUM({text})")
        kept = (Members("f", ref("Line"), members=("Herbs", "Trees")),)
        return Engine(Source({"Sales": table})).fold(Fold("formula", (measure, COUNT), ROWS, COLUMNS, kept))

    def whole_in_arrow() -> object:
        made = arrow.append_column("made", in_arrow())
        kept = made.filter(pc.is_in(line, value_set=pa.array(["Herbs", "Trees"])))
        return kept.group_by(["Region", "Site", "Channel"]).aggregate([("made", "sum"), ([], "count_all")])

    name = "a record formula with three operations over 10 million records"
    return [
        compare(
            name,
            "the same in NumPy by hand",
            1.2,
            lambda: calculated(formula, source, "Sales", "m", today),
            lambda: (net - cost) * 3 + quantity * 100,
        ),
        compare(
            "the same",
            "the same in pyarrow compute",
            1.2,
            lambda: calculated(formula, source, "Sales", "m", today),
            in_arrow,
        ),
        compare(
            "the fold with a filter and a record formula with three operations",
            "pyarrow compute and group_by",
            0.3,
            whole,
            whole_in_arrow,
            rounds=3,
        ),
    ]


def kept_stages(table: Table) -> list[Row]:
    """Changes that touch no record, each against one frame; that they touch none is checked by the engine's counts."""
    engine = Engine(Source({"Sales": table}))
    engine.fold(FOLD)
    ran = {stage: count for stage, count in engine.ran.items() if stage != "frame"}
    region, site = ROWS
    replace = msgspec.structs.replace
    changes = {
        "turn": replace(FOLD, rows=COLUMNS, columns=ROWS),
        "fold all groups up": replace(FOLD, rows=(replace(region, closed=True), site)),
        "order by value, the top ten and All others": replace(
            FOLD, rows=(region, replace(site, by=ByValue("net"), descending=True, keep=Top("net", Rest.GATHERED)))
        ),
        "share of the column instead of the amount": replace(
            FOLD, measures=(replace(NET, compare=ShareOf(Whole.COLUMN)), COUNT)
        ),
    }
    found = [
        compare(
            f"{name}, with every stage before the frame kept",
            "one frame, 16 ms",
            1.0,
            lambda fold=fold: engine.fold(fold),  # type: ignore[misc]
            lambda: time.sleep(0.016),
        )
        for name, fold in changes.items()
    ]
    assert {stage: count for stage, count in engine.ran.items() if stage != "frame"} == ran
    return found


def growth(sizes: tuple[int, ...]) -> list[str]:
    """How the cost of one fold grows with the records, as lines of a table."""
    said = ["| records | fold | per million |", "|---|---|---|"]
    for size in sizes:
        table = order_lines(size)
        fresh(table, FOLD)
        best = min(timed(lambda: fresh(table, FOLD)) for _ in range(5))  # noqa: B023 - called at once
        said.append(f"| {size:,} | {best * 1000:.1f} ms | {best * 1e9 / size:.1f} ms |")
        print(said[-1], flush=True)
    return said


def groups_growth(records: int, sizes: tuple[int, ...]) -> list[str]:
    """How the cost of one fold grows with its groups, as lines of a table; beside it Arrow's grouping of the same leaves."""
    said = ["| groups | fold | pyarrow group_by | ratio |", "|---|---|---|---|"]
    rng = np.random.default_rng(1)
    amounts = NumberColumn("Net", FieldType.DECIMAL, rng.integers(-(10**6), 10**6, records), None, 2)
    for size in sizes:
        side = round(size**0.5)
        codes = [rng.integers(0, side, records).astype(smallest_codes(side)) for _ in range(2)]
        keys = [
            CodedColumn(name, each, Dictionary(FieldType.DATE, np.arange(side)))
            for name, each in zip("ab", codes, strict=True)
        ]
        table = Table.of("Sales", [*keys, amounts])
        fold = Fold("groups", (NET, COUNT), (Placed("a", ref("a")), Placed("b", ref("b"))))
        arrow = to_arrow(table)
        ours = min(timed(lambda: fresh(table, fold)) for _ in range(3))  # noqa: B023 - called at once
        theirs = min(
            timed(lambda: arrow.group_by(["a", "b"]).aggregate([("Net", "sum"), ([], "count_all")]))  # noqa: B023
            for _ in range(3)
        )
        said.append(f"| {side * side:,} | {ours * 1000:.0f} ms | {theirs * 1000:.0f} ms | {ours / theirs:.2f} |")
        print(said[-1], flush=True)
    return said
