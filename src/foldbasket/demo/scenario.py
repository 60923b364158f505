"""Lays the whole demo down in a folder: the data files, the untidy file and the basket that folds them."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import pyarrow as pa
import pyarrow.csv as pc

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import save_basket
from foldbasket.demo.generator import DEFAULT_LINES, SEED, quillmoor
from foldbasket.demo.untidy import UNTIDY_LINES, UNTIDY_PLAN, write_untidy, write_untidy_plan
from foldbasket.folding.compare.against import AgainstMeasure, How
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.filters.members import Members
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.later import pq
from foldbasket.links.link import Link
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue, Rest
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.reading.readers import table_name

BASKET = "quillmoor.basket"


def write_demo(
    folder: Path, lines: int = DEFAULT_LINES, kind: Literal["csv", "parquet"] = "csv", seed: int = SEED
) -> Path:
    """Writes the six tables, the untidy file and the basket into `folder`; the path of the basket."""
    folder.mkdir(parents=True, exist_ok=True)
    tables = quillmoor(lines, seed)
    for stem, table in tables.items():
        write_table(table, folder / f"{stem}.{kind}")
    write_untidy(tables["order_lines"], folder / UNTIDY_LINES)
    write_untidy_plan(tables["plan"], folder / UNTIDY_PLAN)
    path = folder / BASKET
    save_basket(demo_basket(list(tables), kind), path)
    return path


def write_table(table: pa.Table, path: Path) -> None:
    """Writes a table as CSV or Parquet, by the ending of `path`."""
    if path.suffix == ".parquet":
        pq.write_table(table, path, store_schema=False)
        return
    # No value of the demo needs quotes; a header without them and plain values is what most exports look like.
    with path.open("wb") as file:
        file.write((",".join(table.column_names) + "\n").encode())
        pc.write_csv(table, file, pc.WriteOptions(include_header=False, quoting_style="none"))


def demo_basket(stems: list[str], kind: str = "csv") -> Basket:
    """The demo's basket: sources, links and folds."""
    return Basket(
        name="Quillmoor sales",
        sources=tuple(SourceSpec(table_name(Path(stem)), f"{stem}.{kind}") for stem in stems),
        links=(
            Link("Order lines", "Orders", (("Order no.", "Order no."),)),
            Link("Order lines", "Varieties", (("Variety code", "Variety code"),)),
            Link("Orders", "Customers", (("Customer no.", "Customer no."),)),
            Link("Orders", "Sellers", (("Seller code", "Seller code"),)),
        ),
        folds=demo_folds(),
        shared=(
            Shared((FieldRef("Customers", "Region"), FieldRef("Plan", "Region"))),
            Shared((FieldRef("Order lines", "Order date"), FieldRef("Plan", "Month"))),
            Shared((FieldRef("Plan", "Line"), FieldRef("Varieties", "Line"))),
        ),
    )


def demo_folds() -> tuple[Fold, ...]:
    """First reports over the demo's tables."""

    def line(field: str) -> FieldRef:
        return FieldRef("Order lines", field)

    def customer(field: str) -> FieldRef:
        return FieldRef("Customers", field)

    def variety(field: str) -> FieldRef:
        return FieldRef("Varieties", field)

    whole = NumberStyle(pattern="#,##0", negatives="parentheses")
    net = Measure("net", "sum", line("Net"), heading="Net sales", number=whole)
    cost = Measure("cost", "sum", line("Cost"), number=whole)
    return (
        Fold(
            name="Net sales by site",
            measures=(net, cost),
            rows=(Placed("region", customer("Region")), Placed("site", customer("Site"))),
            columns=(Placed("quarter", line("Order date"), part="quarter"),),
            filters=(
                Members("channel", line("Channel"), members=("Trade", "Web")),
                Members(
                    "when", line("Order date"), part="quarter", members=("2025-Q4", "2026-Q1", "2026-Q2", "2026-Q3")
                ),
            ),
        ),
        Fold(
            name="Lines, quarter by quarter",
            measures=(net,),
            rows=(Placed("line", variety("Line")), Placed("family", variety("Family"))),
            columns=(
                Placed("year", line("Order date"), part="year"),
                Placed("quarter", line("Order date"), part="quarter of year", heading="Quarter"),
            ),
        ),
        Fold(
            name="Channels and segments",
            measures=(
                net,
                Measure("lines", "count", heading="Lines"),
                Measure("price", "average", line("Unit price"), heading="Usual price"),
            ),
            rows=(Placed("segment", customer("Segment")),),
            columns=(Placed("channel", line("Channel")),),
        ),
        Fold(
            name="Actual vs plan",
            measures=(
                net,
                Measure("plan", "sum", FieldRef("Plan", "Planned net"), heading="Plan", number=whole),
                Measure(
                    "gap",
                    "sum",
                    line("Net"),
                    compare=AgainstMeasure("plan", How.CHANGE),
                    heading="Variance to plan",
                    number=NumberStyle(pattern="0.0%"),
                ),
            ),
            rows=(Placed("region", customer("Region")), Placed("line", variety("Line"))),
            columns=(Placed("half", line("Order date"), part="half"),),
        ),
        Fold(
            name="Ten best customers",
            measures=(
                net,
                Measure(
                    "share", "sum", line("Net"), compare=ShareOf(), heading="Share", number=NumberStyle(pattern="0.0%")
                ),
                Measure(
                    "reached",
                    "sum",
                    line("Net"),
                    compare=Running("who", share=True),
                    heading="Reached",
                    number=NumberStyle(pattern="0.0%"),
                ),
            ),
            rows=(
                Placed(
                    "who",
                    customer("Customer"),
                    by=ByValue("net"),
                    descending=True,
                    keep=Top("net", Rest.GATHERED),
                ),
            ),
        ),
        Fold(
            name="Freight by team",
            measures=(
                Measure("freight", "sum", FieldRef("Orders", "Freight"), number=NumberStyle(pattern="#,##0.00")),
                Measure("pieces", "sum", line("Quantity"), heading="Pieces"),
                Measure("last", "largest", line("Order date"), heading="Latest order"),
            ),
            rows=(Placed("team", FieldRef("Sellers", "Team")), Placed("seller", FieldRef("Sellers", "Seller"))),
        ),
    )
