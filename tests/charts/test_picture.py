"""Charts as they are drawn, read back from their pictures: heights in proportion, texts that do not overlap, colours told apart."""

import gc
import io
import itertools
import re
from datetime import date
from decimal import Decimal

import numpy as np
import pytest
from matplotlib.lines import Line2D
from PIL import Image
from pypdf import PdfReader

from foldbasket.charts.canvas import Canvas
from foldbasket.charts.figures import figures_of
from foldbasket.charts.kinds.blocks import Bars, Columns, Stacked
from foldbasket.charts.kinds.lines import Areas, Lines
from foldbasket.charts.kinds.parts import Parts
from foldbasket.charts.kinds.points import Points
from foldbasket.charts.kinds.steps import Steps
from foldbasket.charts.picture import picture_of
from foldbasket.charts.plot import spread
from foldbasket.charts.roles import fold_of_chart
from foldbasket.charts.scale import scale_of
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.spec.chart import Chart, Mean, Names, Reference, Values
from foldbasket.spec.fold import Fold
from foldbasket.styling.palette import series_inks
from foldbasket.styling.styles import LEDGER, luminance
from tests.folding.build import measure, placed, source, table

SITES = [
    "Alder Yard",
    "Drift House",
    "Sluice Lane",
    "Heron Weir",
    "A name that goes on for rather longer than its room",
]
KINDS = [
    Bars(),
    Bars(Stacked.STACKED),
    Columns(),
    Columns(Stacked.HUNDRED),
    Lines(),
    Areas(),
    Parts(),
    Points(),
    Steps(),
]


def engine_of(many=5):
    columns = {"Site": [], "Year": [], "Net": [], "Cost": []}
    for at, site in enumerate(SITES[:many]):
        for year in (2024, 2025, 2026):
            columns["Site"].append(site)
            columns["Year"].append(str(year))
            columns["Net"].append(Decimal(1000 * (at + 1) + 137 * (year - 2023)))
            columns["Cost"].append(Decimal(400 * (at + 2)))
    return Engine(source(table("T", columns)))


def drawn(chart, rows=("Site",), columns=(), size=(780, 420), paper="light", engine=None):
    fold = Fold(
        "F",
        (measure("sum", "T.Net"), measure("sum", "T.Cost")),
        tuple(placed(f"T.{each}", id=each) for each in rows),
        tuple(placed(f"T.{each}", id=each) for each in columns),
    )
    engine = engine or engine_of()
    report = engine.fold(fold)
    figures = figures_of(engine.fold(fold_of_chart(fold, chart, report)), fold, chart)
    return figures, picture_of(figures, chart, *size, paper)


def image(picture):
    pixels, wide, tall = picture.canvas.pixels()
    return np.frombuffer(pixels, np.uint8).reshape(tall, wide, 4)[:, :, :3].astype(int)


def rgb(colour):
    return np.array([int(colour[at : at + 2], 16) for at in (1, 3, 5)])


@pytest.mark.parametrize("kind", [Bars(), Columns()])
def test_bars_in_the_picture_are_as_long_as_their_values_within_a_pixel(kind):
    figures, picture = drawn(Chart(drawn=kind, measure="sum T.Net"))
    dots = image(picture)
    ink = rgb(series_inks("light")[0])
    values = figures.panels[0].series[0].values
    whole = picture.marks[-1].box
    per_unit = (whole[3] - whole[1] if kind.upright else whole[2] - whole[0]) / values[-1]
    for mark, value in zip(picture.marks, values, strict=True):
        left, top, right, bottom = mark.box
        length = bottom - top if kind.upright else right - left
        assert length == pytest.approx(value * per_unit, abs=1e-6)
        strip = dots[:, int((left + right) / 2)] if kind.upright else dots[int((top + bottom) / 2), :]
        assert abs(int((np.abs(strip - ink).sum(axis=1) < 12).sum()) - length) <= 1.6, (
            "an edge within a dot at either end"
        )


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("size", [(780, 420), (460, 300), (1200, 700)])
@pytest.mark.parametrize("values", [Values.NONE, Values.ALL, Values.ENDS])
def test_texts_do_not_overlap_and_stay_on_the_paper(kind, size, values):
    across = () if isinstance(kind, (Parts, Points, Steps)) else ("Year",)
    _, picture = drawn(Chart(drawn=kind, values=values, series=None if across else ""), columns=across, size=size)
    texts = picture.canvas.texts
    assert len(texts) > 4
    for text, (left, top, right, bottom) in texts:
        assert left >= -1, text
        assert right <= size[0] + 1, text
        assert top >= -1, text
        assert bottom <= size[1] + 1, text
    for (one, a), (two, b) in itertools.combinations(texts, 2):
        wide, tall = min(a[2], b[2]) - max(a[0], b[0]), min(a[3], b[3]) - max(a[1], b[1])
        assert wide <= 1 or tall <= 2.5, (one, two)


# --- colours --------------------------------------------------------------------

SIMULATED = {
    "deuteranopia": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "protanopia": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "tritanopia": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}
"""Matrices on linear RGB that show what eyes without one kind of cone see (Machado, Oliveira and Fernandes 2009, severity 1)."""


def lab(colour, matrix):
    linear = np.array(
        [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in rgb(colour) / 255]
    )
    linear = np.clip(np.array(matrix) @ linear, 0, 1)
    xyz = (
        np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
        @ linear
        / [0.9505, 1, 1.089]
    )
    x, y, z = [each ** (1 / 3) if each > 0.008856 else 7.787 * each + 16 / 116 for each in xyz]
    return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])


@pytest.mark.parametrize("paper", ["light", "dark"])
@pytest.mark.parametrize("eyes", ["normal", *SIMULATED])
def test_colours_of_series_are_told_apart_by_all_eyes(paper, eyes):
    matrix = SIMULATED.get(eyes, np.eye(3))
    inks = series_inks(paper)
    for one, two in itertools.combinations(inks, 2):
        assert np.linalg.norm(lab(one, matrix) - lab(two, matrix)) > 11, (one, two)
    ground = LEDGER.inks(paper).paper
    for ink in inks:
        low, high = sorted((luminance(ink), luminance(ground)))
        assert (high + 0.05) / (low + 0.05) > 1.9, ink


def test_in_grey_series_differ_by_what_fills_them():
    _, picture = drawn(Chart(drawn=Columns(Stacked.STACKED)), columns=("Year",), paper="grey")
    dots = image(picture)
    assert int(np.abs(dots - dots.mean(axis=2, keepdims=True)).max()) <= 14, "only greys"
    shares = [
        float(
            (
                dots[int(m.box[1]) + 2 : int(m.box[3]) - 2, int(m.box[0]) + 2 : int(m.box[2]) - 2].mean(axis=2) < 150
            ).mean()
        )
        for m in picture.marks
        if m.place == 0
    ]
    assert all(abs(one - two) > 0.02 for one, two in itertools.pairwise(shares))


# --- what it says and where it goes ----------------------------------------------


def test_a_mark_is_found_by_its_place_and_is_its_cell():
    figures, picture = drawn(Chart(drawn=Columns()), columns=("Year",))
    report = figures.report
    for mark in picture.marks:
        found = picture.mark_at((mark.box[0] + mark.box[2]) / 2, (mark.box[1] + mark.box[3]) / 2)
        assert found == mark
        series = figures.panels[mark.panel].series[mark.series]
        assert float(report.exact(*mark.cell)) == series.values[mark.place]
    assert picture.mark_at(1, 1) is None


def test_it_says_itself_in_words():
    _, picture = drawn(Chart(drawn=Bars(), measure="sum T.Net", note="Mine."))
    assert picture.said.startswith("Bars: Net, thousand. Net, summed")
    assert f"Largest: {SITES[4]} 15,822" in picture.said
    assert picture.said.endswith("Mine.")


def test_signs_that_mean_something_elsewhere_are_plain_text():
    odd = table(
        "T",
        {
            "Site": ["a $x^2$ b", r"\\alpha_1", "50 % & <b>"],
            "Net": [1, 2, 3],
            "Cost": [1, 1, 1],
            "Year": ["1", "2", "3"],
        },
    )
    _, picture = drawn(Chart(drawn=Bars()), engine=Engine(source(odd)))
    assert image(picture).shape == (420, 780, 3)
    assert {"a $x^2$ b", "50 % & <b>"} <= {text for text, _ in picture.canvas.texts}


@pytest.mark.parametrize("form", ["png", "svg", "pdf"])
def test_the_same_chart_is_the_same_file_and_bears_no_date(form):
    files = []
    for _ in range(2):
        _, picture = drawn(Chart())
        file = io.BytesIO()
        picture.canvas.save(file, form, "Net")
        files.append(file.getvalue())
    assert files[0] == files[1]
    if form == "png":
        assert Image.open(io.BytesIO(files[0])).size == (780, 420)
    elif form == "pdf":
        assert "Alder Yard" in PdfReader(io.BytesIO(files[0])).pages[0].extract_text()
    else:
        assert files[0].startswith(b"<?xml")


def test_a_line_to_compare_with_stands_at_its_value():
    for line, value in ((Reference(Mean.NUMBER, "5000"), 5000.0), (Reference(Mean.AVERAGE), None)):
        figures, picture = drawn(Chart(drawn=Columns(), measure="sum T.Net", line=line))
        wanted = value if value is not None else float(figures.all_values.mean())
        ends = [np.asarray(each.get_ydata()) for each in picture.canvas.figure.findobj(Line2D)]
        box = picture.marks[-1].box
        top, bottom, largest = box[1], box[3], float(figures.panels[0].series[0].values[-1])
        expected = bottom - (bottom - top) * wanted / largest
        assert any(abs(float(each[0]) - expected) < 0.6 for each in ends)


def test_too_many_small_charts_and_a_ring_of_many_are_refused_with_what_to_do():
    many = table(
        "T",
        {
            "Site": [f"s{at}" for at in range(60)],
            "Net": [1] * 60,
            "Cost": [1] * 60,
            "Year": [str(at % 3) for at in range(60)],
        },
    )
    with pytest.raises(OutputError, match="60 charts do not fit"):
        drawn(Chart(each="Site", along="Year", most=99), rows=("Site", "Year"), engine=Engine(source(many)))
    with pytest.raises(OutputError, match="Draw bars"):
        drawn(Chart(drawn=Parts(), along="Site", most=99), rows=("Year", "Site"), engine=Engine(source(many)))


# --- small parts ------------------------------------------------------------------


def test_scales_are_round_hold_their_values_and_start_at_zero_where_asked():
    for low, high in ((3, 97), (-40, 12), (0.001, 0.004), (5e9, 7e9), (0, 0), (4, 4), (-3, -1)):
        for zero in (True, False):
            scale = scale_of(low, high, zero)
            assert scale.low <= low
            assert scale.high >= high
            assert 1 <= len(scale.ticks) - 1 <= 8
            assert re.fullmatch(r"(1|2|2\\.5|5|10)(\\.0)?", f"{scale.step / 10 ** np.floor(np.log10(scale.step)):.6g}")
            if zero:
                assert scale.low <= 0 <= scale.high


def test_texts_are_spread_no_further_than_they_must():
    assert spread([10, 50, 90], 12, 0, 100) == [10, 50, 90]
    found = spread([50, 51, 52, 90], 12, 0, 100)
    assert found == pytest.approx([39, 51, 63, 90])
    assert spread([1, 2], 60, 0, 50) is None
    close = spread([99, 100, 3], 10, 0, 100)
    assert min(abs(one - two) for one, two in itertools.combinations(close, 2)) >= 10 - 1e-9
    assert all(0 <= each <= 100 for each in close)


def test_a_legend_stands_where_names_do_not_fit_at_the_lines():
    figures, picture = drawn(Chart(drawn=Lines(), series="Site", names=Names.LEGEND), rows=("Site",), columns=("Year",))
    said = [text for text, _ in picture.canvas.texts]
    assert SITES[0] in said
    assert isinstance(picture.canvas, Canvas)
    assert len(figures.panels[0].series) == 5


@pytest.mark.parametrize(("width", "named"), [(150, 2), (190, 2), (780, 8)])
def test_of_a_time_as_many_periods_are_named_as_fit_and_at_least_two(width, named):
    days = [date(2024 + at // 4, 2 + 3 * (at % 4), 1) for at in range(8)]
    engine = Engine(source(table("T", {"Day": days, "Net": list(range(1, 9))})))
    fold = Fold("F", (measure("sum", "T.Net"),), (placed("T.Day", part="quarter", id="q"),))
    chart = Chart(drawn=Lines(), along="q")
    report = engine.fold(fold)
    figures = figures_of(engine.fold(fold_of_chart(fold, chart, report)), fold, chart)
    picture = picture_of(figures, chart, width, 200, "light")
    found = [(text, box) for text, box in picture.canvas.texts if text in figures.labels]
    assert len(found) >= named
    assert found[0][0] == figures.labels[0]
    assert width != 150 or found[-1][0] == figures.labels[-1], "both ends, where there is room for no more"
    for (_, one), (_, two) in itertools.pairwise(found):
        assert one[2] < two[0], "they stand beside each other"


def test_a_chart_that_was_let_go_leaves_few_circles_to_collect():
    """In the window they are collected by its thread: 50,000 objects of one chart held it for a tenth of a second."""
    many = 200
    gc.collect()
    gc.disable()
    try:
        canvas = Canvas(600, 400, LEDGER.inks("light"), LEDGER.family)
        for at in range(many):
            canvas.dots([(at, 2), (at, 4)], 3, "#123456")
            canvas.line([(0, 0), (at, 5)], "#123456")
            canvas.text(at, 4, "abc")
        canvas.pixels()
        canvas.let_go()
        assert gc.collect() < 5 * many
    finally:
        gc.enable()
