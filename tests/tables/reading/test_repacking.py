"""Files that only come whole and are larger than memory are read part by part from what is kept of them, with the same values of the same types."""

import os
import random
from decimal import Decimal

import pyarrow as pa
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.cli import main
from foldbasket.errors import ReadError
from foldbasket.opening import sources
from foldbasket.opening.sources import read_source
from foldbasket.tables.reading import repacking
from foldbasket.tables.reading.contract import ALLOWED, Reading
from foldbasket.tables.sample import is_sampled, stream_behind
from foldbasket.tables.store import STORE, Store
from foldbasket.tables.types import FieldType
from tests.rounds import seeds

LARGE = 10**12


@pytest.fixture(autouse=True)
def small_pieces(monkeypatch):
    """So that a small file comes in many parts."""
    monkeypatch.setattr(repacking, "PIECE", 2_000)
    monkeypatch.setattr(repacking, "GROUP", 50)


def read(path, most, reading=None, **more):
    return read_source(SourceSpec("T", path.name, reading or Reading()), path.parent, Agreed(), most=most, **more)


def texts(table, name):
    column = table.columns[name].coded()
    return [column.text(at) for at in range(table.count)]


def kinds(table):
    return {name: (column.type, column.scale) for name, column in table.columns.items()}


def same(path, reading=None):
    """Both ways to read a file, which must agree in every value."""
    held, apart = read(path, LARGE, reading), read(path, 10, reading)
    assert is_sampled(apart)
    assert not is_sampled(held)
    assert apart.count == held.count
    assert list(apart.columns) == list(held.columns)
    assert apart.origin == held.origin == str(path)
    for name in held.columns:
        if name not in held.texts:
            assert texts(apart, name) == texts(held, name), name
    return held, apart


def lines(draw, many=900):
    yield "Day,Local,Moment,Code,Net,Comma,Qty,Odd,Flag,Name,Note,Wider,Empty"
    for at in range(many):
        day, month = draw.randrange(1, 29), draw.randrange(1, 13)
        cells = [
            f"2026-{month:02d}-{day:02d}",
            f"{day:02d}.{month:02d}.2026",
            f"2026-{month:02d}-{day:02d} {draw.randrange(24):02d}:{draw.randrange(60):02d}:00",
            f"{draw.randrange(100000):05d}" if at > 500 else str(draw.randrange(10000, 99999)),
            f"{draw.randrange(-99999, 99999) / 100:.2f}",
            f'"{draw.randrange(1, 99)},{draw.randrange(10)}"',
            str(draw.randrange(1000)),
            f'"€ {draw.randrange(1, 9)},{draw.randrange(100, 999)}.50"',
            draw.choice(["yes", "no", ""]),
            draw.choice(["Äpfel", "pears", " ", ""]),
            f"note {at}",
            str(at) if at < 600 else f"{at}.25",
            "",
        ]
        yield ",".join("" if draw.random() < 0.03 else each for each in cells)


@pytest.mark.parametrize("seed", seeds(4))
def test_every_value_of_delimited_text_is_the_same_in_the_same_type(tmp_path, seed):
    path = tmp_path / "lines.csv"
    path.write_text("\n".join(lines(random.Random(seed))) + "\n", encoding="utf-8")
    held, apart = same(path)
    assert kinds(apart) == kinds(held)
    assert kinds(apart)["Code"] == (FieldType.TEXT, 0), "a leading zero that comes late makes it a code"
    assert kinds(apart)["Local"] == (FieldType.DATE, 0)
    assert kinds(apart)["Wider"][0] is FieldType.DECIMAL


@pytest.mark.parametrize("many", [5, 100])
def test_fields_of_very_many_different_values_are_judged_by_some_and_held_against_all(tmp_path, monkeypatch, many):
    monkeypatch.setattr(repacking, "MANY", many)
    path = tmp_path / "lines.csv"
    path.write_text("\n".join(lines(random.Random(9))) + "\n", encoding="utf-8")
    held, apart = read(path, LARGE), read(path, 10)
    for name, (kind, _) in kinds(apart).items():
        if kind is FieldType.TEXT and kinds(held)[name][0] is not FieldType.TEXT:
            continue  # as it was written, which is never wrong
        column, other = held.columns[name], apart.columns[name]
        if kind.is_number:
            assert [Decimal(each or 0) for each in texts(held, name)] == [
                Decimal(each or 0) for each in texts(apart, name)
            ]
        else:
            assert (column.type, texts(held, name)) == (other.type, texts(apart, name)), name
    assert kinds(apart)["Code"][0] is FieldType.TEXT


def test_a_field_with_values_of_another_type_stays_as_it_was_written(tmp_path):
    path = tmp_path / "lines.csv"
    path.write_text("Net,Day\n" + "".join(f"{at}.50,2026-01-{at % 28 + 1:02d}\n" for at in range(700)) + "n/a,never\n")
    apart = read(path, 10)
    assert {kind for kind, _ in kinds(apart).values()} == {FieldType.TEXT}
    assert texts(apart, "Net")[-2:] == ["699.50", "n/a"]


@pytest.mark.parametrize(("encoding", "text"), [("utf-16", "Ä,1\n"), ("cp1252", "Ä,1\n"), ("utf-8", '"a\nb",1\n')])
def test_other_encodings_and_breaks_within_quotes_come_in_one_go(tmp_path, encoding, text):
    path = tmp_path / "lines.csv"
    path.write_bytes(("Name,Qty\n" + text * 3_000).encode(encoding))
    held, apart = same(path)
    assert kinds(apart) == kinds(held)


def test_what_was_corrected_about_its_reading_is_kept_to(tmp_path):
    path = tmp_path / "lines.csv"
    path.write_text("Qty;Day\n" + "".join(f"{at};0{at % 9 + 1}.02.2026\n" for at in range(600)))
    held, apart = same(path, Reading(delimiter=";", types={"Qty": FieldType.TEXT, "Day": FieldType.DATE}))
    assert kinds(apart) == kinds(held) == {"Qty": (FieldType.TEXT, 0), "Day": (FieldType.DATE, 0)}


@pytest.mark.parametrize("ending", [".arrow", ".arrows"])
def test_arrow_files_come_batch_by_batch(tmp_path, ending):
    table = pa.table(
        {
            "Site": pa.array(["a", None, "c"] * 500).dictionary_encode(),
            "Net": pa.array([Decimal("1.25"), Decimal("-3.50"), None] * 500, pa.decimal128(12, 2)),
            "Day": pa.array([1, 2, 3] * 500, pa.int32()).cast(pa.date32()),
            "Share": [0.1, 0.2, None] * 500,
        }
    )
    path = tmp_path / f"t{ending}"
    with (
        path.open("wb") as file,
        (pa.ipc.new_file if ending == ".arrow" else pa.ipc.new_stream)(file, table.schema) as into,
    ):
        into.write_table(table, 100)
    held, apart = same(path)
    assert kinds(apart) == kinds(held)
    path.write_bytes(path.read_bytes()[:2_000])
    with pytest.raises(ReadError):
        read(path, 10)
    assert len(list(STORE.folder.glob("*.parquet"))) == 1
    assert not list(STORE.folder.glob("*.new"))


def test_it_is_kept_by_the_state_of_the_file_and_made_anew_when_that_changes(tmp_path, monkeypatch):
    path = tmp_path / "lines.csv"
    path.write_text("Net\n" + "1\n" * 900)
    asked = []
    real = sources.repack
    monkeypatch.setattr(sources, "repack", lambda *given: (asked.append(given[0]), real(*given)))
    for more in ("", "", "2\n"):
        with path.open("a") as file:
            file.write(more)
        assert read(path, 10).count == 900 + len(more) // 2
    assert len(asked) == 2
    assert len(list(STORE.folder.glob("*.parquet"))) == 1, "that of the earlier state is gone"
    assert (next(STORE.folder.glob("*.parquet")).stat().st_mode & 0o777) == 0o600


def test_what_records_are_read_from_is_left_when_the_cache_is_cleared(tmp_path):
    path = tmp_path / "lines.csv"
    path.write_text("Net,Name\n" + "".join(f"{at},name {at}\n" for at in range(900)))
    table = read(path, 10)
    assert STORE.clear() == (0, 0)
    assert texts(read(path, 10), "Net")[:3] == ["0", "1", "2"]
    assert table.columns["Name"].coded().text(899) == "name 899"
    assert Store(STORE.folder).clear()[0] == 1, "as another process would"
    with pytest.raises(ReadError, match="changed after it was opened"):
        texts(table, "Net")


def test_nothing_is_kept_of_a_confidential_basket_nor_on_a_full_disk(tmp_path, monkeypatch):
    path = tmp_path / "lines.csv"
    path.write_text("Net\n" + "1\n" * 900)
    assert not is_sampled(read(path, 10, keep=False))
    assert not list(STORE.folder.glob("*"))

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(sources, "repack", full)
    table = read(path, 10)
    assert (table.count, is_sampled(table)) == (900, False)
    assert not list(STORE.folder.glob("*"))


def test_a_file_that_changes_while_it_is_written_anew_is_told(tmp_path, monkeypatch):
    path = tmp_path / "lines.csv"
    path.write_text("Net\n" + "1\n" * 900)
    real = sources.repack

    def changed(*given):
        real(*given)
        path.write_text("Net\n2\n")

    monkeypatch.setattr(sources, "repack", changed)
    with pytest.raises(ReadError, match="changed"):
        read(path, 10)
    assert not list(STORE.folder.glob("*.parquet"))


def test_a_report_of_it_in_the_terminal_is_the_same(tmp_path, monkeypatch, capsys):
    path = tmp_path / "lines.csv"
    path.write_text("\n".join(lines(random.Random(2))) + "\n", encoding="utf-8")
    said = []
    for memory in ("", "1KB"):
        monkeypatch.setenv(ALLOWED, memory)
        assert main(["show", str(path), "net and median net by flag by quarter of day, qty > 100"]) == 0
        said.append(capsys.readouterr().out)
    assert said[0] == said[1]
    assert len(list(STORE.folder.glob("*.parquet"))) == 1


def test_a_flipped_bit_in_a_cached_copy_never_gives_another_number(tmp_path):
    path = tmp_path / "lines.csv"
    path.write_text("Site,Net\n" + "".join(f"S{at % 7},{at}.25\n" for at in range(2_000)))
    wanted = {name: texts(read(path, LARGE), name) for name in ("Site", "Net")}
    copy = stream_behind(read(path, 10)).files[0]
    whole, draw, refused, then = copy.read_bytes(), random.Random(3), [], copy.stat().st_mtime_ns
    for _ in range(80):
        copy.write_bytes(whole)
        os.utime(copy, ns=(then, then))
        apart = read(path, 10)
        flipped = bytearray(whole)
        flipped[draw.randrange(len(whole))] ^= 1 << draw.randrange(8)
        copy.write_bytes(flipped)
        os.utime(copy, ns=(then, then))  # as a fault of the disk would leave it
        try:
            found = [part.table for part in stream_behind(apart).parts(["Site", "Net"])]
        except ReadError as error:
            found, refused = [], [*refused, (str(error), copy.exists())]
        else:
            got = {name: [each for table in found for each in texts(table, name)] for name in wanted}
            assert got == wanted
    assert len(refused) > 40
    assert all("cached copy was damaged" in said and not there for said, there in refused)


def test_a_cached_copy_whose_end_is_damaged_is_made_again(tmp_path):
    path = tmp_path / "lines.csv"
    path.write_text("Site,Net\n" + "".join(f"S{at % 7},{at}.25\n" for at in range(2_000)))
    wanted = {name: texts(read(path, LARGE), name) for name in ("Site", "Net")}
    copy = stream_behind(read(path, 10)).files[0]
    whole = copy.read_bytes()
    end = int.from_bytes(whole[-8:-4], "little") + 8
    for at in range(len(whole) - end, len(whole), end // 9):
        flipped = bytearray(whole)
        flipped[at] ^= 1
        copy.write_bytes(flipped)
        again = stream_behind(read(path, 10))
        assert {
            name: [each for part in again.parts([name]) for each in texts(part.table, name)] for name in wanted
        } == wanted
        assert copy.read_bytes() != flipped
