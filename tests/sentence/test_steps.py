"""The order of steps in words, and that each step costs only what it must."""

import msgspec
import numpy as np
import pytest

from foldbasket.errors import Cancelled, FoldError
from foldbasket.folding.compare.against import Against
from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.sentence.steps import steps_of
from foldbasket.spec.fold import Fold
from foldbasket.spec.order import ByValue
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from tests.folding.build import fold as folded
from tests.folding.build import keep, lines, measure, placed, ref, source, table

replace = msgspec.structs.replace
NET = measure("sum", "T.Net")
SALES = source(table("T", {"Region": ["E", "E", "W", "W"], "Site": ["a", "b", "c", "c"], "Net": [900, 2500, 600, 700]}))


def test_the_order_of_steps_is_told_in_words():
    rank = measure("sum", "T.Net", compare=Rank("site"))
    fold = Fold(
        "f",
        (NET, replace(rank, id="rank")),
        (placed("T.Region"), placed("T.Site", id="site", keep=keep(NET.id, "top", "1", rest="gathered"), by=ByValue(NET.id), descending=True)),
        filters=(Compare("f", ref("T.Net"), None, ">", "650"),),
    )  # fmt: skip
    assert steps_of(fold) == [
        "Records are kept by net: > 650.",
        "Records are grouped by region and site, and each group is summed up: Net, summed; Net, summed.",
        "Every total is summed up from all its records, in the same way.",
        "Of these summaries, site (top 1 by Net, the rest as one) stay within each region; "
        "the others are gathered in one line, All others.",
        "Net is then compared: rank among sites in each region, totals included.",
        "Site is put in order by Net, largest first.",
        "Last, numbers are written in their formats; they stay exact beneath.",
    ]
    # And that is what happens: records below 650 are gone before anything is summed, then sums are picked.
    report = Engine(SALES).fold(fold)
    assert lines(report) == [
        ("E", "b", 2500, 1),
        ("E", "All others", 900, None),
        ("E, all sites", 3400, None),
        ("W", "c", 700, 1),
        ("W, all sites", 700, None),
        ("Everything", 4100, None),
    ]


def test_what_totals_cover_and_other_totals_are_told():
    hidden = Fold("f", (measure("average", "T.Net", total="sum"),), (placed("T.Site", keep=keep("m", "top", "1")),))
    said = steps_of(hidden)
    assert "Totals still cover all records kept." in said
    assert "Net has as its totals the sum of the lines shown." in said
    assert "Totals cover only what is shown." in steps_of(replace(hidden, totals_cover="shown"))


def test_filtering_records_above_1000_is_not_filtering_groups_above_1000():
    records = Fold("f", (NET,), (placed("T.Site"),), filters=(Compare("f", ref("T.Net"), None, ">", "1000"),))
    groups = Fold("f", (NET,), (placed("T.Site", keep=keep(NET.id, "where", "1000", ">")),))
    assert lines(Engine(SALES).fold(records)) == [("b", 2500), ("Everything", 2500)]
    assert lines(Engine(SALES).fold(groups)) == [("b", 2500), ("c", 1300), ("Everything", 4700)]


def test_collapsing_sorting_turning_gathering_and_formatting_touch_no_record():
    engine = Engine(SALES)
    region, site = placed("T.Region"), placed("T.Site", id="site")
    first = Fold("f", (NET,), (region, site), row_total="after")
    engine.fold(first)
    before = {stage: count for stage, count in engine.ran.items() if stage != "frame"}
    for changed in (
        replace(first, rows=(replace(region, closed=True), site)),
        replace(first, rows=(replace(region, turned=(("E",),)), site)),
        replace(first, rows=(region, replace(site, by=ByValue(NET.id), descending=True))),
        replace(first, rows=(region, replace(site, keep=keep(NET.id, "top", "1", rest="gathered")))),
        replace(first, rows=(region, replace(site, keep=keep(NET.id, "top", "1"))), totals_cover="shown"),
        replace(first, rows=(region, replace(site, first=("c",), empty=True))),
        replace(first, rows=(), columns=(region, site), measures_on="rows", measures_at=1),
        replace(first, measures=(replace(NET, number=NumberStyle("0.0"), heading="N", compare=Against("site")),)),
        replace(first, measures=(replace(NET, total="average"),), row_total="before"),
    ):
        engine.fold(changed)
        assert {stage: count for stage, count in engine.ran.items() if stage != "frame"} == before
    engine.fold(replace(first, filters=(Members("f", ref("T.Region"), members=("E",)),)))  # a picker: one fold anew
    assert engine.ran["cube"] == before["cube"] + 1
    assert engine.ran["codes"] == before["codes"]


@pytest.mark.parametrize("aggregate", ["sum", "median", "count different", "list"])
def test_a_fold_stops_soon_after_it_is_cancelled(aggregate):
    """Counted in steps, not by the clock: between the request and the end no stage may begin that cannot be left."""
    many = 400_000
    column = NumberColumn("x", FieldType.WHOLE, np.random.default_rng(1).integers(0, 10**12, many))
    engine = Engine(source(Table.of("T", [column])))
    told: list[str] = []

    def tell(what: str, _: float) -> None:
        told.append(what)
        if len(told) == 3:
            progress.cancel()

    progress = Progress(tell)
    with pytest.raises(Cancelled):
        engine.fold(Fold("f", (measure(aggregate, "T.x"),)), progress)
    assert len(told) == 3
    assert (
        engine.fold(Fold("f", (measure("count", "T.x") if aggregate == "list" else measure(aggregate, "T.x"),))).height
        == 1
    )


def test_ten_thousand_column_members_over_many_rows_are_refused_before_they_are_made():
    wide = Table.of(
        "T",
        [NumberColumn(name, FieldType.WHOLE, np.arange(10_000)[::step].copy()) for name, step in (("a", 1), ("b", -1))],
    )
    with pytest.raises(FoldError, match="cells"):
        folded(source(wide), [measure("count")], [placed("T.a")], [placed("T.b")])
    assert folded(source(wide), [measure("count")], (), [placed("T.b")]).width == 10_001


def test_a_fold_that_does_not_fit_into_memory_is_refused_with_the_reason(monkeypatch):
    monkeypatch.setattr("foldbasket.folding.layout.frame.memory_at_hand", lambda: 300)
    with pytest.raises(FoldError, match=r"needs about .* GB, and .* are free.*Filter records first"):
        Engine(SALES).fold(Fold("f", (NET,), (placed("T.Site"),)))
