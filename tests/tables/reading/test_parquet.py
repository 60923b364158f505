"""Tables survive the Parquet files that a basket carries, and those that other programs write are read."""

import datetime
from decimal import Decimal

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.errors import ReadError
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.parquet import read_parquet, write_parquet
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

KINDS = {
    pa.string(): st.text(st.characters(codec="utf-8", exclude_characters="\x00"), min_size=1, max_size=5).filter(
        lambda text: text.strip()
    ),
    pa.int64(): st.integers(-(2**63), 2**63 - 1),
    pa.decimal128(18, 2): st.decimals(-(10**15), 10**15, places=2),
    pa.float64(): st.floats(allow_nan=False, allow_infinity=False),
    pa.date32(): st.dates(datetime.date(1, 1, 1)),
    pa.timestamp("us"): st.datetimes(),
    pa.bool_(): st.booleans(),
}


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_a_table_is_the_same_after_writing_and_reading(tmp_path_factory, data):
    count = data.draw(st.integers(0, 6))
    arrays = {}
    for at, (kind, strategy) in enumerate(KINDS.items()):
        arrays[f"f{at}"] = pa.chunked_array(
            [pa.array(data.draw(st.lists(st.none() | strategy, min_size=count, max_size=count)), kind)]
        )
    table = Table.of("T", [from_arrow(name, array) for name, array in arrays.items()])
    path = tmp_path_factory.mktemp("pq") / "t.parquet"
    write_parquet(table, path)
    again = read_parquet(path, "T")
    assert list(again.columns) == list(table.columns)
    for name, column in table.columns.items():
        assert again.columns[name].type is column.type
        assert [again.columns[name].text(at) for at in range(count)] == [column.text(at) for at in range(count)]
    assert again.count == count


def test_columns_of_other_programs_are_typed(tmp_path):
    path = tmp_path / "other.parquet"
    pq.write_table(
        pa.table(
            {
                "big": pa.array([Decimal("12345678901234567890.5"), None], pa.decimal128(30, 1)),
                "nan": pa.array([1.5, float("nan")]),
                "small": pa.array([1, 2], pa.int8()),
                "words": pa.array(["a", " "]).dictionary_encode(),
            }
        ),
        path,
    )
    table = read_parquet(path, "Other")
    assert [column.type for column in table.columns.values()] == [
        FieldType.REAL,
        FieldType.REAL,
        FieldType.WHOLE,
        FieldType.TEXT,
    ]
    assert [column.blank_count for column in table.columns.values()] == [1, 1, 0, 1]


def test_a_type_that_cannot_be_read_is_named(tmp_path):
    path = tmp_path / "nested.parquet"
    pq.write_table(pa.table({"lists": [[1], [2]]}), path)
    with pytest.raises(ReadError, match="lists"):
        read_parquet(path, "Nested")


def test_varied_text_is_put_off_and_repeating_text_is_not(tmp_path, monkeypatch):
    from foldbasket.tables.column import DeferredColumn
    from foldbasket.tables.reading import parquet

    monkeypatch.setattr(parquet, "PUT_OFF", 100)
    path = tmp_path / "orders.parquet"
    names = [f"Q-{number}" for number in range(5_000)]
    pq.write_table(pa.table({"No": names, "Channel": ["Web", None] * 2_500}), path)
    table = read_parquet(path, "Orders")
    assert [isinstance(column, DeferredColumn) for column in table.columns.values()] == [True, False]
    assert [table.columns["No"].text(at) for at in range(5_000)] == names
    assert (table.columns["Channel"].blank_count, len(table.columns["Channel"].dictionary)) == (2_500, 1)


def test_what_a_first_reading_told_comes_back_with_a_table_of_ours(tmp_path):
    path = tmp_path / "ledger.csv"
    path.write_text(
        "Sales of March\n\nNo;Net;Rebate\n"
        + "".join(f"{at};{'n/k' if at == 150 else f'{at},50'};{at} %\n" for at in range(200))
    )
    table = read_table(path, "Ledger", Reading(types={"No": FieldType.TEXT}))
    assert table.titles
    assert table.decimal_mark == ","
    assert list(table.texts) == ["Net"]
    write_parquet(table, tmp_path / "inside.parquet")
    again = read_table(tmp_path / "inside.parquet", "Ledger")
    assert (again.titles, again.decimal_mark, again.chosen, again.notes) == (
        table.titles,
        table.decimal_mark,
        table.chosen,
        table.notes,
    )
    assert list(again.texts) == ["Net"]
    for name, column in table.columns.items():
        assert again.columns[name].type is column.type, name
        assert [again.columns[name].text(at) for at in range(200)] == [column.text(at) for at in range(200)]
        assert again.columns[name].nature == column.nature
    assert again.texts["Net"].text(150) == "n/k"
