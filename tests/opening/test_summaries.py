"""A report as records: all others, unmatched and blank members stay apart, in Parquet and as the source of another report."""

import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.opening.summaries import table_of
from foldbasket.outputs.formats import save_report
from foldbasket.spec.fold import Fold
from tests.folding.build import keep, lines, measure, placed, table

SALES = table(
    "Sales",
    {
        "Site": ["a", "b", "c", None, "d", "All others", "\\x"],
        "Key": ["k", "k", "gone", "k", None, "k", "k"],
        "Net": [100, 90, 30, 20, 10, 80, 70],
    },
)
FAR = table("Far", {"Key": ["k"], "Region": ["North"]})
OF = Source({"Sales": SALES, "Far": FAR}, [Link("Sales", "Far", (("Key", "Key"),))])
NET = measure("sum", "Sales.Net")


def told(made):
    return sorted((tuple(column.text(at) for column in made.columns.values()) for at in range(made.count)), key=repr)


def test_the_others_the_unmatched_and_blanks_stay_apart():
    report = Engine(OF).fold(
        Fold("F", (NET,), (placed("Sales.Site", keep=keep(NET.id, "top", "2", rest="gathered")), placed("Far.Region")))
    )
    assert told(table_of(report)) == [
        ("All others", "All others", "210"), ("a", "North", "100"), ("b", "North", "90"),
    ]  # fmt: skip
    plain = told(table_of(Engine(OF).fold(Fold("F", (NET,), (placed("Sales.Site"), placed("Far.Region"))))))
    assert ("\\All others", "North", "80") in plain
    assert ("\\x", "North", "70") in plain
    assert (None, "North", "20") in plain
    assert ("c", "(no match)", "30") in plain
    assert ("d", "(no match)", "10") in plain


@pytest.mark.parametrize("part", ["month", "day"])
def test_all_others_of_a_date_are_no_blank(tmp_path, part):
    import datetime as dt

    days = [dt.date(2026, at, 1) for at in range(1, 7)]
    of = Source({"T": table("T", {"Day": [*days, None], "N": [6, 5, 4, 3, 2, 1, 9]})})
    n = measure("sum", "T.N")
    report = Engine(of).fold(
        Fold("F", (n,), (placed("T.Day", part=part, keep=keep(n.id, "top", "2", rest="gathered")),))
    )
    save_report(report, tmp_path / "r.parquet", guard=OutputGuard())
    names = pq.read_table(tmp_path / "r.parquet").column(0).to_pylist()
    assert names.count(None) + names.count("All others") == len(names) - names.count("2026-01") - names.count("2026-01-01") - names.count("2026-02") - names.count("2026-02-01")  # fmt: skip
    assert "All others" in names
    again = Engine(Source({"R": table_of(report)}))
    field = next(iter(again.source.tables["R"].columns))
    made = lines(again.fold(Fold("G", (measure("sum", "R.N"),), (placed(f"R.{field}"),))))
    assert [line[0] for line in made].count("All others") == 1
    assert made[-1][-1] == 30
