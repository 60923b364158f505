"""Files of one table that are alike but not the same, read part by part: fields by name, types widened, as when they are held."""

import datetime
import random
from decimal import Decimal

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.cli import main
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.links.source import Source
from foldbasket.opening import sources
from foldbasket.opening.sources import read_source
from foldbasket.spec.fold import Fold
from foldbasket.tables.reading import repacking
from foldbasket.tables.reading.contract import ALLOWED
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.types import FieldType
from tests.folding.build import lines, measure, placed, ref

LARGE = 10**12


def read(place, most, **more):
    return read_source(SourceSpec("T", place.name), place.parent, Agreed(), most=most, **more)


def texts(table, name):
    column = table.columns[name].coded()
    return [column.text(at) for at in range(table.count)]


def same(place):
    """Both ways to read it, which must agree in every field."""
    held, apart = read(place, LARGE), read(place, 10)
    assert is_sampled(apart)
    assert not is_sampled(held)
    assert (list(apart.columns), apart.count) == (list(held.columns), held.count)
    assert set(apart.notes) == set(held.notes)
    for name in held.columns:
        assert texts(apart, name) == texts(held, name), name
        assert apart.columns[name].type is held.columns[name].type, name
    return held, apart


def parquet(folder, name, columns):
    pq.write_table(pa.table(columns), folder / name, store_schema=False)


@pytest.fixture
def drifted(tmp_path):
    """Three months, of which the first lacks a field, the second counts in whole numbers, and the third has a name for a number."""
    folder = tmp_path / "months"
    folder.mkdir()
    money = pa.decimal128(12, 2)
    parquet(
        folder,
        "2026-01.parquet",
        {"Site": ["Ash", "Elm"], "Net": pa.array([Decimal("1.25"), None], money), "Code": [7, 8]},
    )
    parquet(folder, "2026-02.parquet", {"Net": [3, 4], "Site": ["Elm", None], "Code": [9, 10], "Rebate": [0.5, None]})
    parquet(folder, "2026-03.parquet", {"Code": ["A1", "B2"], "Site": ["Ash", "Oak"], "Net": pa.array([None, None], pa.string()), "Rebate": [None, 1.25]})  # fmt: skip
    return folder


def test_fields_are_matched_by_name_and_widened(drifted):
    _, apart = same(drifted)
    kinds = {name: (column.type, column.scale) for name, column in apart.columns.items()}
    assert kinds["Net"] == (FieldType.DECIMAL, 2)
    assert kinds["Code"] == (FieldType.TEXT, 0)
    assert kinds["Rebate"] == (FieldType.REAL, 0)
    assert any("“Rebate” is not in 2026-01.parquet" in note for note in apart.notes)
    assert any("“Code” is not of one type" in note for note in apart.notes)


def test_folds_of_it_are_the_same_held_or_not(drifted):
    asked = [measure("sum", "T.Net"), measure("sum", "T.Rebate"), measure("count")]
    rules = [Compare("r", ref("T.Code"), None, "≥", "8")], [Compare("r", ref("T.Net"), None, ">", "2")], []
    for rule in rules:
        found = []
        for most, memory in ((LARGE, None), (10, 0)):
            source = Source({"T": read(drifted, most)}, [])
            report = Engine(source, memory=memory).fold(Fold("F", tuple(asked), (placed("T.Site"),), (), tuple(rule)))
            found.append(lines(report))
        assert found[0] == found[1]
        assert found[0]


@pytest.fixture
def months(tmp_path, monkeypatch):
    monkeypatch.setattr(repacking, "PIECE", 2_000)
    monkeypatch.setattr(repacking, "GROUP", 50)
    folder, draw = tmp_path / "exports", random.Random(5)
    folder.mkdir()
    for month in (1, 2, 3):
        more = ",Rebate" if month > 1 else ""
        written = ["Day,Site,Net" + more]
        for _ in range(200):
            day = datetime.date(2026, month, draw.randrange(1, 28))
            net = draw.randrange(100) if month == 2 else draw.randrange(-999, 9999) / 100
            written.append(f"{day},{draw.choice(['Ash', 'Elm', ''])},{net}" + (f",{draw.random():.3f}" if more else ""))
        (folder / f"2026-{month:02d}.csv").write_text("\n".join(written) + "\n", "utf-8")
    return folder


def test_a_folder_of_delimited_text_larger_than_memory_is_read_part_by_part(months):
    held, apart = same(months)
    assert apart.origin == held.origin == str(months)
    assert texts(apart, "File")[0] == "2026-01.csv"
    assert apart.columns["Net"].type is FieldType.DECIMAL


def test_of_a_folder_only_the_file_that_is_new_is_written_anew(months, monkeypatch):
    read(months, 10)
    made, plain = [], sources.repack
    monkeypatch.setattr(sources, "repack", lambda path, *rest: (made.append(path.name), plain(path, *rest)))
    (months / "2026-04.csv").write_text("Day,Site,Net,Rebate\n2026-04-01,Ash,1.5,0.5\n", "utf-8")
    assert read(months, 10).count == 601
    assert made == ["2026-04.csv"]


def test_a_pattern_is_read_so_too_and_rendered(months, monkeypatch, capsys):
    monkeypatch.setenv(ALLOWED, "4000")
    pattern = months / "2026-*.csv"
    assert main(["show", str(pattern), "net by site"]) == 0
    told = capsys.readouterr().out
    monkeypatch.delenv(ALLOWED)
    assert main(["show", str(pattern), "net by site"]) == 0
    assert capsys.readouterr().out == told
