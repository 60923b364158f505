"""The rules for what the numbers mean, one by one."""

import datetime
import math
from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.errors import Cancelled, FoldBasketError, FoldError, LinkError
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.cubes import kernels
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.blank import Blank
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, offered
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from tests.folding.build import fold, lines, measure, placed, ref, source, table

D = Decimal
SALES = table(
    "Sales",
    {
        "Region": ["East", "East", "West", None, "West", "East"],
        "Site": ["Plot 10", "Plot 9", "Plot 9", "Plot 9", "Plot 10", "Plot 10"],
        "Net": [D("0.10"), D("0.20"), None, D("1.00"), D("-0.30"), D("0.00")],
        "Pieces": [3, 4, 5, None, None, 2],
        "Day": [datetime.date(2026, 1, 31), datetime.date(2025, 12, 29), datetime.date(2026, 4, 1), None, datetime.date(2024, 2, 29), datetime.date(2026, 3, 31)],
    },
)  # fmt: skip


def one(aggregate, field, values, kind=None):
    """The single cell of an aggregate over values."""
    report = fold(
        source(table("T", {"x": values, "all": [1] * len(values)})),
        [measure(aggregate, "T.x"), measure("sum", "T.all")],
    )
    return report.value(0, 0)


def test_decimals_are_exact():
    assert fold(source(SALES), [measure("sum", "Sales.Net")], [placed("Sales.Region")]).value(0, 0) == D("0.30")


def test_sums_past_2_to_the_53_and_the_63_stay_exact():
    big = 2**62
    assert one("sum", "x", [big, big, big, 1]) == 3 * big + 1
    assert one("sum", "x", [2**53, 1, 1]) == 2**53 + 2
    assert one("average", "x", [big, big, big, big - 4]) == float(Fraction(4 * big - 4, 4))


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(-(2**63) + 1, 2**63 - 1), min_size=1, max_size=30), st.booleans())
def test_sum_and_average_of_any_whole_numbers_are_exact_and_rounded_once(values, compiled):
    if compiled:
        kernels.warm()
    assert one("sum", "x", values) == sum(values)
    assert one("average", "x", values) == sum(values) / len(values)
    assert one("smallest", "x", values) == min(values)
    assert one("largest", "x", values) == max(values)


def test_blanks_are_left_out_by_all_but_the_count_of_records():
    report = fold(
        source(SALES),
        [
            measure("count"),
            *(measure(name, "Sales.Pieces") for name in ("count values", "sum", "average", "smallest", "largest")),
        ],
    )
    assert lines(report) == [(6, 4, 14, 3.5, 2, 5)]


def test_over_no_values_counts_give_zero_and_all_others_blank():
    names = [node.name for node in offered() if node.name != "count"]
    more = {"weight": ref("Sales.Pieces"), "order": ref("Sales.Day")}
    report = fold(
        source(SALES),
        [
            measure(
                name,
                "Sales.Net",
                **{key: more[key] for key in (each.name for each in AGGREGATES[name].parameters) if key in more},
            )
            for name in names
        ],
        [placed("Sales.Region")],
        filters=(Members("f", ref("Sales.Region"), members=("West",)), Blank("g", ref("Sales.Net"))),
    )
    zeros = {"count values", "count different"}
    assert lines(report)[0] == ("West", *(0 if name in zeros else None for name in names))


def test_a_cell_without_records_is_blank_even_for_counts():
    report = fold(source(SALES), [measure("count")], [placed("Sales.Region")], [placed("Sales.Day", part="year")])
    years = [report.columns.label(at, 0) for at in range(3)]
    assert years == ["2024", "2025", "2026"]
    assert [report.value(0, at) for at in range(3)] == [None, 1, 2]


def test_blank_members_sort_last_in_both_directions_and_are_never_dropped():
    for descending, wanted in ((False, ["East", "West", "(blank)"]), (True, ["West", "East", "(blank)"])):
        report = fold(source(SALES), [measure("count")], [placed("Sales.Region", descending=descending)])
        assert [line[0] for line in lines(report)] == [*wanted, "Everything"]


def test_labels_sort_with_their_digits_as_numbers():
    names = ["Plot 10", "plot 9", "Äpfel", "Zaun", "apfel 2", "Plot 9a"]
    report = fold(source(table("T", {"x": names})), [measure("count")], [placed("T.x")], row_total="off")
    assert [line[0] for line in lines(report)] == ["Äpfel", "apfel 2", "plot 9", "Plot 9a", "Plot 10", "Zaun"]


@pytest.mark.parametrize(
    ("locale", "wanted"),
    [
        ("en", ["ål", "apa", "Äpple", "Öl", "Ost", "zebra"]),
        ("de", ["ål", "apa", "Äpple", "Öl", "Ost", "zebra"]),
        ("sv", ["apa", "Ost", "zebra", "ål", "Äpple", "Öl"]),
        ("es_MX", ["nube", "nzz", "ñu", "oso"]),
        ("cs", ["cena", "čas", "dům"]),
        ("da_DK", ["abe", "zoo", "Æble", "øl", "år"]),
    ],
)
def test_text_stands_in_the_order_of_the_users_language(locale, wanted):
    words = sorted(wanted)
    report = Engine(source(table("T", {"w": words})), locale=locale).fold(
        Fold("f", (measure("count"),), (placed("T.w"),), row_total="off")
    )
    assert [report.rows.label(line, 0) for line in range(report.height)] == wanted


def test_totals_are_computed_from_the_records_not_from_the_cells():
    report = fold(source(SALES), [measure("average", "Sales.Net")], [placed("Sales.Region"), placed("Sales.Site")])
    by_caption = {line[0]: line[-1] for line in lines(report)}
    assert by_caption["East, all sites"] == pytest.approx(0.1, abs=1e-15)
    assert by_caption["Everything"] == 0.2


def test_totals_stand_before_after_or_nowhere_level_by_level():
    def captions(**totals):
        rows = [placed("Sales.Region", subtotal=totals["sub"]), placed("Sales.Site")]
        report = fold(
            source(SALES),
            [measure("count")],
            rows,
            row_total=totals["grand"],
            filters=(Members("f", ref("Sales.Region"), members=("East",)),),
        )
        return [report.rows.caption(line) or report.rows.label(line, 1) for line in range(report.height)]

    assert captions(sub="after", grand="after") == ["Plot 9", "Plot 10", "East, all sites", "Everything"]
    assert captions(sub="before", grand="before") == ["Everything", "East, all sites", "Plot 9", "Plot 10"]
    assert captions(sub="off", grand="after") == ["Plot 9", "Plot 10", "Everything"]
    assert captions(sub="after", grand="off") == ["Plot 9", "Plot 10", "East, all sites"]


def test_the_same_field_may_be_placed_more_than_once():
    twice = [measure("sum", "Sales.Net"), measure("count values", "Sales.Net")]
    report = fold(
        source(SALES), twice, [placed("Sales.Region", id="a")], [placed("Sales.Region", id="b")], column_total="off"
    )
    assert lines(report) == [
        ("East", D("0.30"), 3, None, None, None, None),
        ("West", None, None, D("-0.30"), 1, None, None),
        ("(blank)", None, None, None, None, D("1.00"), 1),
        ("Everything", D("0.30"), 3, D("-0.30"), 1, D("1.00"), 1),
    ]


@pytest.mark.parametrize(
    ("part", "wanted"),
    [
        ("year", ["2024", "2025", "2026"]),
        ("quarter", ["Q1 2024", "Q4 2025", "Q1 2026", "Q2 2026"]),
        ("month", ["Feb 2024", "Dec 2025", "Jan 2026", "Mar 2026", "Apr 2026"]),
        ("week", ["W09 2024", "W01 2026", "W05 2026", "W14 2026"]),
        ("half", ["H1 2024", "H2 2025", "H1 2026"]),
        ("half of year", ["H1", "H2"]),
        ("quarter of year", ["Q1", "Q2", "Q4"]),
        ("month of year", ["January", "February", "March", "April", "December"]),
        ("weekday", ["Monday", "Tuesday", "Wednesday", "Thursday", "Saturday"]),
    ],
)
def test_periods_have_a_place_in_time_and_cycles_sort_by_the_calendar(part, wanted):
    report = fold(source(SALES), [measure("count")], [placed("Sales.Day", part=part)], row_total="off")
    assert [line[0] for line in lines(report)] == [*wanted, "(blank)"]


@given(st.dates(datetime.date(1, 1, 8)), st.sampled_from(sorted(PARTS)))
def test_every_part_reads_back_the_key_it_writes(day, name):
    part = PARTS[name]
    number = int(part.of(np.array([(day - datetime.date(1970, 1, 1)).days]))[0])
    assert part.parse(part.key(number)) == number
    if name == "week":
        assert part.key(number) == f"{day.isocalendar()[0]:04d}-W{day.isocalendar()[1]:02d}"


NET = ref("Sales.Net")


@pytest.mark.parametrize(
    ("rule", "kept"),
    [
        (Compare("f", NET, None, ">", "0.10"), 2),
        (Compare("f", NET, None, "≥", "0.100"), 3),
        (Compare("f", NET, None, "≤", "0.105"), 3),
        (Compare("f", NET, None, "=", "0.105"), 0),
        (Compare("f", NET, None, "≠", "0.105"), 5),
        (Compare("f", NET, None, "<", "1e30"), 5),
        (Between("f", NET, None, "-0.3", "0.1"), 3),
        (Blank("f", NET), 1),
        (Blank("f", NET, exclude=True), 5),
        (Members("f", NET, None, members=("0.10", "5.555", "1.00")), 2),
        (Members("f", ref("Sales.Region"), members=("East",), blank=True), 4),
        (Members("f", ref("Sales.Region"), members=("East",), exclude=True), 3),
        (Compare("f", ref("Sales.Region"), None, "≠", "East"), 2),
        (Between("f", ref("Sales.Day"), None, "2025-12-29", "2026-01-31"), 2),
        (Between("f", ref("Sales.Day"), "quarter", "2025-Q4", "2026-Q1"), 3),
        (Members("f", ref("Sales.Day"), "month of year", members=("03", "12")), 2),
    ],
)
def test_record_filters_keep_what_they_say_and_a_blank_condition_does_not_hold(rule, kept):
    report = fold(source(SALES), [measure("count")], filters=(rule,))
    assert report.kept == kept
    assert lines(report) == ([(kept,)] if kept else [])


def test_all_filters_must_hold():
    rules = (Members("f", ref("Sales.Region"), members=("East",)), Compare("g", NET, None, ">", "0"))
    assert fold(source(SALES), [measure("count")], filters=rules).kept == 2


ORDERS = table("Orders", {"No": [1, 2, 3], "Freight": [D("5.00"), D("7.00"), D("11.00")], "Town": ["Ash", "Ash", None]})
LINES = table(
    "Lines", {"No": [1, 1, 2, 9, None], "Line": ["Herbs", "Trees", "Herbs", "Herbs", "Trees"], "Net": [1, 2, 4, 8, 16]}
)
LINKED = source(LINES, ORDERS, links=[Link("Lines", "Orders", (("No", "No"),))])


def test_a_key_that_finds_no_partner_makes_no_match():
    report = fold(LINKED, [measure("sum", "Lines.Net")], [placed("Orders.Town")])
    assert lines(report) == [("Ash", 7), ("(no match)", 24), ("Everything", 31)]


def test_a_coarser_measure_counts_each_of_its_records_once_per_cell_and_once_in_the_total():
    report = fold(LINKED, [measure("sum", "Orders.Freight"), measure("sum", "Lines.Net")], [placed("Lines.Line")])
    assert lines(report) == [("Herbs", D("12.00"), 13), ("Trees", D("5.00"), 18), ("Everything", D("12.00"), 31)]
    assert "counts once" in report.measures[0].remark


def test_a_coarser_sum_past_64_bits_stays_exact():
    huge = 3 * 2**61
    far = table("Far", {"No": [1, 2, 3, 4], "V": [huge, huge, -huge, 5]})
    near = table("Near", {"No": [1, 2, 2, 3, 4, 4], "Line": ["a", "a", "a", "b", "b", "b"]})
    linked = source(near, far, links=[Link("Near", "Far", (("No", "No"),))])
    report = fold(linked, [measure("sum", "Far.V"), measure("count")], [placed("Near.Line")])
    assert lines(report) == [("a", 2 * huge, 3), ("b", 5 - huge, 3), ("Everything", huge + 5, 6)]


def test_the_base_is_the_finest_table_in_use():
    assert fold(LINKED, [measure("sum", "Orders.Freight")]).base == "Orders"
    assert fold(LINKED, [measure("sum", "Orders.Freight"), measure("sum", "Lines.Net")]).base == "Lines"


def test_repeated_keys_on_the_one_side_are_refused_with_an_example():
    far = table("Far", {"No": [1, 1, 2], "Name": ["a", "b", "c"]})
    with pytest.raises(LinkError, match=r"1 keys stand on more than one record of “Far” \(first: No = 1\)"):
        fold(
            source(LINES, far, links=[Link("Lines", "Far", (("No", "No"),))]),
            [measure("sum", "Lines.Net")],
            [placed("Far.Name")],
        )


def test_links_match_over_two_key_pairs_and_between_number_types():
    near = table("Near", {"A": [1, 1, 2], "B": ["x", "y", "x"], "V": [1, 2, 4]})
    far = table("Far", {"A": [D("1.00"), D("2.00")], "B": ["y", "x"], "Name": ["one y", "two x"]})
    report = fold(
        source(near, far, links=[Link("Near", "Far", (("A", "A"), ("B", "B")))]),
        [measure("sum", "Near.V")],
        [placed("Far.Name")],
    )
    assert lines(report)[:-1] == [("one y", 2), ("two x", 4), ("(no match)", 1)]


@pytest.mark.parametrize(
    ("spec", "error", "what"),
    [
        (Fold("f", (measure("sum", "Sales.Nett"),)), FoldError, "no field “Nett”.*Did you mean “Net”"),
        (Fold("f", (measure("sum", "Sale.Net"),)), LinkError, "no source “Sale”"),
        (Fold("f", (measure("sum", "Sales.Region"),)), FoldError, "“Region” is text, which “Sum” cannot take"),
        (Fold("f", (measure("medley", "Sales.Net"),)), FoldError, "no aggregation “medley”"),
        (Fold("f", (measure("sum"),)), FoldError, "needs a field"),
        (Fold("f", rows=(placed("Sales.Region", part="year"),)), FoldError, "“Region” is text, so it has no year"),
        (Fold("f", rows=(placed("Sales.Day", part="decade"),)), FoldError, "no part of a date called “decade”"),
        (Fold("f", (measure("count"),), filters=(Compare("c", NET, None, ">", "much"),)), FoldError, "“much” is not a number"),
        (Fold("f", (measure("count"),), filters=(Members("c", ref("Sales.Day"), "quarter", ("Q2",)),)), FoldError, "“Q2” is not a quarter written like 2026-Q2"),
        (Fold("f", (measure("count"),), filters=(Between("c", ref("Sales.Day"), None, "1/2/26", "x"),)), FoldError, "not a date written as"),
    ],
)  # fmt: skip
def test_what_cannot_be_folded_is_one_clear_error(spec, error, what):
    with pytest.raises(error, match=what) as raised:
        Engine(source(SALES)).fold(spec)
    assert isinstance(raised.value, FoldBasketError)


def test_more_than_five_million_cells_are_refused_before_they_are_made():
    many = Table.of(
        "T",
        [NumberColumn(name, FieldType.WHOLE, np.arange(3_000)[:: 1 if name == "a" else -1].copy()) for name in "ab"],
    )
    with pytest.raises(FoldError, match=r"9,006,001 cells.*keep fewer members"):
        fold(source(many), [measure("count")], [placed("T.a")], [placed("T.b")])


def test_many_combinations_are_counted_as_exactly_as_few():
    rng = np.random.default_rng(3)
    columns = [NumberColumn(name, FieldType.WHOLE, rng.integers(0, 2_000, 5_000)) for name in "abc"]
    columns.append(NumberColumn("v", FieldType.WHOLE, rng.integers(-9, 9, 5_000)))
    many = Table.of("T", columns)
    keep = Compare("f", ref("T.c"), None, "<", "1500")
    report = fold(
        source(many),
        [measure("sum", "T.v"), measure("count")],
        [placed("T.a"), placed("T.b"), placed("T.c")],
        filters=(keep,),
    )
    a, b, c, v = (column.values.tolist() for column in columns)
    wanted: dict = {}
    for at in range(5_000):
        if c[at] < 1500:
            total, count = wanted.get((a[at], b[at], c[at]), (0, 0))
            wanted[a[at], b[at], c[at]] = (total + v[at], count + 1)
    got = {}
    for line in range(report.height):
        if report.rows.kind[line] == 0:
            got[tuple(int(report.rows.key(line, field)) for field in range(3))] = (
                report.value(line, 0),
                report.value(line, 1),
            )
    assert got == wanted
    assert report.value(report.height - 1, 0) == sum(total for total, _ in wanted.values())


def test_reals_add_up_to_within_a_trillionth():
    rng = np.random.default_rng(5)
    values = rng.normal(0, 1e6, 300_000)
    column = NumberColumn("x", FieldType.REAL, values)
    report = fold(source(Table.of("T", [column])), [measure("sum", "T.x"), measure("average", "T.x")])
    assert report.value(0, 0) == pytest.approx(math.fsum(values), rel=1e-11)


def test_each_change_costs_only_its_own_stage():
    engine = Engine(source(SALES))
    first = Fold(
        "f",
        (measure("sum", "Sales.Net"),),
        (placed("Sales.Region"), placed("Sales.Site")),
        (placed("Sales.Day", part="year"),),
    )
    engine.fold(first)
    touched = {"codes": 3, "cube": 1, "aggregate": 0}
    import msgspec

    replace = msgspec.structs.replace
    cheap = [
        replace(first, rows=first.columns, columns=first.rows),
        replace(first, rows=first.rows[::-1]),
        replace(first, row_total="off"),
        replace(first, rows=(replace(first.rows[0], descending=True, subtotal="before"), first.rows[1])),
        replace(first, measures=(*first.measures, measure("count"), measure("average", "Sales.Net"))),
    ]
    for changed in cheap:
        engine.fold(changed)
        assert {stage: engine.ran[stage] for stage in touched} == touched
    engine.fold(replace(first, measures=(*first.measures, measure("sum", "Sales.Pieces"))))
    assert (engine.ran["cube"], engine.ran["aggregate"], engine.ran["selection"]) == (1, 1, 0)


def test_laying_out_is_given_up_once_nobody_waits_for_it():
    def cancel_at_the_end(what, share):
        if what == "Laying out":
            progress.cancel()

    spec = Fold(
        "f",
        (measure("sum", "Sales.Net", compare=ShareOf(Whole.COLUMN)),),
        (placed("Sales.Region", by=ByValue("sum Sales.Net")),),
    )
    engine, progress = Engine(source(SALES)), Progress(cancel_at_the_end)
    with pytest.raises(Cancelled):
        engine.fold(spec, progress)
    assert lines(engine.fold(spec)) == lines(Engine(source(SALES)).fold(spec))


def test_a_fold_can_be_cancelled_and_folded_again():
    engine = Engine(source(SALES))
    progress = Progress()
    progress.cancel()
    spec = Fold("f", (measure("sum", "Sales.Net"),), (placed("Sales.Region"),))
    with pytest.raises(Cancelled):
        engine.fold(spec, progress)
    assert engine.fold(spec).height == 4


def test_compiled_and_plain_loops_give_the_same_report():
    rng = np.random.default_rng(8)
    column = NumberColumn("x", FieldType.WHOLE, rng.integers(-(10**9), 10**9, 400_000), rng.random(400_000) > 0.1)
    group = NumberColumn("g", FieldType.WHOLE, rng.integers(0, 50, 400_000))
    of = source(Table.of("T", [column, group]))
    measures = [measure(name, "T.x") for name in ("sum", "average", "smallest", "largest", "count values")]
    kept = dict(kernels.compiled)
    kernels.compiled.clear()
    plain = lines(fold(of, measures, [placed("T.g")]))
    kernels.warm()
    assert lines(fold(of, measures, [placed("T.g")])) == plain
    kernels.compiled.update(kept)


@pytest.mark.parametrize(
    ("how", "values", "total"),
    [
        ("records", [2.0, 4.0], 8 / 3),
        ("sum", [2.0, 4.0], 6.0),
        ("average", [2.0, 4.0], 3.0),
        ("smallest", [2.0, 4.0], 2.0),
        ("largest", [2.0, 4.0], 4.0),
        ("none", [2.0, 4.0], None),
    ],
)
def test_a_total_may_be_made_of_the_lines_shown_and_says_so(how, values, total):
    joined = source(table("T", {"R": ["a", "a", "b"], "X": [1, 3, 4]}))
    spec = Fold("F", (Measure("m", "average", ref("T.X"), total=how),), (Placed("r", ref("T.R")),))
    report = Engine(joined).fold(spec)
    assert [report.value(0, 0), report.value(1, 0)] == values
    assert report.value(2, 0) == (pytest.approx(total) if total is not None else None)
    assert (how in report.measures[0].remark) == (how in ("sum", "average", "smallest", "largest"))


def test_totals_of_the_lines_shown_are_exact_on_both_axes():
    joined = source(table("T", {"R": ["a", "a", "b", "b"], "C": ["x", "y", "x", "x"], "X": [Decimal("0.10"), Decimal("0.20"), Decimal("0.30"), None]}))  # fmt: skip
    spec = Fold(
        "F", (Measure("m", "largest", ref("T.X"), total="sum"),), (Placed("r", ref("T.R")),), (Placed("c", ref("T.C")),)
    )
    report = Engine(joined).fold(spec)
    shown = [[report.value(line, column) for column in range(report.width)] for line in range(report.height)]
    assert shown == [
        [Decimal("0.10"), Decimal("0.20"), Decimal("0.30")],
        [Decimal("0.30"), None, Decimal("0.30")],
        [Decimal("0.40"), Decimal("0.20"), Decimal("0.60")],
    ]


def test_cells_beside_an_average_of_the_lines_shown_stay_exact():
    large = [Decimal("1000000000000000.01"), Decimal("1000000000000000.02"), Decimal("0.10")]
    of = source(table("T", {"R": ["a", "b", "c"], "X": large}))
    report = fold(of, [measure("sum", "T.X", total="average")], [placed("T.R")])
    assert [report.value(line, 0) for line in range(3)] == large
    assert report.value(3, 0) == float(Fraction(sum(large)) / 3)
    assert report.text(0, 0) == "1,000,000,000,000,000.01"
    counts = fold(of, [measure("count values", "T.X", total="average")], [placed("T.R")])
    assert counts.value(0, 0) == 1
    assert isinstance(counts.value(0, 0), int)


@pytest.mark.parametrize(
    ("value", "weight"),
    [
        (Decimal("1.2345"), Decimal("1000.0001")),
        (Decimal("1.2345"), 10**17),
        (1.2345, 9 * 10**18),
        (Decimal("1.234567"), Decimal("9999999999.123456")),
    ],
)
def test_a_weighted_average_past_the_exact_range_is_not_cut(value, weight):
    of = source(table("T", {"V": [value] * 3, "W": [weight] * 3}))
    report = fold(of, [measure("weighted average", "T.V", weight=ref("T.W"))])
    assert report.value(0, 0) == pytest.approx(float(value), rel=1e-15)


def test_a_list_of_values_is_ordered_and_written_as_the_locale_does():
    cities = source(table("T", {"City": ["Öland", "Zell", "Oslo"], "Day": [datetime.date(2026, 3, 1)] * 3}))
    asked = Fold("f", (measure("list", "T.City"), measure("list", "T.Day")))

    def said(locale):
        report = Engine(cities, locale=locale).fold(asked)
        return [report.text(0, at) for at in range(2)]

    assert said("de")[0] == "Öland, Oslo, Zell"
    assert said("sv")[0] == "Oslo, Zell, Öland"
    assert said("de")[1] == "01.03.2026"
