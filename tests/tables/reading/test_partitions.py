"""A folder of folders that are called by a field and its value is one table, with those fields for its records; held, and part by part."""

import datetime
import random
from pathlib import Path

import pyarrow as pa
import pyarrow.dataset as ds
import pytest

from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.links.source import Source
from foldbasket.spec.fold import Fold, Placed
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.reading.contract import Parts
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.sample import in_view, records_of, stream_behind, take_sample
from foldbasket.tables.survey import survey
from foldbasket.tables.types import FieldType
from tests.folding.build import lines, measure, ref

MANY = 600


@pytest.fixture
def folder(tmp_path):
    draw = random.Random(3)
    table = pa.table(
        {
            "year": pa.array([draw.choice([2025, 2026]) for _ in range(MANY)]),
            "region": [draw.choice(["North East", "Süd", None]) for _ in range(MANY)],
            "net": pa.array([draw.randrange(999) for _ in range(MANY)], pa.int32()),
            "at": [datetime.datetime(2026, 1, 1) + datetime.timedelta(hours=draw.randrange(9000)) for _ in range(MANY)],
        }
    )
    flavor = ds.partitioning(pa.schema([("year", pa.int64()), ("region", pa.string())]), flavor="hive")
    ds.write_dataset(table, tmp_path / "sales", format="parquet", partitioning=flavor)
    return tmp_path / "sales", table


def told(table):
    """Every record as text, in any order, without its file."""
    columns = [
        [column.text(at) for at in range(table.count)]
        for name, column in sorted(table.columns.items())
        if name != "File"
    ]
    return sorted(zip(*columns, strict=True), key=str)


def test_fields_are_read_from_the_names_of_folders(folder):
    path, table = folder
    read = read_table(path, "Sales")
    assert set(read.columns) == {"File", "year", "region", "net", "at"}
    assert (read.columns["year"].type, read.columns["region"].type) == (FieldType.WHOLE, FieldType.TEXT)
    wanted = sorted(
        ((str(at), str(net), region, str(year)) for year, region, net, at in zip(*(table[name].to_pylist() for name in ("year", "region", "net", "at")), strict=True)),
        key=str,
    )  # fmt: skip
    assert told(read) == wanted


def test_part_by_part_they_are_the_same_and_files_of_other_values_are_left_alone(folder, monkeypatch):
    path, _ = folder
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    monkeypatch.setattr(parquetstream, "MOST", 100)
    held = read_table(path, "Sales")
    apart = read_table(path, "Sales", parts=Parts(lazily=True))
    stream = stream_behind(apart)
    assert stream is not None
    folds = [
        Fold("f", (measure("sum", "Sales.net"),), (Placed("r", ref("Sales.region")),), (Placed("y", ref("Sales.year")),)),
        Fold("f", (measure("count"),), (Placed("m", ref("Sales.at"), part="month"),), filters=(Members("x", ref("Sales.region"), members=("Süd",)),)),
        Fold("f", (measure("count"),), filters=(Compare("y", ref("Sales.year"), None, "=", "2026"),)),
        Fold("f", (measure("largest", "Sales.year"),), (Placed("r", ref("Sales.region")),)),
    ]  # fmt: skip
    parts = []
    for fold in folds:
        one, two = Engine(Source({"Sales": held})), Engine(Source({"Sales": apart}), memory=0)
        assert lines(two.fold(fold)) == lines(one.fold(fold))
        parts.append(two.ran["part"])
    assert parts[1] < parts[0] / 2
    assert parts[2] < parts[0] * 0.7


def test_its_sample_records_and_survey_have_them_too(folder):
    path, _ = folder
    held = read_table(path, "Sales")
    apart = read_table(path, "Sales", parts=Parts(lazily=True))
    take_sample(apart)
    assert told(in_view(apart)) == told(held)
    assert told(records_of(apart, 0, MANY)) == told(held)
    found = survey(apart, stream_behind(apart), Progress())
    assert (found["region"].profile.different, found["region"].profile.blanks) == (
        2,
        sum(1 for each in told(held) if each[2] is None),
    )
    assert (found["year"].profile.smallest, found["year"].profile.largest) == ("2025", "2026")


def test_folders_of_other_names_and_hidden_ones_are_not_looked_into(tmp_path):
    for name in ("year=2026", "old", ".year=2024", "_year=2023"):
        (tmp_path / "sales" / name).mkdir(parents=True)
        (tmp_path / "sales" / name / "a.csv").write_text("net\n1\n")
    table = read_table(tmp_path / "sales", "Sales")
    assert table.count == 1
    assert table.columns["year"].text(0) == "2026"


def test_a_field_of_the_files_is_kept_where_a_folder_is_called_by_it(tmp_path):
    place = tmp_path / "sales" / "year=2026"
    place.mkdir(parents=True)
    (place / "a.csv").write_text("year,net\n1999,1\n")
    assert read_table(tmp_path / "sales", "Sales").columns["year"].text(0) == "1999"
    assert isinstance(place, Path)
