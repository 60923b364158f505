"""A pricing summary over 100,000 lines equals exact decimal arithmetic in plain Python to the last digit."""

import datetime as dt
from decimal import Decimal, localcontext
from fractions import Fraction

import numpy as np

from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import CodedColumn, Dictionary, NumberColumn
from foldbasket.tables.conversion import coded_from_arrow
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

from .build import measure, placed, ref, source

LINES = 20_000
UNTIL = dt.date(2026, 9, 2)


def pricing():
    """Lines with a flag, a state, a day, and amounts whose products need six decimals."""
    rng = np.random.default_rng(20)
    quantity = rng.integers(1, 51, LINES)
    price = rng.integers(90_000, 10_500_000, LINES)  # cents
    off, tax = rng.integers(0, 11, LINES), rng.integers(0, 9, LINES)  # hundredths
    reduced = price * (100 - off)  # 10^-4
    charged = reduced * (100 + tax)  # 10^-6
    days = rng.integers(0, 700, LINES)
    start = (dt.date(2025, 1, 1) - dt.date(1970, 1, 1)).days

    def word(name, codes, members):
        import pyarrow as pa

        return coded_from_arrow(name, pa.chunked_array([pa.array(np.array(members)[codes])]))

    columns = [
        word("Flag", rng.integers(0, 3, LINES), ["A", "N", "R"]),
        word("State", rng.integers(0, 2, LINES), ["F", "O"]),
        CodedColumn("Shipped", days.astype(np.uint16), Dictionary(FieldType.DATE, np.arange(start, start + 700))),
        NumberColumn("Quantity", FieldType.WHOLE, quantity),
        NumberColumn("Price", FieldType.DECIMAL, price, None, 2),
        NumberColumn("Reduced", FieldType.DECIMAL, reduced, None, 4),
        NumberColumn("Charged", FieldType.DECIMAL, charged, None, 6),
        NumberColumn("Discount", FieldType.DECIMAL, off, None, 2),
    ]
    return Table.of("Lines", columns)


def test_a_pricing_summary_is_exact_to_the_last_digit():
    lines = pricing()
    sums = [measure("sum", f"Lines.{name}") for name in ("Quantity", "Price", "Reduced", "Charged")]
    averages = [measure("average", f"Lines.{name}") for name in ("Quantity", "Price", "Discount")]
    fold = Fold(
        "Pricing",
        (*sums, *averages, measure("count")),
        (placed("Lines.Flag"), placed("Lines.State")),
        filters=(Compare("f", ref("Lines.Shipped"), None, "≤", UNTIL.isoformat()),),
    )
    report = Engine(source(lines)).fold(fold)

    raw = {name: [lines.columns[name].text(at) for at in range(LINES)] for name in lines.columns}
    groups: dict[tuple[str, ...], list[int]] = {}
    for at in range(LINES):
        if dt.date.fromisoformat(raw["Shipped"][at]) <= UNTIL:
            flag, state = raw["Flag"][at], raw["State"][at]
            for key in ((flag, state), (flag,), ()):
                groups.setdefault(key, []).append(at)
    assert 16_000 < len(groups[()]) < LINES
    with localcontext() as exact:
        exact.prec = 60
        for line in range(report.height):
            key = tuple(report.rows.key(line, field) for field in range(int(report.rows.level[line])))
            records = groups.pop(key)
            price = [Decimal(raw["Price"][at]) for at in records]
            for column, name in enumerate(("Quantity", "Price", "Reduced", "Charged")):
                assert Decimal(report.value(line, column)) == sum(Decimal(raw[name][at]) for at in records)
            # The price after discount and tax follows from its parts, digit by digit.
            one = records[0]
            assert Decimal(raw["Reduced"][one]) == price[0] * (1 - Decimal(raw["Discount"][one]))
            for column, name in enumerate(("Quantity", "Price", "Discount"), 4):
                mean = sum(Fraction(Decimal(raw[name][at])) for at in records) / len(records)
                assert report.value(line, column) == float(mean)  # rounded once, to the nearest
            assert report.value(line, 7) == len(records)
    assert not groups
