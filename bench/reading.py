"""Opening large files against Arrow's own readers, the memory that an open source takes, and looking through its records."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pyarrow.csv as pc
import pyarrow.parquet as pq

from bench.timing import Row, compare
from foldbasket.demo.generator import quillmoor
from foldbasket.demo.scenario import write_table
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.profile import profile_of
from foldbasket.tables.reading.readers import read_table

BYTES_PER_LINE = 55


def large_csv(folder: Path, size: int) -> Path:
    """Order lines as CSV of about `size` bytes, made once and kept."""
    lines = size // BYTES_PER_LINE
    path = folder / f"order_lines_{lines}.csv"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        write_table(quillmoor(lines)["order_lines"], path)
    return path


def rows(folder: Path, size: int) -> list[Row]:
    """Time and memory of opening a CSV."""
    path = large_csv(folder, size)
    said = f"{path.stat().st_size / 1e9:.2f} GB"
    found = [
        compare(
            f"open a CSV of {said}, ready to fold",
            "pyarrow.csv.read_csv alone",
            1.2,
            lambda: read_table(path, "Lines"),
            lambda: pc.read_csv(path),
            rounds=5,
        )
    ]
    found += memory(path)
    return found + _parquet(folder, size // 100)


def _parquet(folder: Path, lines: int) -> list[Row]:
    """Opening a Parquet file, and profile and findings of all its fields, against one read of its columns."""
    path = folder / f"order_lines_{lines}.parquet"
    if not path.exists():
        write_table(quillmoor(lines)["order_lines"], path)
    found = [
        compare(
            f"open a Parquet file of {lines:,} records, ready to fold",
            "pyarrow.parquet.read_table alone",
            1.3,
            lambda: read_table(path, "Lines"),
            lambda: pq.read_table(path),
            rounds=5,
        )
    ]
    found += memory(path, "Parquet")
    table = read_table(path, "Lines")

    def look_through() -> None:
        for column in table.columns.values():
            profile_of(column)
        findings_of(table)

    found.append(
        compare(
            f"profile and findings of {lines:,} records × {len(table.columns)} fields",
            "one read of the columns (pyarrow.parquet)",
            3.0,
            look_through,
            lambda: pq.read_table(path),
            rounds=3,
        )
    )
    return found


MEASURED = """
import ctypes, gc, os, sys, threading, time
from pathlib import Path
import numpy as np, pyarrow as pa
import pyarrow.csv, foldbasket.tables.reading.readers as readers
from foldbasket.tables.column import DeferredColumn

def tree(pid):
    yield pid
    for task in Path(f"/proc/{pid}/task").glob("*"):
        for child in (task / "children").read_text().split():
            yield from tree(int(child))

def now():
    \"\"\"Memory of this process and of those it has read in, pages that several share counted once.\"\"\"
    taken = 0
    for pid in tree(os.getpid()):
        try:
            taken += int(Path(f"/proc/{pid}/smaps_rollup").read_text().split("Pss:")[1].split()[0]) * 1024
        except (OSError, IndexError):
            pass  # it has ended meanwhile
    return taken

highest, goes_on = [0], [True]
def watch():
    while goes_on[0]:
        highest[0] = max(highest[0], now())
        time.sleep(0.02)

before = now()
threading.Thread(target=watch, daemon=True).start()
table = readers.read_table(Path(sys.argv[1]), "x")
for column in table.columns.values():  # what another process wrote counts as soon as it is looked at
    if not isinstance(column, DeferredColumn):
        np.asarray(getattr(column, "codes", getattr(column, "values", np.zeros(0)))).sum()
goes_on[0] = False
gc.collect()
pa.default_memory_pool().release_unused()
ctypes.CDLL("libc.so.6").malloc_trim(0)
print(table.nbytes, now() - before, highest[0] - before)
"""


def memory(path: Path, kind: str = "CSV") -> list[Row]:
    """Peak and resting memory of a process that opens the file, and of those that read for it, in bytes of its encoded columns (said as
    seconds)."""
    told = subprocess.run(
        [sys.executable, "-c", MEASURED, str(path)], capture_output=True, text=True, check=True, env=os.environ
    )
    encoded, resting, peak = map(int, told.stdout.split())
    found = []
    for what, taken, aim in (
        (f"memory of an open source ({kind})", resting, 1.3),
        (f"peak memory while reading it ({kind})", peak, 3.0),
    ):
        ratio = taken / encoded
        print(
            f"{what}: {taken / 1e6:.0f} MB, encoded columns {encoded / 1e6:.0f} MB, ratio {ratio:.2f}, aim {aim}",
            flush=True,
        )
        found.append(Memory(what, "bytes of its encoded columns", taken, encoded, aim))
    return found


class Memory(Row):
    """A row that compares bytes instead of seconds."""

    def markdown(self) -> str:
        met = "yes" if self.ratio <= self.aim else "no"
        return f"| {self.what} | {self.anchor} | {self.seconds / 1e6:.0f} MB | {self.anchor_seconds / 1e6:.0f} MB | {self.ratio:.2f} | {self.aim:g} | {met} |"
