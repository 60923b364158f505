"""Workbooks, JSON and Arrow files written by other libraries come back value by value, blanks and types included."""

import datetime as dt
import json
import zipfile
from decimal import Decimal

import openpyxl
import pyarrow as pa
import pyarrow.feather
import pyarrow.parquet as pq
import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table as OdfTable
from odf.table import TableCell, TableRow
from odf.text import P

from foldbasket.errors import ReadError
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.pasted import read_pasted
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.reading.sheets import sheets_of
from foldbasket.tables.types import FieldType

WORDS = st.text(
    st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zs", "Zl", "Zp")), min_size=1, max_size=12
).map(lambda word: "w" + word)
CENTS = st.integers(-(10**11), 10**11).map(lambda units: Decimal(units).scaleb(-2))
DAYS = st.dates(dt.date(1900, 3, 1), dt.date(2199, 12, 31))
RECORDS = st.lists(
    st.fixed_dictionaries(
        {
            "Name": st.none() | WORDS,
            "Net": st.none() | CENTS,
            "Pieces": st.none() | st.integers(-(2**40), 2**40),
            "Sold": st.none() | DAYS,
            "Paid": st.none() | st.booleans(),
        }
    ),
    min_size=1,
    max_size=25,
)
KINDS = {
    "Name": (FieldType.TEXT,),
    "Net": (FieldType.DECIMAL, FieldType.WHOLE),
    "Pieces": (FieldType.WHOLE,),
    "Sold": (FieldType.DATE,),
    "Paid": (FieldType.YESNO,),
}


def said(value):
    """A value as canonical text, worked out by other means than the reader's."""
    if value is None:
        return None
    if isinstance(value, bool):
        return "yes" if value else "no"
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def compare(table, records):
    for field, kinds in KINDS.items():
        wanted = [record[field] for record in records]
        column = table.columns[field]
        if any(value is not None for value in wanted):
            assert column.type in kinds, field
        for at, value in enumerate(wanted):
            shown = column.text(at)
            if isinstance(value, Decimal):
                assert Decimal(shown) == value
            else:
                assert shown == said(value), field


def in_order(record):
    return [record[field] for field in KINDS]


def values(table):
    return [[column.text(record) for column in table.columns.values()] for record in range(table.count)]


def keep_first_line(records):
    """A record without any value is an empty row, which a sheet cannot tell from no row."""
    return [record for record in records if any(value is not None for value in record.values())] or [
        {"Name": "w", "Net": None, "Pieces": None, "Sold": None, "Paid": None}
    ]


@settings(max_examples=40, deadline=None)
@given(RECORDS)
def test_an_xlsx_by_openpyxl_comes_back(tmp_path_factory, records):
    records = keep_first_line(records)
    path = tmp_path_factory.mktemp("x") / "any.xlsx"
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(list(KINDS))
    for record in records:
        sheet.append([float(value) if isinstance(value, Decimal) else value for value in in_order(record)])
        for cell in sheet[sheet.max_row]:
            if isinstance(cell.value, str):
                cell.data_type = "s"  # a text that begins with = is a text here
    book.save(path)
    compare(read_table(path, "Any"), records)


@settings(max_examples=30, deadline=None)
@given(RECORDS)
def test_an_ods_by_odfpy_comes_back(tmp_path_factory, records):
    records = keep_first_line(records)
    path = tmp_path_factory.mktemp("o") / "any.ods"
    book = OpenDocumentSpreadsheet()
    sheet = OdfTable(name="Any")
    for line in [list(KINDS), *map(in_order, records)]:
        row = TableRow()
        for value in line:
            row.addElement(odf_cell(value))
        sheet.addElement(row)
    book.spreadsheet.addElement(sheet)
    book.save(str(path))
    compare(read_table(path, "Any"), records)


def odf_cell(value):
    if value is None:
        return TableCell()
    if isinstance(value, bool):
        cell = TableCell(valuetype="boolean", booleanvalue=str(value).lower())
    elif isinstance(value, dt.date):
        cell = TableCell(valuetype="date", datevalue=value.isoformat())
    elif isinstance(value, str):
        cell = TableCell(valuetype="string")
    else:
        cell = TableCell(valuetype="float", value=str(value))
    cell.addElement(P(text=str(value)))
    return cell


@settings(max_examples=60, deadline=None)
@given(RECORDS, st.booleans())
def test_json_lines_and_arrays_come_back(tmp_path_factory, records, as_array):
    path = tmp_path_factory.mktemp("j") / "any.json"
    plain = [{name: float(v) if isinstance(v, Decimal) else said(v) if isinstance(v, dt.date) else v for name, v in record.items()} for record in records]  # fmt: skip
    path.write_text(json.dumps(plain) if as_array else "\n".join(map(json.dumps, plain)), encoding="utf-8")
    compare(read_table(path, "Any"), records)


@settings(max_examples=40, deadline=None)
@given(RECORDS, st.booleans())
def test_arrow_files_and_streams_come_back(tmp_path_factory, records, as_stream):
    path = tmp_path_factory.mktemp("a") / "any.arrow"
    kinds = [pa.string(), pa.decimal128(15, 2), pa.int64(), pa.date32(), pa.bool_()]
    schema = pa.schema(list(zip(KINDS, kinds, strict=True)))
    table = pa.Table.from_pylist(records, schema)
    if as_stream:
        with pa.ipc.new_stream(path, schema) as writer:
            writer.write_table(table, max_chunksize=7)
    else:
        pyarrow.feather.write_feather(table, path, compression="lz4", chunksize=7)
    compare(read_table(path, "Any"), records)


# --- workbooks as people make them --------------------------------------------


@pytest.fixture
def book(tmp_path):
    """A way to write a workbook from rows, and its path."""

    def write(*sheets, name="book.xlsx", options=None, merged=()):
        path = tmp_path / name
        made = xlsxwriter.Workbook(path, options or {})
        for title, rows in sheets:
            sheet = made.add_worksheet(title)
            day = made.add_format({"num_format": "yyyy-mm-dd"})
            for at, row in enumerate(rows):
                for column, value in enumerate(row):
                    if isinstance(value, dt.date):
                        sheet.write_datetime(at, column, dt.datetime.combine(value, dt.time()), day)
                    elif value is not None:
                        sheet.write(at, column, value)
            for first_row, first_column, last_row, last_column, value in merged:
                sheet.merge_range(first_row, first_column, last_row, last_column, value)
        made.close()
        return path

    return write


def test_the_header_is_found_below_title_lines_and_empty_margins(book):
    path = book(
        ("Sales", [["", "Quillmoor Growers"], [], ["", "Sales, April"], [], ["", "Region", "Net", "Pieces"], ["", "Nordmark", 12.5, 3], ["", "Westerlund", 7, None]])
    )  # fmt: skip
    table = read_table(path, "Sales")
    assert list(table.columns) == ["Region", "Net", "Pieces"]
    assert values(table) == [["Nordmark", "12.5", "3"], ["Westerlund", "7.0", None]]
    assert table.titles == 4


def test_a_sheet_a_range_and_a_header_line_can_be_chosen(book):
    rows = [["a", "b", "c"], ["x", 1, 2], ["Region", "Net", "Cost"], ["Nord", 3, 4], ["Süd", 5, 6]]
    path = book(("One", [["Only", "these"], [1, 2]]), ("Two", rows))
    assert sheets_of(path) == ["One", "Two"]
    assert "Sheet “One” of 2" in read_table(path, "x").notes[0]
    table = read_table(path, "x", Reading(sheet="Two", cells="A3:B5"))
    assert (list(table.columns), values(table)) == (["Region", "Net"], [["Nord", "3"], ["Süd", "5"]])
    assert list(read_table(path, "x", Reading(sheet="Two", header=3)).columns) == ["Region", "Net", "Cost"]
    assert list(read_table(path, "x", Reading(sheet="Two", header=0)).columns) == ["Column 1", "Column 2", "Column 3"]
    for wrong, what in (({"sheet": "Three"}, "no sheet “Three”"), ({"cells": "A3-B5"}, "not a range"), ({"cells": "X90:Z99"}, "no cells"), ({"header": 99}, "no line 99")):  # fmt: skip
        with pytest.raises(ReadError, match=what):
            read_table(path, "x", Reading(**wrong))


def test_merged_cells_hold_their_value_on_every_line(book):
    rows = [["Region", "Site", "Net"], [None, "Alder", 1], [None, "Birch", 2], ["Süd", "Cedar", 3]]
    path = book(("Merged", rows), merged=[(1, 0, 2, 0, "Nord")])
    assert values(read_table(path, "x")) == [["Nord", "Alder", "1"], ["Nord", "Birch", "2"], ["Süd", "Cedar", "3"]]


@pytest.mark.parametrize("calendar", [{}, {"date_1904": True}])
def test_dates_are_the_same_in_both_calendars(book, calendar):
    days = [dt.date(1999, 12, 31), dt.date(2026, 4, 2)]
    path = book(("Days", [["Day", "n"], *[[day, 1] for day in days]]), options=calendar)
    table = read_table(path, "x")
    assert table.columns["Day"].type is FieldType.DATE
    assert [row[0] for row in values(table)] == [day.isoformat() for day in days]


def test_formula_results_errors_and_mixed_columns_are_read_as_seen(tmp_path):
    path = tmp_path / "f.xlsx"
    with xlsxwriter.Workbook(path) as made:
        sheet = made.add_worksheet()
        for column, name in enumerate(("Sum", "Bad", "Mixed")):
            sheet.write(0, column, name)
        sheet.write_formula(1, 0, "=0.1+0.2", None, 0.30000000000000004)
        sheet.write_formula(2, 0, "=1+1", None, 2)
        sheet.write_formula(1, 1, "=NA()", None, "#N/A")
        sheet.write(2, 1, 5)
        for line in range(1, 30):
            sheet.write(line, 2, line + 0.5 if line != 3 else "n/a")
    table = read_table(path, "f")
    assert [table.columns["Sum"].text(record) for record in range(2)] == ["0.3", "2.0"]
    assert [table.columns["Bad"].text(record) for record in range(2)] == [None, "5"]
    assert table.columns["Mixed"].type is FieldType.DECIMAL
    assert (table.columns["Mixed"].text(2), table.texts["Mixed"].text(2)) == (None, "n/a")


# --- what cannot be read ----------------------------------------------------


def archive(path, entries):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in entries.items():
            packed.writestr(name, content)


def test_an_archive_that_claims_to_be_a_workbook_is_one_error(tmp_path):
    archive(tmp_path / "odd.xlsx", {"readme.txt": "hello"})
    archive(tmp_path / "odd.ods", {"readme.txt": "hello"})
    (tmp_path / "text.xlsx").write_text("no archive at all")
    (tmp_path / "cut.xlsx").write_bytes((tmp_path / "odd.xlsx").read_bytes()[:40])
    for name in ("odd.xlsx", "odd.ods", "text.xlsx", "cut.xlsx"):
        with pytest.raises(ReadError, match="not a workbook that can be read"):
            read_table(tmp_path / name, "x")


def test_a_workbook_with_a_billion_claimed_cells_is_refused_before_memory_is_taken(book, tmp_path):
    path = book(("Wide", [["a", "b"], [1, 2]]))
    with zipfile.ZipFile(path) as packed:
        entries = {name: packed.read(name) for name in packed.namelist()}
    sheet = entries["xl/worksheets/sheet1.xml"]
    far = b'<row r="1048576"><c r="XFD1048576"><v>1</v></c></row></sheetData>'
    entries["xl/worksheets/sheet1.xml"] = sheet.replace(b"</sheetData>", far)
    archive(tmp_path / "far.xlsx", entries)
    with pytest.raises(ReadError, match=r"spans 17,179,869,184 cells"):
        read_table(tmp_path / "far.xlsx", "x")
    content = '<office:document-content xmlns:office="o" xmlns:table="t"><table:table-row table:number-rows-repeated="1048576"><table:table-cell office:value-type="float" office:value="1" table:number-columns-repeated="1024"/></table:table-row></office:document-content>'
    archive(tmp_path / "far.ods", {"content.xml": content})
    with pytest.raises(ReadError, match=r"spans 1,073,741,824 cells"):
        read_table(tmp_path / "far.ods", "x")


@pytest.mark.parametrize(
    ("content", "what"),
    [
        ('{"a": 1}\n{"a": [1, 2]}\n', r"line 2: a record is not a flat object"),
        ('{"a": 1}\n[1]\n', r"line 2"),
        ('{"a": 1}\n{"a": \n', r"line 2: this is not valid JSON"),
        ('[{"a": 1}, {"a": {"b": 2}}]', r"not a flat object"),
        ('[{"a": 1}', r"not valid JSON"),
        ("[" * 100_000, r"not"),
        ("hello", r"not JSON with records"),
        ("", r"empty"),
    ],
)
def test_json_that_changes_shape_is_one_error_that_says_where(tmp_path, content, what):
    path = tmp_path / "bad.jsonl"
    path.write_text(content)
    with pytest.raises(ReadError, match=what):
        read_table(path, "Bad")


def test_json_values_of_several_kinds_become_text_and_late_fields_are_blank_before(tmp_path):
    path = tmp_path / "mixed.jsonl"
    path.write_text('{"a": 1, "b": 0.10}\n{"a": "x", "b": 12345678901234.50}\n{"a": true, "c": "late"}\n')
    table = read_table(path, "Mixed")
    assert values(table) == [["1", "0.10", None], ["x", "12345678901234.50", None], ["yes", None, "late"]]


def test_broken_arrow_and_truncated_parquet_files_are_one_error(tmp_path):
    (tmp_path / "bad.arrow").write_bytes(b"ARROW1\0\0" + b"x" * 50)
    table = pa.table({"a": list(range(1000))})
    pa.parquet.write_table(table, tmp_path / "whole.parquet")
    (tmp_path / "cut.parquet").write_bytes((tmp_path / "whole.parquet").read_bytes()[:-200])
    for name in ("bad.arrow", "cut.parquet"):
        with pytest.raises(ReadError, match="that can be read"):
            read_table(tmp_path / name, "x")


def test_invalid_utf_8_in_line_90_000_is_named_when_utf_8_was_chosen(tmp_path):
    path = tmp_path / "late.csv"
    path.write_bytes(b"Name,Net\n" + b"plain,1\n" * 89_998 + b"\xff\xfe broken,2\n" + b"plain,1\n" * 10)
    with pytest.raises(ReadError, match="line 90000"):
        read_table(path, "x", Reading(encoding="utf-8"))


def test_a_file_replaced_while_it_is_read_is_one_error(tmp_path):
    from foldbasket.tables.progress import Progress

    path = tmp_path / "moving.csv"
    path.write_text("A,B\n" + "1,x\n" * 400_000)

    def replace(what, share):
        if share > 0.3 and path.stat().st_size > 100:
            (tmp_path / "new.csv").write_text("A,B\n2,y\n")
            (tmp_path / "new.csv").replace(path)

    with pytest.raises(ReadError, match="changed while it was read"):
        read_table(path, "x", progress=Progress(replace))


@pytest.mark.parametrize("left", ["", "A,B\n2,y\n", "A,B\n" + "2,y,z\n" * 900_000])
def test_a_file_written_anew_in_place_while_it_is_read_is_one_error(tmp_path, left):
    from foldbasket.tables.progress import Progress

    path = tmp_path / "moving.csv"
    path.write_text("A,B\n" + "1,x\n" * 800_000)
    told = []

    def cut_short(what, share):
        if what.startswith("Reading") and not told:
            told.append(what)
            path.write_text(left)  # the same file, so that whoever had mapped it into memory would fall

    with pytest.raises(ReadError, match="changed while it was read"):
        read_table(path, "x", progress=Progress(cut_short))


# --- several files, and the clipboard -----------------------------------------


def test_a_folder_of_monthly_exports_is_one_source_with_its_file_as_a_field(tmp_path):
    (tmp_path / "2026-01.csv").write_text("Region,Net\nNord,1\nSüd,2\n", encoding="utf-8")
    (tmp_path / "2026-02.csv").write_text("Net,Region,Discount\n3.50,Nord,5\n", encoding="utf-8")
    (tmp_path / "notes.pdf").write_bytes(b"%PDF")
    table = read_table(tmp_path, "Exports")
    assert list(table.columns) == ["File", "Region", "Net", "Discount"]
    assert values(table) == [
        ["2026-01.csv", "Nord", "1.00", None],
        ["2026-01.csv", "Süd", "2.00", None],
        ["2026-02.csv", "Nord", "3.50", "5"],
    ]
    assert table.notes == ("“Discount” is not in 2026-01.csv; it is blank there.",)
    assert read_table(tmp_path / "2026-*.csv", "Exports").count == 3
    assert read_table(tmp_path / "*-02.csv", "Exports").count == 1
    with pytest.raises(ReadError, match="no file there"):
        read_table(tmp_path / "2027-*.csv", "Exports")


def test_files_whose_types_differ_are_read_as_text_and_it_is_told(tmp_path):
    (tmp_path / "a.csv").write_text("Code,Day\n12,2026-01-01\n")
    (tmp_path / "b.csv").write_text("Code,Day\nx9,soon\n")
    table = read_table(tmp_path, "Both")
    assert values(table) == [["a.csv", "12", "2026-01-01"], ["b.csv", "x9", "soon"]]
    assert any("“Code” is not of one type" in note for note in table.notes)


def test_a_pasted_block_is_read_between_tabs_or_as_delimited_text():
    table = read_pasted("Region\tNet\nNord, Süd\t1,50\n\t2,25\n", "Pasted")
    assert values(table) == [["Nord, Süd", "1.50"], [None, "2.25"]]
    assert values(read_pasted("a;b\n1;2\n", "Pasted")) == [["1", "2"]]
    for nothing in ("", " \n"):
        with pytest.raises(ReadError, match="clipboard"):
            read_pasted(nothing, "Pasted")
    with pytest.raises(ReadError, match="the clipboard, line 3"):
        read_pasted("a\tb\n1\t2\n1\n", "Pasted")


@pytest.mark.parametrize("as_array", [True, False])
def test_json_whose_records_share_no_field_is_refused_before_it_takes_memory(tmp_path, as_array):
    path = tmp_path / "names.json"
    records = [{f"day {number}": 1} for number in range(6_000)]
    path.write_text(json.dumps(records) if as_array else "\n".join(map(json.dumps, records)))
    with pytest.raises(
        ReadError, match=r"names\.json: its first .* records have .* different fields .*Where names hold values"
    ):
        read_table(path, "names")


@pytest.mark.parametrize(
    ("kind", "is_text"),
    [
        (pa.string_view(), True),
        (pa.binary_view(), True),
        (pa.binary(), True),
        (pa.large_binary(), True),
        (pa.binary(3), True),
        (pa.large_string(), True),
        (pa.dictionary(pa.int8(), pa.large_string()), True),
        (pa.binary(), False),
        (pa.binary_view(), False),
    ],
)
@pytest.mark.parametrize("ending", ["parquet", "arrow"])
def test_text_is_read_however_a_writer_holds_it_and_other_bytes_are_told(tmp_path, kind, is_text, ending):
    path = tmp_path / f"a.{ending}"
    words = [b"Oak", b"Ash", None, b"\xc3\xa9!"] if is_text else [b"Oak", b"\xff\xfe"]
    held = pa.array(words, pa.binary(3) if kind == pa.binary(3) else pa.binary())
    values = (
        held
        if kind in (pa.binary(), pa.binary(3))
        else held.cast(pa.binary_view())
        if kind == pa.binary_view()
        else held.cast(pa.large_binary())
    )
    if pa.types.is_string_view(kind) or pa.types.is_large_string(kind) or pa.types.is_dictionary(kind):
        text = held.cast(pa.string())
        values = text.dictionary_encode().cast(kind) if pa.types.is_dictionary(kind) else text.cast(kind)
    made = pa.table({"Site": values, "Net": list(range(len(words)))})
    if ending == "parquet":
        pq.write_table(made, path)
    else:
        with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, made.schema) as writer:
            writer.write_table(made)
    if not is_text:
        with pytest.raises(ReadError, match="bytes that are no text"):
            read_table(path, "t")
        return
    column = read_table(path, "t").columns["Site"]
    assert [column.text(at) for at in range(4)] == ["Oak", "Ash", None, "é!"]
