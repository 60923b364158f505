"""Random folds of every kind that a sentence can say, over small tables with odd names and members."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import msgspec

from foldbasket.folding.compare.against import Against, AgainstMeasure, How, Other
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.compare.shares import Index, ShareOf, Whole
from foldbasket.folding.filters.blank import Blank
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Unit, Window
from foldbasket.folding.filters.text import TextRule, Way
from foldbasket.folding.filters.values import SIGNS, Between, Compare
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Covers, Fold, Measure, MeasuresOn, Placed, TotalOf, Where
from foldbasket.spec.order import ByValue
from tests.folding.build import bands, keep, table

replace = msgspec.structs.replace
SITES = [
    "East",
    "east",
    "Süd & Nord",
    "Plot 9",
    'the "Barn"',
    "Salt and pepper",
    "not",
    "blank",
    "(blank)",
    "to by, for: x",
    "2026",
    "1.50",
    "[odd]",
    "Q1 2026",
    "",
    "ends.",
]
FIELDS = ["Net", "Qty", "Number of items", "for each", "Rate, agreed", 'in "quotes"', "Month"]


def sources() -> Source:
    """Lines with orders and customers; names that read like the grammar, members that read like anything."""
    day = dt.date(2026, 1, 5)
    many = 40
    lines = {
        "Order no.": [f"o{at % 9}" for at in range(many)],
        "Site": [SITES[at % len(SITES)] for at in range(many)],
        "Sold": [day + dt.timedelta(at * 11) for at in range(many)],
        "Paid": [at % 3 == 0 for at in range(many)],
        "Rate": [at / 8 for at in range(many)],
    }
    for place, name in enumerate(FIELDS):
        lines[name] = [Decimal(at * place - 7) / 100 for at in range(many)]
    orders = {
        "Order no.": [f"o{at}" for at in range(9)],
        "Customer": [f"k{at % 3}" for at in range(9)],
        "At": [dt.datetime(2026, 1, 1, at) for at in range(9)],
        "Net": [Decimal(at) for at in range(9)],
    }
    customers = {"Customer": ["k0", "k1", "k2"], "Region": ["North", None, "or South"], "Site": ["East", "x", "y"]}
    tables = [table("Lines", lines), table("Orders", orders), table("Customers of all", customers)]
    links = (
        Link("Lines", "Orders", (("Order no.", "Order no."),)),
        Link("Orders", "Customers of all", (("Customer", "Customer"),)),
    )
    return Source({each.name: each for each in tables}, links)


def ref(path: str) -> FieldRef:
    return FieldRef(*path.split("."))


class Drawing:
    """Draws folds by a generator of random numbers."""

    def __init__(self, rng) -> None:
        self.rng = rng

    def odds(self, of: float) -> bool:
        return self.rng.random() < of

    def one(self, some):
        return self.rng.choice(list(some))

    def word(self, id: str) -> Placed:
        rng = self.rng
        name = self.one(["Lines.Site", "Lines.Sold", "Orders.At", "Customers of all.Region", "Customers of all.Site", "Lines.Qty", "Lines.Month",
                         "Lines.Paid", "Lines.for each", "Orders.Customer"])  # fmt: skip
        made = Placed(id, ref(name), subtotal=self.one(Where), descending=self.odds(0.3), empty=self.odds(0.2))
        if name == "Lines.Sold" and self.odds(0.9):
            part = self.one(["year", "half", "quarter", "month", "week", "day", "month of year", "quarter of year", "weekday", "fiscal year",
                             "fiscal month of year"])  # fmt: skip
            made = replace(made, part=part)
            if part == "quarter" and self.odds(0.5):
                made = replace(made, groups=Groups((Group("first", ("2026-Q1", "2025-Q4")),), self.one([None, "rest"])))
        if name == "Orders.At":
            made = replace(made, part=self.one(["hour", "day"]))
        if name in ("Lines.Qty", "Lines.Month"):
            how = self.one([("edges", ("-1", "2", "4.5")), ("width", "0.25"), ("counts", "3")])
            made = replace(made, bands=bands(*how)) if self.odds(0.8) else made
        if name == "Lines.Site":
            if self.odds(0.3):
                groups = (Group("Plots: both", ("Plot 9", "(blank)")), Group("not", tuple(rng.sample(SITES, 3))))
                made = replace(made, groups=Groups(groups, self.one([None, "All the others"])))
            elif self.odds(0.3):
                made = replace(made, first=tuple(rng.sample([each for each in SITES if each != "(blank)"], 3)))
        return (
            replace(made, heading=self.one(["Place", "by Net", "Month of Sold", 'a "b" c'])) if self.odds(0.2) else made
        )

    def measure(self, id: str) -> Measure:
        if self.odds(0.15):
            heading = self.one(["Margin", "Margin and more", None])
            return Measure(id, FORMULA, formula="SUM(Net) / NULLIF(SUM(Qty), 0)", heading=heading)
        field = ref(
            self.one(["Lines.Net", "Orders.Net", "Lines.Qty", *(f"Lines.{each}" for each in FIELDS if "." not in each)])
        )
        made = Measure(
            id,
            self.one(["sum", "average", "count different", "count values", "median", "range", "standard deviation"]),
            field,
        )
        if self.odds(0.15):
            made = Measure(id, "count")
        elif self.odds(0.1):
            made = replace(made, aggregate="percentile", percent=self.one([90.0, 25.0, 99.5, 1.0]))
        elif self.odds(0.1):
            made = replace(made, aggregate="weighted average", weight=ref("Lines.Rate, agreed"))
        elif self.odds(0.1):
            made = replace(made, aggregate=self.one(["first", "last"]), order=self.one([None, ref("Lines.Sold")]))
        heading = self.one(["Sales", "the most", "Net", "Net, summed"]) if self.odds(0.3) else None
        return replace(made, heading=heading, total=self.one(TotalOf) if self.odds(0.3) else TotalOf.RECORDS)

    def comparison(self, measures, words):
        along = self.one([None, *(each.id for each in words)])
        some = [
            ShareOf(self.one(Whole)), Index(), Rank(along, self.odds(0.5)), Running(along, self.odds(0.5), self.odds(0.7)),
            MovingAverage(along, self.one([2, 3, 12])),
            Against(along, self.one([Other.PREVIOUS, Other.NEXT, Other.YEAR_BEFORE]), None, self.one(How)),
            AgainstMeasure(self.one(measures).id, self.one(How)),
        ]  # fmt: skip
        inner = next((each for each in words if each.field == ref("Customers of all.Region")), None)
        if inner is not None:
            some.append(Against(inner.id, Other.MEMBER, "North", self.one(How)))
        return self.one(some)

    def filter(self, id: str):
        made = self.plain(id)
        if self.odds(0.15):
            made = Either(id, (self.plain(""), self.plain("")))
        elif self.odds(0.1):
            made = Condition(id, formula="Net > 2 AND Site <> 'a]b'")
        return made.as_word(id, self.one(["Sites", "", "", ""]))

    def plain(self, id: str):
        site, sold, net = ref("Lines.Site"), ref("Lines.Sold"), ref("Lines.Net")
        some = tuple(self.rng.sample(SITES, self.rng.randint(0, 4)))
        exclude = self.odds(0.4)
        return self.one([
            Members(id, site, None, some, self.odds(0.2), self.odds(0.2), exclude),
            Members(id, sold, "quarter", ("2026-Q1", "2026-Q2"), exclude=exclude),
            Members(id, sold, "weekday", ("1", "7"), exclude=exclude),
            Members(id, sold, None, ("2026-01-05",), exclude=exclude),
            Members(id, ref("Lines.Paid"), None, ("yes",), exclude=exclude),
            Compare(id, net, None, self.one(SIGNS), self.one(["", "0", "-1.25", "1000"])),
            Compare(id, sold, "month", self.one(SIGNS), "2026-03"),
            Between(id, net, None, self.one(["", "-1", "0.5"]), self.one(["", "100"])),
            Between(id, sold, None, "2026-01-01", "2026-12-31"),
            Between(id, ref("Orders.At"), None, "2026-01-01 00:00:00", "2026-01-01 07:30:00"),
            TextRule(id, site, None, self.one(Way), self.one(["a", "", 'x "y"', "[a-c]"]), exclude),
            Blank(id, ref("Customers of all.Region"), None, exclude),
            Relative(id, sold, None, self.one([Window.LAST, Window.NEXT]), self.one([1, 4]), self.one(Unit)),
            Relative(id, sold, None, self.one([Window.THIS, Window.TO_DATE]), unit=self.one(Unit)),
        ])  # fmt: skip

    def fold(self) -> Fold:
        """A fold with something on it, its words numbered as a sentence numbers them."""
        rng = self.rng
        measures = [self.measure(f"m{at + 1}") for at in range(rng.randint(0, 3))]
        rows = [self.word(f"r{at + 1}") for at in range(rng.randint(0, 3))]
        columns = [self.word(f"c{at + 1}") for at in range(rng.randint(0, 2))]
        if measures:
            for axis in (rows, columns):
                for at, word in enumerate(axis):
                    axis[at] = self.ordered(word, measures, columns if axis is rows else rows)
            for at, measure in enumerate(measures):
                if self.odds(0.4) and (rows or columns):
                    measures[at] = replace(measure, compare=self.comparison(measures, [*rows, *columns]))
        if rows and rows[0].field == ref("Lines.Site") and rows[0].groups is None and self.odds(0.5):
            rows[0] = replace(rows[0], closed=self.odds(0.5), turned=(("East",), ("\\(blank)",), ("Plot 9",)))
        on = self.one(MeasuresOn)
        return Fold(
            "", tuple(measures), tuple(rows), tuple(columns), tuple(self.filter(f"f{at + 1}") for at in range(rng.randint(0, 3))),
            self.one(Where), self.one(Where), self.one(Covers), on, self.one([None, None, 0, 1]),
        )  # fmt: skip

    def ordered(self, word: Placed, measures, other) -> Placed:
        if self.odds(0.3):
            kind = self.one(["top", "bottom", "top percent", "bottom percent", "share", "where"])
            word = replace(
                word,
                keep=keep(
                    self.one(measures).id, kind, self.one(["3", "10", "2.5"]), rest=self.one(["gone", "gathered"])
                ),
            )
        if self.odds(0.3):
            among = ("2026",) if other and other[0].part == "year" else ()
            word = replace(word, by=ByValue(self.one(measures).id, among))
        return word
