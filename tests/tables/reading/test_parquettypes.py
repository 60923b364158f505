"""Files of other writers are read lazily and in batches, whatever types they hold their values in and whatever they tell of them."""

import datetime as dt
import errno
from decimal import Decimal

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.errors import ReadError, out_of_memory
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.links.source import Source
from foldbasket.showing import shown
from foldbasket.spec.fold import Fold
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import arrow, objects, parquet, parquetstream
from foldbasket.tables.reading.parquet import read_parquet
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Unread, bound, is_unread
from tests.folding.build import lines, measure, placed, ref

RECORDS = 400
DAYS = [dt.date(2024, 1, 1) + dt.timedelta(at % 500) if at % 9 else None for at in range(RECORDS)]
MOMENTS = [dt.datetime(2024, 1, 1, 3) + dt.timedelta(hours=at % 700) if at % 9 else None for at in range(RECORDS)]
NAMES = [f"Site {at % 7}" if at % 11 else None for at in range(RECORDS)]
VARIED = [f"Order number {at} of many, spelt out" for at in range(RECORDS)]
AMOUNTS = [Decimal(at * 37 % 1000).scaleb(-2) if at % 5 else None for at in range(RECORDS)]
NUMBERS = [at % 50 for at in range(RECORDS)]
KINDS = {
    "text": (NAMES, pa.string()), "large text": (NAMES, pa.large_string()), "a view": (NAMES, pa.string_view()), "a varied view": (VARIED, pa.string_view()),
    "bytes": ([each and each.encode() for each in NAMES], pa.binary()), "large bytes": ([each and each.encode() for each in NAMES], pa.large_binary()),
    "a view of bytes": ([each and each.encode() for each in NAMES], pa.binary_view()), "a dictionary": (NAMES, pa.dictionary(pa.int16(), pa.string())),
    "days": (DAYS, pa.date32()), "days in milliseconds": (DAYS, pa.date64()), "seconds": (MOMENTS, pa.timestamp("s")),
    "nanoseconds": (MOMENTS, pa.timestamp("ns")), "microseconds with a zone": (MOMENTS, pa.timestamp("us", "UTC")),
    "a wide decimal": (AMOUNTS, pa.decimal128(38, 2)), "a wider decimal": (AMOUNTS, pa.decimal256(60, 2)), "a narrow decimal": (AMOUNTS, pa.decimal128(9, 2)),
    "without a sign": (NUMBERS, pa.uint64()), "nothing": ([None] * RECORDS, pa.null()), "a half": ([float(each) for each in NUMBERS], pa.float32()),
}  # fmt: skip


@pytest.fixture(autouse=True)
def of_any_size(monkeypatch):
    monkeypatch.setattr(parquet, "MANY", 0)
    monkeypatch.setattr(parquetstream, "LEAST", 50)


def both(path):
    """The table of a file in memory, and the same in batches."""
    held, apart = read_parquet(path, "T"), read_parquet(path, "T", lazily=True)
    stream = parquetstream.ParquetStream("T", [path], [held.count], size=1)
    return held, bound(apart, lambda names, _: read_parquet(path, "T", only=names).columns, stream)


def same_numbers(held, apart, kind):
    folds = [
        Fold("f", (measure("count values", "T.x"), measure("sum", "T.n")), (placed("T.x"),)),
        Fold("f", (measure("count different", "T.x"), measure("largest", "T.x")), (placed("T.n"),)),
    ]
    if kind in (FieldType.DATE, FieldType.TIMESTAMP):
        folds.append(
            Fold(
                "f",
                (measure("sum", "T.n"),),
                (placed("T.x", part="month"),),
                filters=(Compare("a", ref("T.x"), "year", "=", "2024"),),
            )
        )
    elif kind is FieldType.TEXT:
        folds.append(Fold("f", (measure("sum", "T.n"),), filters=(Compare("a", ref("T.x"), None, ">", "Site 3"),)))
    for fold in folds:
        assert lines(Engine(Source({"T": apart}), memory=0).fold(fold)) == lines(Engine(Source({"T": held})).fold(fold))


@pytest.mark.parametrize("tells", [True, False], ids=["with statistics", "without statistics"])
@pytest.mark.parametrize("name", KINDS)
def test_every_type_of_other_writers_is_read_in_batches(tmp_path, name, tells):
    values, kind = KINDS[name]
    path = tmp_path / "t.parquet"
    column = (
        pa.array(values).cast(kind)
        if pa.types.is_dictionary(kind) or pa.types.is_date64(kind)
        else pa.array(values, kind)
    )
    pq.write_table(pa.table({"x": column, "n": pa.array(NUMBERS)}), path, write_statistics=tells, row_group_size=90)
    held, apart = both(path)
    assert [name for name, each in apart.columns.items() if not is_unread(each)] == []
    assert apart.columns["x"].type is held.columns["x"].type
    assert apart.columns["x"].scale == held.columns["x"].scale
    same_numbers(held, apart, held.columns["x"].type)
    assert is_unread(apart.columns["x"])
    assert not apart.columns["x"].unread.has("x")


def test_a_file_of_another_engine_is_read_in_batches(tmp_path):
    path = tmp_path / "t.parquet"
    duckdb.sql(
        f"COPY (SELECT 'Site ' || (i % 7) AS x, (i % 50)::UTINYINT AS n, DATE '2024-01-01' + (i % 500)::INT AS d, (i / 8)::DECIMAL(38, 3) AS a, "
        f"(i % 3 = 0) AS b, TIMESTAMPTZ '2024-01-01 00:00:00+00' + INTERVAL (i) HOUR AS t FROM range({RECORDS}) r(i)) TO '{path}' (FORMAT parquet, ROW_GROUP_SIZE 100)"
    )
    held, apart = both(path)
    assert all(is_unread(each) for each in apart.columns.values())
    assert {name: each.type for name, each in apart.columns.items()} == {
        name: each.type for name, each in held.columns.items()
    }
    same_numbers(held, apart, FieldType.TEXT)


def test_fields_whose_type_depends_on_all_values_are_read_whole(tmp_path):
    """Dates outside the calendar are text beside the others, whole numbers beyond 63 bits are names, decimals beyond 18 digits are reals."""
    path = tmp_path / "t.parquet"
    columns = {
        "day": pa.array([*range(RECORDS - 1), 2**31 - 1], pa.int32()).cast(pa.date32()),
        "number": pa.array([*range(RECORDS - 1), 2**64 - 1], pa.uint64()),
        "amount": pa.array([*([Decimal("1.25")] * (RECORDS - 1)), Decimal("123456789012345678901.5")], pa.decimal128(38, 2)),
        "plain": pa.array(NUMBERS),
    }  # fmt: skip
    pq.write_table(pa.table(columns), path, write_statistics=False, row_group_size=90)
    held, apart = read_parquet(path, "T"), read_parquet(path, "T", lazily=True)
    assert [name for name, each in apart.columns.items() if is_unread(each)] == ["plain"]
    assert {name: each.type for name, each in apart.columns.items()} == {
        name: each.type for name, each in held.columns.items()
    }
    assert list(apart.texts) == list(held.texts) == ["day"]


RAN_OUT = [MemoryError("malloc of size 64 failed"), pa.ArrowMemoryError("malloc of size 1048576 failed"), OSError(errno.ENOMEM, "Cannot allocate memory"), pa.ArrowInvalid("Out of memory: realloc of size 9 failed"), OSError("std::bad_alloc")]  # fmt: skip


@pytest.mark.parametrize("error", RAN_OUT, ids=str)
def test_memory_that_runs_out_is_reported_as_that_by_every_reader(tmp_path, error, monkeypatch):
    assert "not enough memory" in str(out_of_memory(error, "f"))
    assert out_of_memory(OSError(errno.EIO, "I/O error"), "f") is None
    path = tmp_path / "t.parquet"
    pq.write_table(pa.table({"x": [1]}), path)
    assert "not enough memory" in str(parquetstream.broken_file(path, error))
    assert "not enough memory" in str(arrow.broken(path, error))
    assert "not enough memory" in str(objects.told_by_store(error, "s3://a/b"))

    def fails(*_):
        raise error

    monkeypatch.setattr(parquet, "fitted", fails)
    with pytest.raises(ReadError, match=r"t\.parquet: there is not enough memory"):
        read_parquet(path, "T", progress=Progress())


def test_a_sentence_about_a_large_file_finds_rare_members_and_reads_no_field_whole(tmp_path, monkeypatch):
    many, rare = 90_000, 41_234
    path = tmp_path / "t.parquet"
    sites = pa.array([f"Site {at % 7}" if at != rare else "Lone Oak" for at in range(many)], pa.string_view())
    days = pa.array([at % 900 for at in range(many)], pa.int32()).cast(pa.date32())
    table = pa.table({"site": sites, "day": days, "n": pa.array([1] * many)})
    pq.write_table(table, path, write_statistics=False, row_group_size=10_000)
    brought = []
    monkeypatch.setattr(Unread, "bring", lambda self, names, progress=None: brought.extend(names))
    made = shown([path], "n by year, lone oak only", lambda _: None, memory=1000)
    assert made.sentence == 'n, summed for each Year of "day" keeping site: Lone Oak'
    assert made.report.value(made.report.height - 1, 0) == 1
    assert brought == []
