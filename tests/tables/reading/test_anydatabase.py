"""Databases by dialects that are not known here: read whole, refused with the reason where more is asked of them."""

import msgspec
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import EVERYTHING, places_of_source
from foldbasket.errors import ReadError
from foldbasket.opening.sources import read_source
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server, contents, read_server

from . import heron


@pytest.fixture
def place(tmp_path):
    heron.register()
    heron.fill(tmp_path / "odd.heron")
    return Server("other", "", str(tmp_path / "odd.heron"), "", dialect="heron")


def test_what_is_there_is_listed_as_far_as_the_dialect_tells(place):
    listed = contents(place)
    assert [(each.name, each.is_view, each.fields) for each in listed] == [
        ("few", True, ()),
        ("odd sales", False, ("region", "net", "pieces")),
    ]


def test_a_table_and_a_query_are_read_whole(place):
    table = read_server(place, "Sales", Reading(table="odd sales"))
    assert [[table.column(name).text(at) for name in ("region", "net", "pieces")] for at in range(3)] == [
        ["North 100%", "1.25", "3"], ["South", "-2.5", "4"], [None, None, None],
    ]  # fmt: skip
    asked = read_server(place, "Sales", Reading(query="SELECT region, sum(pieces) AS n FROM \"odd sales\" WHERE region LIKE '%100%%' GROUP BY 1"))  # fmt: skip
    assert (asked.count, asked.column("n").text(0)) == (1, "3")


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("SELECT heronify(region) FROM few", "may do anything"),
        ("SELECT * FROM read_csv('/etc/passwd')", "may do anything"),
        ("SELECT load_extension('x')", "writes, waits or reads files"),
        ("DELETE FROM few", "only a query that reads"),
        ("SELECT 1; SELECT 2", "only a query that reads"),
    ],
)
def test_a_query_that_may_do_anything_is_not_run(place, query, said):
    with pytest.raises(ReadError, match=said):
        read_server(place, "Sales", Reading(query=query))


def test_its_records_cannot_stay_there_and_it_says_why(place, tmp_path):
    spec = SourceSpec("Sales", server=place, reading=Reading(table="odd sales"), stays=True)
    with pytest.raises(ReadError, match="rounds, compares and counts is not known here"):
        read_source(spec, tmp_path, EVERYTHING)


def test_a_dialect_or_driver_that_is_missing_is_named(place):
    missing = msgspec.structs.replace(place, dialect="nowhere")
    with pytest.raises(ReadError, match="no dialect “nowhere”") as told:
        contents(missing)
    assert "Install the Python package" in told.value.todo
    with pytest.raises(ReadError, match="driver “herondriver” is not installed"):
        contents(msgspec.structs.replace(place, dialect="unready"))


def test_the_place_is_told_with_its_dialect_and_asks_for_consent(place, tmp_path):
    spec = SourceSpec("Sales", server=place, reading=Reading(table="odd sales"))
    (told,) = places_of_source(spec, tmp_path)
    assert told.endswith("odd.heron on this machine (heron): table odd sales")
    assert Server("other", "db.example", "shop", "seller", 1521, "oracle").label == "shop on db.example:1521 (oracle)"


@pytest.mark.parametrize(
    ("kind", "dialect"), [("other", ""), ("mariadb", "heron"), ("other", "os.path"), ("other", "a b")]
)
def test_only_another_kind_names_a_dialect(kind, dialect):
    with pytest.raises(ValueError, match="names its dialect"):
        Server(kind, "h", "d", "u", dialect=dialect)
