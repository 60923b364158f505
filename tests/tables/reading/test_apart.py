"""Files of others' formats are read in a process of their own, which reads the next as well where it fared well."""

import os
import signal
import threading
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.errors import Cancelled, ReadError
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.apart import Bounds, read_apart
from foldbasket.tables.reading.contract import Reading

PLENTY = Bounds(1 << 30, 30.0)


def helpers() -> set[int]:
    """The processes that this one has started and that still stand."""
    found = set()
    for each in Path("/proc").iterdir():
        if each.name.isdigit():
            try:
                told = (each / "stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            if int(told[1]) == os.getpid() and told[0] != "Z":
                found.add(int(each.name))
    return found


def numbers(folder: Path, name: str, high: int) -> Path:
    path = folder / f"{name}.parquet"
    pq.write_table(pa.table({"n": list(range(high))}), path)
    return path


def read(path: Path, progress: Progress | None = None, bounds: Bounds = PLENTY):
    return read_apart(path, "T", Reading(), progress or Progress(), path.stat().st_size, bounds)


@pytest.fixture
def beside():
    """Another thread, as in the window: then no process is made by forking."""
    done = threading.Event()
    other = threading.Thread(target=done.wait)
    other.start()
    yield
    done.set()
    other.join()


def test_one_process_reads_a_file_after_another_and_each_table_stays_as_it_was(tmp_path, beside):
    before = helpers()
    tables, seen = [], set()
    for high in range(1, 8):
        tables.append(read(numbers(tmp_path, f"n{high}", high)))
        seen |= helpers() - before
    assert [[int(each) for each in table.columns["n"].values] for table in tables] == [
        list(range(high)) for high in range(1, 8)
    ]
    assert len(seen) <= 1


def test_one_that_told_an_error_reads_no_more(tmp_path, beside):
    good, bad = numbers(tmp_path, "good", 5), tmp_path / "bad.parquet"
    bad.write_bytes(b"PAR1" + bytes(64) + b"PAR1")
    read(good)
    resting = helpers()
    with pytest.raises(ReadError):
        read(bad)
    assert len(helpers()) < len(resting)
    assert read(good).count == 5


def test_one_that_was_stopped_while_it_rested_is_made_up_for(tmp_path, beside):
    path = numbers(tmp_path, "n", 5)
    before = helpers()
    read(path)
    for each in helpers() - before:
        os.kill(each, signal.SIGKILL)
    assert read(path).count == 5


def test_one_that_is_given_up_reads_no_more(tmp_path, beside):
    path = numbers(tmp_path, "n", 5)
    read(path)
    resting = helpers()
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        read(path, progress)
    assert len(helpers()) < len(resting)
