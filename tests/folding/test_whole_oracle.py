"""Random whole folds over random tables agree with plain Python in every line and cell: parts, bands, groups, filters with
alternatives, order by label, hand and value, summary filters with and without All others, what totals cover, folded members,
subtotals before, after and off, shares, ranks and running totals."""

import random

import msgspec
import pytest

from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue
from tests.rounds import seeds

from .build import bands, keep, source
from .python_oracle import agrees
from .test_aggregates import made, random_tables
from .whole_oracle import Oracle

FOLDS = 16
TOTALS = ["after", "after", "before", "off"]
replace = msgspec.structs.replace


def ref(name):
    return FieldRef("Lines", name)


def random_word(draw, at):
    name = draw.choice(["Region", "Channel", "Word", "Sold", "Pieces", "Region", "Net"])
    word = Placed(f"p{at}", ref(name), subtotal=draw.choice(TOTALS), descending=draw.random() < 0.3)
    if name == "Sold":
        return replace(word, part=draw.choice(["month", "weekday"]))
    if name == "Pieces":
        return replace(word, bands=bands("edges", ("-1", "2", "4.5", "7")))
    if name == "Net":
        return replace(word, bands=bands("edges", ("-100.005", "0", "300")))
    if name == "Region" and draw.random() < 0.5:
        groups = (Group("Plots", ("Plot 9", "Plot 10")), Group("Ends", ("North", "gone")))
        return replace(word, groups=Groups(groups[: draw.randrange(1, 3)], draw.choice([None, "Others"])))
    if draw.random() < 0.2:
        return replace(word, first=("South", "c", "Moss", "nobody"))
    return word


def random_fold(draw):
    measures = [
        Measure("net", "sum", ref("Net")),
        Measure("count", "count"),
        Measure(
            "pieces", draw.choice(["average", "median", "smallest", "count different", "count values"]), ref("Pieces")
        ),
    ]
    words = [random_word(draw, at) for at in range(draw.choice([1, 2, 2, 3]))]
    cut = draw.randrange(len(words) + 1)
    axes = [words[:cut], words[cut:]]
    for axis in axes:
        for at, word in enumerate(axis):
            by = draw.choice(["net", "count", "pieces"])
            if draw.random() < 0.25:
                word = replace(word, by=ByValue(by))
            if draw.random() < 0.3:
                kind = draw.choice(["top", "bottom", "where"])
                rest = draw.choice(["gone", "gathered"])
                word = replace(word, keep=keep(by, kind, draw.choice(["1", "2", "3", "0"]), rest=rest))
            if at + 1 < len(axis) and draw.random() < 0.3:
                word = replace(
                    word, closed=draw.random() < 0.4, turned=(("North",), ("a",), ("(blank)",)) if at == 0 else ()
                )
            axis[at] = word
    if axes[0]:
        inner = axes[0][-1].id
        compare = draw.choice([None, ShareOf(), ShareOf(Whole.ROW), ShareOf(Whole.COLUMN), Rank(inner), Running(inner)])
        measures.append(Measure("compared", "sum", ref("Net"), compare=compare))
    some = [
        Members("f1", ref("Channel"), members=("a", "b"), blank=draw.random() < 0.5, exclude=draw.random() < 0.5),
        Compare("f2", ref("Pieces"), None, draw.choice("<≥"), draw.choice(["0", "3.5", "5"])),
        Either("f3", (Members("x", ref("Region"), members=("South",)), Compare("y", ref("Net"), None, "≥", "100.01"))),
    ]
    return Fold(
        "F",
        tuple(measures),
        tuple(axes[0]),
        tuple(axes[1]),
        tuple(draw.sample(some, draw.choice([0, 0, 1, 2]))),
        draw.choice(TOTALS),
        draw.choice(TOTALS),
        draw.choice(["kept", "kept", "shown"]),
    )


def path(axis, line):
    codes = [int(code) for code in axis.codes[line] if code >= 0]
    return tuple(head.domain.token(code) for head, code in zip(axis.heads, codes, strict=False))


@pytest.mark.parametrize("seed", seeds(120))
def test_whole_folds_are_what_plain_python_says(seed):
    draw = random.Random(seed * 31 + 5)
    records, _, count = random_tables(seed, lines=30)
    engine = Engine(source(made("Lines", records)))
    for _ in range(FOLDS):
        fold = random_fold(draw)
        report = engine.fold(fold)
        oracle = Oracle(fold, records, count)
        rows = oracle.lines(oracle.rows, fold.rows, fold.row_total)
        columns = oracle.lines(oracle.columns, fold.columns, fold.column_total)
        assert [path(report.rows, line) for line in range(len(report.rows))] == [each for each, *_ in rows], fold
        assert [path(report.columns, line) for line in range(len(report.columns))] == [each for each, *_ in columns], (
            fold
        )
        for line, (_, row, siblings) in enumerate(rows):
            for across, (_, column, _) in enumerate(columns):
                for at, measure in enumerate(fold.measures):
                    got = report.exact(at, line, across)
                    wanted = oracle.value(measure, row, column, siblings)
                    assert agrees(got, wanted), (measure, rows[line][0], columns[across][0], got, wanted, fold)
