"""Parquet files in an object store: read where they are asked for, also from one that is busy; refused with one clear message."""

import datetime
import os
import random
from pathlib import Path

import keyring
import msgspec
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from keyring.credentials import SimpleCredential

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.consent import EVERYTHING, NOTHING, places_of_source
from foldbasket.baskets.files import save_basket
from foldbasket.cli import main
from foldbasket.errors import ReadError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.links.source import Source
from foldbasket.opening import mending
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.spec.fold import Fold, Placed
from foldbasket.tables.mending.rows import DropRepeatedRows
from foldbasket.tables.mending.texts import FillDown
from foldbasket.tables.reading import objects, parquetstream
from foldbasket.tables.reading.objects import read_objects
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.sample import is_sampled
from tests.folding.build import lines, measure, ref
from tests.tables.reading.objectstore import object_store

FOLD = Fold(
    "f",
    (measure("sum", "Sales.net"), measure("median", "Sales.net")),
    (Placed("s", ref("Sales.site")),),
    (Placed("y", ref("Sales.year")),),
)


@pytest.fixture
def place(tmp_path):
    draw = random.Random(2)
    for year in (2025, 2026):
        folder = tmp_path / "store" / "quillmoor" / "sales" / f"year={year}"
        folder.mkdir(parents=True)
        for part in range(2):
            some = pa.table(
                {
                    "site": [draw.choice(["Mill", "Yard", None]) for _ in range(2_000)],
                    "net": pa.array([draw.randrange(999) for _ in range(2_000)], pa.int32()),
                    "note": [f"a long note that nobody asks for {draw.random()}" for _ in range(2_000)],
                }
            )
            pq.write_table(some, folder / f"{part}.parquet", row_group_size=500)
    return tmp_path / "store"


@pytest.fixture
def store(place, monkeypatch):
    with object_store(place) as (store, address):
        monkeypatch.setenv("AWS_ENDPOINT_URL", address)
        monkeypatch.setenv("AWS_ACCESS_KEY_ID", f"seller{store.folder.stat().st_ino}")
        monkeypatch.setenv("AWS_SECRET_ACCESS_KEY", "carrots")
        yield store


def test_a_fold_of_them_is_that_of_the_files_here_and_only_its_fields_are_fetched(store, place):
    table = read_objects("s3://quillmoor/sales/", "Sales")
    here = read_table(place / "quillmoor" / "sales", "Sales")
    assert table.count == here.count == 8_000
    assert set(table.columns) == set(here.columns)
    store.asked.clear()
    engine = Engine(Source({"Sales": table}), memory=0)
    assert lines(engine.fold(FOLD)) == lines(Engine(Source({"Sales": here})).fold(FOLD))
    fetched = 0
    for _, _, span in store.asked:
        if span:
            first, _, last = span.removeprefix("bytes=").partition("-")
            fetched += int(last) - int(first) + 1
    whole = sum(path.stat().st_size for path in place.rglob("*.parquet"))
    assert 0 < fetched < whole / 4


def test_mends_that_look_at_several_records_go_through_all_once_and_are_kept_here(store, place, monkeypatch):
    ran, write = [], mending.write_pass
    monkeypatch.setattr(mending, "write_pass", lambda *given: (ran.append(1), write(*given)))
    mends = (FillDown("site"), DropRepeatedRows(("site", "net")))
    spec = SourceSpec("Sales", "s3://quillmoor/sales/", mends=mends)

    def mended():
        read = read_source(spec, place, EVERYTHING)
        return Mending().table(read, spec)

    table, outcomes = mended()
    assert [each.problem for each in outcomes] == [None, None]
    here = read_table(place / "quillmoor" / "sales", "Sales")
    held, expected = Mending().table(here, msgspec.structs.replace(spec, path="sales"))
    assert [(each.changed, each.dropped) for each in outcomes] == [(each.changed, each.dropped) for each in expected]
    assert lines(Engine(Source({"Sales": table}), memory=0).fold(FOLD)) == lines(
        Engine(Source({"Sales": held})).fold(FOLD)
    )
    again, _ = mended()
    assert lines(Engine(Source({"Sales": again}), memory=0).fold(FOLD)) == lines(
        Engine(Source({"Sales": held})).fold(FOLD)
    )
    assert len(ran) == 1, "it is kept while the files are the same"
    first = place / "quillmoor" / "sales" / "year=2025" / "0.parquet"
    pq.write_table(pq.read_table(first).slice(0, 900), first, row_group_size=500)
    os.utime(first, (2_000_000_000, 2_000_000_000))
    fewer, told = mended()
    assert told[0].problem is None
    assert len(ran) == 2
    assert fewer.count < again.count


def test_files_of_another_year_are_not_asked_for(store, monkeypatch):

    monkeypatch.setattr(parquetstream, "LEAST", 5)
    monkeypatch.setattr(parquetstream, "MOST", 500)
    table = read_objects("s3://quillmoor/sales", "Sales")
    store.asked.clear()
    kept = Fold(
        "f", (measure("count values", "Sales.net"),), filters=(Members("y", ref("Sales.year"), members=("2026",)),)
    )
    assert lines(Engine(Source({"Sales": table}), memory=0).fold(kept))[-1][-1] == 4_000
    assert {key.split("/")[2] for method, key, span in store.asked if method == "GET" and span} == {"year=2026"}


def test_a_store_that_is_busy_twice_is_asked_again(store):
    store.busy = 2
    table = read_objects("s3://quillmoor/sales/year=2025/0.parquet", "Sales")
    store.busy = 2
    fold = Fold("f", (measure("sum", "Sales.net"),), (Placed("s", ref("Sales.site")),))
    assert len(lines(Engine(Source({"Sales": table}), memory=0).fold(fold))) == 4
    assert store.busy == 0


def test_one_who_is_not_known_is_refused_with_what_to_do(store):
    store.known = "somebody else"
    with pytest.raises(ReadError, match="refused who asks") as raised:
        read_objects("s3://quillmoor/sales/", "Sales")
    assert "AWS_ACCESS_KEY_ID" in str(raised.value)


@pytest.mark.parametrize(
    ("address", "said"),
    [
        ("s3://", "names no bucket"),
        ("s3://quillmoor/nothing/", "no Parquet file is there|does not give it"),
        ("s3://other/sales/", "no Parquet file is there|does not give it"),
        ("s3://quillmoor/sales/9.parquet", "no Parquet file is there"),
    ],
)
def test_what_is_not_there_is_told(store, address, said):
    with pytest.raises(ReadError, match=said):
        read_objects(address, "Sales")


def test_a_field_that_a_file_lacks_is_blank_there_and_types_that_are_not_told_are_refused(store, place):
    many = read_objects("s3://quillmoor/sales/", "Sales").count
    pq.write_table(pa.table({"site": ["x"]}), place / "quillmoor" / "sales" / "year=2026" / "9.parquet")
    more = read_objects("s3://quillmoor/sales/", "Sales")
    assert more.count == many + 1
    assert "“net” is not in 9.parquet; it is blank there." in more.notes
    report = Engine(Source({"Sales": more}), memory=0).fold(Fold("f", (measure("count values", "Sales.net"),)))
    assert report.exact(0, 0, 0) == many
    odd = place / "quillmoor" / "odd.parquet"
    pq.write_table(pa.table({"at": [datetime.time(1, 2)]}), odd)
    with pytest.raises(ReadError, match="“at”: values of the type “time64"):
        read_objects("s3://quillmoor/odd.parquet", "Odd")
    odd.write_bytes(b"PAR1 and no more")
    with pytest.raises(ReadError):
        read_objects("s3://quillmoor/odd.parquet", "Odd")


def test_a_file_that_is_replaced_meanwhile_is_told(store, place):
    table = read_objects("s3://quillmoor/sales/year=2025/0.parquet", "Sales")
    path = place / "quillmoor" / "sales" / "year=2025" / "0.parquet"
    pq.write_table(pq.read_table(path).slice(0, 10), path)
    with pytest.raises(ReadError, match="changed after it was opened"):
        Engine(Source({"Sales": table}), memory=0).fold(Fold("f", (measure("sum", "Sales.net"),)))


def test_it_is_read_only_with_consent_and_rendered_from_the_command_line(store, tmp_path, capsys):
    spec = SourceSpec("Sales", "s3://quillmoor/sales/")
    [place] = places_of_source(spec, tmp_path)
    assert place.startswith("s3://quillmoor/sales/ at http://127.0.0.1:")
    with pytest.raises(ReadError, match="to which nobody has agreed"):
        read_source(spec, tmp_path, NOTHING)
    assert is_sampled(read_source(spec, tmp_path, EVERYTHING))
    basket = tmp_path / "sales.json"
    save_basket(Basket("B", (spec,), folds=(FOLD,)), basket)
    assert main(["render", str(basket), "--to", str(tmp_path / "out.csv")]) != 0
    assert main(["render", str(basket), "--to", str(tmp_path / "out.csv"), "--trust"]) == 0
    assert "Mill" in Path(tmp_path / "out.csv").read_text()


def test_keys_in_the_desktops_keyring_serve_where_the_environment_has_none(store, monkeypatch):
    store.known = "keeper"
    asked = []

    def get_credential(service, name):
        asked.append((service, name))
        return SimpleCredential("keeper", "carrots")

    monkeypatch.setattr(keyring, "get_credential", get_credential)
    with pytest.raises(ReadError):
        read_objects("s3://quillmoor/sales/", "Sales")  # the environment's come first
    assert asked == []
    monkeypatch.delenv("AWS_ACCESS_KEY_ID")
    monkeypatch.delenv("AWS_SECRET_ACCESS_KEY")
    assert read_objects("s3://quillmoor/sales/", "Sales").count == 8_000
    assert asked == [(f"Fold Basket: {os.environ['AWS_ENDPOINT_URL']}", None)]


@pytest.mark.parametrize("times", [8, 14])
def test_a_store_that_stays_busy_for_a_while_is_asked_again_and_gives_the_same_numbers(store, monkeypatch, times):
    monkeypatch.setattr(objects, "PAUSES", (0.01, 0.01, 0.01))
    table = read_objects("s3://quillmoor/sales/", "Sales")
    fold = Fold("f", (measure("sum", "Sales.net"), measure("count")), (Placed("s", ref("Sales.site")),))
    wanted = lines(Engine(Source({"Sales": table}), memory=0).fold(fold))
    store.busy = times
    assert lines(Engine(Source({"Sales": table}), memory=0).fold(fold)) == wanted


def test_one_that_stays_busy_is_told_as_that_and_no_file_as_damaged(store, monkeypatch):
    monkeypatch.setattr(objects, "PAUSES", (0.01,))
    table = read_objects("s3://quillmoor/sales/", "Sales")
    store.busy = 10_000
    fold = Fold("f", (measure("sum", "Sales.net"),), (Placed("s", ref("Sales.site")),))
    for work in (
        lambda: Engine(Source({"Sales": table}), memory=0).fold(fold),
        lambda: read_objects("s3://quillmoor/sales/", "Sales"),
    ):
        with pytest.raises(ReadError, match="the object store is busy or cannot be reached") as raised:
            work()
        assert "Export" not in str(raised.value)
