"""Every way to read a source against consent: nothing outside the basket's folder is reached before the user agrees."""

from pathlib import Path

import pytest

from foldbasket.baskets import passwords
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.consent import EVERYTHING, NOTHING, Agreed, digest, places_of, places_of_source, servers_of
from foldbasket.baskets.files import Opened
from foldbasket.errors import BasketError, ReadError
from foldbasket.opening import sources
from foldbasket.opening.reading import load_tables, outside_places
from foldbasket.opening.sources import read_source
from foldbasket.styling.visible import visible
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server

SERVER = Server("postgresql", "db.example", "sales", "reader")


@pytest.fixture
def home(tmp_path, monkeypatch):
    """A folder of a basket, and beside it a place outside; whatever reads there is noticed."""
    inner, outer = tmp_path / "home", tmp_path / "outside"
    for folder in (inner, outer, inner / "sub"):
        folder.mkdir()
        (folder / "a.csv").write_text("x\n1\n")
        (folder / "a.db").write_bytes(b"")
    (outer / "secret.csv").write_text("x\nsecret\n")
    (inner / "link.csv").symlink_to(outer / "secret.csv")
    (inner / "linked").symlink_to(outer)
    (inner / "many").mkdir()
    (inner / "many" / "one.csv").write_text("x\n1\n")
    (inner / "many" / "two.csv").symlink_to(outer / "secret.csv")
    (inner / "round").symlink_to(inner / "round")
    reached = []
    monkeypatch.setattr(sources, "read_server", lambda *given: reached.append(given[3]))
    real = sources.read_table
    monkeypatch.setattr(sources, "read_table", lambda path, *rest: (reached.append(str(path)), real(path, *rest))[1])
    made = Home(inner)
    made.reached, made.outer = reached, outer
    return made


class Home(type(Path())):
    """A folder, and what is to be known about it."""

    __slots__ = ("outer", "reached")


WAYS = [
    ("a file in the folder", {"path": "a.csv"}, None),
    ("a file below", {"path": "sub/a.csv"}, None),
    ("the folder itself", {"path": "sub"}, None),
    ("a pattern in it", {"path": "sub/*.csv"}, None),
    ("a way out and in again", {"path": "sub/../a.csv"}, None),
    ("a fold", {"fold": "F"}, None),
    ("a file outside, by name", {"path": "{outer}/secret.csv"}, "{outer}/secret.csv"),
    ("a file outside, by steps", {"path": "../outside/secret.csv"}, "{outer}/secret.csv"),
    ("a file outside, carried", {"path": "../outside/secret.csv", "data": "data/1.parquet"}, "{outer}/secret.csv"),
    ("a link to a file outside", {"path": "link.csv"}, "{outer}/secret.csv"),
    ("a file behind a linked folder", {"path": "linked/secret.csv"}, "{outer}/secret.csv"),
    ("a linked folder", {"path": "linked"}, "{outer}"),
    ("a pattern behind a linked folder", {"path": "linked/*.csv"}, "{outer}/*.csv"),
    ("a folder outside", {"path": "../outside"}, "{outer}"),
    ("a pattern outside", {"path": "../outside/s*.csv"}, "{outer}/s*.csv"),
    ("a folder with a linked file", {"path": "many"}, "{outer}/secret.csv"),
    ("a pattern with a linked file", {"path": "many/*.csv"}, "{outer}/secret.csv"),
    ("a server", {"server": SERVER, "reading": Reading(table="lines")}, "the database reader@sales on db.example:5432: table lines"),
    ("a query", {"server": SERVER, "reading": Reading(query="SELECT 1")}, "the database reader@sales on db.example:5432: SELECT 1"),
    ("a server, carried", {"server": SERVER, "reading": Reading(table="x"), "data": "data/1.parquet"}, "the database reader@sales on db.example:5432: table x"),
    ("a file of SQLite outside", {"path": "../outside/a.db", "reading": Reading(query="SELECT 1")}, "{outer}/a.db"),
]  # fmt: skip


@pytest.mark.parametrize(("given", "place"), [pytest.param(given, place, id=name) for name, given, place in WAYS])
def test_every_way_to_read_is_judged(home, given, place):
    given = {key: value.format(outer=home.outer) if key == "path" else value for key, value in given.items()}
    spec = SourceSpec("s", **given)
    wanted = [place.format(outer=home.outer)] if place is not None else []
    assert places_of_source(spec, home) == wanted
    if place is None:
        NOTHING.check(spec, home)
        return
    for refused in (NOTHING, Agreed(["/some/other/place"])):
        with pytest.raises(ReadError, match="nobody has agreed"):
            read_source(spec, home, refused)
    assert home.reached == []
    Agreed(wanted).check(spec, home)
    EVERYTHING.check(spec, home)
    opened = Opened(Basket(sources=(spec,)), home / "b.basket")
    assert outside_places(opened) == tuple(wanted)
    with pytest.raises(BasketError, match="reads data outside its own folder"):
        load_tables(opened)
    assert home.reached == []


@pytest.mark.parametrize("name", ["s." + "9" * 4000, "d/" * 3000, "?" * 3000, "a\0b"])
def test_names_that_no_file_can_have_are_judged_and_refused_in_few_words(home, name):
    spec = SourceSpec("s", name)
    assert places_of_source(spec, home) == []
    with pytest.raises(ReadError) as told:
        read_source(spec, home, NOTHING)
    assert len(str(told.value)) < 500


def test_a_password_of_the_environment_is_named_before_it_is_sent(monkeypatch, home):
    spec = SourceSpec("s", server=SERVER, reading=Reading(table="x"))
    for variable in (passwords.VARIABLE, f"{passwords.VARIABLE}_DB_EXAMPLE"):
        monkeypatch.setenv(variable, "carrots")
        (place,) = places_of_source(spec, home)
        assert "with the password that the environment holds" in place
        assert "carrots" not in place
        monkeypatch.delenv(variable)


def test_agreement_is_to_places_and_queries_and_not_to_the_name_of_a_file(home):
    def places(query, host="db.example"):
        server = Server("postgresql", host, "sales", "reader")
        return places_of(Basket(sources=(SourceSpec("s", server=server, reading=Reading(query=query)),)), home)

    one = digest(places("SELECT 1"))
    assert one == digest(places("SELECT 1"))
    assert one != digest(places("SELECT 2"))
    assert one != digest(places("SELECT 1", "db.elsewhere"))


def test_a_link_that_is_put_there_after_the_basket_was_opened_is_not_followed(home):
    from foldbasket.baskets.consent import NOWHERE

    spec = SourceSpec("s", str(home / "a.csv"))
    agreed = Agreed(places_of_source(spec, NOWHERE))
    assert read_source(spec, NOWHERE, agreed).count == 1
    (home / "a.csv").unlink()
    (home / "a.csv").symlink_to(home.outer / "secret.csv")
    with pytest.raises(ReadError, match="nobody has agreed"):
        read_source(spec, NOWHERE, agreed)


def test_a_loop_of_links_and_odd_names_are_errors_of_ours(home):
    for path in ("round", "round/x.csv", "a\0b.csv", "x" * 5_000):
        spec = SourceSpec("s", path)
        with pytest.raises(ReadError):
            read_source(spec, home, EVERYTHING)


def test_signs_that_hide_or_reorder_text_are_written_out():
    assert (
        visible("a\u202eb\u200bc\x1b[31m\u2066d\ud800\u00a0e\u3000f")
        == "a⟨U+202E⟩b⟨U+200B⟩c⟨U+001B⟩[31m⟨U+2066⟩d⟨U+D800⟩⟨U+00A0⟩e⟨U+3000⟩f"
    )
    assert visible("a\tb\r\nc") == "a b  c"
    assert visible("a\n\tb\r", lines=True) == "a\n\tb "
    assert visible("Grüße – 日本語 – é") == "Grüße – 日本語 – é"


def test_places_on_servers_come_first_however_the_sources_are_ordered():
    specs = [SourceSpec(str(at), f"/elsewhere/{at}.csv") for at in range(9)]
    specs.insert(8, SourceSpec("d", server=SERVER))
    places = places_of(Basket(sources=tuple(specs)), Path("/home/basket"))
    assert places[0].startswith("the database reader@")
    assert len(places) == 10
    assert ["db.example" in each for each in servers_of(Basket(sources=tuple(specs)))] == [True]
