"""Order by label, value and hand; summary filters; and that filtering records is not filtering summaries."""

import datetime as dt
import operator
import random
from decimal import Decimal

import msgspec
import numpy
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.compare.against import Against
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.layout import laying
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue
from foldbasket.tables.column import compacted

from .build import keep, lines, measure, placed, ref, source, table

NET = Measure("net", "sum", ref("T.Net"))


def sales(seed, count=60):
    draw = random.Random(seed)
    return source(
        table(
            "T",
            {
                "Region": [draw.choice(["East", "North", "West", None]) for _ in range(count)],
                "Site": [draw.choice("abcdef") for _ in range(count)],
                "Channel": [draw.choice(["Trade", "Web"]) for _ in range(count)],
                "Net": [None if draw.random() < 0.1 else draw.randrange(-20, 90) for _ in range(count)],
            },
        )
    )


def fold(joined, rows, columns=(), measures=(NET,), **more):
    return Engine(joined).fold(Fold("F", tuple(measures), tuple(rows), tuple(columns), **more))


def labels(report, field=0, level=1):
    return [report.rows.label(line, field) for line in range(report.height) if report.rows.level[line] == level]


def cells(report):
    """Value by the labels of row and column; totals by the members they name."""
    return {
        (
            tuple(report.rows.label(line, f) for f in range(report.rows.level[line])),
            tuple(report.columns.label(column, f) for f in range(report.columns.level[column])),
        ): report.value(line, column)
        for line in range(report.height)
        for column in range(report.width)
    }


REGION, SITE, CHANNEL = Placed("r", ref("T.Region")), Placed("s", ref("T.Site")), Placed("c", ref("T.Channel"))


def change(word, **changes):
    return msgspec.structs.replace(word, **changes)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("descending", [False, True])
@pytest.mark.parametrize("among", [(), ("Web",)])
def test_members_stand_by_value_within_their_parent_and_every_cell_stays_the_same(seed, descending, among):
    joined = sales(seed)
    plain = cells(fold(joined, (REGION, SITE), (CHANNEL,)))
    by = ByValue("net", among)
    report = fold(
        joined, (change(REGION, by=by, descending=descending), change(SITE, by=by, descending=descending)), (CHANNEL,)
    )
    assert cells(report) == plain

    def value(*row):
        return plain[row, among]

    def in_order(rows):
        known = [value(*row) for row in rows if value(*row) is not None]
        assert known == sorted(known, reverse=descending)
        assert [value(*row) is None for row in rows] == sorted(value(*row) is None for row in rows)

    regions = labels(report)
    in_order([(region,) for region in dict.fromkeys(regions)])
    for region in dict.fromkeys(regions):
        sites = [
            report.rows.label(line, 1)
            for line in range(report.height)
            if report.rows.level[line] == 2 and report.rows.label(line, 0) == region
        ]
        in_order([(region, site) for site in sites])


def test_ties_stand_by_label_in_both_directions():
    joined = source(table("T", {"Region": ["b", "a", "c"], "Net": [5, 5, 1]}))
    for descending, wanted in ((False, ["c", "a", "b"]), (True, ["a", "b", "c"])):
        report = fold(joined, (change(REGION, by=ByValue("net"), descending=descending),))
        assert labels(report) == wanted


def test_members_listed_by_hand_come_first_and_new_ones_join_the_others():
    joined = source(table("T", {"Region": ["East", "North", "South", "West"], "Net": [1, 2, 3, 4]}))
    report = fold(joined, (change(REGION, first=("West", "gone", "North")),))
    assert labels(report) == ["West", "North", "East", "South"]
    falling = fold(joined, (change(REGION, first=("West",), descending=True),))
    assert labels(falling) == ["West", "South", "North", "East"]


def shown(keep, values):
    joined = source(table("T", {"Region": list(values), "Net": list(values.values())}))
    report = fold(joined, (change(REGION, keep=keep),))
    return labels(report), report.value(report.height - 1, 0) if report.height else None


VALUES = {"a": 50, "b": 30, "c": 30, "d": 10, "e": -5, "f": None}


@pytest.mark.parametrize(
    ("keep", "wanted"),
    [
        (keep("net", "top", "1"), ["a"]),
        (keep("net", "top", "2"), ["a", "b", "c"]),  # those equal to the last one stay
        (keep("net", "bottom", "2"), ["d", "e"]),
        (keep("net", "top percent", "20"), ["a"]),
        (keep("net", "top percent", "21"), ["a", "b", "c"]),
        (keep("net", "bottom percent", "40"), ["d", "e"]),
        (keep("net", "share", "40"), ["a"]),
        (keep("net", "share", "60"), ["a", "b"]),
        (keep("net", "where", "30", "≥"), ["a", "b", "c"]),
        (keep("net", "where", "30", "≠"), ["a", "d", "e"]),
        (keep("net", "top", "0"), []),
        (keep("net", "top", "99"), ["a", "b", "c", "d", "e"]),
    ],
)
def test_summary_filters_pick_members_and_totals_cover_everything(keep, wanted):
    members, total = shown(keep, VALUES)
    assert members == wanted
    assert total == (115 if wanted else None)


def test_a_summary_filter_acts_within_each_parent():
    joined = source(table("T", {"Region": ["x", "x", "y", "y"], "Site": ["a", "b", "a", "c"], "Net": [1, 2, 9, 8]}))
    report = fold(joined, (REGION, change(SITE, keep=keep("net", "top", "1"))))
    assert [
        (report.rows.label(line, 0), report.rows.label(line, 1))
        for line in range(report.height)
        if report.rows.level[line] == 2
    ] == [("x", "b"), ("y", "a")]
    assert cells(report)[("x",), ()] == 3


def test_filtering_records_above_a_value_is_not_filtering_groups_above_it():
    joined = source(table("T", {"Region": ["x", "x", "y"], "Net": [900, 800, 1500]}))
    records = fold(joined, (REGION,), filters=(Compare("f", ref("T.Net"), sign=">", value="1000"),))
    groups = fold(joined, (change(REGION, keep=keep("net", "where", "1000", ">")),))
    assert (labels(records), records.value(records.height - 1, 0)) == (["y"], 1500)
    assert (labels(groups), groups.value(groups.height - 1, 0)) == (["x", "y"], 3200)


def test_order_steps_and_comparisons_follow_what_is_shown():
    joined = source(table("T", {"Region": ["a", "b", "c", "d"], "Net": [4, 1, 3, 2]}))
    word = change(REGION, by=ByValue("net"), descending=True, keep=keep("net", "top", "3"))
    measures = (
        NET,
        Measure("share", "sum", ref("T.Net"), compare=ShareOf(Whole.EVERYTHING)),
        Measure("running", "sum", ref("T.Net"), compare=Running("r")),
        Measure("less", "sum", ref("T.Net"), compare=Against("r")),
    )
    report = fold(joined, (word,), measures=measures)
    assert [[report.value(line, column) for column in range(4)] for line in range(4)] == [
        [4, 0.4, 4, None],
        [3, 0.3, 7, -1],
        [2, 0.2, 9, -1],
        [10, 1.0, None, None],
    ]
    assert "(top 3 by Net)" in report.sentence


def test_members_may_be_ordered_by_what_a_comparison_shows():
    joined = source(table("T", {"Region": ["a", "b", "c"], "Net": [4, 9, 6]}))
    measures = (Measure("net", "sum", ref("T.Net"), compare=Rank("r")),)
    assert labels(fold(joined, (change(REGION, by=ByValue("net")),), measures=measures)) == ["b", "c", "a"]


def test_columns_are_ordered_and_picked_as_rows_are():
    joined = source(table("T", {"Region": ["a", "b", "c"], "Net": [4, 9, 6]}))
    report = fold(joined, (), (change(REGION, by=ByValue("net"), descending=True, keep=keep("net", "top", "2")),))
    assert [report.columns.label(at, 0) for at in range(2)] == ["b", "c"]
    assert report.value(0, 2) == 19


@pytest.mark.parametrize(
    ("changes", "what"),
    [
        ({"keep": keep("gone")}, "was taken out"),
        ({"by": ByValue("gone")}, "was taken out"),
        ({"keep": keep("net", "top", "ten")}, "is not a number"),
        ({"keep": keep("net", "top", "-1")}, "cannot be shown"),
        ({"by": ByValue("net", ("Nowhere",))}, "no longer in the report"),
        ({"by": ByValue("net", ("Trade", "of a field that went"))}, "no longer in the report"),
    ],
)
def test_what_cannot_be_ordered_or_picked_is_one_clear_error(changes, what):
    with pytest.raises(FoldError, match=what):
        fold(sales(1), (change(REGION, **changes),), (CHANNEL,))


def test_a_report_without_records_can_be_ordered_and_picked():
    joined = source(table("T", {"Region": ["a"], "Net": [1]}))
    report = fold(
        joined,
        (change(REGION, by=ByValue("net"), keep=keep("net")),),
        filters=(Compare("f", ref("T.Net"), sign=">", value="5"),),
    )
    assert report.height == 0


def test_members_are_picked_before_they_are_put_in_order_and_stand_as_if_it_were_after(monkeypatch):
    draw = random.Random(12)
    records = {
        "Site": [draw.choice(["Plot 9", "Plot 10", "Åker", "mill", None, "Mill", "dock"]) for _ in range(300)],
        "Line": [draw.choice("abcdefg") for _ in range(300)],
        "Net": [draw.choice([None, Decimal(draw.randrange(-50, 90)) / 10]) for _ in range(300)],
    }
    of = source(table("T", records))
    for _ in range(120):
        picks = [
            keep("sum T.Net", kind, draw.choice(["1", "2", "40"]), draw.choice([">", "≤", "=", "≠"]), rest)
            for kind in ("top", "bottom", "top percent", "where")
            for rest in ("gone", "gathered")
        ]
        words = []
        for field in draw.sample(["Site", "Line"], draw.choice([1, 2])):
            by = ByValue("sum T.Net") if draw.random() < 0.4 else None
            first = ("mill", "c") if draw.random() < 0.3 else ()
            kept = draw.choice([None, *picks])
            words.append(placed(f"T.{field}", keep=kept, by=by, descending=draw.random() < 0.5, first=first))
        across = [words.pop()] if len(words) > 1 and draw.random() < 0.5 else []
        covers = draw.choice(["kept", "shown"])
        found = []
        for many in (10_000, -1):
            monkeypatch.setattr(laying, "MANY", many)
            found.append(lines(fold(of, words, across, [measure("sum", "T.Net")], totals_cover=covers)))
        assert found[0] == found[1]


@pytest.mark.parametrize("sign", [">", "≥", "<", "≤", "=", "≠"])
@pytest.mark.parametrize("number", ["0.1", "2.5", "-3", "0.10000000000000000555", "1e30", "2.05", "-1e-30"])
def test_values_are_compared_with_a_number_exactly(sign, number):
    tests = {"≥": operator.ge, ">": operator.gt, "<": operator.lt, "≤": operator.le, "=": operator.eq, "≠": operator.ne}
    reals = [0.1, 0.2, 2.5, -3.0, 1e30, 0.0, -0.0, float(numpy.nextafter(0.1, 1))]
    decimals = [Decimal("0.10"), Decimal("2.50"), Decimal("-3.00"), Decimal("2.05"), Decimal("0.00")]
    for values in (reals, decimals):
        names = [f"m{at}" for at in range(len(values))]
        of = source(table("T", {"K": names, "V": values}))
        made = fold(of, [placed("T.K", keep=keep("sum T.V", "where", number, sign))], (), [measure("sum", "T.V")])
        shown = {line[0] for line in lines(made)} - {"Everything"}
        assert shown == {
            name for name, value in zip(names, values, strict=True) if tests[sign](Decimal(value), Decimal(number))
        }


@pytest.mark.parametrize("aggregate", ["smallest", "largest", "mode", "list"])
@pytest.mark.parametrize("descending", [False, True])
@pytest.mark.parametrize("kind", ["text", "day", "yes"])
def test_members_in_order_of_a_field_without_any_value_stay_as_they_stand(aggregate, descending, kind):
    known = {"text": "x", "day": dt.date(2026, 1, 1), "yes": True}[kind]
    whole = table("T", {"Site": ["b", "a", "c", "d"], "Said": [None, None, None, known]})
    joined = source(whole.picked(numpy.arange(3)))
    column = joined.tables["T"].columns["Said"]
    joined = source(joined.tables["T"].with_columns({**joined.tables["T"].columns, "Said": compacted(column)}, {}))
    said = measure(aggregate, "T.Said")
    report = fold(joined, [placed("T.Site", by=ByValue(said.id), descending=descending)], (), (said,))
    assert labels(report) == ["a", "b", "c"]
