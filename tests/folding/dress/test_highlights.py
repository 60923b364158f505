"""Highlights against plain Python over random reports: every condition, scope and totals; shades, bars and signs."""

import math
import random
from decimal import Decimal
from fractions import Fraction

import pytest
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.dress.conditions.ends import AmongBottom, AmongBottomPercent, AmongTop, AmongTopPercent
from foldbasket.folding.dress.conditions.formula import Holds
from foldbasket.folding.dress.conditions.others import AboveAverage, Always, BelowAverage, IsBlank, ThanMeasure
from foldbasket.folding.dress.conditions.thresholds import Above, AtLeast, AtMost, Below, Equal, InRange
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.graded import STEPS, Bar, Shading, Thirds
from foldbasket.folding.dress.forms.marks import Ground
from foldbasket.folding.dress.judged import parsed
from foldbasket.folding.engine import Engine
from foldbasket.folding.lines.axis import Kind
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import Highlight, ReportLook, Scope
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.types import FieldType
from tests.folding.build import measure, placed, source, table

ROUNDS = 300


def random_report(draw, highlights):
    """A report of two measures over random records, some of them blank."""
    many = draw.randrange(5, 60)
    kind = draw.choice(["decimal", "whole", "real"])

    def value():
        if draw.random() < 0.15:
            return None
        if kind == "whole":
            return draw.randrange(-20, 20)
        if kind == "real":
            return draw.randrange(-2000, 2000) / 16
        return Decimal(draw.randrange(-5000, 5000)).scaleb(-2)

    first = {"decimal": Decimal("0.00"), "whole": 0, "real": 0.5}[kind]
    columns = {
        "A": [draw.choice("pqr") for _ in range(many)],
        "B": [draw.choice("xyz") for _ in range(many)],
        "C": [draw.choice("mn") for _ in range(many)],
        "V": [first, *(value() for _ in range(many - 1))],
        "W": [first, *(value() for _ in range(many - 1))],
    }
    one, two = measure("sum", "T.V"), measure(draw.choice(["sum", "average", "smallest"]), "T.W")
    look = ReportLook(highlights=tuple(highlights(one.id, two.id)))
    rows = [placed("T.A"), placed("T.B")][: draw.choice([1, 2])]
    columns_on = [placed("T.C")][: draw.choice([0, 1])]
    fold = Fold("f", (one, two), tuple(rows), tuple(columns_on), look=look)
    return Engine(source(table("T", columns))).fold(fold)


def plain_total(axis, line):
    return bool(axis.heads) and axis.kind[line] in (Kind.SUBTOTAL, Kind.GRAND)


def groups(report, highlight, at):
    """For each cell of a measure its group among which it is compared (None where it is not judged), and its exact value."""
    found = {}
    for row in range(len(report.rows)):
        for line in range(len(report.columns)):
            totals = plain_total(report.rows, row), plain_total(report.columns, line)
            if any(totals) and not highlight.totals:
                continue
            like = tuple(
                int(axis.level[each]) if total else -1
                for axis, each, total in ((report.rows, row, totals[0]), (report.columns, line, totals[1]))
            )
            depth = report.rows.depth
            level = int(report.rows.level[row])
            parent = tuple(report.rows.codes[row, : max(0, min(level, depth) - 1)].tolist()) if depth > 1 else ()
            scope = {Scope.CELLS: (), Scope.COLUMN: line, Scope.ROW: row, Scope.PARENT: parent}[highlight.within]
            value = report.exact(at, row, line)
            found[row, line] = ((like, scope), None if value is None else Fraction(value))
    return found


def holds(report, highlight, found, cell):
    """Whether a condition holds for a cell, in plain Python."""
    group, value = found[cell]
    when = highlight.when
    if isinstance(when, IsBlank):
        return value is None
    if value is None:
        return False
    others = sorted(each for one, each in found.values() if one == group and each is not None)
    if isinstance(when, InRange):
        return Fraction(when.low) <= value <= Fraction(when.high)
    if isinstance(when, ThanMeasure):
        other = report.exact(1, *cell)
        return other is not None and value < Fraction(other)
    if isinstance(when, Holds):
        other = report.exact(1, *cell)
        return value > 20 or (other is not None and value < Fraction(other))
    if isinstance(when, AboveAverage | BelowAverage):
        mean = sum(others) / len(others)
        return value > mean if isinstance(when, AboveAverage) else value < mean
    if isinstance(when, AmongTop | AmongTopPercent | AmongBottom | AmongBottomPercent):
        percent = isinstance(when, AmongTopPercent | AmongBottomPercent)
        many = math.ceil(len(others) * Fraction(when.number) / 100) if percent else int(when.number)
        many = min(many, len(others))
        if not many:
            return False
        return value >= others[-many] if isinstance(when, AmongTop | AmongTopPercent) else value <= others[many - 1]
    if isinstance(when, Always):
        return True
    tests = {AtLeast: value >= Fraction(when.value), AtMost: value <= Fraction(when.value), Above: value > Fraction(when.value),
             Below: value < Fraction(when.value), Equal: value == Fraction(when.value)}  # fmt: skip
    return tests[type(when)]


def random_condition(draw, two):
    number = draw.choice(["0", "10", "-3.5", "12.25", "0.125"])
    return draw.choice(
        [AtLeast(number), AtMost(number), Above(number), Below(number), Equal(number), InRange("-10", number), IsBlank(),
         AmongTop(draw.choice("0123")), AmongBottom(draw.choice("123")), AmongTopPercent(draw.choice(["20", "50"])),
         AmongBottomPercent("30"), AboveAverage(), BelowAverage(), ThanMeasure(measure=two), Holds("V < W OR V > 20"), Always()]
    )  # fmt: skip


def test_every_condition_in_every_scope_agrees_with_plain_python():
    seen = set()
    for seed in range(ROUNDS):
        draw = random.Random(seed)
        report = random_report(
            draw,
            lambda one, two, draw=draw: [
                Highlight(
                    "h", one, random_condition(draw, two), Ground(), draw.choice(list(Scope)), draw.random() < 0.5
                )
            ],
        )
        highlight = report.look.highlights[0]
        (lit,) = Dressed(report).lit
        found = groups(report, highlight, 0)
        for row in range(len(report.rows)):
            for line in range(len(report.columns)):
                expected = (row, line) in found and holds(report, highlight, found, (row, line))
                assert bool(lit.holds[row, line]) == expected, (seed, highlight, row, line)
        seen.add((type(highlight.when).__name__, highlight.within, highlight.totals))
    assert len({name for name, *_ in seen}) == 16
    assert len(seen) > 60


def test_shades_and_bars_go_straight_from_the_smallest_to_the_largest_of_their_scope():
    for seed in range(60):
        draw = random.Random(seed)
        form = draw.choice([Shading(), Bar(), Thirds()])
        report = random_report(
            draw,
            lambda one, two, form=form, draw=draw: [Highlight("h", one, Always(), form, draw.choice(list(Scope)))],
        )
        highlight = report.look.highlights[0]
        (lit,) = Dressed(report).lit
        found = groups(report, highlight, 0)
        for cell, (group, value) in found.items():
            if value is None:
                continue
            others = [each for one, each in found.values() if one == group and each is not None]
            low, high = min(others), max(others)
            if isinstance(form, Bar):
                largest = max(abs(low), abs(high))
                length = float(value / largest) if largest else 0.0
                assert lit.bars[cell] == pytest.approx(length, abs=1e-6)
                continue
            many = STEPS if isinstance(form, Shading) else 3
            share = (value - low) / (high - low) if high > low else Fraction(1)
            edge = share * many
            step = min(many - 1, math.floor(edge))
            assert lit.steps[cell] == step or abs(edge - round(edge)) < Fraction(1, 10**9), (seed, cell)


@pytest.mark.parametrize(
    ("when", "said"),
    [(AtLeast("much"), "“much” is not a number"), (AmongTop("-1"), "cannot be shown"), (ThanMeasure(measure="gone"), "was taken out")],
)  # fmt: skip
def test_a_highlight_that_makes_no_sense_is_told_and_the_others_are_drawn(when, said):
    report = random_report(
        random.Random(1), lambda one, two: [Highlight("a", one, when, Ground()), Highlight("b", one, Always(), Bar())]
    )
    dressed = Dressed(report)
    assert [lit.highlight.id for lit in dressed.lit] == ["b"]
    assert said in dressed.problems[0]


def test_text_and_dates_have_no_average_and_dates_compare_with_dates():
    import datetime

    days = [datetime.date(2026, 1, 5), datetime.date(2026, 3, 1), datetime.date(2026, 9, 30)]
    of = source(table("T", {"A": ["p", "q", "r"], "D": days}))
    latest = measure("largest", "T.D")

    def lit(when):
        look = ReportLook(highlights=(Highlight("h", latest.id, when, Ground()),))
        return Dressed(Engine(of).fold(Fold("f", (latest,), (placed("T.A"),), look=look)))

    assert lit(AtLeast("2026-03-01")).lit[0].holds[:, 0].tolist() == [False, True, True, False]
    with pytest.raises(FoldError, match="is not a date"):
        parsed("March", FieldType.DATE)
    assert "only numbers have an average" in lit(AboveAverage()).problems[0]


@pytest.mark.parametrize(
    ("when", "pattern", "locale", "said"),
    [
        (AtLeast("250000"), "", "en", "V at least 250,000"),
        (AtLeast("250000"), "", "de", "V at least 250.000"),
        (AtMost("-0.1"), "0.0%", "en", "V at most −10%"),
        (InRange("-1234.5", "0.075"), "#,##0.00", "de", "V from −1.234,5 to 0,075"),
        (AmongTopPercent("10"), "0.0%", "en", "V among the top 10 %"),
        (AtLeast("1" + "0" * 40), "", "en", "V at least 10,000,000,000,000,000,000,000,000,000,000,000,000,000"),
    ],
)
def test_its_line_of_words_writes_numbers_as_the_measure_is_written(when, pattern, locale, said):
    one = measure("sum", "T.V")
    one = replace(one, number=NumberStyle(pattern=pattern))
    fold = Fold("f", (one,), (placed("T.A"),), look=ReportLook(highlights=(Highlight("h", one.id, when, Ground()),)))
    engine = Engine(source(table("T", {"A": ["p", "q"], "V": [1, 2]})), locale=locale)
    dressed = Dressed(engine.fold(fold))
    assert dressed.words(fold.look.highlights[0]) == said
