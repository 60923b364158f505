"""Every aggregate, in every cell and total of random folds over random tables, against plain Python over the raw records."""

import datetime as dt
import random
import warnings
from decimal import Decimal

import pyarrow as pa
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.engine import Engine
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.states.aggregates.aggregate import offered
from foldbasket.links.link import Link
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.table import Table
from tests.rounds import seeds

from .build import source, table
from .python_oracle import agrees, answer

FIELDS = {
    "Net": FieldRef("Lines", "Net"),
    "Pieces": FieldRef("Lines", "Pieces"),
    "Rate": FieldRef("Lines", "Rate"),
    "Sold": FieldRef("Lines", "Sold"),
    "Word": FieldRef("Lines", "Word"),
    "Freight": FieldRef("Orders", "Freight"),
    "Note": FieldRef("Orders", "Note"),
}


def random_tables(seed, lines=60):
    """Lines and their orders: blanks, keys without partner, negative and huge amounts, single records and none."""
    draw = random.Random(seed)
    count = draw.choice([0, 1, 2, 7, lines])
    huge = draw.random() < 0.2

    def maybe(value):
        return None if draw.random() < 0.12 else value

    orders = draw.randrange(1, 12)
    records = {
        "Order": [maybe(f"Q{draw.randrange(orders + 2)}") for _ in range(count)],
        "Region": [maybe(draw.choice(["North", "South", "Plot 9", "Plot 10"])) for _ in range(count)],
        "Channel": [maybe(draw.choice("abc")) for _ in range(count)],
        "Net": [maybe(Decimal(draw.randrange(-(10**15) if huge else -5000, 10**15 if huge else 90000)).scaleb(-2)) for _ in range(count)],
        "Pieces": [maybe(draw.randrange(-3, 9)) for _ in range(count)],
        "Rate": [maybe(draw.choice([0.1, 0.25, -1.5, 3.0, 1e6 + 0.125])) for _ in range(count)],
        "Sold": [maybe(dt.date(2026, 1, 1) + dt.timedelta(days=draw.randrange(40))) for _ in range(count)],
        "Word": [maybe(draw.choice(["fern 2", "fern 10", "Moss", "ash"])) for _ in range(count)],
    }  # fmt: skip
    far = {
        "Order": [f"Q{n}" for n in range(orders)],
        "Freight": [maybe(Decimal(draw.randrange(0, 3000)).scaleb(-2)) for _ in range(orders)],
        "Note": [maybe(draw.choice(["x", "y", "z"])) for _ in range(orders)],
        "Day": [maybe(dt.date(2026, 2, 1) + dt.timedelta(days=draw.randrange(9))) for _ in range(orders)],
    }
    return records, far, count


def made(name, records):
    kinds = {"Net": pa.decimal128(18, 2), "Freight": pa.decimal128(18, 2), "Pieces": pa.int64(), "Rate": pa.float64(), "Sold": pa.date32(), "Day": pa.date32()}  # fmt: skip
    return Table.of(
        name,
        [
            from_arrow(field, pa.chunked_array([pa.array(values, kinds.get(field, pa.string()))]))
            for field, values in records.items()
        ],
    )


@pytest.mark.parametrize("seed", seeds(60))
def test_every_cell_and_total_of_every_aggregate_is_what_plain_python_says(seed):
    draw = random.Random(seed * 7 + 1)
    records, far, count = random_tables(seed)
    joined = source(made("Lines", records), made("Orders", far), links=[Link("Lines", "Orders", (("Order", "Order"),))])
    rows = tuple(
        Placed(f"r{n}", FieldRef("Lines", name))
        for n, name in enumerate(draw.sample(["Region", "Channel"], draw.randrange(3)))
    )
    columns = tuple(Placed(f"c{n}", FieldRef("Lines", "Word")) for n in range(draw.randrange(2)))
    measures = []
    for node in offered():
        name = node.name
        fitting = [field for field, ref in FIELDS.items() if joined.column(ref).type in node.takes]
        field = draw.choice(fitting if name != "list" else ["Word", "Note"])
        ref = FIELDS[field] if node.needs_field else None
        weight = order = None
        if ref is not None and ref.table == "Lines":
            weight, order = FieldRef("Lines", "Pieces"), FieldRef("Lines", "Sold")
        elif ref is not None:
            weight, order = FieldRef("Orders", "Freight"), FieldRef("Orders", "Day")
        uses = {each.name for each in node.parameters}
        measures.append(
            Measure(name, name, ref, percent=float(draw.choice([0, 25, 90, 100])), weight=weight if "weight" in uses else None, order=order if "order" in uses else None)
        )  # fmt: skip
    report = Engine(joined).fold(Fold("F", tuple(measures), rows, columns))
    number = {key: at for at, key in enumerate(far["Order"])}
    partner = [number.get(key, -1) for key in records["Order"]]

    def beneath(line, column):
        chosen = []
        for at in range(count):
            names = [(report.rows, line, rows), (report.columns, column, columns)]
            if all(
                axis.codes[where, field] < 0 or (records[word.field.field][at] or None) == axis.key(where, field)
                for axis, where, words in names
                for field, word in enumerate(words)
            ):
                chosen.append(at)
        return chosen

    for line in range(report.height):
        for column in range(len(report.columns)):
            under = beneath(line, column)
            for at, measure in enumerate(measures):
                got = report.value(line, column * len(measures) + at)
                if not under:
                    assert got is None
                    continue
                if measure.field is None or measure.field.table == "Lines":
                    name = measure.field.field if measure.field else "Net"
                    pairs = [(records[name][n], records["Pieces"][n], records["Sold"][n], n) for n in under]
                else:
                    ones = sorted({partner[n] for n in under if partner[n] >= 0})
                    pairs = [(far[measure.field.field][n], far["Freight"][n], far["Day"][n], n) for n in ones]
                wanted = answer(measure.aggregate, pairs, len(under), measure.percent)
                assert agrees(got, wanted), (measure.aggregate, measure.field, got, wanted, line, column)
    assert report.height == 0 or report.rows.kind[-1] in (Kind.GRAND, Kind.MEMBER)


def one(values, aggregate, **more):
    joined = source(table("T", {"X": values, "W": [1] * len(values)}))
    report = Engine(joined).fold(Fold("F", (Measure("m", aggregate, FieldRef("T", "X"), **more),)))
    return report.value(0, 0) if report.height else None


def test_numbers_at_the_end_of_all_numbers_have_a_middle_and_warn_of_nothing():
    far = [-1.6e308, -1.0, 1.6e308, 1.7e308]
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        assert one(far, "median") == (1.6e308 - 1) / 2
        assert one([-1.6e308, 1.6e308], "median") == 0
        assert one([-1.6e308, 1.6e308], "percentile", percent=25.0) == pytest.approx(-0.8e308)
        for aggregate in ("range", "variance", "standard deviation", "variance of all", "average"):
            one(far, aggregate)


def test_a_percentile_of_101_is_refused():
    with pytest.raises(FoldError, match="no percentile 101"):
        one([1, 2, 3], "percentile", percent=101.0)


def test_a_weighted_average_without_weight_and_a_first_without_order_say_what_they_need():
    with pytest.raises(FoldError, match="needs a weight"):
        one([1, 2], "weighted average")
    with pytest.raises(FoldError, match="what comes first"):
        one([1, 2], "first")


def test_weights_of_another_table_are_refused():
    joined = source(
        table("A", {"X": [1], "K": ["a"]}), table("B", {"K": ["a"], "W": [2]}), links=[Link("A", "B", (("K", "K"),))]
    )
    with pytest.raises(FoldError, match="two fields of one table"):
        Engine(joined).fold(
            Fold("F", (Measure("m", "weighted average", FieldRef("A", "X"), weight=FieldRef("B", "W")),))
        )


def test_spread_is_not_lost_far_from_zero():
    assert one([1e9 + value for value in (4.0, 7.0, 13.0, 16.0)], "variance") == pytest.approx(30, rel=1e-12)
    assert one([10**15 + value for value in (4, 7, 13, 16)], "standard deviation of all") == pytest.approx(
        22.5**0.5, rel=1e-9
    )


def test_a_sample_of_one_has_no_spread_and_all_of_one_none():
    assert one([5], "variance") is None
    assert one([5], "variance of all") == 0


def test_a_list_is_cut_at_fifty():
    assert one([f"v{n}" for n in range(53)], "list").endswith("v49, … and 3 more")


def test_a_list_of_numbers_and_dates_goes_by_value():
    assert one([10, 9, -1, 9], "list") == "-1, 9, 10"
    assert one([dt.date(2026, 2, 1), dt.date(2025, 12, 31)], "list") == "31 Dec 2025, 1 Feb 2026"


def test_every_aggregate_says_its_name_meaning_and_sql_and_appears_once():
    assert len({node.label for node in offered()}) == len(offered()) == 20
    for node in offered():
        assert node.meaning.endswith(".")
        assert node.sql
