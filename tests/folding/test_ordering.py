"""Order by label, value and hand; summary filters; and that filtering records is not filtering summaries."""

import random

import msgspec
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.compare.against import Against
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue

from .build import keep, ref, source, table

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
