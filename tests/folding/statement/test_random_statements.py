"""Random folds said in SQL: real servers give the report's numbers, cell by cell and total by total."""

import datetime as dt
import random
from decimal import Decimal
from fractions import Fraction

import msgspec
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.compare.against import Against, AgainstMeasure, How, Other
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.compare.shares import Index, ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.blank import Blank
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative
from foldbasket.folding.filters.text import TextRule, Way
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Fold, Measure, Placed
from foldbasket.sql.pieces import NoSqlError
from foldbasket.styling.dates import Fiscal
from tests.folding.build import bands, table
from tests.rounds import seeds
from tests.tables.reading.servers import NotHereError

from .loading import answered, connected, loaded, reported, written

D = Decimal
FOLDS = 25
SERVERS = ("postgresql", "mariadb", "sqlite")
LEAST = {"postgresql": 0.7, "mariadb": 0.5, "sqlite": 0.4}
"""How much of the folds each server must be able to say: the rest use what it does not have."""
replace = msgspec.structs.replace


@pytest.fixture(scope="module", params=SERVERS)
def server(request):
    try:
        with connected(request.param) as connection:
            yield request.param, connection
    except NotHereError as reason:
        pytest.skip(f"left out: {reason}")


def ref(path):
    return FieldRef(*path.split("."))


def random_tables(rng):
    def maybe(value, odds=0.12):
        return value if rng.random() > odds else None

    many = rng.randint(15, 70)
    orders = [f"o{at}" for at in range(9)]
    lines = {
        "Order no.": [maybe(rng.choice([*orders, "x1"])) for _ in range(many)],
        "Site": [
            maybe(rng.choice(["East", "east", "Süd", "Plot 9", "Plot 10", "O'Brien", "a%b"])) for _ in range(many)
        ],
        "Sold": [maybe(dt.date(2025, 11, 3) + dt.timedelta(rng.randrange(420)), 0.05) for _ in range(many)],
        "Qty": [maybe(rng.randint(-5, 20)) for _ in range(many)],
        "Net": [maybe(D(rng.randint(-9999, 99999)) / 100) for _ in range(many)],
        "Rate": [maybe(rng.randint(1, 400) / 8) for _ in range(many)],
        "Paid": [maybe(rng.random() > 0.5) for _ in range(many)],
    }
    heads = {
        "Order no.": orders,
        "Customer": [maybe(rng.choice(["k1", "k2", "k3", "gone"])) for _ in orders],
        "Freight": [maybe(D(rng.randint(-300, 900)) / 100) for _ in orders],
        "At": [maybe(dt.datetime(2026, 1, 1) + dt.timedelta(hours=rng.randrange(9000))) for _ in orders],
    }
    customers = {"Customer": ["k1", "k2", "k3"], "Region": [maybe(each) for each in ("North", "South", "North")]}
    first = {
        "Order no.": "o1",
        "Site": "East",
        "Sold": dt.date(2026, 2, 28),
        "Qty": 3,
        "Net": D("1.25"),
        "Rate": 2.5,
        "Paid": True,
    }
    for name, value in first.items():
        lines[name][0] = value
    heads["Customer"][0], heads["Freight"][0], heads["At"][0] = "k1", D("2.50"), dt.datetime(2026, 3, 1, 7)
    customers["Region"][0] = "North"
    return [table("Lines", lines), table("Orders", heads), table("Customers", customers)]


LINKS = (
    Link("Lines", "Orders", (("Order no.", "Order no."),)),
    Link("Orders", "Customers", (("Customer", "Customer"),)),
)


def random_word(rng, at):
    name = rng.choice(
        [
            "Lines.Site",
            "Lines.Sold",
            "Lines.Sold",
            "Customers.Region",
            "Orders.At",
            "Lines.Qty",
            "Lines.Net",
            "Lines.Paid",
            "Orders.Freight",
        ]
    )
    word = Placed(f"p{at}", ref(name), subtotal=rng.choice(["after", "before", "off"]), descending=rng.random() < 0.3)
    if name == "Lines.Sold":
        parts = ["year", "half", "quarter", "month", "week", "day", "month of year", "quarter of year", "half of year", "weekday",
                 "fiscal year", "fiscal quarter", "fiscal month of year", "fiscal quarter of year"]  # fmt: skip
        part = rng.choice(parts)
        groups = (
            Groups((Group("first", ("2026-Q1", "2025-Q4")),), rng.choice([None, "rest"]))
            if part == "quarter" and rng.random() < 0.5
            else None
        )
        return replace(word, part=part, groups=groups)
    if name == "Orders.At":
        return replace(word, part=rng.choice(["month", "hour", "weekday", "day"]))
    if name == "Lines.Qty":
        return replace(word, bands=bands("edges", ("-1", "2", "4.5", "7")))
    if name == "Lines.Net":
        return replace(word, bands=bands("edges", ("-50.005", "0", "300")))
    if name == "Lines.Site" and rng.random() < 0.5:
        return replace(
            word,
            groups=Groups(
                (Group("Plots", ("Plot 9", "Plot 10")), Group("Ends", ("East", "gone"))), rng.choice([None, "Others"])
            ),
        )
    return word


FORMULAS = (
    "SUM(Net) / COUNT(*)", "SUM(Net * Qty) - SUM(Net)", "SUM(Freight) / SUM(Net)", "COUNT(*) FILTER (WHERE Net > 100 OR Qty IS NULL)",
    "SUM(CASE WHEN Site LIKE 'E%' THEN Net ELSE 0 END)", "COALESCE(SUM(Net), 0) + \"n\"", "SUM(Qty) FILTER (WHERE NOT Site IN ('East', 'Süd'))",
    "ROUND(AVG(Net), 1)", "GREATEST(SUM(Net), SUM(Freight))", "COUNT(DISTINCT Site) * 2", "SUM(Net) FILTER (WHERE EXTRACT(QUARTER FROM Sold) = 1)",
    "SUM(Qty) FILTER (WHERE Sold BETWEEN DATE '2026-01-01' AND CURRENT_DATE)", "NULLIF(COUNT(*), 3)", "ABS(SUM(Net)) + SIGN(SUM(Qty))",
    "SUM(Freight) FILTER (WHERE Region = 'North')", "SUM(CHAR_LENGTH(Site) + POSITION('o' IN Site))", "MAX(Sold) - MIN(Sold)",
)  # fmt: skip


def random_measure(rng, at, words):
    name = rng.choice(
        [
            "sum",
            "sum",
            "count",
            "average",
            "smallest",
            "largest",
            "count values",
            "count different",
            "weighted average",
            "range",
            "median",
            "standard deviation of all",
            FORMULA,
        ]
    )
    made = Measure(f"m{at}", name, heading=f"M {at}")
    if name == "count":
        pass
    elif name == FORMULA:
        return replace(made, formula=rng.choice(FORMULAS))
    elif name == "weighted average":
        made = replace(made, field=ref("Lines.Rate"), weight=ref("Lines.Qty"))
    elif name in ("smallest", "largest", "count values", "count different"):
        made = replace(
            made, field=ref(rng.choice(["Lines.Site", "Lines.Sold", "Lines.Net", "Orders.Freight", "Customers.Region"]))
        )
        if name in ("smallest", "largest") and made.field.field != "Net":
            return made
    else:
        made = replace(made, field=ref(rng.choice(["Lines.Net", "Lines.Qty", "Lines.Rate", "Orders.Freight"])))
    if words and rng.random() < 0.35:
        compares = [ShareOf(rng.choice(list(Whole))), Rank(), Rank(smallest_first=True), Running(), Running(share=True), Index(),
                    AgainstMeasure(measure="n", how=rng.choice(list(How))), Against(None, rng.choice([Other.PREVIOUS, Other.NEXT, Other.YEAR_BEFORE]), how=rng.choice(list(How))), MovingAverage(members=2)]  # fmt: skip
        made = replace(made, compare=rng.choice(compares))
    return made


def random_rule(rng, at):
    made = [
        Members(f"f{at}", ref("Lines.Site"), members=("East", "Plot 9", "nobody"), blank=rng.random() < 0.5, exclude=rng.random() < 0.5),
        Members(f"f{at}", ref("Customers.Region"), members=("North",), blank=rng.random() < 0.5, no_match=rng.random() < 0.5, exclude=rng.random() < 0.5),
        Members(f"f{at}", ref("Lines.Sold"), "quarter", ("2026-Q1", "2026-Q2"), exclude=rng.random() < 0.3),
        Compare(f"f{at}", ref(rng.choice(["Lines.Net", "Orders.Freight"])), None, rng.choice("=≠<≤>≥"), rng.choice(["0", "1.25", "3.005"])),
        Compare(f"f{at}", ref("Lines.Site"), None, rng.choice("=≠<≤>≥"), "Plot 9"),
        Compare(f"f{at}", ref("Lines.Sold"), "month", rng.choice("<≥"), "2026-03"),
        Between(f"f{at}", ref("Lines.Sold"), None, "2026-01-01", rng.choice(["", "2026-08-15"])),
        Relative(f"f{at}", ref("Lines.Sold"), count=rng.randint(1, 3)),
        TextRule(f"f{at}", ref("Lines.Site"), None, rng.choice([Way.CONTAINS, Way.STARTS, Way.ENDS]), rng.choice(["o", "E", "%", "t", "'"]), rng.random() < 0.4),
        Blank(f"f{at}", ref(rng.choice(["Customers.Region", "Lines.Net"])), exclude=rng.random() < 0.6),
        Condition(f"f{at}", rng.choice(["Net > 20 AND NOT Site = 'East'", "Region IS NULL OR Qty < 4", "Net * 2 > Freight", "COALESCE(Region, 'x') <> 'South'"])),
    ]  # fmt: skip
    rule = rng.choice(made)
    if rng.random() < 0.15:
        return Either(f"f{at}", tuple(rng.sample([made[0], made[3], made[5], made[8]], 2)))
    return rule


def random_fold(rng):
    words = [random_word(rng, at) for at in range(rng.choice([0, 1, 2, 2, 3]))]
    cut = rng.randrange(len(words) + 1)
    measures = [
        Measure("n", "sum", ref("Lines.Net"), heading="n"),
        *(random_measure(rng, at, words) for at in range(rng.choice([1, 2, 3]))),
    ]
    ends = ["after", "before", "off"]
    return Fold(
        "F", tuple(measures), tuple(words[:cut]), tuple(words[cut:]), tuple(random_rule(rng, at) for at in range(rng.choice([0, 0, 1, 2]))),
        rng.choice(ends), rng.choice(ends),
    )  # fmt: skip


def agree(got, wanted):
    got, wanted = written(got), written(wanted)
    if got is None or wanted is None or isinstance(got, str) or isinstance(wanted, str):
        return got == wanted
    if isinstance(wanted, float) or isinstance(got, float):
        return abs(float(got) - float(wanted)) <= 1e-9 * max(1.0, abs(float(wanted)))
    return Fraction(got) == Fraction(wanted)


@pytest.mark.parametrize("seed", seeds(8))
def test_a_servers_answer_is_the_reports(server, seed):
    kind, connection = server
    rng = random.Random(seed * 97 + 11)
    tables = random_tables(rng)
    loaded(connection, tables)
    engine = Engine(
        Source(
            {each.name: each for each in tables},
            LINKS,
            fiscal=Fiscal(rng.choice([1, 4, 10]), rng.choice(["end", "start"])),
        )
    )
    said = asked = 0
    for _ in range(FOLDS):
        fold = random_fold(rng)
        try:
            report = engine.fold(fold)
        except FoldError:  # such as a year before what is no period
            continue
        asked += 1
        try:
            statement = engine.statement(fold, kind)
        except NoSqlError:
            continue
        said += 1
        got, wanted = answered(connection, statement, fold), reported(report, fold)
        for key, values in got.items():
            assert key in wanted, (key, fold, statement)
            for measure, one, two in zip(fold.measures, values, wanted[key], strict=True):
                assert agree(one, two), (
                    f"{key} {measure.aggregate} {measure.formula} {measure.compare}: {one!r}, not {two!r}\n{fold}\n{statement}"
                )
        for key in wanted.keys() - got.keys():
            assert all(value is None for value in wanted[key]), f"{key} {wanted[key]}\n{statement}"
    assert said >= asked * LEAST[kind], f"{said} of {asked}"
