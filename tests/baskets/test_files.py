"""Basket files: what is saved is opened; what cannot be opened says why; a save never loses what was there."""

import json
import os
import random
import signal
import time
import zipfile
from pathlib import Path

import jsonschema
import msgspec
import pytest

from foldbasket.baskets import archive
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import decode, encode, is_other, open_basket, relative_to, save_basket, with_full_paths
from foldbasket.baskets.schema import basket_schema
from foldbasket.demo.scenario import demo_basket
from foldbasket.errors import BasketError, ReadError
from foldbasket.folding.engine import Engine
from foldbasket.opening.reading import load_tables, outside_places
from foldbasket.tables.column import text_column
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.table import Table

STEMS = ["order_lines", "orders", "customers", "varieties", "sellers", "plan"]
DEMO = demo_basket(STEMS)


@pytest.mark.parametrize("ending", [".basket", ".json"])
def test_a_basket_opens_as_it_was_saved(tmp_path, ending):
    path = tmp_path / f"b{ending}"
    save_basket(DEMO, path)
    assert open_basket(path).basket == DEMO


def test_the_json_satisfies_the_published_schema_and_the_published_one_is_current():
    schema = json.loads(json.dumps(basket_schema()))
    jsonschema.validate(json.loads(encode(DEMO)), schema)
    published = Path(__file__).parents[2] / "docs" / "basket.schema.json"
    assert json.loads(published.read_text("utf-8")) == schema


def test_data_inside_the_basket_folds_the_same_without_the_files(demo, tmp_path):
    opened = open_basket(demo)
    tables = load_tables(opened)
    path = tmp_path / "carried.basket"
    save_basket(opened.basket, path, tables)
    again = open_basket(path)
    for fold in opened.basket.folds:
        first = Engine(opened.basket.joined(tables)).fold(fold)
        second = Engine(again.basket.joined(load_tables(again))).fold(fold)
        assert [[first.text(r, c) for c in range(first.width)] for r in range(first.height)] == [
            [second.text(r, c) for c in range(second.width)] for r in range(second.height)
        ]


def test_paths_are_relative_to_the_basket_within_its_folder_and_full_elsewhere(tmp_path):
    basket = Basket(sources=(SourceSpec("a", str(tmp_path / "sub" / "a.csv")), SourceSpec("b", "/elsewhere/b.csv")))
    saved = relative_to(basket, tmp_path)
    assert [source.path for source in saved.sources] == ["sub/a.csv", "/elsewhere/b.csv"]
    save_basket(saved, tmp_path / "x.basket")
    opened = open_basket(tmp_path / "x.basket")
    assert with_full_paths(opened) == basket
    assert outside_places(opened) == ("/elsewhere/b.csv",)


def test_a_basket_reads_nothing_outside_its_folder_without_consent(tmp_path):
    (tmp_path / "secret.csv").write_text("a\n1\n")
    inner = tmp_path / "inner"
    inner.mkdir()
    for path in ("../secret.csv", str(tmp_path / "secret.csv")):
        save_basket(Basket(sources=(SourceSpec("s", path),)), inner / "b.basket")
        with pytest.raises(BasketError, match="outside its own folder"):
            load_tables(open_basket(inner / "b.basket"))
        assert load_tables(open_basket(inner / "b.basket"), allow_outside=True)["s"].count == 1


def _json(**changes):
    return json.dumps(json.loads(encode(DEMO)) | changes).encode()


def _fold(**changes):
    return _json(folds=[{"name": "f", **changes}])


BROKEN = [
    (b"{", "not valid JSON"),
    (b"[1]", "not a basket"),
    (b'{"format": "other"}', "not a basket"),
    (b'{"format": "fold-basket"}', "does not say which version"),
    (_json(version=4), r"newer Fold Basket \(format 4, this one knows 3\)"),
    (_json(colour="red"), "unknown field `colour`"),
    (
        _fold(rows=[{"id": "a", "field": {"table": "t", "field": "f"}, "shade": 1}]),
        r"unknown field `shade` - at `\$.folds\[0\].rows",
    ),
    (_fold(filters=[{"kind": "sometimes", "id": "a"}]), "Invalid value 'sometimes'"),
    (
        _fold(measures=[{"id": "a", "aggregate": "sum"}, {"id": "a", "aggregate": "sum"}]),
        "two words of the fold “f” are called “a”",
    ),
    (_json(sources=[{"name": "a", "path": "x"}, {"name": "a", "path": "y"}], links=[]), "two sources are called “a”"),
    (_json(sources=[]), "a link names the source “Order lines”"),
    (_json(locale="xx_klingon"), "no locale"),
    (b"[" * 200_000, "not valid JSON"),
]


@pytest.mark.parametrize(("content", "what"), BROKEN)
def test_a_basket_that_does_not_fit_is_refused_with_the_place(tmp_path, content, what):
    path = tmp_path / "b.json"
    path.write_bytes(content)
    with pytest.raises(BasketError, match=what) as error:
        open_basket(path)
    assert error.value.todo
    packed = tmp_path / "b.basket"
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("basket.json", content)
    with pytest.raises(BasketError, match=what):
        open_basket(packed)


def test_broken_archives_are_refused(tmp_path):
    path = tmp_path / "b.basket"
    save_basket(DEMO, path)
    whole = path.read_bytes()
    for cut in range(5, len(whole), 37):
        path.write_bytes(whole[:cut])
        with pytest.raises(BasketError):
            open_basket(path)
    flipped = bytearray(whole)
    flipped[60] ^= 0xFF
    path.write_bytes(flipped)
    with pytest.raises(BasketError, match="earlier copy"):
        open_basket(path)
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("other.txt", "x")
    with pytest.raises(BasketError, match=r"holds no basket\.json"):
        open_basket(path)


def test_an_archive_that_would_unpack_to_far_more_is_refused(tmp_path):
    path = tmp_path / "bomb.basket"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("basket.json", b" " * (20 << 20))
    with pytest.raises(BasketError, match="would unpack to"):
        open_basket(path)


def test_a_missing_source_is_reported_by_name(tmp_path):
    save_basket(Basket(sources=(SourceSpec("Sales", "sales.csv"),)), tmp_path / "b.basket")
    with pytest.raises(BasketError, match=r"the source “Sales” cannot be read: .*sales\.csv: there is no such file"):
        load_tables(open_basket(tmp_path / "b.basket"))


def test_missing_files_and_folders_are_reported(tmp_path):
    with pytest.raises(BasketError, match="no such file"):
        open_basket(tmp_path / "none.basket")
    with pytest.raises(BasketError, match="a folder"):
        open_basket(tmp_path)


def test_saving_keeps_one_earlier_copy(tmp_path):
    path = tmp_path / "b.basket"
    for name in ("one", "two", "three"):
        save_basket(msgspec.structs.replace(DEMO, name=name), path)
    assert open_basket(path).basket.name == "three"
    assert open_basket(tmp_path / "b.basket~").basket.name == "two"
    assert sorted(each.name for each in tmp_path.iterdir()) == ["b.basket", "b.basket~"]


def test_a_save_that_fails_leaves_the_old_basket(tmp_path, monkeypatch):
    path = tmp_path / "b.basket"
    save_basket(DEMO, path)
    monkeypatch.setattr(os, "fsync", lambda _: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(BasketError, match="No space left on device"):
        save_basket(msgspec.structs.replace(DEMO, name="new"), path)
    assert open_basket(path).basket == DEMO
    assert [each.name for each in tmp_path.iterdir()] == ["b.basket"]


def test_killed_at_any_moment_while_saving_the_basket_opens_old_or_new(tmp_path):
    path = tmp_path / "b.basket"
    names = {f"version {number}" for number in range(2000)}
    began = time.monotonic()
    for _ in range(3):
        save_basket(msgspec.structs.replace(DEMO, name="version 0"), path)
    one_save = (time.monotonic() - began) / 3  # so that the kills fall into the saving on a slow machine, too
    rng = random.Random(4)
    seen = set()
    for _ in range(400):
        child = os.fork()
        if child == 0:
            try:
                for number in range(2000):
                    save_basket(msgspec.structs.replace(DEMO, name=f"version {number}"), path)
            finally:
                os._exit(0)
        time.sleep(rng.uniform(0.0, max(0.02, 8 * one_save)))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        basket = open_basket(path).basket
        assert basket.name in names
        assert msgspec.structs.replace(basket, name=DEMO.name) == DEMO
        seen.add(basket.name)
    assert len(seen) > 1  # the kills did fall into the saving


def carried(tmp_path, records=("Oak", "Ash")):
    """A basket that carries the records of a source whose file is gone."""
    path = tmp_path / "b.basket"
    table = Table.of("s", [text_column("Site", list(records))])
    save_basket(Basket(sources=(SourceSpec("s", "gone.csv"), SourceSpec("t", "t.csv"))), path, {"s": table, "t": table})
    return path


def test_records_that_are_not_at_hand_are_taken_over_from_the_earlier_file(tmp_path):
    path = carried(tmp_path)
    for delimiter in (";", "|", "\t"):  # its reading is corrected and it is saved, again and again
        opened = open_basket(path)
        corrected = opened.basket.with_source(
            "s", lambda spec, sign=delimiter: msgspec.structs.replace(spec, reading=Reading(delimiter=sign))
        )
        kept = load_tables(opened)
        written = save_basket(corrected, path, {"t": kept["t"]}, earlier=path)
        assert written.source("s").data == "data/1.parquet"
        assert load_tables(open_basket(path))["s"].columns["Site"].text(0) == "Oak"


def test_a_save_that_would_lose_records_is_refused_and_the_file_stays(tmp_path):
    path = carried(tmp_path)
    before = path.read_bytes()
    basket = open_basket(path).basket
    with pytest.raises(BasketError, match="records of “s”, which only the basket holds, are not at hand"):
        save_basket(basket, path, {}, earlier=None)
    with pytest.raises(BasketError, match="only held inside the basket"):
        save_basket(basket, path)
    assert path.read_bytes() == before


@pytest.mark.parametrize("broken", ["nothing", "half"])
def test_an_entry_that_comes_out_damaged_is_noticed_before_it_takes_a_good_ones_place(tmp_path, monkeypatch, broken):
    path = carried(tmp_path)
    before = path.read_bytes()
    opened = open_basket(path)
    tables = load_tables(opened)
    real = archive.write_parquet

    def damaged(table, into):
        real(table, into)
        into.write_bytes(b"" if broken == "nothing" else into.read_bytes()[:-40])

    monkeypatch.setattr(archive, "write_parquet", damaged)
    with pytest.raises(BasketError, match="cannot be saved"):
        save_basket(opened.basket, path, tables, earlier=path)
    assert path.read_bytes() == before
    assert not list(tmp_path.glob(".*"))


def test_a_damaged_entry_is_told_by_the_name_of_the_basket(tmp_path):
    path = carried(tmp_path, records=[f"Site {number}" for number in range(500)])
    data = bytearray(path.read_bytes())
    at = data.index(b"PAR1") + 60
    data[at : at + 30] = bytes(30)
    path.write_bytes(data)
    with pytest.raises(BasketError, match=r"are damaged|is broken") as told:
        load_tables(open_basket(path))
    assert "b.basket" in str(told.value)
    assert "/tmp" not in str(told.value).replace(str(tmp_path), "")


def test_a_file_that_somebody_else_saved_is_seen_and_one_that_was_only_touched_is_not(tmp_path):
    path = tmp_path / "b.basket"
    save_basket(Basket("one"), path)
    state = open_basket(path).state
    assert not is_other(path, state)
    os.utime(path, ns=(1, 1))
    assert not is_other(path, state)
    save_basket(Basket("two"), path)
    assert is_other(path, state)
    path.unlink()
    assert not is_other(path, state)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (b'\xef\xbb\xbf{"format":"fold-basket","version":1}', None),
        ('{"format":"fold-basket","version":1}'.encode("utf-16"), None),
        (b'{"format":"fold-basket","version":1,"folds":[{"name":"f","measures":[{"id":"m","aggregate":"percentile","percent":NaN}]}]}', "NaN is no number"),
        (b'{"format":"fold-basket","version":1,"name":"\\ud800"}', "half a letter"),
        (b"\x00\xff\xfe{", "not valid JSON"),
        (b"[" * 100_000, "not valid JSON"),
    ],
)  # fmt: skip
def test_odd_json_is_read_or_refused_in_words(text, said):
    if said is None:
        assert decode(text, "b") == Basket()
    else:
        with pytest.raises(BasketError, match=said):
            decode(text, "b")


@pytest.mark.parametrize(
    ("place", "value", "listed"),
    [
        (("folds", 0, "filters", 0), {"kind": "bigger", "id": "x", "field": "Lines.Net"}, "members, compare, between, text, relative, blank"),
        (("folds", 0, "row_total"), "top", "after, before, off"),
        (("folds", 0, "colour"), "red", "name, measures, rows, columns, filters"),
        (("sources", 0, "reading"), {"types": {"Net": "money"}}, "text, whole number, decimal, real number, date"),
        (("sources", 0, "reading"), {"header": -1}, "docs/basket-format.md"),
    ],
)  # fmt: skip
def test_what_is_not_known_in_a_basket_is_told_with_what_may_stand_there(place, value, listed):
    head = json.loads(encode(DEMO))
    inner = head
    for step in place[:-1]:
        inner = inner[step]
    if isinstance(place[-1], int):
        inner.insert(place[-1], value)
    else:
        inner[place[-1]] = value
    with pytest.raises(BasketError) as told:
        decode(json.dumps(head).encode(), "b.basket")
    assert listed in told.value.todo


def test_records_in_a_basket_that_cannot_be_read_say_why(demo, tmp_path, monkeypatch):
    opened = open_basket(demo)
    path = tmp_path / "carried.basket"
    save_basket(opened.basket, path, load_tables(opened))

    def slow(*_, **__):
        raise ReadError("reading it takes more than 20 seconds of a processor's time, so it was stopped.")

    monkeypatch.setattr("foldbasket.opening.carried.read_table", slow)
    with pytest.raises(
        BasketError, match=r"“Order lines” in the basket cannot be read: reading it takes more .*carried.basket~"
    ):
        load_tables(open_basket(path))
