"""Pickers that answer to one another: the counts of each against records looked through one by one."""

import random
from collections import Counter

import pytest

from foldbasket.folding.answering import answering, counts_of
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, ref, source, table
from tests.rounds import seeds


def tables(draw):
    count = 300
    sites = ["Alder", "Birch", "Cedar", None, "Nowhere"]
    records = {
        "site": [draw.choice(sites) for _ in range(count)],
        "channel": [draw.choice(["Trade", "Web", None]) for _ in range(count)],
        "net": [draw.randint(-50, 400) for _ in range(count)],
    }
    linked = {"site": ["Alder", "Birch", "Cedar"], "region": ["East", "West", None]}
    return records, linked


@pytest.mark.parametrize("seed", seeds(12))
def test_each_picker_counts_what_the_others_keep(seed):
    draw = random.Random(seed)
    records, linked = tables(draw)
    of = source(table("Lines", records), table("Sites", linked), links=[Link("Lines", "Sites", (("site", "site"),))])
    channels = tuple(draw.sample(["Trade", "Web"], draw.randint(0, 2)))
    rules = (
        Members("a", ref("Lines.channel"), members=channels, blank=draw.random() < 0.5, exclude=draw.random() < 0.5),
        Members("b", ref("Sites.region"), members=("East",), exclude=draw.random() < 0.5),
        Between("c", ref("Lines.net"), low=str(draw.randint(-50, 100)), high=str(draw.randint(100, 400))),
    )
    compared = measure("sum", "Lines.net", compare=ShareOf(Whole.EVERYTHING))
    fold = Fold("test", (compared,), (placed("Lines.site"),), (placed("Lines.channel", id="across"),), rules)
    engine = Engine(of)
    region_of = dict(zip(linked["site"], linked["region"], strict=True))
    rows = [
        {**{name: records[name][at] for name in records}, "region": region_of.get(records["site"][at], "NO MATCH")}
        for at in range(len(records["net"]))
    ]

    def keeps(rule, row):
        if isinstance(rule, Between):
            return int(rule.low) <= row["net"] <= int(rule.high)
        value = row[rule.field.field]
        listed = rule.blank if value is None else rule.no_match if value == "NO MATCH" else value in rule.members
        return listed != rule.exclude

    for rule in rules[:2]:
        asked = answering(fold, rule.id)
        counts = counts_of(engine.fold(asked))
        kept = [row for row in rows if all(keeps(each, row) for each in rules if each is not rule)]
        wanted = Counter(row[rule.field.field] for row in kept)
        assert counts.blank == wanted.pop(None, 0)
        assert counts.no_match == wanted.pop("NO MATCH", 0)
        assert counts.members == dict(wanted)


def test_a_filter_about_no_single_field_has_no_counts():
    assert answering(Fold("test"), "gone") is None
