"""Findings of a table that is not held are those of the held one that the members of its fields tell."""

import random
from datetime import date, timedelta
from types import SimpleNamespace

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.cli import main
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.tables.findings import inorder
from foldbasket.tables.findings.finding import FINDERS
from foldbasket.tables.findings.findings import NOT_LOOKED, findings_of
from foldbasket.tables.findings.surveyed import findings_by_survey
from foldbasket.tables.reading.contract import ALLOWED
from foldbasket.tables.sample import is_sampled
from tests.rounds import seeds


@pytest.fixture
def sales(tmp_path):
    draw = random.Random(4)
    days = [date(2026, 1, 1) + timedelta(days=draw.randrange(200)) for _ in range(900)]
    sites = [draw.choice(["Alder Yard", "Alder Yard", "Heron Weir", "alder yard", "Heron  Weir"]) for _ in range(900)]
    odd = {
        "Site": pa.array(sites, pa.string()),
        "Ordered on": pa.array([date(1926, 1, 1), *days[1:]], pa.date32()),
        "Grade": pa.array([draw.choice(["A", "B", "n/a", None]) for _ in range(900)], pa.string()),
        "Net": pa.array([draw.randrange(1000) for _ in range(899)] + [10**12], pa.int64()),
    }
    path = tmp_path / "sales.parquet"
    pq.write_table(pa.table(odd), path, store_schema=False, row_group_size=100)
    return path


def read(path, most):
    return read_source(SourceSpec("Sales", path.name), path.parent, Agreed(), most=most)


def told(findings):
    """What findings say, and which records they are about."""
    return {
        (
            each.kind,
            each.field,
            each.about,
            each.title,
            each.brief,
            each.count,
            repr(each.offers),
            tuple(each.records().tolist()),
        )
        for each in findings
    }


@pytest.mark.parametrize("largest", [1_000, 20])
def test_they_are_those_that_members_and_the_largest_numbers_tell_with_the_same_numbers(sales, monkeypatch, largest):
    monkeypatch.setattr(inorder, "LARGEST", largest)
    held, apart = read(sales, 10**12), read(sales, 10)
    assert is_sampled(apart)
    wanted = told(findings_of(held))
    assert told(findings_by_survey(apart)) == wanted
    assert {kind for kind, *_ in wanted} >= {"spellings", "blank words", "far amounts"}
    assert {each.name for each in FINDERS if not each.by_member} == {"layout", "rows"}


@pytest.mark.parametrize("seed", seeds(12))
def test_amounts_far_beyond_all_others_whatever_their_sign_and_how_many(tmp_path, monkeypatch, seed):
    monkeypatch.setattr(inorder, "LARGEST", 15)
    draw = random.Random(seed)
    far = [draw.choice([-1, 1]) * draw.randrange(10**5, 10**7) for _ in range(draw.choice([0, 1, 4, 9, 40]))]
    usual = [draw.choice([None, draw.randrange(-900, 900)]) for _ in range(2_000)]
    values = [*usual, *far]
    draw.shuffle(values)
    real = pa.array([None if each is None else each / 4 for each in values], pa.float64())
    path = tmp_path / "sales.parquet"
    pq.write_table(
        pa.table({"Net": pa.array(values, pa.int64()), "Cost": real}), path, store_schema=False, row_group_size=150
    )
    held = {each for each in told(findings_of(read(path, 10**12))) if each[0] == "far amounts"}
    assert {each for each in told(findings_by_survey(read(path, 10))) if each[0] == "far amounts"} == held
    assert bool(held) == (len(far) in (1, 4)), "more than that are no slips"


@pytest.mark.parametrize("seed", seeds(12))
def test_whole_records_empty_repeated_totals_keys_and_amounts_are_found_as_where_they_are_held(tmp_path, seed):
    path = untidy(tmp_path, random.Random(seed))
    held, apart = read(path, 10**12), read(path, 10)
    assert is_sampled(apart)
    wanted = told(findings_of(held))
    assert told(findings_by_survey(apart)) == wanted
    assert {kind for kind, *_ in wanted} & {"empty rows", "repeated rows", "total lines", "repeated keys", "no amount"}
    remarks = {each.key: each.remark for each in findings_of(held)}
    assert {each.key: each.remark for each in findings_by_survey(apart)} == remarks


def untidy(folder, draw):
    """A file of some hundred order lines in groups of a hundred, with what reports and copying leave behind."""
    lines = [(f"L{at:04d}", draw.choice("ABC"), draw.randrange(1, 99), date(2026, 1 + at % 9, 5)) for at in range(700)]
    nothing, empties = (None,) * 4, draw.choice([0, 1, 5])
    lines += [(None, "Total", draw.randrange(9_000), None) for _ in range(draw.choice([0, 1, 3]))]
    lines += [nothing for _ in range(empties)]
    lines += [draw.choice(lines[:700]) for _ in range(draw.choice([0, 2, 9]))]  # copied as they are
    lines += [
        (draw.choice(lines[:700])[0], "D", 1, None) for _ in range(draw.choice([0, 1, 12]))
    ]  # another line, the same key
    lines += [(f"M{at}", draw.choice("ABC"), None, date(2026, 2, 1)) for at in range(draw.choice([1, 30, 200]))]
    draw.shuffle(lines)
    kinds = {"Line id": pa.string(), "Site": pa.string(), "Net": pa.int64(), "Day": pa.date32()}
    columns = [pa.array(values, kind) for values, kind in zip(zip(*lines, strict=True), kinds.values(), strict=True)]
    path = folder / "untidy.parquet"
    pq.write_table(pa.table(dict(zip(kinds, columns, strict=True))), path, store_schema=False, row_group_size=100)
    return path


@pytest.mark.parametrize("seed", seeds(6))
def test_files_of_a_folder_that_overlap_and_their_empty_rows_are_found(tmp_path, seed):
    draw = random.Random(seed)
    folder = tmp_path / "months"
    folder.mkdir()
    said, columns = [], {"Line id": pa.string(), "Site": pa.string(), "Net": pa.int64()}
    for month in range(3):
        lines = [(f"{month}-{at:04d}", draw.choice("ABC"), draw.randrange(99)) for at in range(draw.choice([150, 220]))]
        lines += draw.sample(said, min(len(said), 10 * month)) + [(None,) * 3] * draw.choice([0, 2])
        lines += lines[:1] * draw.choice([0, 1])
        said += lines
        arrays = [
            pa.array(values, kind) for values, kind in zip(zip(*lines, strict=True), columns.values(), strict=True)
        ]
        pq.write_table(
            pa.table(dict(zip(columns, arrays, strict=True))),
            folder / f"{month}.parquet",
            store_schema=False,
            row_group_size=60,
        )
    held, apart = read(folder, 10**12), read(folder, 10)
    assert is_sampled(apart)
    wanted = told(findings_of(held))
    assert told(findings_by_survey(apart)) == wanted
    found = {each.kind: each for each in findings_of(held)}
    assert "in an earlier file, too" in found["overlapping files"].title
    mended, _ = Mending().table(held, SourceSpec("Sales", "months", mends=found["overlapping files"].offers[0].mends))
    assert not {"overlapping files", "repeated rows"} & {each.kind for each in findings_of(mended)}
    assert mended.count == len(set(said))


def test_of_many_records_the_first_are_found(tmp_path, monkeypatch):
    path = untidy(tmp_path, random.Random(1))
    whole = {each.key: each.records().tolist() for each in findings_by_survey(read(path, 10))}
    monkeypatch.setattr(inorder, "MOST_FOUND", 2)
    found = findings_by_survey(read(path, 10))
    assert {each.key: each.records().tolist() for each in found} == {key: at[:2] for key, at in whole.items()}
    assert any(each.count > 2 for each in found)


def test_a_disk_without_room_says_what_was_not_looked_for(tmp_path, monkeypatch):
    path = untidy(tmp_path, random.Random(3))
    wanted = {each.kind for each in findings_by_survey(read(path, 10))}
    assert {"repeated rows", "repeated keys"} < wanted
    monkeypatch.setattr(inorder.shutil, "disk_usage", lambda _: SimpleNamespace(free=1_000))
    found = findings_by_survey(read(path, 10))
    assert {each.kind for each in found} == wanted - {"repeated rows", "repeated keys"} | {NOT_LOOKED}
    (told,) = (each for each in found if each.kind == NOT_LOOKED)
    assert "could not be looked through for repeated records" in told.title
    assert told.remark == "Make room in your cache folder."


def test_what_is_offered_can_be_done_as_the_records_come(sales):
    apart = read(sales, 10)
    for finding in findings_by_survey(apart):
        for offer in finding.offers:
            mended, outcomes = Mending().table(apart, SourceSpec("Sales", sales.name, mends=offer.mends))
            assert all(each.problem is None for each in outcomes)
            assert finding.key not in {each.key for each in findings_by_survey(mended)}


def test_a_check_tells_them(sales, monkeypatch, capsys):
    monkeypatch.setenv(ALLOWED, "1000")
    main(["check", str(sales)])
    said = capsys.readouterr().out
    assert "not held, so looked through part by part" in said
    assert "look like one" in said
