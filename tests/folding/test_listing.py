"""The records of a fold listed under its groups, against plain Python over the same records."""

import random
from decimal import Decimal

import msgspec
import pytest

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import FoldError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.listing import usual_fields
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.outputs.formats import save_report
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import Shared
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import Listing, Page
from tests.folding.build import keep, lines, measure, placed, ref, source, table
from tests.rounds import seeds

replace = msgspec.structs.replace


def shop(seed, many=60):
    draw = random.Random(seed)
    orders = [f"O{at}" for at in range(12)]
    records = {
        "Order": [draw.choice([*orders, "lost", None]) for _ in range(many)],
        "Site": [draw.choice(["Mill", "Yard", "Dock", None]) for _ in range(many)],
        "Grade": [draw.choice(["A", "B"]) for _ in range(many)],
        "Net": [draw.choice([None, Decimal(draw.randrange(-999, 9999)) / 100]) for _ in range(many)],
        "Price": [Decimal(draw.randrange(1, 500)) / 100 for _ in range(many)],
    }
    far = {"No": orders, "Buyer": [f"Buyer {at % 5}" for at in range(12)], "Freight": [Decimal(at) for at in range(12)]}
    of = source(table("Lines", records), table("Orders", far), links=[Link("Lines", "Orders", (("Order", "No"),))])
    return of, records, far


def total(values):
    known = [each for each in values if each is not None]
    return sum(known) if known else None


@pytest.mark.parametrize("seed", seeds(12))
def test_every_record_stands_once_under_its_group_with_totals_of_its_own(seed):
    of, records, far = shop(seed)
    fields = (ref("Lines.Net"), ref("Lines.Price"), ref("Orders.Buyer"), ref("Orders.Freight"), ref("Lines.Grade"))
    by = random.Random(seed).choice([None, ref("Lines.Price")])
    turned = bool(seed % 2)
    fold = Fold(
        "Lines",
        (measure("sum", "Lines.Net"), measure("count"), measure("average", "Lines.Price")),
        (placed("Lines.Site", id="site"),),
        filters=(Members("f", ref("Lines.Grade"), members=("A",)),) if seed % 3 == 0 else (),
        page=Page(listing=Listing(fields, by, turned)),
    )
    made = Engine(of).listing(fold)
    assert [head.heading for head in made.measures] == ["Net", "Price", "Buyer", "Freight", "Grade"]
    kept = [at for at in range(60) if seed % 3 or records["Grade"][at] == "A"]
    buyers, freights = (
        dict(zip(far["No"], far["Buyer"], strict=True)),
        dict(zip(far["No"], far["Freight"], strict=True)),
    )

    def shown(at):
        order = records["Order"][at]
        return (
            records["Net"][at],
            float(records["Price"][at]),
            buyers.get(order),
            freights.get(order),
            records["Grade"][at],
        )

    def totals(name, of_these):
        orders = {records["Order"][at] for at in of_these} & set(far["No"])
        prices = [records["Price"][at] for at in of_these]
        return (
            f"{name}, {len(of_these)} record{'s' if len(of_these) != 1 else ''}",
            total(records["Net"][at] for at in of_these),
            pytest.approx(float(sum(prices) / len(prices))),
            None,
            total(freights[order] for order in orders),
            None,
        )

    wanted = []
    for site in ["Dock", "Mill", "Yard", None]:
        own = [at for at in kept if records["Site"][at] == site]
        if by is not None:
            own.sort(key=lambda at: ((-1 if turned else 1) * records["Price"][at], at))
        elif turned:
            own.reverse()
        name = site or "(blank)"
        wanted += [(name, f"{at + 1}", *shown(at)) for at in own]
        if own:
            wanted.append(totals(name, own))
    wanted.append(totals("Everything", kept))
    assert lines(made) == wanted


def test_what_the_listing_shows_by_itself_and_says(tmp_path):
    of, _, _ = shop(3)
    fold = Fold(
        "Lines",
        (measure("sum", "Lines.Net"), measure("sum", "Orders.Freight")),
        (placed("Lines.Site"),),
        (placed("Lines.Grade"),),
    )
    assert usual_fields(of, "Lines", fold) == tuple(
        map(ref, ("Lines.Grade", "Lines.Net", "Lines.Price", "Orders.Freight"))
    )
    report = Engine(of).fold(fold)
    listed = report.listing()
    assert listed.sentence == "Records of Lines with Grade, Net, Price and Freight for each Site"
    assert listed.width == 4, "fields of the columns make none here"
    save_report(report, tmp_path / "listed.csv", "listing", guard=OutputGuard())
    rows = (tmp_path / "listed.csv").read_text("utf-8").splitlines()
    assert rows[0].split(",")[:3] == ["Site", "Record", "Grade"]
    assert len(rows) == 1 + listed.height
    assert replace(report, origin=None).listing().height == report.height


def test_a_fold_that_measures_nothing_lists_its_records():
    of, records, _ = shop(1)
    made = Engine(of).listing(
        Fold("Lines", rows=(placed("Lines.Site"),), page=Page(listing=Listing((ref("Lines.Grade"),))))
    )
    assert [line for line in lines(made) if line[0] == "Dock" and line[1].isdigit()] == [
        ("Dock", f"{at + 1}", records["Grade"][at]) for at in range(60) if records["Site"][at] == "Dock"
    ]


def test_groups_that_are_picked_or_gathered():
    of, records, _ = shop(5)
    picked = placed("Lines.Site", id="site", keep=keep("sum Lines.Net", "top", "1", rest="gathered"))
    fold = Fold(
        "Lines",
        (measure("sum", "Lines.Net"),),
        (picked,),
        page=Page(listing=Listing((ref("Lines.Net"), ref("Lines.Grade")))),
    )
    made = lines(Engine(of).listing(fold))
    assert made[-2][0] == "All others"
    assert made[-2][-1] is None, "gathered records have no grade of their own"
    best = made[0][0]
    own = [at for at in range(60) if records["Site"][at] == best]
    assert [line[1] for line in made[: len(own)]] == [f"{at + 1}" for at in own]
    grouped = placed("Lines.Site", id="site", groups=Groups((Group("Wet", ("Dock", "Mill")),)))
    wet = lines(Engine(of).listing(replace(fold, rows=(grouped,))))
    assert sum(line[0] == "Wet" for line in wet) == sum(site in ("Dock", "Mill") for site in records["Site"])


def test_records_of_several_tables_of_facts_are_refused_and_a_field_out_of_reach_too():
    of, _, _ = shop(1)
    plan = table("Plan", {"Site": ["Mill"], "Aim": [Decimal("5.00")]})
    both = Source({**of.tables, "Plan": plan}, of.links, [Shared((ref("Lines.Site"), ref("Plan.Site")))])
    fold = Fold("Both", (measure("sum", "Lines.Net"), measure("sum", "Plan.Aim")), (placed("Lines.Site"),))
    with pytest.raises(FoldError, match="over records of “Lines” and “Plan”"):
        Engine(both).listing(fold)
    one = replace(fold, measures=fold.measures[:1], page=Page(listing=Listing((ref("Plan.Aim"),))))
    with pytest.raises(FoldError, match="“Aim” of Plan says nothing of one record of Lines"):
        Engine(both).listing(one)
