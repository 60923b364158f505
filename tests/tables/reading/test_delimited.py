"""Delimited files as the world makes them open right; those that cannot be read say what, where and what to do."""

import csv
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.errors import Cancelled, ReadError
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.delimited import read_delimited
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.types import FieldType


@pytest.fixture
def read(tmp_path):
    def read(content, **options):
        path = tmp_path / "data.csv"
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return read_delimited(path, "Data", Reading(**options))

    return read


def values(table):
    return [[column.text(record) for column in table.columns.values()] for record in range(table.count)]


def types(table):
    return [column.type for column in table.columns.values()]


def test_semicolon_and_decimal_comma_are_seen(read):
    table = read("Name;Net\nAnwen;1,50\nBas;-12,25\n")
    assert values(table) == [["Anwen", "1.50"], ["Bas", "-12.25"]]
    assert table.columns["Net"].type is FieldType.DECIMAL


def test_latin_1_is_seen(read):
    assert values(read("Name,Net\nÉclair,1\nGrüße,2\n".encode("latin-1"))) == [["Éclair", "1"], ["Grüße", "2"]]


def test_latin_1_deep_in_a_large_file_is_seen(read):
    table = read(b"Name,Net\n" + b"plain,1\n" * 40_000 + "Éclair,2\n".encode("latin-1"))
    assert table.count == 40_001
    assert table.columns["Name"].text(40_000) == "Éclair"


@pytest.mark.parametrize("encoding", ["utf-16", "utf-16-le", "utf-8-sig"])
def test_byte_order_marks_and_utf_16_are_read(read, encoding):
    text = "Näme\tNet\r\nŽofie\t2\r\n"
    assert values(read(text.encode(encoding))) == [["Žofie", "2"]]
    assert list(read(text.encode(encoding)).columns) == ["Näme", "Net"]


def test_quoted_line_breaks_and_doubled_quotes_stay_in_their_value(read):
    table = read('"Na\nme",Note\r\n"Dusk","a ""quoted""\r\nline"\r\n"Bell","x,y"\r\n')
    assert list(table.columns) == ["Na me", "Note"]
    assert values(table) == [["Dusk", 'a "quoted"\r\nline'], ["Bell", "x,y"]]


def test_quoted_line_breaks_across_blocks_stay_in_their_value(read):
    long = "x" * 700 + "\n" + "y" * 700
    table = read("A,B\n" + "".join(f'{n},"{long}"\n' for n in range(3_000)))
    assert table.count == 3_000
    assert table.columns["B"].text(2_999) == long


def test_empty_and_repeated_names_get_names_of_their_own(read):
    assert list(read("Net,,Net, ,Net\n1,2,3,4,5\n").columns) == ["Net", "Column 2", "Net (2)", "Column 4", "Net (3)"]


def test_a_thousand_columns_are_read(read):
    table = read(",".join(f"c{n}" for n in range(1000)) + "\n" + ",".join(str(n) for n in range(1000)) + "\n")
    assert len(table.columns) == 1000
    assert values(table) == [[str(n) for n in range(1000)]]


def test_no_final_line_end_and_old_line_ends_are_read(read):
    assert values(read("A,B\r\n1,x\r\n2,y")) == [["1", "x"], ["2", "y"]]


def test_a_header_alone_is_a_table_without_records(read):
    table = read("A,B\n")
    assert (table.count, list(table.columns)) == (0, ["A", "B"])


def test_types_are_detected_over_the_whole_column(read):
    head = "Whole,Money,Real,Day,Moment,Flag,Code,Text,Nothing\n"
    first = "1,2.50,1e3,2026-01-31,2026-01-31 08:00,true,007,x,\n"
    last = "-2,-3,2.5,2026-02-28,2026-02-28 23:59:59.5,false,012,7,\n"
    assert types(read(head + first + last)) == [
        FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL, FieldType.DATE, FieldType.TIMESTAMP, FieldType.YESNO, FieldType.TEXT, FieldType.TEXT,
        FieldType.TEXT,
    ]  # fmt: skip


def test_a_late_misfit_changes_the_type_of_the_whole_column(read):
    table = read("A,B,C,D\n" + "1,1,1,1\n" * 60_000 + "2.125,x,2026-01-01,1e9\n" + "3,3,3,3\n" * 30_000)
    assert types(table) == [FieldType.DECIMAL, FieldType.TEXT, FieldType.TEXT, FieldType.REAL]
    assert table.columns["A"].scale == 3
    assert table.columns["A"].values.sum() == (60_000 + 90_000) * 1000 + 2125


def test_blank_and_all_space_values_are_blank(read):
    table = read('A,B\n1," "\n ,""\n,x\n')
    assert values(table) == [["1", None], [None, None], [None, "x"]]


@pytest.mark.parametrize(
    ("late", "kind", "scale"),
    [("123456789012.34", "decimal", 2), ("8796093022208.01", "decimal", 2), ("-0.5", "decimal", 2), ("1.005", "decimal", 3), ("0.0000001", "real number", 0), ("1e300", "real number", 0)],
)  # fmt: skip
def test_amounts_are_exact_whatever_their_size_and_digits(read, late, kind, scale):
    table = read("A,B\n" + "0.10,x\n0.29,x\n" * 50_000 + f"{late},x\n" + "1.00,x\n" * 60_000)
    column = table.columns["A"]
    assert (column.type.value, column.scale) == (kind, scale)
    if kind == "decimal":
        assert Decimal(column.text(100_000)) == Decimal(late)
        assert int(column.values.sum()) == (50_000 * 39 + 6_000_000) * 10 ** (scale - 2) + int(
            Decimal(late) * 10**scale
        )


@settings(max_examples=300, deadline=None)
@given(st.lists(st.integers(-(2**43), 2**43), min_size=1, max_size=50), st.integers(1, 6))
def test_decimals_parsed_through_floats_are_the_decimals_written(units, scale):
    from foldbasket.tables.column import NumberColumn
    from foldbasket.tables.conversion import exact_units

    written = [str(Decimal(each).scaleb(-scale)) for each in units]
    reals = NumberColumn("x", FieldType.REAL, np.array([float(text) for text in written]))
    exact = exact_units(reals, scale)
    assert exact.values.tolist() == units


def test_seven_fraction_digits_are_real_and_nineteen_digits_text(read):
    assert types(read("A,B\n0.1234567,1234567890123456789\n")) == [FieldType.REAL, FieldType.TEXT]


def test_types_can_be_corrected(read):
    table = read("A,B\n1,2026-01-01\n2,2026-01-02\n", types={"A": FieldType.TEXT, "B": FieldType.TEXT})
    assert types(table) == [FieldType.TEXT, FieldType.TEXT]
    odd = read("A\nx\n2026-04-02\n", types={"A": FieldType.DATE})
    assert values(odd) == [[None], ["2026-04-02"]]
    assert odd.texts["A"].text(0) == "x"


@pytest.mark.parametrize(
    ("content", "options", "what"),
    [
        (b"", {}, "the file is empty"),
        (b" \n \n", {}, "nothing but blank lines"),
        (b"A,B\n1,2\n3\n", {}, r"line 3: this record has 1 field, the header has 2"),
        (b'A,B\n"x\ny",2\n1,2,3\n', {}, r"line 4: this record has 3 fields, the header has 2"),
        (bytes(range(256)) * 4, {}, "not a text file"),
        (b"PK\x03\x04rest", {}, "a workbook or another kind of archive"),
        (b"A,B\n1,2\n\xe9,3\n", {"encoding": "utf-8"}, "line 3: some bytes are not utf-8 text"),
        (b"A\n1\n", {"encoding": "klingon"}, "no encoding called"),
        (b"A\n1\n", {"types": {"Z": FieldType.TEXT}}, "no field “Z”"),
    ],
)
def test_what_cannot_be_read_is_one_clear_error(read, content, options, what):
    with pytest.raises(ReadError, match=what) as error:
        read(content, **options)
    assert error.value.todo or "Z" in str(error.value)


def test_a_missing_file_a_folder_and_a_broken_parquet_file_are_clear_errors(tmp_path):
    (tmp_path / "broken.parquet").write_bytes(b"PAR1 nothing")
    for name, what in (
        ("none.csv", "no such file"),
        ("", "not a Parquet file"),
        ("broken.parquet", "not a Parquet file"),
    ):
        with pytest.raises(ReadError, match=what):
            read_table(tmp_path / name, "x")


def test_reading_can_be_cancelled(tmp_path):
    path = tmp_path / "long.csv"
    path.write_text("A,B\n" + "1,x\n" * 900_000)
    progress = Progress(lambda _, share: progress.cancel() if share > 0.2 else None)
    with pytest.raises(Cancelled):
        read_table(path, "Long", progress=progress)


CELL = st.one_of(
    st.none(),
    st.integers(-(10**12), 10**12).map(str),
    st.decimals(-(10**9), 10**9, places=2).map(str),
    st.text(st.characters(codec="utf-8", exclude_characters="\x00\x1a"), max_size=12),
)


@settings(max_examples=150, deadline=None)
@given(
    st.integers(2, 4).flatmap(
        lambda width: st.lists(st.lists(CELL, min_size=width, max_size=width), min_size=1, max_size=8)
    )
)
def test_what_the_csv_module_writes_is_read_back_value_by_value(tmp_path_factory, rows):
    path = tmp_path_factory.mktemp("csv") / "any.csv"
    names = [f"name {at}" for at in range(len(rows[0]))]
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows([names, *rows])
    table = read_delimited(path, "Any", Reading(encoding="utf-8", delimiter=",", decimal_mark="."))
    got = values(table)
    wanted = [[None if cell is None or not cell.strip() else cell for cell in row] for row in rows]
    assert len(got) == len(wanted)
    for got_row, row in zip(got, wanted, strict=True):
        for mine, cell, column in zip(got_row, row, table.columns.values(), strict=True):
            if cell is None or column.type is FieldType.TEXT:
                assert mine == cell
            elif column.type in (FieldType.WHOLE, FieldType.DECIMAL):
                assert Decimal(mine) == Decimal(cell.strip())


def test_a_file_read_in_stretches_is_the_same_as_in_one(tmp_path, monkeypatch):
    from foldbasket.tables.column import DeferredColumn
    from foldbasket.tables.reading import delimited

    lines = [
        f"Q-{n},{'' if n % 7 == 0 else n % 13},{n / 100:.2f},2026-{n % 12 + 1:02d}-{n % 28 + 1:02d},{'Web' if n % 3 else ''}"
        for n in range(900)
    ]
    path = tmp_path / "long.csv"
    path.write_text("No,Pieces,Net,Day,Channel\n" + "\n".join(lines) + "\n")
    whole = read_delimited(path, "Long")
    monkeypatch.setattr(delimited, "STRETCH", 4_000)
    monkeypatch.setattr(delimited, "PUT_OFF", 100)
    cut = read_delimited(path, "Long")
    assert len(delimited.stretches(path, delimited.look_at(path), False)) > 4
    assert isinstance(cut.columns["No"], DeferredColumn)
    assert (cut.columns["No"].type, len(cut.columns["No"])) == (FieldType.TEXT, 900)
    by_no = Fold("f", (Measure("m", "count values", FieldRef("Long", "No")),), (Placed("r", FieldRef("Long", "No")),))
    report = Engine(Source({"Long": cut})).fold(by_no)
    assert (report.height, report.value(900, 0)) == (901, 900)
    assert types(cut) == types(whole)
    assert values(cut) == values(whole)
    assert values(whole)[7] == ["Q-7", None, "0.07", "2026-08-08", "Web"]


def test_a_misfit_in_a_late_stretch_changes_the_type_of_the_whole_column(tmp_path, monkeypatch):
    from foldbasket.tables.reading import delimited

    monkeypatch.setattr(delimited, "STRETCH", 100_000)
    path = tmp_path / "late.csv"
    path.write_text("A,B\n" + "1,1\n" * 150_000 + "1.5,odd\n" + "2,2\n" * 100_000)
    table = read_delimited(path, "Late")
    assert types(table) == [FieldType.DECIMAL, FieldType.TEXT]
    assert table.count == 250_001
