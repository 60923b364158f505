"""Profiles and findings of numbers at the ends of what can be held: no fault, and one odd field does not silence the others."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.tables.findings import findings, outliers
from foldbasket.tables.findings.finding import Finder
from foldbasket.tables.profile import BARS, profile_of, summary
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table

COUNT = 60
STEPS = [number + 0.1234567 for number in range(COUNT)]
ODD = {
    "infinite": [*STEPS[:-1], float("inf")],
    "minus infinite": [*STEPS[:-1], -float("inf")],
    "not a number": [*STEPS[:-1], float("nan")],
    "both ends": [*STEPS[:-2], 1.7e308, -1.7e308],
    "only infinite": [float("inf")] * COUNT,
    "least of all": [5e-324] * COUNT,
    "all alike": [1e300] * COUNT,
    "zero": [0.0] * COUNT,
    "eighteen digits": [*range(COUNT - 1), 10**18],
    "64 bits": [*range(COUNT - 2), 2**63 - 1, -(2**63)],
}


@pytest.fixture(scope="module")
def table(tmp_path_factory: pytest.TempPathFactory) -> Table:
    path = tmp_path_factory.mktemp("odd") / "odd.parquet"
    columns = {f"Net {name}": pa.array(values) for name, values in ODD.items()}
    pq.write_table(pa.table(columns | {"Net": pa.array([*STEPS[:-1], 1e6])}), path)
    return read_table(path, "Odd")


@pytest.mark.parametrize("name", ODD)
def test_odd_numbers_have_a_profile_and_no_warning(table: Table, name: str) -> None:
    column = table.columns[f"Net {name}"]
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        profile = profile_of(column)
        summary(column, profile)
    assert len(profile.shape) in (0, BARS)
    assert all(0 <= height <= 1 for height in profile.shape)


def test_bars_stand_where_the_values_are(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("Net\n" + "".join(f"{number}.5\n" for number in range(1200)))
    shape = profile_of(read_table(tmp_path / "a.csv", "A").columns["Net"]).shape
    assert shape[-1] == 1.0  # the largest five of a hundred stand with the last
    assert np.allclose(shape[1:-1], shape[1], atol=0.05)


def test_a_value_beyond_every_number_is_found_and_silences_no_other_field(table: Table) -> None:
    far = {each.field: each for each in findings.findings_of(table) if each.kind == "far amounts"}
    assert {"Net", "Net infinite", "Net minus infinite"} <= far.keys()
    assert list(far["Net infinite"].records()) == [COUNT - 1]
    mended = far["Net infinite"].offers[-1].mends[0].apply(table).table
    assert mended.columns["Net infinite"].blank_count == 1
    assert mended.count == COUNT


def test_a_kind_that_cannot_be_looked_for_is_told_and_the_others_go_on(
    table: Table, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))

    def fails(table: Table) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(findings, "FINDERS", (Finder("spellings", fails), Finder("outliers", outliers.find)))
    kinds = [each.kind for each in findings.findings_of(table)]
    assert kinds[0] == "not looked through"
    assert "far amounts" in kinds
