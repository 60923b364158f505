"""What a report shows of what was computed: members gathered or gone, folded up, and measures at any level of an axis."""

import random
from decimal import Decimal

import msgspec
import pytest

from foldbasket.folding.compare.against import Against, Other
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.layout import frame
from foldbasket.folding.lines.axis import Kind
from foldbasket.outputs.sheet import Sheet
from foldbasket.outputs.text import table as as_text
from foldbasket.spec.fold import Fold
from foldbasket.spec.order import ByValue
from tests.folding.build import keep, lines, measure, placed, ref, source, table
from tests.rounds import seeds

replace = msgspec.structs.replace
SALES = source(
    table(
        "T",
        {
            "Region": ["E", "E", "E", "E", "W", "W", "W", "E"],
            "Site": ["a", "b", "c", "a", "d", "e", "e", "c"],
            "Year": ["1", "1", "2", "2", "1", "1", "2", "2"],
            "Who": ["x", "y", "x", "x", "x", "z", "z", "y"],
            "Net": [10, 7, 1, 3, 20, 2, 4, 1],
        },
    )
)
NET, WHO = measure("sum", "T.Net"), measure("count different", "T.Who")
REGION, SITE = placed("T.Region", id="region"), placed("T.Site", id="site")
YEAR = placed("T.Year", id="year")


def fold(measures, rows=(), columns=(), of=SALES, **more):
    return Engine(of).fold(Fold("f", tuple(measures), tuple(rows), tuple(columns), **more))


def top(number, rest, by=NET.id):
    return keep(by, "top", str(number), rest=rest)


# --- all others ------------------------------------------------------------------


def test_what_a_summary_filter_leaves_out_is_gathered_in_one_line_made_of_its_records():
    report = fold([NET, WHO], [replace(SITE, keep=top(2, "gathered"))])
    assert lines(report) == [("a", 13, 1), ("d", 20, 1), ("All others", 15, 3), ("Everything", 48, 3)]


def test_all_others_stand_within_their_parent_and_need_no_total_of_their_own():
    inner = fold([NET], [REGION, replace(SITE, keep=top(1, "gathered"))])
    assert lines(inner) == [
        ("E", "a", 13),
        ("E", "All others", 9),
        ("E, all sites", 22),
        ("W", "d", 20),
        ("W", "All others", 6),
        ("W, all sites", 26),
        ("Everything", 48),
    ]
    outer = fold([NET], [replace(REGION, keep=top(1, "gathered")), SITE])
    assert lines(outer) == [
        ("W", "d", 20),
        ("W", "e", 6),
        ("W, all sites", 26),
        ("All others", "", 22),
        ("Everything", 48),
    ]


def test_all_others_stand_last_however_members_are_ordered_and_have_no_rank():
    ranked = replace(NET, id="rank", compare=Rank("site"))
    word = replace(SITE, keep=top(2, "gathered"), by=ByValue(NET.id), descending=True)
    report = fold([NET, ranked, replace(NET, id="share", compare=ShareOf())], [word])
    assert lines(report) == [
        ("d", 20, 1, pytest.approx(20 / 48)),
        ("a", 13, 2, pytest.approx(13 / 48)),
        ("All others", 15, None, pytest.approx(15 / 48)),
        ("Everything", 48, None, 1.0),
    ]
    running = fold([NET, replace(NET, id="run", compare=Running("site"))], [word])
    assert [line[2] for line in lines(running)] == [20, 33, 48, None]


def test_gathered_members_hold_in_every_column_and_on_both_axes():
    report = fold([NET], [replace(SITE, keep=top(1, "gathered"))], [replace(YEAR, keep=top(1, "gathered"))])
    assert lines(report) == [("d", 20, None, 20), ("All others", 19, 9, 28), ("Everything", 39, 9, 48)]
    assert report.columns.label(1, 0) == "All others"


@pytest.mark.parametrize("seed", seeds(40))
def test_gathered_lines_agree_with_plain_python(seed):
    draw = random.Random(seed)
    count = draw.choice([1, 30, 80])
    data = {
        "G": [draw.choice("AB") for _ in range(count)],
        "Mm": [draw.choice(["p", "q", "r", "s", None]) for _ in range(count)],
        "N": [draw.randrange(-9, 30) for _ in range(count)],
        "W": [draw.choice("uvwxyz") for _ in range(count)],
    }
    number = draw.randrange(0, 4)
    n, w = measure("sum", "T.N"), measure("count different", "T.W")
    word = placed("T.Mm", keep=keep(n.id, "top", str(number), rest="gathered"))
    report = fold([n, w], [placed("T.G"), word], of=source(table("T", data)))
    expected = []
    for group in sorted(set(data["G"])):
        records = [at for at in range(count) if data["G"][at] == group]
        sums = {}
        for at in records:
            sums[data["Mm"][at]] = sums.get(data["Mm"][at], 0) + data["N"][at]
        ranked = sorted(sums.values(), reverse=True)
        shown = [m for m, total in sums.items() if number and (len(ranked) <= number or total >= ranked[number - 1])]
        shown.sort(key=lambda m: (m is None, m or ""))

        def made(records):
            return sum(data["N"][at] for at in records), len({data["W"][at] for at in records})

        for m in shown:
            expected.append((group, m or "(blank)", *made([at for at in records if data["Mm"][at] == m])))
        rest = [at for at in records if data["Mm"][at] not in shown]
        if rest:
            expected.append((group, "All others", *made(rest)))
        expected.append((f"{group}, all mms", *made(records)))
    if count:
        expected.append(("Everything", *made(range(count))))
    assert lines(report) == expected


# --- what totals cover ------------------------------------------------------------


def test_totals_cover_everything_kept_or_only_what_is_shown():
    word = replace(SITE, keep=top(2, "gone"))
    assert lines(fold([NET, WHO], [word]))[-1] == ("Everything", 48, 3)
    shown = fold([NET, WHO, replace(NET, id="s", compare=ShareOf())], [word], totals_cover="shown")
    assert lines(shown) == [
        ("a", 13, 1, pytest.approx(13 / 33)),
        ("d", 20, 1, pytest.approx(20 / 33)),
        ("Everything", 33, 1, 1.0),
    ]


def test_filtering_records_above_an_amount_is_not_filtering_members_above_it():
    records = fold([NET], [SITE], filters=(Compare("f", ref("T.Net"), None, ">", "5"),))
    assert lines(records) == [("a", 10), ("b", 7), ("d", 20), ("Everything", 37)]
    summaries = fold([NET], [replace(SITE, keep=keep(NET.id, "where", "5", ">"))])
    assert lines(summaries) == [("a", 13), ("b", 7), ("d", 20), ("e", 6), ("Everything", 48)]


# --- alternatives -------------------------------------------------------------------


def test_alternatives_inside_one_filter_need_only_one_of_them():
    rule = Either("f", (Members("1", ref("T.Region"), members=("W",)), Compare("2", ref("T.Net"), None, "≥", "7")))
    report = fold([NET], [SITE], filters=(rule, Members("g", ref("T.Year"), members=("1",))))
    assert lines(report) == [("a", 10), ("b", 7), ("d", 20), ("e", 2), ("Everything", 39)]
    assert "Region: W, or Net: ≥ 7" in report.sentence


# --- folded up ----------------------------------------------------------------------


def test_a_folded_member_is_one_line_in_its_place_and_totals_stay():
    report = fold([NET, WHO], [replace(REGION, turned=(("E",),)), SITE])
    assert [report.rows.label(row, 0) for row in range(report.height)] == ["E", "W", "W", "W", ""]
    assert [Kind(kind) for kind in report.left.kind] == [
        Kind.CLOSED,
        Kind.MEMBER,
        Kind.MEMBER,
        Kind.SUBTOTAL,
        Kind.GRAND,
    ]
    assert [report.value(row, 0) for row in range(report.height)] == [22, 20, 6, 26, 48]
    assert [report.value(row, 1) for row in range(report.height)] == [2, 1, 1, 2, 3]
    assert Sheet(report).row_head(0, repeat=False) == ["E", ""]


def test_a_level_is_folded_up_but_for_those_turned():
    report = fold([NET], [replace(REGION, closed=True, turned=(("W",),)), SITE])
    assert [line[-1] for line in lines(report)] == [22, 20, 6, 26, 48]
    everything = fold([NET], [replace(REGION, closed=True), SITE])
    assert [line[-1] for line in lines(everything)] == [22, 26, 48]
    # With its subtotals off, a folded member still shows its number.
    off = fold([NET], [replace(REGION, closed=True, subtotal="off"), SITE], row_total="off")
    assert [line[-1] for line in lines(off)] == [22, 26]


def test_a_member_folded_inside_one_that_is_folded_shows_nothing_of_its_own():
    deep = [replace(REGION, turned=(("E",),)), replace(SITE, turned=(("E", "a"), ("W", "e"))), YEAR]
    report = fold([NET], deep)
    names = ["/".join(filter(None, (report.rows.label(r, f) for f in range(3)))) for r in range(report.height)]
    assert names == ["E", "W/d/1", "W/d", "W/e", "W", ""]


def test_what_is_folded_up_stands_where_others_are_gathered_beside_it():
    """The line that gathers the others names no site, and no record has one; the path of what is folded up names one all the same."""
    bare = source(table("T", {"Region": ["E", "W"], "Site": [None, None], "Year": ["1", "1"], "Net": [10, 20]}))
    top_one = replace(placed("T.Region", id="region"), keep=top(1, "gathered"))
    inner = replace(placed("T.Site", id="site"), turned=(("W", "(blank)"), ("W", "gone")))
    report = fold([NET], [top_one, inner, placed("T.Year", id="year")], of=bare)
    names = ["/".join(filter(None, (report.rows.label(r, f) for f in range(3)))) for r in range(report.height)]
    assert names == ["W/(blank)", "W", "All others", ""]


def test_folded_columns_keep_their_heading_over_the_measure():
    report = fold([NET, WHO], [SITE], [replace(REGION, closed=True), YEAR])
    assert Sheet(report).head_grid() == [
        ["", "E", "", "W", "", "Everything", ""],
        ["", "", "", "", "", "", ""],
        ["Site", *["Net", "Who, different ones"] * 3],
    ]


def test_folding_up_and_comparing_agree():
    against = replace(NET, id="d", compare=Against("region", other=Other.NEXT))
    opened = fold([against], [REGION, SITE])
    closed = fold([against], [replace(REGION, closed=True), SITE])
    assert [line[-1] for line in lines(closed)] == [-4, None, None]
    assert [line[-1] for line in lines(opened) if line[0].endswith("sites")] == [-4, None]


# --- the place of measures -------------------------------------------------------------

COST = measure("count", heading="Lines")


def test_measures_stand_on_rows_inside_all_fields():
    report = fold([NET, COST], [REGION], [YEAR], measures_on="rows")
    assert as_text(report).splitlines() == [
        "Region\t\t1\t2\tAll years",
        "E\tNet\t17\t5\t22",
        "E\tLines\t2\t3\t5",
        "W\tNet\t22\t4\t26",
        "W\tLines\t2\t1\t3",
        "Everything\tNet\t39\t9\t48",
        "Everything\tLines\t4\t4\t8",
    ]


def test_measures_stand_outside_some_fields_and_repeat_their_lines():
    report = fold([NET, COST], [REGION, SITE], measures_on="rows", measures_at=1)
    assert [line.split("\t")[:4] for line in as_text(report).splitlines()[:9]] == [
        ["Region", "", "Site", ""],
        ["E", "Net", "a", "13"],
        ["E", "Net", "b", "7"],
        ["E", "Net", "c", "2"],
        ["E", "Net", "E, all sites", "22"],
        ["E", "Lines", "a", "2"],
        ["E", "Lines", "b", "1"],
        ["E", "Lines", "c", "2"],
        ["E", "Lines", "E, all sites", "5"],
    ]


def test_measures_stand_outside_the_columns_fields_with_a_grand_total_each():
    report = fold([NET, COST], [REGION], [YEAR], measures_at=0)
    assert Sheet(report).head_grid() == [
        ["", "Net", "", "", "Lines", "", ""],
        ["Region", "1", "2", "All years", "1", "2", "All years"],
    ]
    assert [report.value(0, column) for column in range(6)] == [17, 5, 22, 2, 3, 5]
    spans = [(span.text, span.column, span.columns) for span in Sheet(report).column_heads() if span.is_measure]
    assert spans == [("Net", 0, 3), ("Lines", 3, 3)]


def test_totals_over_outer_fields_hold_every_measure_once():
    report = fold([NET, COST], [SITE], [REGION, YEAR], measures_at=1)
    grid = Sheet(report).head_grid()
    assert grid[0][1:] == ["E", "", "", "", "", "", "W", "", "", "", "", "", "Everything", ""]
    assert grid[1][1:] == ["Net", "", "", "Lines", "", "", "Net", "", "", "Lines", "", "", "Net", "Lines"]
    assert grid[2][1:4] == ["1", "2", "All years"]
    assert [report.value(report.height - 1, column) for column in (12, 13)] == [48, 8]


@pytest.mark.parametrize("on", ["rows", "columns"])
@pytest.mark.parametrize("at", [None, 0, 1, 2])
def test_wherever_measures_stand_every_cell_is_the_same(on, at):
    def cells(report):
        found = {}
        for row in range(report.height):
            for column in range(report.width):
                measure_at, line, across = report.cell(row, column)
                found[measure_at, line, across] = report.value(row, column)
        return found

    plain = fold([NET, WHO], [REGION, SITE], [YEAR, placed("T.Who", id="who")])
    moved = fold([NET, WHO], [REGION, SITE], [YEAR, placed("T.Who", id="who")], measures_on=on, measures_at=at)
    assert cells(moved) == cells(plain)
    assert moved.height * moved.width == plain.height * plain.width


def test_a_fold_without_fields_names_its_measures_on_rows():
    report = fold([NET, COST], measures_on="rows")
    assert as_text(report) == "\t\nNet\t48\nLines\t8\n"
    assert Decimal(report.value(0, 0)) == 48


def test_hundreds_of_fields_inside_one_another_make_a_report():
    names = [f"F{number}" for number in range(140)]
    records = [["ab"[number % 2], "ab"[number // 2]] for number in range(4)]
    of = source(
        table("T", {name: [each[at % 2] for each in records] for at, name in enumerate(names)} | {"Net": [1, 2, 3, 4]})
    )
    report = fold([NET], [placed(f"T.{name}", id=name) for name in names], of=of)
    assert report.rows.level.max() == len(names)
    # The leaves, everything, the totals of the outermost field, and those of every field between.
    assert report.height == 4 + 1 + 2 + 4 * (len(names) - 2)
    assert report.value(report.height - 1, 0) == 10


@pytest.mark.parametrize("seed", seeds(10))
@pytest.mark.parametrize("at_once", [1, 3, 50_000])
def test_sums_beyond_64_bits_are_exact_at_every_level_however_few_are_worked_on_at_once(monkeypatch, seed, at_once):
    monkeypatch.setattr(frame, "AT_ONCE", at_once)
    draw = random.Random(seed)
    large = draw.choice([10**3, 4 * 10**18, 9 * 10**18])
    records = [
        (draw.choice("ABC"), f"s{draw.randrange(7)}", draw.choice("xyz"), draw.randrange(-large // 9, large))
        for _ in range(80)
    ]
    names = ("Region", "Site", "Kind", "Net")
    of = source(table("T", {name: [each[at] for each in records] for at, name in enumerate(names)}))
    fold = Fold("f", (measure("sum", "T.Net"),), (placed("T.Region"), placed("T.Site")), (placed("T.Kind"),))
    report = Engine(of).fold(fold)
    seen = 0
    for row in range(len(report.rows)):
        for column in range(len(report.columns)):
            wanted = [
                net
                for region, site, kind, net in records
                if all(
                    axis.codes[line, at] < 0 or axis.label(line, at) == value
                    for axis, line, at, value in (
                        (report.rows, row, 0, region), (report.rows, row, 1, site), (report.columns, column, 0, kind)
                    )
                )
            ]  # fmt: skip
            assert report.exact(0, row, column) == (sum(wanted) if wanted else None)
            seen += bool(wanted)
    assert seen > 20
