"""Comparisons against plain Python over the cells of the same report without them; and their rules one by one."""

import datetime as dt
import random
from decimal import Decimal

import msgspec
import pytest

from foldbasket import kinds
from foldbasket.errors import FoldError
from foldbasket.folding.compare.against import Against, AgainstMeasure, How, Other
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.compare.shares import Index, ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.fold import Fold, Measure, Placed
from tests.rounds import seeds

from .build import fold, lines, placed, ref, source, table

D = Decimal


def sales(seed):
    draw = random.Random(seed)
    count = draw.choice([1, 6, 40])
    nets = [None if draw.random() < 0.1 else D(draw.randrange(-300, 3000)).scaleb(-2) for _ in range(count)]
    if set(nets) == {None}:  # a column of blanks alone would be text
        nets[0] = D("1.50")
    return source(
        table(
            "T",
            {
                "Region": [draw.choice(["East", "North", "West"]) for _ in range(count)],
                "Site": [draw.choice(["a", "b", "c"]) for _ in range(count)],
                "Day": [dt.date(2024, 1, 5) + dt.timedelta(days=draw.randrange(900)) for _ in range(count)],
                "Net": nets,
                "Plan": [D(draw.randrange(0, 40)).scaleb(-1) for _ in range(count)],
            },
        )
    )


ROWS = (Placed("region", ref("T.Region")), Placed("site", ref("T.Site")))
COLUMNS = (Placed("quarter", ref("T.Day"), part="quarter"),)


def folded(joined, compare=None, rows=ROWS, columns=COLUMNS, **more):
    measures = (Measure("net", "sum", ref("T.Net"), compare=compare), Measure("plan", "sum", ref("T.Plan")))
    return Engine(joined).fold(Fold("F", measures, rows, columns, **more))


def cells_of(report):
    """Value by (row's members, column's members), totals with the members they name."""
    found = {}
    for line in range(report.height):
        for column in range(len(report.columns)):
            found[key_of(report.rows, line), key_of(report.columns, column)] = report.value(line, column * 2)
    return found


def key_of(axis, line):
    return tuple(axis.key(line, field) for field in range(int(axis.level[line])))


def fraction(one, other):
    return None if one is None or other in (None, 0) else float(one) / float(other)


def quarter_before(key, away=1):
    year, quarter = key.split("-Q")
    number = int(year) * 4 + int(quarter) - 1 - away
    return f"{number // 4}-Q{number % 4 + 1}"


class Expected:
    """What each cell should be, from the cells without a comparison."""

    def __init__(self, plain, plans, order):
        self.plain, self.plans, self.order = plain, plans, order

    def of(self, kind, row, column):
        value = self.plain[row, column]
        shares = {"everything": ((), ()), "row": (row, ()), "column": ((), column), "parent row": (row[:-1], column), "parent column": (row, column[:-1])}  # fmt: skip
        if kind in shares:
            return fraction(value, self.plain[shares[kind]])
        return getattr(self, kind.replace(" ", "_"))(value, row, column)

    def before(self, row, column, away):
        return self.plain.get((row, (quarter_before(column[0], away),))) if column else None

    def less(self, value, other):
        return None if value is None or other is None else value - other

    def previous(self, value, row, column):
        return self.less(value, self.before(row, column, 1))

    def year_before(self, value, row, column):
        return self.less(value, self.before(row, column, 4))

    def change(self, value, row, column):
        other = self.before(row, column, 1)
        return fraction(self.less(value, other), None if other is None else abs(other))

    def measure(self, value, row, column):
        return self.less(value, self.plans[row, column])

    def running(self, value, row, column):
        if not column or value is None:
            return None
        reached = self.order[: self.order.index(column) + 1]
        return sum(self.plain[row, each] or 0 for each in reached)

    def rank(self, value, row, column):
        if len(row) != 2 or value is None:
            return None
        beside = [v for (r, c), v in self.plain.items() if len(r) == 2 and r[0] == row[0] and c == column]
        return 1 + sum(other > value for other in beside if other is not None)

    def moving(self, value, row, column):
        values = [self.before(row, column, away) for away in range(3)]
        return None if None in values else float(sum(values)) / 3

    def index(self, value, row, column):
        parts = (value, self.plain[row, ()], self.plain[(), column], self.plain[(), ()])
        if None in parts or not parts[1] or not parts[2]:
            return None
        return float(parts[0] * parts[3]) / float(parts[1] * parts[2])


KINDS = {
    "everything": ShareOf(Whole.EVERYTHING),
    "row": ShareOf(Whole.ROW),
    "column": ShareOf(Whole.COLUMN),
    "parent row": ShareOf(Whole.PARENT_ROW),
    "parent column": ShareOf(Whole.PARENT_COLUMN),
    "previous": Against("quarter"),
    "year before": Against("quarter", Other.YEAR_BEFORE),
    "change": Against("quarter", Other.PREVIOUS, None, How.CHANGE),
    "measure": AgainstMeasure("plan"),
    "running": Running("quarter"),
    "rank": Rank("site"),
    "moving": MovingAverage("quarter", 3),
    "index": Index(),
}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", seeds(8))
def test_every_cell_and_total_is_what_plain_python_says(kind, seed):
    joined = sales(seed)
    bare = folded(joined)
    plain = cells_of(bare)
    plans = {
        (key_of(bare.rows, line), key_of(bare.columns, column)): bare.value(line, column * 2 + 1)
        for line in range(bare.height)
        for column in range(len(bare.columns))
    }
    order = [key_of(bare.columns, at) for at in range(len(bare.columns)) if bare.columns.level[at] == 1]
    got = cells_of(folded(joined, KINDS[kind]))
    answers = Expected(plain, plans, order)
    wanted = {key: answers.of(kind, *key) for key in plain}
    assert got.keys() == wanted.keys()
    for key, value in wanted.items():
        if isinstance(value, float):
            assert got[key] == pytest.approx(value, rel=1e-12, abs=1e-12), key
        else:
            assert got[key] == value, key


@pytest.mark.parametrize("kind", KINDS)
def test_a_comparison_is_the_same_with_totals_switched_off(kind):
    joined = sales(3)
    rows = tuple(msgspec.structs.replace(word, subtotal="off") for word in ROWS)
    whole = cells_of(folded(joined, KINDS[kind]))
    part = cells_of(folded(joined, KINDS[kind], rows=rows, row_total="off", column_total="off"))
    assert part
    assert all(whole[key] == value for key, value in part.items())


def one_line(values, compare, part=None):
    """A report with a line for each day or letter and one measure."""
    keys = list(values)
    joined = source(table("T", {"K": keys, "X": list(values.values())}))
    measures = (Measure("m", "sum", ref("T.X"), compare=compare),)
    report = Engine(joined).fold(Fold("F", measures, (Placed("k", ref("T.K"), part=part),)))
    return [report.value(line, 0) for line in range(report.height)]


def test_previous_follows_the_calendar_for_a_period_and_the_display_for_words():
    days = {dt.date(2026, 1, 1): 1, dt.date(2026, 3, 1): 5}
    assert one_line(days, Against("k"), "month") == [None, None, None]
    assert one_line({"a": 1, "c": 5}, Against("k")) == [None, 4, None]
    assert one_line({"a": 1, "c": 5}, Against("k", Other.NEXT)) == [-4, None, None]


def test_the_same_period_a_year_before_needs_a_period():
    with pytest.raises(FoldError, match="no period"):
        one_line({"a": 1}, Against("k", Other.YEAR_BEFORE))


@pytest.mark.parametrize(
    ("part", "one", "other"),
    [("year", dt.date(2025, 3, 1), dt.date(2026, 9, 9)), ("half", dt.date(2025, 3, 1), dt.date(2026, 5, 9)), ("month", dt.date(2025, 3, 1), dt.date(2026, 3, 31)), ("week", dt.date(2025, 3, 3), dt.date(2026, 3, 4)), ("day", dt.date(2025, 3, 1), dt.date(2026, 3, 1))],
)  # fmt: skip
def test_a_year_before_is_the_same_part_of_the_calendar(part, one, other):
    assert one_line({one: 10, other: 13}, Against("k", Other.YEAR_BEFORE), part) == [None, 3, None]


def test_equal_values_share_a_rank_and_the_next_is_skipped():
    values = {"a": 5, "b": 9, "c": 5, "d": 1, "e": None}
    assert one_line(values, Rank("k"))[:5] == [2, 1, 2, 4, None]
    assert one_line(values, Rank("k", True))[:5] == [2, 4, 2, 1, None]


def test_a_moving_average_needs_all_its_members():
    assert one_line({"a": 1, "b": 2, "c": 6, "d": 4}, MovingAverage("k", 3)) == [None, None, 3.0, 4.0, None]


def test_running_totals_restart_at_each_parent_unless_told_otherwise():
    joined = source(table("T", {"R": ["x", "x", "y", "y"], "S": ["a", "b", "a", "b"], "X": [1, 2, 4, 8]}))
    rows = (Placed("r", ref("T.R"), subtotal="off"), Placed("s", ref("T.S")))
    for restart, wanted in ((True, [1, 3, 4, 12]), (False, [1, 3, 7, 15])):
        measures = (Measure("m", "sum", ref("T.X"), compare=Running("s", False, restart)),)
        report = Engine(joined).fold(Fold("F", measures, rows, row_total="off"))
        assert [report.value(line, 0) for line in range(4)] == wanted


def test_a_running_share_ends_at_all():
    assert one_line({"a": 1, "b": 3}, Running("k", True)) == [0.25, 1.0, None]


def test_shares_of_a_blank_or_zero_total_are_blank():
    assert one_line({"a": 1, "b": -1}, ShareOf(Whole.EVERYTHING)) == [None, None, None]
    assert one_line({"a": 2, "b": None}, ShareOf(Whole.EVERYTHING)) == [1.0, None, 1.0]


def test_differences_past_64_bits_stay_exact():
    big = 2**62 + 1
    assert one_line({"a": -big, "b": big}, Against("k"))[1] == 2 * big


@pytest.mark.parametrize(
    ("compare", "what"),
    [
        (Against("gone"), "no longer on rows or columns"),
        (Against("k", Other.MEMBER, "zz"), "no longer a member"),
        (AgainstMeasure("gone"), "was taken out"),
        (MovingAverage("k", 0), "at least one"),
    ],
)
def test_what_a_comparison_names_must_be_there(compare, what):
    with pytest.raises(FoldError, match=what):
        one_line({"a": 1, "b": 2}, compare)


def test_words_cannot_be_compared():
    joined = source(table("T", {"K": ["a"], "X": ["b"]}))
    measures = (Measure("m", "smallest", ref("T.X"), compare=Rank()),)
    with pytest.raises(FoldError, match="cannot be compared"):
        Engine(joined).fold(Fold("F", measures, (Placed("k", ref("T.K")),)))


def test_actual_against_plan_in_percent_over_units_that_differ():
    joined = source(table("T", {"A": [D("11.50")], "P": [10]}))
    measures = (
        Measure("a", "sum", ref("T.A"), compare=AgainstMeasure("p", How.CHANGE)),
        Measure("p", "sum", ref("T.P")),
    )
    assert Engine(joined).fold(Fold("F", measures)).value(0, 0) == pytest.approx(0.15)


@pytest.mark.parametrize(
    ("was", "now", "change", "percentage"), [(-100, -50, 0.5, 0.5), (-100, 100, 2.0, -1.0), (100, -50, -1.5, -0.5), (-50, -100, -1.0, 2.0)]
)  # fmt: skip
def test_the_sign_of_a_change_says_which_way_it_went(was, now, change, percentage):
    joined = source(table("T", {"A": [now], "P": [was]}))
    for how, wanted in ((How.CHANGE, change), (How.PERCENTAGE, percentage)):
        measures = (Measure("a", "sum", ref("T.A"), compare=AgainstMeasure("p", how)), Measure("p", "sum", ref("T.P")))
        assert Engine(joined).fold(Fold("F", measures)).value(0, 0) == pytest.approx(wanted)


def test_every_comparison_is_a_document_value_that_says_itself():
    for compare in KINDS.values():
        assert kinds.read(msgspec.to_builtins(compare), Comparison) == compare
        assert compare.said


def years_and_quarters():
    days = [dt.date(year, month, 5) for year in (2025, 2026) for month in (2, 5, 8, 11)]
    return source(table("T", {"Day": days, "X": [1, 2, 4, 8, 16, 32, 64, 128]}))


@pytest.mark.parametrize("inner", ["quarter", "quarter of year"])
@pytest.mark.parametrize(
    ("restart", "wanted"), [(True, [1, 3, 7, 15, 16, 48, 112, 240]), (False, [1, 3, 7, 15, 31, 63, 127, 255])]
)
def test_a_running_total_runs_along_the_finest_time_whether_that_is_a_period_or_repeats(inner, restart, wanted):
    words = [placed("T.Day", part="year"), placed("T.Day", part=inner)]
    of = years_and_quarters()
    run = Measure("m", "sum", ref("T.X"), compare=Running(restart=restart))
    upright = fold(of, [run], words)
    assert [value for *_, value in lines(upright) if value is not None] == wanted
    assert upright.measures[0].heading == "X, running total along quarter"
    across = fold(of, [run], [], words)
    assert [across.value(0, column) for column in range(across.width) if across.value(0, column) is not None] == wanted
    split = fold(of, [run], words[1:], words[:1])
    if inner != "quarter":  # months down and years across: still down
        assert [split.value(line, 0) for line in range(4)] == [1, 3, 7, 15]
    said = upright.sentence
    assert "as running total along quarter of" in said
    assert ("anew in each year of day" in said) == restart


def test_a_rank_or_running_total_along_an_outer_field_is_blank_where_inner_members_are_its_parts():
    of = source(
        table(
            "T",
            {"R": ["a", "a", "b", "b"], "Site": ["1", "2", "3", "4"], "Line": ["x", "y", "x", "y"], "X": [5, 3, 8, 1]},
        )
    )
    both = [Measure("m", "sum", ref("T.X"), compare=kind("T.R")) for kind in (Rank, Running)]
    both[1] = msgspec.structs.replace(both[1], id="n")
    parts = lines(fold(of, both, [placed("T.R"), placed("T.Site")]))
    assert [line[-2:] for line in parts] == [
        (None, None),
        (None, None),
        (2, 8),
        (None, None),
        (None, None),
        (1, 17),
        (None, None),
    ]
    alike = lines(fold(of, both, [placed("T.R"), placed("T.Line")]))
    assert [line[-2:] for line in alike] == [(2, 5), (1, 3), (2, 8), (1, 13), (2, 4), (1, 17), (None, None)]


def test_a_rank_is_among_members_of_rows_even_beside_time_and_says_among_which():
    of = source(table("T", {"Day": [dt.date(2026, 1, 1)] * 2, "Site": ["e", "w"], "R": ["n", "n"], "X": [1, 2]}))
    rank = Measure("m", "sum", ref("T.X"), compare=Rank())
    report = fold(of, [rank], [placed("T.R"), placed("T.Site")], [placed("T.Day", part="month")])
    assert [report.value(line, 0) for line in range(2)] == [2, 1]
    assert report.sentence.startswith("X, summed, as rank among sites in each R ")
    assert report.measures[0].heading == "X, rank among sites"
