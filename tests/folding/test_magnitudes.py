"""Amounts up to the edge of 64 bits, and totals far past it: every way of execution gives the exact number.

The wanted numbers are added up here, in plain Python, by none of the engine's code.
"""

import contextlib
import random
from decimal import Decimal
from fractions import Fraction

import pytest

from foldbasket.folding.compare.against import Against, How, Other
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.cubes.cluster_access import Where
from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.fold import FORMULA, Fold, Measure
from foldbasket.sql.staying import staying
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server, read_server, read_sqlite
from tests.folding.build import measure, placed, ref, table
from tests.folding.statement.loading import connected, loaded
from tests.folding.statement.test_random_statements import SERVERS
from tests.folding.streaming import streamed
from tests.folding.test_streamed import assert_same, told
from tests.rounds import seeds
from tests.tables.reading.servers import NotHereError

LINKS = (Link("Lines", "Orders", (("Order", "Order"),)),)
EDGE = 2**63 - 1
"""The largest whole number."""
DIGITS = {"sqlite": 15}
"""Decimals have 18 digits; those of SQLite are stored as floating point, which holds 15 of them."""
WAYS = ("stream", "cluster", *SERVERS)


def number(rng, digits, most):
    """A number of any magnitude up to the edge of 64 bits; one of so many fraction digits has at most so many digits in all."""
    edge = 10**most - 1 if digits else EDGE
    units = rng.choice([edge, edge - rng.randrange(10), rng.randrange(1 << rng.randrange(1, 64))])
    units = min(edge, units) * rng.choice([1, 1, 1, -1])
    return units if not digits else Decimal(units).scaleb(-digits)


def random_tables(rng, most=18):
    """Lines with amounts, prices and pieces of all magnitudes, and orders with freight."""

    def maybe(value):
        return value if rng.random() > 0.1 else None

    many, orders = rng.randint(8, 40), [f"o{at}" for at in range(6)]
    lines = {
        "Order": [maybe(rng.choice(orders)) for _ in range(many)],
        "Site": [maybe(rng.choice("ABCD")) for _ in range(many)],
        "Line": [rng.choice("xyz") for _ in range(many)],
        "Net": [Decimal("0.01"), *(maybe(number(rng, 2, most)) for _ in range(many - 1))],
        "Price": [Decimal("0.0001"), *(maybe(number(rng, 4, most)) for _ in range(many - 1))],
        "Pieces": [1, *(maybe(number(rng, 0, most)) for _ in range(many - 1))],
    }
    freight = [Decimal("0.01"), *(maybe(number(rng, 2, most)) for _ in orders[1:])]
    return [table("Lines", lines), table("Orders", {"Order": orders, "Freight": freight})]


COMPARED = (
    *(ShareOf(whole) for whole in Whole),
    Running(),
    Running(share=True),
    Running(restart=False),
    MovingAverage(members=2),
    *(Against(None, other, how=how) for other in (Other.PREVIOUS, Other.NEXT) for how in How),
)


def random_fold(rng):
    words = [placed(name) for name in rng.sample(["Lines.Site", "Lines.Line", "Lines.Order"], rng.randrange(4))]
    cut = rng.randrange(len(words) + 1)
    amount = rng.choice(["Lines.Net", "Lines.Pieces", "Lines.Price", "Orders.Freight"])
    kinds = ["sum", "average", "smallest", "largest", "range", "count different", "median"]
    measures = [measure("sum", "Lines.Net"), Measure("k", rng.choice(kinds), ref(amount))]
    measures.append(
        Measure("w", "weighted average", ref("Lines.Price"), weight=ref(rng.choice(["Lines.Net", "Lines.Pieces"])))
    )
    measures.append(Measure("f", FORMULA, formula="SUM(Net) - SUM(Price)"))
    if words:
        measures.append(Measure("c", "sum", ref(amount), compare=rng.choice(COMPARED)))
    ends = ["after", "before", "off"]
    return Fold("F", tuple(measures), tuple(words[:cut]), tuple(words[cut:]), (), rng.choice(ends), rng.choice(ends))


@pytest.fixture(scope="module", params=WAYS)
def way(request, tmp_path_factory):
    """A function that returns random tables, an engine over them in memory and one that works in another way."""
    folder = tmp_path_factory.mktemp("magnitudes")
    with contextlib.ExitStack() as stack:
        if request.param in SERVERS:
            try:
                connection = stack.enter_context(connected(request.param, folder / "nursery.sqlite"))
            except NotHereError as reason:
                pytest.skip(f"left out: {reason}")
            file = folder / "nursery.sqlite"
            yield lambda rng: in_server(
                request.param, connection, file, random_tables(rng, DIGITS.get(request.param, 18))
            )
        elif request.param == "cluster":
            cluster = Cluster(Where("local:2"))
            stack.callback(cluster.close)
            yield lambda rng: in_stream(random_tables(rng), folder, rng, cluster=cluster)
        else:
            patch = stack.enter_context(pytest.MonkeyPatch.context())
            patch.setattr(parquetstream, "LEAST", 5)
            yield lambda rng: in_stream(random_tables(rng), folder, rng)


def in_stream(tables, folder, rng, **more):
    whole = {each.name: each for each in tables}
    apart = {**whole, "Lines": streamed(whole["Lines"], folder, rng)}
    more = more or {"memory": 0}
    return tables, Engine(Source(whole, LINKS)), Engine(Source(apart, LINKS), **more)


def in_server(kind, connection, file, tables):
    loaded(connection, tables)
    connection.commit()
    made = {}, {}
    for each in tables:
        reading = Reading(table=each.name)
        if kind == "sqlite":
            made[0][each.name] = read_sqlite(file, each.name, reading)
            made[1][each.name] = staying(file, each.name, reading, None)
        else:
            url = connection.engine.url
            place = Server(kind, url.host, url.database, url.username, url.port)
            made[0][each.name] = read_server(place, each.name, reading, "carrots")
            made[1][each.name] = staying(place, each.name, reading, "carrots")
    return tables, *(Engine(Source(each, LINKS)) for each in made)


@pytest.mark.parametrize("seed", seeds(16))
def test_every_way_gives_the_numbers_of_tables_in_memory(way, seed):
    rng = random.Random(seed * 7 + 3)
    _, memory, apart = way(rng)
    for _ in range(8):
        fold = random_fold(rng)
        assert_same(apart.fold(fold), memory.fold(fold), fold)


def values_of(table, name):
    column = table.column(name)
    texts = [column.text(at) for at in range(table.count)]
    return [Fraction(each) if each is not None else None for each in texts]


def wanted(rows, price, weight, net):
    """Sum and average of the net amounts of some records, and the price weighted."""
    amounts = [net[at] for at in rows if net[at] is not None]
    pairs = [(price[at], weight[at]) for at in rows if price[at] is not None and weight[at] is not None]
    weights = sum(two for _, two in pairs)
    return (
        sum(amounts) if amounts else None,
        float(sum(amounts) / len(amounts)) if amounts else None,
        float(sum(one * two for one, two in pairs) / weights) if weights else None,
    )


@pytest.mark.parametrize("weight", ["Net", "Pieces"])
@pytest.mark.parametrize("seed", seeds(16))
def test_sums_averages_and_weighted_averages_are_exact(way, seed, weight):
    rng = random.Random(seed * 11 + 4)
    (lines, _), *engines = way(rng)
    measures = (
        measure("sum", "Lines.Net"),
        measure("average", "Lines.Net"),
        Measure("w", "weighted average", ref("Lines.Price"), weight=ref(f"Lines.{weight}")),
    )
    fold = Fold("F", measures, (placed("Lines.Site"), placed("Lines.Line")))
    site, line = ([lines.column(name).text(at) for at in range(lines.count)] for name in ("Site", "Line"))
    price, weights, net = (values_of(lines, name) for name in ("Price", weight, "Net"))
    for engine in engines:
        axes, cells = told(engine.fold(fold))
        for row, (one, two, _) in enumerate(axes[0]):
            records = [at for at in range(lines.count) if one in ("", site[at] or "(blank)") and two in ("", line[at])]
            total, *means = (block[row][0] for block in cells)
            exact, *others = wanted(records, price, weights, net)
            assert (total if total is None else Fraction(total)) == exact
            assert means == others
