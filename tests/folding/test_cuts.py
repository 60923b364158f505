"""Members that are made of values: fiscal parts and hours, bands, groups, members without records."""

import datetime
import datetime as dt
import random
from decimal import Decimal

import msgspec
import numpy as np
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.compare.against import Against, Other
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Unit, Window
from foldbasket.folding.members.parts.part import parts_by
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.fold import Fold
from foldbasket.styling.dates import EPOCH, Fiscal
from tests.folding.build import bands, fold, lines, measure, placed, ref, source, table

D = Decimal
COUNT = measure("count")


def heads(report):
    return [" · ".join(each for each in line if isinstance(each, str)) for line in lines(report)]


def test_fiscal_years_start_in_the_chosen_month_and_carry_the_year_in_which_they_end_or_start():
    rng = random.Random(7)
    for month in range(1, 13):
        for named in ("end", "start"):
            parts = parts_by(Fiscal(month, named))
            for _ in range(60):
                day = EPOCH + datetime.timedelta(days=rng.randrange(20_000))
                began = day.year if day.month >= month else day.year - 1
                year = began + (1 if named == "end" and month > 1 else 0)
                place = (day.month - month) % 12
                number = (day - EPOCH).days
                said = {
                    "fiscal year": f"FY{year}",
                    "fiscal quarter": f"FY{year}-Q{place // 3 + 1}",
                    "fiscal quarter of year": f"Q{place // 3 + 1}",
                    "fiscal month of year": f"{day.month:02d}",
                }
                for name, key in said.items():
                    part = parts[name]
                    found = int(part.of(np.array([number]))[0])
                    assert part.key(found) == key
                    assert part.parse(key) == found
                    if part.is_period:
                        first = EPOCH + datetime.timedelta(days=part.first_day(found))
                        assert first <= day
                        assert (first.day, (first.month - month) % 12 % (12 if name == "fiscal year" else 3)) == (1, 0)


def test_fiscal_months_stand_in_the_order_of_the_fiscal_year_under_their_names():
    sales = table("S", {"Day": [datetime.date(2026, m, 1) for m in (1, 6, 7, 12)], "N": [1, 2, 3, 4]})
    of = Source({"S": sales}, (), (), Fiscal(7))
    report = Engine(of).fold(Fold("f", (measure("sum", "S.N"),), (placed("S.Day", part="fiscal month of year"),)))
    assert [line[0] for line in lines(report)] == ["July", "December", "January", "June", "Everything"]


def test_the_fiscal_year_to_date_and_the_year_before():
    days = [datetime.date(2025, 3, 31), datetime.date(2025, 4, 1), datetime.date(2026, 2, 1), datetime.date(2026, 5, 1)]
    of = Source({"S": table("S", {"Day": days, "N": [1, 2, 4, 8]})}, (), (), Fiscal(4))
    kept = Relative("r", ref("S.Day"), None, Window.LAST, 1, Unit.FISCAL_YEAR)
    assert lines(Engine(of).fold(Fold("f", (measure("sum", "S.N"),), filters=(kept,)))) == [(6,)]
    before = measure("sum", "S.N", compare=Against("S.Dayfiscal year", other=Other.YEAR_BEFORE))
    report = Engine(of).fold(Fold("f", (before,), (placed("S.Day", part="fiscal year"),)))
    assert lines(report)[:3] == [("FY 2025", None), ("FY 2026", 5), ("FY 2027", 2)]


def test_hours_are_parts_of_time_stamps_only():
    moments = [datetime.datetime(2026, 1, 1, 9, 30), datetime.datetime(2026, 1, 2, 9, 59), None]
    sales = source(table("S", {"At": moments, "Day": [datetime.date(2026, 1, 1)] * 3}))
    assert lines(fold(sales, [COUNT], [placed("S.At", part="hour")])) == [
        ("09:00", 2),
        ("(blank)", 1),
        ("Everything", 3),
    ]
    with pytest.raises(FoldError, match="“Day” is date, so it has no hour"):
        fold(sales, [COUNT], [placed("S.Day", part="hour")])


@pytest.mark.parametrize("part", ["year", "quarter", "month", "week", "day", "weekday", "hour"])
def test_time_stamps_are_cut_like_the_days_they_fall_on(part):
    rng = random.Random(3)
    start = datetime.datetime(1969, 11, 1)
    moments = [start + datetime.timedelta(minutes=rng.randrange(200_000)) for _ in range(200)] + [None]
    at = source(table("S", {"At": moments}))
    report = fold(at, [COUNT], [placed("S.At", part=part)])
    if part == "hour":
        expected = sum(1 for each in moments if each is not None and each.hour == 14)
        assert ("14:00", expected) in lines(report)
        return
    days = source(table("S", {"At": [each.date() if each else None for each in moments]}))
    assert lines(report) == lines(fold(days, [COUNT], [placed("S.At", part=part)]))


# --- bands ---------------------------------------------------------------------


def test_bands_are_half_open_and_the_last_is_closed():
    sales = source(table("S", {"Net": [D("0.00"), D("9.99"), D("10.00"), D("19.99"), D("20.00"), None]}))
    report = fold(sales, [COUNT], [placed("S.Net", bands=bands("width", "10"))])
    assert lines(report) == [("0 to below 10", 2), ("10 to 20", 3), ("(blank)", 1), ("Everything", 6)]


def test_values_outside_all_given_edges_make_outside_which_stands_last():
    sales = source(table("S", {"Net": [D("-1.00"), D("0.00"), D("4.99"), D("5.00"), D("8.00"), D("8.01")]}))
    cut = bands("edges", ("0", "5", "8"))
    report = fold(sales, [COUNT], [placed("S.Net", bands=cut)])
    assert lines(report)[:3] == [("0 to below 5", 2), ("5 to 8", 2), ("(outside)", 2)]
    falling = fold(sales, [COUNT], [placed("S.Net", bands=cut, descending=True)])
    assert lines(falling)[:3] == [("5 to 8", 2), ("0 to below 5", 2), ("(outside)", 2)]


@pytest.mark.parametrize("kind", [int, float, D])
def test_bands_agree_with_plain_python(kind):
    rng = random.Random(11)
    values = [kind(str(rng.randrange(-500, 500))) / (kind(4) if kind is not int else 1) for _ in range(300)]
    values = [int(v) if kind is int else v for v in values]
    sales = source(table("S", {"N": values}))
    edges = ["-60", "-12.5", "0", "0.3", "77"]
    report = fold(sales, [COUNT], [placed("S.N", bands=bands("edges", tuple(edges)))])
    exact = [D(each) for each in edges]
    expected: dict[int, int] = {}
    for value in values:
        v = D(str(value)) if not isinstance(value, float) else D(value)
        band = next((k for k in range(4) if exact[k] <= v < exact[k + 1] or (k == 3 and v == exact[4])), 4)
        expected[band] = expected.get(band, 0) + 1
    assert [line[1] for line in lines(report)[:-1]] == [expected[band] for band in sorted(expected)]


def test_bands_of_equal_counts_hold_as_equal_numbers_as_values_allow():
    sales = source(table("S", {"N": list(range(100))}))
    report = fold(sales, [COUNT], [placed("S.N", bands=bands("counts", "4"))])
    assert [line[1] for line in lines(report)] == [25, 25, 25, 25, 100]
    tied = source(table("S", {"N": [1] * 90 + [2] * 10}))
    assert [line[1] for line in lines(fold(tied, [COUNT], [placed("S.N", bands=bands("counts", "4"))]))] == [100, 100]


@pytest.mark.parametrize(
    ("bands", "said"),
    [
        (bands("width", "0"), "0 is no width"),
        (bands("width", "x"), "“x” is not a number"),
        (bands("width", "0.0001"), "Make them wider"),
        (bands("counts", "2.5"), "2.5 is no number of bands"),
        (bands("edges", ("5", "1")), "must rise"),
        (bands("edges", ("5",)), "two or more"),
    ],
)
def test_bands_that_make_no_sense_are_refused(bands, said):
    sales = source(table("S", {"N": [D("0.00"), D("9000.00")]}))
    with pytest.raises(FoldError, match=said):
        fold(sales, [COUNT], [placed("S.N", bands=bands)])


def test_text_has_no_bands():
    with pytest.raises(FoldError, match="is text, so it has no bands"):
        fold(source(table("S", {"T": ["a"]})), [COUNT], [placed("S.T", bands=bands("width", "100"))])


# --- groups --------------------------------------------------------------------


def test_members_in_a_group_stand_as_one_and_the_rest_is_kept_or_gathered():
    sales = source(table("S", {"Site": ["A", "B", "C", "D", None, "A"], "N": [1, 2, 4, 8, 16, 32]}))
    groups = (Group("Coast", ("A", "C", "gone")),)
    kept = fold(sales, [measure("sum", "S.N"), COUNT], [placed("S.Site", groups=Groups(groups))])
    assert lines(kept) == [("B", 2, 1), ("Coast", 37, 3), ("D", 8, 1), ("(blank)", 16, 1), ("Everything", 63, 6)]
    rest = fold(sales, [measure("sum", "S.N")], [placed("S.Site", groups=Groups(groups, "Inland"))])
    assert lines(rest) == [("Coast", 37), ("Inland", 10), ("(blank)", 16), ("Everything", 63)]


def test_a_distinct_count_of_a_group_is_over_its_records():
    sales = source(table("S", {"Site": ["A", "B", "B"], "Who": ["x", "x", "y"]}))
    groups = Groups((Group("Both", ("A", "B")),))
    assert lines(fold(sales, [measure("count different", "S.Who")], [placed("S.Site", groups=groups)]))[0] == (
        "Both",
        2,
    )


# --- members without records -----------------------------------------------------


def test_gaps_in_a_calendar_are_shown_on_request():
    days = [datetime.date(2026, 1, 3), datetime.date(2026, 4, 9)]
    sales = source(table("S", {"Day": days, "N": [1, 2]}))
    report = fold(sales, [measure("sum", "S.N"), COUNT], [placed("S.Day", part="month", empty=True)])
    assert lines(report) == [
        ("Jan 2026", 1, 1),
        ("Feb 2026", None, None),
        ("Mar 2026", None, None),
        ("Apr 2026", 2, 1),
        ("Everything", 3, 2),
    ]


def test_quarters_without_records_stand_under_their_own_year_only():
    days = [datetime.date(2025, 11, 3), datetime.date(2026, 8, 9)]
    sales = source(table("S", {"Day": days}))
    words = [placed("S.Day", part="year", subtotal="off"), placed("S.Day", part="quarter", empty=True)]
    assert heads(fold(sales, [COUNT], words)) == [
        "2025 · Q4 2025",
        "2026 · Q1 2026",
        "2026 · Q2 2026",
        "2026 · Q3 2026",
        "Everything",
    ]


@pytest.mark.parametrize("named", ["end", "start"])
@pytest.mark.parametrize("ends", [(dt.date.min, dt.date(2, 3, 1)), (dt.date(9998, 11, 30), dt.date.max)])
def test_every_part_within_every_other_at_both_ends_of_the_calendar(ends, named):
    records = table("S", {"Day": list(ends)})
    names = [name for name, part in parts_by(Fiscal(5, named)).items() if part.is_period and not part.by_time]
    for outer in names:
        for inner in names:
            words = (placed("S.Day", part=outer, subtotal="off"), placed("S.Day", part=inner, empty=True))
            report = Engine(Source({"S": records}, (), (), Fiscal(5, named))).fold(Fold("f", (COUNT,), words))
            assert sum(line[-1] or 0 for line in lines(report)[:-1]) == 2, (outer, inner)


def test_a_cycle_without_records_stands_under_every_year():
    days = [datetime.date(2025, 11, 3), datetime.date(2026, 8, 9)]
    words = [placed("S.Day", part="year", subtotal="off"), placed("S.Day", part="quarter of year", empty=True)]
    report = fold(source(table("S", {"Day": days})), [COUNT], words)
    assert heads(report) == [f"{year} · Q{q}" for year in (2025, 2026) for q in (1, 2, 3, 4)] + ["Everything"]


def test_members_of_a_linked_table_stand_under_those_they_belong_to():
    sales = table("S", {"Code": ["r1", "h1"], "N": [1, 2]})
    varieties = table(
        "V", {"Code": ["r1", "r2", "h1", "g1"], "Line": ["Rose", "Rose", "Herb", "Grass"], "Name": ["a", "b", "c", "d"]}
    )
    of = source(sales, varieties, links=(Link("S", "V", (("Code", "Code"),)),))
    inner = [placed("V.Line", subtotal="off"), placed("V.Name", empty=True)]
    assert heads(fold(of, [measure("sum", "S.N")], inner)) == ["Herb · c", "Rose · a", "Rose · b", "Everything"]
    both = [placed("V.Line", subtotal="off", empty=True), placed("V.Name", empty=True)]
    assert heads(fold(of, [measure("sum", "S.N")], both)) == [
        "Grass · d",
        "Herb · c",
        "Rose · a",
        "Rose · b",
        "Everything",
    ]


def test_members_that_a_filter_leaves_out_stay_out():
    sales = source(table("S", {"Site": ["A", "B", "C"], "Ch": ["x", "x", "y"]}))
    filters = (Members("f", ref("S.Ch"), members=("x",)), Members("g", ref("S.Site"), members=("B",), exclude=True))
    report = Engine(sales).fold(Fold("f", (COUNT,), (placed("S.Site", empty=True),), filters=filters))
    assert lines(report) == [("A", 1), ("C", None), ("Everything", 1)]


def test_groups_of_a_part_of_a_date_are_groups_of_its_members():
    days = [dt.date(2026, month, 3) for month in (1, 2, 6, 12)]
    of = source(table("T", {"Day": [*days, None], "X": [1, 2, 4, 8, 16]}))
    winter = Groups((Group("Winter", ("01", "02", "12")),))
    report = fold(of, [measure("sum", "T.X")], [placed("T.Day", part="month of year", groups=winter)])
    assert lines(report) == [("06", 4), ("Winter", 11), ("(blank)", 16), ("Everything", 31)]
    others = msgspec.structs.replace(winter, rest="Other months")
    report = fold(of, [measure("sum", "T.X")], [placed("T.Day", part="month of year", groups=others)])
    assert lines(report) == [("Other months", 4), ("Winter", 11), ("(blank)", 16), ("Everything", 31)]


@pytest.mark.parametrize("more", [{"part": "month"}, {"groups": Groups((Group("A", ("1",)),))}])
def test_bands_and_another_cut_at_once_are_refused(more):
    of = source(table("T", {"X": [1, 2, 3]}))
    with pytest.raises(FoldError, match="into bands and by something else"):
        fold(of, [measure("count")], [placed("T.X", bands=bands("width", "2"), **more)])


def test_every_member_is_found_again_by_what_names_it():
    of = source(
        table(
            "T",
            {
                "Text": ["a", "(blank)", "(no match)", "All others", "\\x", "\\(blank)", None, ""],
                "Number": [1, -2, 3, None, 5, 6, 7, 8],
                "Date": [dt.date(2026, 1, 1), None, dt.date(2025, 12, 31), *[dt.date(2024, 2, 29)] * 5],
                "Money": [Decimal("1.50"), Decimal("-0.25"), None, *[Decimal("10.00")] * 5],
            },
        )
    )
    words = [placed("T.Text"), placed("T.Number"), placed("T.Money"), placed("T.Date"), placed("T.Date", part="month")]
    words.append(placed("T.Date", part="weekday"))
    words.append(placed("T.Number", bands=bands("edges", ("0", "4"))))
    words.append(placed("T.Text", groups=Groups((Group("both", ("a", "\\x")),))))
    for word in words:
        report = Engine(of).fold(Fold("f", (measure("count"),), (word,)))
        domain = report.rows.heads[0].domain
        codes = list(range(domain.size + 1))
        assert [domain.code_named(domain.token(code)) for code in codes] == codes
        assert domain.tokens(np.array(codes)) == [domain.token(code) for code in codes]
        assert domain.code_named("nobody is called this") is None
