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

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import (
    encode,
    load_tables,
    open_basket,
    outside_places,
    relative_to,
    save_basket,
    with_full_paths,
)
from foldbasket.baskets.schema import basket_schema
from foldbasket.demo.scenario import demo_basket
from foldbasket.errors import BasketError
from foldbasket.folding.engine import Engine

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
    (_json(version=2), r"newer Fold Basket \(format 2, this one knows 1\)"),
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
    save_basket(msgspec.structs.replace(DEMO, name="version 0"), path)
    rng = random.Random(4)
    seen = set()
    for _ in range(200):
        child = os.fork()
        if child == 0:
            try:
                for number in range(2000):
                    save_basket(msgspec.structs.replace(DEMO, name=f"version {number}"), path)
            finally:
                os._exit(0)
        time.sleep(rng.uniform(0.0, 0.02))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        basket = open_basket(path).basket
        assert basket.name in names
        assert msgspec.structs.replace(basket, name=DEMO.name) == DEMO
        seen.add(basket.name)
    assert len(seen) > 2  # the kills did fall into the saving
