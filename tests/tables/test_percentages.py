"""Numbers that a file writes with a percent sign are shares of a whole, and are shown as such wherever they are folded."""

import pytest

from foldbasket.folding.compare.against import Against, Other
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.usual import usual_aggregate
from foldbasket.links.source import Source
from foldbasket.sentence.phrases import sentence_of
from foldbasket.sentence.reading import read as read_sentence
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import text_column
from foldbasket.tables.detection import judged
from foldbasket.tables.held import read_held, write_held
from foldbasket.tables.mending.mend import mended
from foldbasket.tables.mending.natures import TakeFor
from foldbasket.tables.mending.rows import DropEmptyRows
from foldbasket.tables.mending.types import ScaleUnit
from foldbasket.tables.nature import Nature, as_told, nature_of
from foldbasket.tables.reading.parquet import write_parquet
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table
from tests.folding.build import measure, placed

TEXT = "Site,Rebate,Rate\nFen,15 %,0.15\nFen,5%,0.05\nMoor,-2.5 %,0.10\nMoor,,\n"


@pytest.fixture
def table(tmp_path):
    path = tmp_path / "rebates.csv"
    path.write_text(TEXT)
    return read_table(path, "T")


def texts(table, fold):
    """Each line of a report, as it is shown."""
    report = Engine(Source({"T": table})).fold(fold)
    rows = report.rows
    return [
        (rows.caption(line) or rows.label(line, 0), *(report.text(line, column) for column in range(report.width)))
        for line in range(report.height)
    ]


def shown(table, *measures):
    return texts(table, Fold("f", measures, (placed("T.Site"),)))


def test_they_are_told_by_their_sign_and_averaged(table):
    rebate, rate = table.columns["Rebate"], table.columns["Rate"]
    assert (nature_of(rebate), nature_of(rate)) == (Nature.PERCENTAGE, Nature.PRICE)
    assert usual_aggregate(rebate) == "average"
    assert [rebate.text(at) for at in range(4)] == ["0.150", "0.050", "-0.025", None]
    assert [as_told(rebate, rebate.text(at) or "") for at in range(4)] == ["15.0%", "5.0%", "-2.5%", ""]
    assert as_told(rate, "0.15") == "0.15"
    assert nature_of(judged(text_column("A", ["5 %", "7"])).column) is not Nature.PERCENTAGE


def test_measures_of_them_are_percentages_and_counts_are_not(table):
    kinds = ("average", "smallest", "median", "count values", "product")
    found = shown(table, *(measure(each, "T.Rebate") for each in kinds))
    assert found == [
        ("Fen", "10.0%", "5.0%", "10.0%", "2", "0.01"),
        ("Moor", "-2.5%", "-2.5%", "-2.5%", "1", "-0.02"),
        ("Everything", "5.8%", "-2.5%", "5.0%", "3", "0.00"),
    ]
    before = measure("average", "T.Rebate", compare=Against(other=Other.PREVIOUS))
    assert [each[1] for each in shown(table, before)] == ["", "-12.5%", ""]


def test_their_members_are_percentages_and_are_read_as_they_are_written(table):
    source = Source({"T": table})
    report = Engine(source).fold(Fold("f", (measure("count", None),), (placed("T.Rebate"),)))
    assert [report.rows.label(line, 0) for line in range(4)] == ["-2.5%", "5.0%", "15.0%", "(blank)"]
    kept = Members("k", FieldRef("T", "Rebate"), members=("0.150", "0.050"))
    fold = Fold("f", (measure("count", None),), filters=(kept,))
    said = sentence_of(fold, source)
    again = read_sentence(said, Vocabulary(source))
    assert Engine(source).fold(again).text(0, 0) == "2"


def test_they_stay_what_they_are_from_one_process_to_another_and_behind_mends(table):
    body = bytearray()
    head = write_held(table, body.extend)
    assert nature_of(read_held(head, bytes(body)).columns["Rebate"]) is Nature.PERCENTAGE
    made, _ = mended(table, (DropEmptyRows(),))
    assert nature_of(made.columns["Rebate"]) is Nature.PERCENTAGE


def test_what_is_multiplied_is_no_share_any_more(table):
    made, _ = mended(table, (ScaleUnit("Rebate", "100"),))
    assert nature_of(made.columns["Rebate"]) is Nature.PRICE
    assert shown(made, measure("largest", "T.Rebate"))[0] == ("Fen", "15.000")


def test_a_number_can_be_taken_for_one(table):
    made, (done,) = mended(table, (TakeFor("Rate", Nature.PERCENTAGE),))
    assert done.changed == 1
    assert shown(made, measure("largest", "T.Rate"))[-1] == ("Everything", "15%")


@pytest.mark.parametrize(
    ("said", "line"),
    [
        ("records by site, rebate over 5%", ("Everything", "1")),
        ("records by site, rebate at least 5 %", ("Everything", "2")),
        ("records by site, rebate under 0%", ("Everything", "1")),
        ("records by site, rebate is 15%", ("Everything", "1")),
        ("records, counted for each Site keeping Rebate: 5%, 15%", ("Everything", "2")),
    ],
)
def test_they_are_typed_with_their_sign(table, said, line):
    assert texts(table, read_sentence(said, Vocabulary(Source({"T": table}))))[-1] == line


def test_files_of_parts_are_taken_for_what_the_first_is(tmp_path):
    for at, more in enumerate(("15 %", "20 %")):
        (tmp_path / f"{at}.csv").write_text(f"Site,Rebate\nFen,{more}\n")
    table = read_table(tmp_path, "T")
    assert isinstance(table, Table)
    assert nature_of(table.columns["Rebate"]) is Nature.PERCENTAGE


def test_they_stay_what_they_are_inside_a_basket(table, tmp_path):
    write_parquet(table, tmp_path / "inside.parquet")
    again = read_table(tmp_path / "inside.parquet", "T")
    assert nature_of(again.columns["Rebate"]) is Nature.PERCENTAGE
    assert nature_of(again.columns["Rate"]) is Nature.PRICE
