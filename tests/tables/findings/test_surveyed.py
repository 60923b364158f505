"""Findings of a table that is not held are those of the held one that the members of its fields tell."""

import random
from datetime import date, timedelta

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.cli import main
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.tables import survey
from foldbasket.tables.findings.finding import FINDERS
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.findings.surveyed import findings_by_survey
from foldbasket.tables.reading.contract import ALLOWED
from foldbasket.tables.sample import is_sampled


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
    return {(each.kind, each.field, each.about, each.title, each.count) for each in findings}


@pytest.mark.parametrize("largest", [1_000, 20])
def test_they_are_those_that_members_and_the_largest_numbers_tell_with_the_same_numbers(sales, monkeypatch, largest):
    monkeypatch.setattr(survey, "LARGEST", largest)
    held, apart = read(sales, 10**12), read(sales, 10)
    assert is_sampled(apart)
    found = findings_by_survey(apart)
    by_member = {each.kind for each in findings_of(held, by_member=True)}
    wanted = {each for each in told(findings_of(held)) if each[0] in by_member}
    assert told(found) == wanted
    assert {kind for kind, *_ in wanted} >= {"spellings", "blank words", "far amounts"}
    assert not any(len(each.records) for each in found)
    assert {each.name for each in FINDERS if not each.by_member} == {"layout", "rows"}


@pytest.mark.parametrize("seed", range(12))
def test_amounts_far_beyond_all_others_whatever_their_sign_and_how_many(tmp_path, monkeypatch, seed):
    monkeypatch.setattr(survey, "LARGEST", 15)
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
    assert "not held, so looked through by the members of its fields" in said
    assert "look like one" in said
