"""The figures of charts against plain Python over random reports: members, order, gaps in time, what is gathered, and what is refused."""

import datetime as dt
import random
from collections import defaultdict
from decimal import Decimal
from fractions import Fraction

import msgspec
import numpy as np
import pytest

from foldbasket.charts.choosing import best, choices, chosen
from foldbasket.charts.figures import figures_of
from foldbasket.charts.kinds.blocks import Bars, Columns, Stacked
from foldbasket.charts.kinds.lines import Areas, Lines
from foldbasket.charts.kinds.parts import Parts
from foldbasket.charts.kinds.points import Points
from foldbasket.charts.roles import fold_of_chart, roles_of
from foldbasket.charts.scale import scale_of
from foldbasket.errors import OutputError
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.lines.axis import Axis
from foldbasket.spec.chart import Chart
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, source, table
from tests.rounds import seeds

replace = msgspec.structs.replace
MONTHS = 14


def random_tables(draw):
    many = draw.randrange(20, 90)

    def maybe(value):
        return None if draw.random() < 0.1 else value

    first = {
        "Region": "North",
        "Site": "Oak",
        "Sold": dt.date(2025, 11, 3),
        "Net": Decimal("1.00"),
        "Cost": Decimal("0.50"),
    }
    columns = {
        "Region": [maybe(draw.choice(["North", "South", "West"])) for _ in range(many)],
        "Site": [maybe(draw.choice(["Oak", "Elm", "Ash", "Plot 9", "Plot 10"])) for _ in range(many)],
        "Sold": [maybe(dt.date(2025, 11, 3) + dt.timedelta(draw.randrange(30 * MONTHS))) for _ in range(many)],
        "Net": [maybe(Decimal(draw.randrange(-2000, 9000)) / 100) for _ in range(many)],
        "Cost": [maybe(Decimal(draw.randrange(0, 5000)) / 100) for _ in range(many)],
    }
    for name, value in first.items():
        columns[name][0] = value
    return columns


def chart_of(engine, fold, chart=None):
    chart = chart or Chart()
    report = engine.fold(fold)
    return figures_of(engine.fold(fold_of_chart(fold, chart, report)), fold, chart)


def month(day):
    return day.year * 12 + day.month - 1


def label(value, word):
    if value is None:
        return "(blank)"
    return f"{value:%b %Y}" if word == "Sold" else value


def plain(columns, along, series, rule):
    """{series label: {along label: net}} in plain Python."""
    found = defaultdict(lambda: defaultdict(list))
    for at, net in enumerate(columns["Net"]):
        if rule is not None and (columns["Region"][at] in rule.members) == rule.exclude:
            continue
        one = columns[along][at]
        key = label(one, along)
        found[label(columns[series][at], series) if series else ""][key].append(net)
    return {
        one: {
            key: (
                sum(Fraction(each) for each in nets if each is not None)
                if any(each is not None for each in nets)
                else None
            )
            for key, nets in two.items()
        }
        for one, two in found.items()
    }


@pytest.mark.parametrize("seed", seeds(200))
def test_figures_are_what_plain_python_says(seed):
    draw = random.Random(seed)
    columns = random_tables(draw)
    engine = Engine(source(table("T", columns)))
    words = [("Region", None), ("Site", None), ("Sold", "month")]
    draw.shuffle(words)
    chosen_words = words[: draw.choice([1, 2, 2, 3])]
    made = [
        placed(f"T.{name}", id=name, **({"part": part} if part else {}), subtotal=draw.choice(["after", "off"]))
        for name, part in chosen_words
    ]
    cut = draw.randrange(len(made) + 1)
    rule = (
        Members("f", FieldRef("T", "Region"), members=("North", "South"), exclude=draw.random() < 0.3)
        if draw.random() < 0.4
        else None
    )
    fold = Fold("F", (measure("sum", "T.Net"), measure("sum", "T.Cost")), tuple(made[:cut]), tuple(made[cut:]), (rule,) if rule else (),
                draw.choice(["after", "off"]), draw.choice(["after", "off"]))  # fmt: skip
    names = [word.id for word in made]
    along = draw.choice(names)
    others = [name for name in names if name != along]
    series = draw.choice([*others, None])
    chart = Chart(along=along, series=series or "", measure="sum T.Net")
    try:
        figures = chart_of(engine, fold, chart)
    except OutputError:  # where all that is kept is blank, or nothing is
        kept = [net for values in plain(columns, along, series, rule).values() for net in values.values()]
        assert all(net is None for net in kept)
        return
    (panel,) = figures.panels
    wanted = plain(columns, along, series, rule)
    wanted = {name: values for name, values in wanted.items() if any(each is not None for each in values.values())}
    inner_without_outer = len(names) == 3 or any(
        "›" in each for each in (*figures.labels, *(one.name for one in panel.series))
    )
    if figures.is_time:
        dated = sorted(
            {
                month(day)
                for at, day in enumerate(columns["Sold"])
                if day is not None and (rule is None or (columns["Region"][at] in rule.members) != rule.exclude)
            }
        )
        if not inner_without_outer:
            assert figures.places.tolist() == [each - dated[0] for each in dated]
    if inner_without_outer:
        _totals_agree(panel, wanted, figures.is_time)
        return
    got = {
        one.name: {figures.labels[at]: one.values[at] for at in range(len(figures.labels)) if one.cells[at, 0] >= 0}
        for one in panel.series
    }
    assert set(got) <= set(wanted)
    for name, values in wanted.items():
        for key, value in values.items():
            if figures.is_time and key == "(blank)":
                continue
            shown = got[name][key] if name in got else np.nan
            assert (np.isnan(shown) and value is None) or abs(shown - float(value)) < 1e-9, (name, key, shown, value)


def _totals_agree(panel, wanted, in_time):
    """Where members of inner fields stand for several, the sum over all marks is still that of the records."""
    if in_time:
        return
    total = sum(value for values in wanted.values() for value in values.values() if value is not None)
    drawn = sum(float(np.nansum(one.values)) for one in panel.series)
    assert drawn == pytest.approx(float(total), abs=1e-6)


@pytest.fixture
def shop():
    rows = [("East", "Oak", dt.date(2026, 1, 5), "10.00"), ("East", "Elm", dt.date(2026, 2, 5), "5.00"), ("West", "Oak", dt.date(2026, 4, 1), "-2.00"),
            ("West", "Ash", None, "8.00"), (None, "Ash", dt.date(2026, 2, 9), "4.00")]  # fmt: skip
    names = ("Region", "Site", "Sold", "Net")
    columns = {name: [row[at] for row in rows] for at, name in enumerate(names)}
    columns["Net"] = [Decimal(each) for each in columns["Net"]]
    return Engine(source(table("T", columns)))


def by(engine, rows=(), columns=(), chart=None, **more):
    fold = Fold("F", (measure("sum", "T.Net"), *more.pop("also", ())), tuple(rows), tuple(columns), **more)
    return chart_of(engine, fold, chart)


def test_a_month_without_records_is_a_gap_and_a_blank_date_is_told(shop):
    figures = by(shop, columns=[placed("T.Sold", part="month")])
    assert figures.labels == ("Jan 2026", "Feb 2026", "Apr 2026")
    assert figures.places.tolist() == [0, 1, 3]
    assert figures.panels[0].series[0].values.tolist() == [10.0, 9.0, -2.0]
    assert figures.notes == ("(blank) has no place in time.",)


def test_totals_are_never_drawn_as_members_and_those_that_are_off_are_there(shop):
    figures = by(
        shop,
        rows=[placed("T.Region", id="r", subtotal="off"), placed("T.Site", id="s")],
        chart=Chart(along="r", series=""),
        row_total="off",
    )
    assert figures.labels == ("East", "West", "(blank)")
    assert figures.panels[0].series[0].values.tolist() == [15.0, 6.0, 4.0]


def test_members_past_what_can_be_read_are_gathered_of_their_records(shop):
    many = table("T", {"Site": [f"s{at:03}" for at in range(90)] * 2, "Net": [Decimal(at) for at in range(180)]})
    engine = Engine(source(many))
    figures = by(engine, rows=[placed("T.Site")])
    assert len(figures.labels) == 41
    assert figures.labels[-1] == "All others"
    assert figures.others.tolist() == [False] * 40 + [True]
    assert figures.all_values.sum() == sum(range(180))
    averaged = Fold("F", (measure("average", "T.Net"),), (placed("T.Site"),))
    assert chart_of(engine, averaged).panels[0].series[0].values[-1] == pytest.approx(
        sum(each for at, each in enumerate(range(180)) if at % 90 < 50) / 100
    )


def test_members_of_one_name_under_several_are_told_apart(shop):
    figures = by(shop, rows=[placed("T.Region", id="r"), placed("T.Site", id="s")], chart=Chart(along="s", series=""))
    assert figures.labels == ("Elm", "East › Oak", "West › Ash", "West › Oak", "(blank) › Ash")


def test_what_would_mislead_is_refused_with_what_to_take_instead(shop):
    rows = [placed("T.Region", id="r")]
    figures = by(shop, rows=rows, columns=[placed("T.Site", id="s")])
    negative = [Parts(), Columns(Stacked.HUNDRED), Areas()]
    for drawn in negative:
        said = chosen(figures, Chart(drawn=drawn)).refusal
        assert "negative" in said
        assert "draw" in said
    averages = chart_of(shop, Fold("F", (measure("average", "T.Net"),), (*rows, placed("T.Site", id="s"))))
    assert "do not add up" in chosen(averages, Chart(drawn=Parts())).refusal
    assert "do not add up" in chosen(averages, Chart(drawn=Bars(Stacked.STACKED))).refusal
    assert "two measures" in chosen(figures, Chart(drawn=Points())).refusal
    assert chosen(by(shop), Chart(drawn=Lines())).refusal


def test_what_fits_is_proposed_with_its_reason(shop):
    time = by(shop, rows=[placed("T.Region")], columns=[placed("T.Sold", part="month")])
    assert isinstance(best(time).drawn, Lines)
    assert "a time axis" in best(time).reason
    assert isinstance(best(by(shop, rows=[placed("T.Site")])).drawn, Bars)
    assert {type(each.drawn).label for each in choices(time)} == {
        "bars",
        "columns",
        "lines",
        "areas",
        "parts",
        "points",
        "steps",
    }


def test_a_chart_follows_folding_up_turning_filters_and_comparisons(shop):
    region, site = placed("T.Region", id="r"), placed("T.Site", id="s")
    fold = Fold("F", (measure("sum", "T.Net"),), (region, site))
    report = shop.fold(fold)
    assert roles_of(fold, Chart(), report).along == "s"
    closed = replace(fold, rows=(replace(region, closed=True), site))
    assert chart_of(shop, closed).labels == ("East", "West", "(blank)")
    turned = replace(fold, rows=(), columns=(region, site))
    assert chart_of(shop, turned, Chart(along="r", series="")).labels == ("East", "West", "(blank)")
    kept = replace(fold, filters=(Members("f", FieldRef("T", "Region"), members=("East",)),))
    assert chart_of(shop, kept, Chart(along="r", series="")).labels == ("East",)
    shares = replace(fold, measures=(replace(fold.measures[0], compare=ShareOf()),), rows=(region,))
    assert chart_of(shop, shares).panels[0].series[0].values.tolist() == pytest.approx([15 / 25, 6 / 25, 4 / 25])


def test_years_and_their_quarters_are_one_axis_of_time(shop):
    figures = by(
        shop, columns=[placed("T.Sold", id="y", part="year"), placed("T.Sold", id="q", part="quarter of year")]
    )
    assert figures.is_time
    assert figures.places.tolist() == [0, 1]
    assert figures.labels == ("Q1", "Q2")


def test_a_small_chart_for_each_member_of_a_field(shop):
    figures = by(shop, rows=[placed("T.Region", id="r"), placed("T.Site", id="s")], chart=Chart(each="r", along="s"))
    assert [panel.name for panel in figures.panels] == ["East", "West", "(blank)"]
    assert [float(np.nansum(panel.series[0].values)) for panel in figures.panels] == [15.0, 6.0, 4.0]


def test_nothing_to_draw_and_too_much_are_refused_before_anything_is_named(shop, monkeypatch):
    with pytest.raises(OutputError, match="no measure of numbers"):
        chart_of(shop, Fold("F", (measure("largest", "T.Site"),), (placed("T.Region"),)))
    days = table("T", {"Day": [dt.date(1900, 1, 1) + dt.timedelta(at) for at in range(25_000)], "Net": [1] * 25_000})
    monkeypatch.setattr(Axis, "label", None)
    with pytest.raises(OutputError, match="25,000 marks cannot be told apart"):
        chart_of(Engine(source(days)), Fold("F", (measure("sum", "T.Net"),), (placed("T.Day"),)))


def test_values_farther_apart_than_any_number_are_refused():
    assert scale_of(-1e307, 1e307, True).low <= -1e307
    with pytest.raises(OutputError, match="too far apart"):
        scale_of(-1.7e308, 1.7e308, True)
