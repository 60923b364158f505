"""A short round of `make fuzz`, and the files that once stopped a reader."""

import shutil
import subprocess
import sys
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.errors import FoldBasketError
from foldbasket.tables.reading.readers import read_table
from tests.fuzz.fuzz import FORMATS

KNOWN = Path(__file__).parent / "known"
ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("kind", FORMATS)
def test_mutated_files_give_nothing_but_errors_of_ours(kind):
    # In a process of its own, since this one has the threads of other tests by now.
    asked = [sys.executable, "-m", "tests.fuzz.fuzz", "--format", kind, "--rounds", "5", "--first", "10000"]
    done = subprocess.run(asked, capture_output=True, text=True, cwd=ROOT, check=False)
    assert (done.returncode, done.stdout.splitlines()[-1:]) == (0, ["0 failed"]), done.stdout + done.stderr


@pytest.mark.parametrize("name", sorted(each.name for each in KNOWN.iterdir()) if KNOWN.exists() else [])
def test_a_file_that_once_stopped_a_reader_is_read_or_refused(name, tmp_path):
    path = shutil.copy(KNOWN / name, tmp_path / name)
    told = None
    try:
        table = read_table(Path(path), "t")
    except FoldBasketError as error:
        told = error
    if told is None:
        assert table.count > 0
    else:
        assert name in str(told)
        assert "/tmp" not in told.what


def test_thousands_of_fields_are_read_in_proportion(tmp_path):
    """Not timed: in a time that grows with their square this would not end within the test's bound."""
    many = 6_000
    pq.write_table(pa.table({f"c{at}": [1, 2] for at in range(many)}), tmp_path / "wide.parquet")
    assert len(read_table(tmp_path / "wide.parquet", "t").columns) == many
    lines = [",".join(f"c{at}" for at in range(16_000)), ",".join("1" for _ in range(16_000))]
    (tmp_path / "wide.csv").write_text("\n".join(lines) + "\n")
    assert len(read_table(tmp_path / "wide.csv", "t").columns) == 16_000


def test_a_parquet_file_with_repeated_names_or_a_broken_note_of_ours_is_read(tmp_path):
    path = tmp_path / "twice.parquet"
    pq.write_table(
        pa.table([pa.array([1]), pa.array([2])], names=["a", "a"]).replace_schema_metadata(
            {b"fold-basket": b"{broken"}
        ),
        path,
    )
    assert list(read_table(path, "t").columns) == ["a", "a (2)"]
