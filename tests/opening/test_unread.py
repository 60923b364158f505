"""A render reads the fields that its folds use, and no more; with the same numbers as if all had been read."""

import datetime
import os
import random
from decimal import Decimal

import msgspec
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.files import Opened, save_basket
from foldbasket.cli import main
from foldbasket.errors import ReadError
from foldbasket.folding.filters.members import Members
from foldbasket.links.link import Link
from foldbasket.opening.prepared import prepare
from foldbasket.spec.fold import Fold
from foldbasket.tables.mending.fields import RenameField
from foldbasket.tables.mending.texts import ReplaceValues
from foldbasket.tables.unread import is_unread
from tests.folding.build import lines, measure, placed, ref


@pytest.fixture
def place(tmp_path):
    draw = random.Random(5)
    many = 500
    day = datetime.date(2026, 1, 1)
    sales = pa.table(
        {
            "Order": [draw.choice(["O1", "O2", "O3", "lost", None]) for _ in range(many)],
            "Site": pa.array([draw.choice(["Mill", "Yard", "", None]) for _ in range(many)]).dictionary_encode(),
            "Day": pa.array([draw.choice([None, day + datetime.timedelta(draw.randrange(300))]) for _ in range(many)]),
            "Net": pa.array([draw.choice([None, Decimal(draw.randrange(9999)) / 100]) for _ in range(many)], pa.decimal128(9, 2)),
            "Pieces": pa.array([draw.randrange(50) for _ in range(many)], pa.int32()),
            "Weight": pa.array([draw.choice([None, float("nan"), draw.random()]) for _ in range(many)]),
            "Sent": pa.array([draw.choice([True, False, None]) for _ in range(many)]),
            "Big": pa.array([2**63 + 5 if at == 3 else at for at in range(many)], pa.uint64()),
            "At": pa.array([datetime.datetime(2026, 1, 1, at % 24) for at in range(many)]),
            "Never": pa.array([datetime.date(2026, 1, 1)] * many),
        }
    )  # fmt: skip
    orders = pa.table(
        {"No": ["O1", "O2", "O3"], "Buyer": ["Oak", "Elm", None], "Freight": [Decimal("1.50"), Decimal("2.00"), None]}
    )
    pq.write_table(sales, tmp_path / "sales.parquet", row_group_size=100)
    pq.write_table(orders, tmp_path / "orders.parquet")
    return tmp_path


def opened(place, **more):
    sources = (SourceSpec("S", "sales.parquet"), SourceSpec("O", "orders.parquet"))
    basket = Basket("b", sources, links=(Link("S", "O", (("Order", "No"),)),), **more)
    return Opened(basket, place / "b.json")


FOLDS = [
    Fold("1", (measure("sum", "S.Net"), measure("count")), (placed("S.Site"),)),
    Fold("2", (measure("median", "S.Weight"), measure("sum", "O.Freight")), (placed("O.Buyer"),), (placed("S.Sent"),)),
    Fold("3", (measure("largest", "S.Day"), measure("count different", "S.Order")), (placed("S.Day", part="quarter"),)),
    Fold("4", (measure("sum", "S.Pieces"),), (placed("S.Big"),), filters=(Members("f", ref("S.Site"), members=("Mill",)),)),
    Fold("5", (measure("average", "S.Twice"),), (placed("S.At", part="hour"),)),
    Fold("6", (measure("last", "S.Net"),), (placed("S.Site"),)),
]  # fmt: skip


@pytest.mark.parametrize("fold", FOLDS, ids=lambda fold: fold.name)
def test_only_what_a_fold_uses_is_read_and_its_numbers_are_the_same(place, fold):
    calculated = (Calculated("Twice", "Pieces * 2", "S"),)
    whole = prepare(opened(place, calculated=calculated))
    lazy = prepare(opened(place, calculated=calculated), lazily=True)
    assert not any(is_unread(column) for table in whole.tables.values() for column in table.columns.values())
    assert {
        key: {name: column.type for name, column in table.columns.items()} for key, table in lazy.tables.items()
    } == {key: {name: column.type for name, column in table.columns.items()} for key, table in whole.tables.items()}
    assert lines(lazy.engine.fold(fold)) == lines(whole.engine.fold(fold))
    never = lazy.tables["S"].columns["Never"]
    assert is_unread(never)
    assert not never.unread.has("Never")
    assert [never.text(at) for at in range(3)] == ["2026-01-01"] * 3, "and is there when it is asked for"


def test_fields_are_read_together_and_once(place, monkeypatch):
    from foldbasket.tables.reading import readers

    asked, plain = [], readers.read_table

    def read_table(path, name, reading=None, progress=None, parts=None):
        asked.append((path.name, parts.only))
        return plain(path, name, reading, progress, parts)

    ready = prepare(opened(place), lazily=True)
    monkeypatch.setattr(readers, "read_table", read_table)
    fold = Fold("f", (measure("sum", "S.Net"), measure("sum", "O.Freight")), (placed("O.Buyer"), placed("S.Site")))
    ready.engine.fold(fold)
    assert {(name, frozenset(only)) for name, only in asked} == {
        ("sales.parquet", frozenset({"Net", "Site", "Order"})),
        ("orders.parquet", frozenset({"Freight", "Buyer", "No"})),
    }
    ready.engine.fold(msgspec.structs.replace(fold, rows=(placed("S.Site"),)))
    assert len(asked) == 2


def test_a_file_that_changed_since_is_not_read_into_the_same_table(place):
    ready = prepare(opened(place), lazily=True)
    table = pq.read_table(place / "sales.parquet").slice(0, 400)
    pq.write_table(table, place / "new.parquet")
    os.replace(place / "new.parquet", place / "sales.parquet")
    with pytest.raises(ReadError, match="changed after it was opened"):
        ready.engine.fold(FOLDS[0])


def test_a_damaged_column_is_told_and_another_is_still_read(place):
    whole = bytearray((place / "sales.parquet").read_bytes())
    start = pq.ParquetFile(place / "sales.parquet").metadata.row_group(0).column(3)
    at = start.dictionary_page_offset or start.data_page_offset
    whole[at : at + 40] = b"\xff" * 40
    (place / "sales.parquet").write_bytes(whole)
    ready = prepare(opened(place), lazily=True)
    with pytest.raises(ReadError):
        ready.engine.fold(FOLDS[0])
    assert ready.engine.fold(FOLDS[3]).height


def test_a_folder_of_files_is_read_by_column_or_folded_in_a_stream(place, capsys):
    folder = place / "months"
    folder.mkdir()
    whole = pq.read_table(place / "sales.parquet")
    for at in range(5):
        names = list(whole.column_names)
        random.Random(at).shuffle(names)
        pq.write_table(whole.slice(at * 100, 100).select(names).drop_columns(["Big", "At"]), folder / f"m{at}.parquet")
    basket = Basket("b", (SourceSpec("S", "months"),))
    file = Opened(basket, place / "b.json")
    eager, lazy = prepare(file), prepare(file, lazily=True)
    small = prepare(file, lazily=True, memory=0)
    assert next(iter(lazy.tables["S"].columns)) == "File"
    for fold in (FOLDS[0], Fold("f", (measure("average", "S.Net"),), (placed("S.File"), placed("S.Site")))):
        wanted = lines(eager.engine.fold(fold))
        assert lines(lazy.engine.fold(fold)) == wanted
        assert lines(small.engine.fold(fold)) == wanted
    assert not any(column.unread.has(name) for name, column in small.tables["S"].columns.items() if is_unread(column))
    odd = whole.slice(0, 5).drop_columns(["Net", "Big", "At"])
    pq.write_table(odd, folder / "odd.parquet")
    with_odd = prepare(file, lazily=True)
    assert is_unread(with_odd.tables["S"].columns["Site"])
    assert "“Net” is not in odd.parquet; it is blank there." in with_odd.tables["S"].notes
    assert lines(with_odd.engine.fold(FOLDS[0])) == lines(prepare(file).engine.fold(FOLDS[0]))
    pq.write_table(whole.slice(0, 5).select(["Big"]), folder / "odder.parquet")
    again = prepare(file, lazily=True)
    assert not is_unread(again.tables["S"].columns["Site"]), "a field whose type is not told has all read"


def test_what_is_mended_is_folded_in_a_stream_too_where_its_mends_look_at_one_record_at_a_time(place):
    mends = (RenameField("Net", "Amount"), ReplaceValues("Site", {"Mill": "elsewhere"}))
    basket = Basket("b", (SourceSpec("S", "sales.parquet", mends=mends),))
    fold = Fold("f", (measure("sum", "S.Amount"), measure("count")), (placed("S.Site"),))
    file = Opened(basket, place / "b.json")
    wanted = lines(prepare(file).engine.fold(fold))
    small = prepare(file, lazily=True, memory=0)
    assert lines(small.engine.fold(fold)) == wanted
    assert all(is_unread(column) and not column.unread.has(name) for name, column in small.tables["S"].columns.items())


def test_render_takes_a_bound_on_memory(place, capsys):
    basket = Basket("b", (SourceSpec("S", "sales.parquet"),), folds=(FOLDS[0],))
    save_basket(basket, place / "b.json")
    for size, name in (("1KB", "small.csv"), ("2GB", "large.csv")):
        assert main(["render", str(place / "b.json"), "--to", str(place / name), "--memory", size, "--quiet"]) == 0, (
            capsys.readouterr().err
        )
    assert (place / "small.csv").read_bytes() == (place / "large.csv").read_bytes()
    with pytest.raises(SystemExit):
        main(["render", str(place / "b.json"), "--to", str(place / "x.csv"), "--memory", "much"])
    assert "a size such as 500MB or 2GB" in capsys.readouterr().err
