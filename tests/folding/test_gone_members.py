"""Members that a summary filter leaves out for good take with them what has records in them alone, on the other axis."""

import random

import pytest

from foldbasket.folding.engine import Engine
from foldbasket.spec.fold import Fold
from tests.folding.build import keep, measure, placed, source, table
from tests.folding.streaming import streamed
from tests.rounds import seeds

SALES = {
    "k": ["a", "a", "b", "b", "c", "d"],
    "r": ["x", "y", "x", "y", "z", "z"],
    "s": ["1", "2", "1", "2", "3", "4"],
    "n": [10, 20, 30, 40, 1, 2],
}


def labels(axis, depth=1):
    return [axis.label(line, depth - 1) for line in range(len(axis)) if axis.level[line] == depth]


@pytest.mark.parametrize("rest", ["gone", "gathered"])
@pytest.mark.parametrize("covers", ["kept", "shown"])
def test_columns_whose_records_are_all_in_rows_that_are_gone_go_too(rest, covers):
    engine = Engine(source(table("T", SALES)))
    rows = (placed("T.k", keep=keep("sum T.n", "top", "2", rest=rest)),)
    report = engine.fold(Fold("f", (measure("sum", "T.n"),), rows, (placed("T.r"),), totals_cover=covers))
    assert labels(report.columns) == (["x", "y"] if rest == "gone" else ["x", "y", "z"])
    across = engine.fold(Fold("f", (measure("sum", "T.n"),), (placed("T.r"),), rows, totals_cover=covers))
    assert labels(across.rows) == labels(report.columns)
    grand = report.exact(0, len(report.rows) - 1, len(report.columns) - 1)
    assert grand == (100 if covers == "shown" and rest == "gone" else 103)


def test_members_without_records_that_were_asked_for_stay():
    engine = Engine(source(table("T", SALES)))
    rows = (placed("T.k", keep=keep("sum T.n", "top", "2", rest="gone")),)
    columns = (placed("T.r"), placed("T.s", id="s", empty=True))
    report = engine.fold(Fold("f", (measure("sum", "T.n"),), rows, columns))
    assert set(labels(report.columns, 2)) >= {"1", "2"}
    assert "z" in labels(report.columns, 1) or not any(
        report.columns.label(line, 0) == "z" for line in range(len(report.columns))
    )


@pytest.mark.parametrize("seed", seeds(40))
def test_no_line_is_left_without_a_record_and_all_ways_agree(tmp_path, seed):
    draw = random.Random(seed)
    count = draw.randint(5, 40)
    own = table("T", {name: [draw.choice("abcdef"[:size]) for _ in range(count)] for name, size in (("k", 6), ("r", 5), ("s", 4))} | {"n": [draw.randint(0, 9) for _ in range(count)]})  # fmt: skip

    def picked(name):
        kept = keep("sum T.n", draw.choice(["top", "bottom"]), str(draw.randint(1, 3)), rest="gone")
        return placed(f"T.{name}", keep=kept if draw.random() < 0.7 else None)

    words = [picked(name) for name in "krs"]
    fold = Fold("f", (measure("sum", "T.n"), measure("count")), tuple(words[:2]), tuple(words[2:]))
    held = Engine(source(own)).fold(fold)
    for axis, other, records in ((held.rows, held.columns, held.blocks[1]), (held.columns, held.rows, held.blocks[1])):
        inner = [line for line in range(len(other)) if other.level[line] == other.depth]
        for line in (at for at in range(len(axis)) if axis.level[at] == axis.depth):
            blank = records.blank[line, inner] if axis is held.rows else records.blank[inner, line]
            assert not blank.all(), (axis.label(line, axis.depth - 1), fold)
    far = Engine(source(streamed(own, tmp_path, draw)), memory=0).fold(fold)
    assert (far.rows.codes.tolist(), far.columns.codes.tolist()) == (
        held.rows.codes.tolist(),
        held.columns.codes.tolist(),
    )
    assert [far.text(row, column) for row in range(far.height) for column in range(far.width)] == [
        held.text(row, column) for row in range(held.height) for column in range(held.width)
    ]
