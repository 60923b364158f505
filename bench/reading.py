"""Opening a large CSV against Arrow's own reader, and the memory that an open source takes."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pyarrow.csv as pc

from bench.timing import Row, compare
from foldbasket.demo.generator import quillmoor
from foldbasket.demo.scenario import write_table
from foldbasket.tables.reading.readers import read_table

BYTES_PER_LINE = 53


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
            1.3,
            lambda: read_table(path, "Lines"),
            lambda: pc.read_csv(path),
            rounds=5,
        )
    ]
    return found + memory(path)


def memory(path: Path) -> list[Row]:
    """Peak and resting memory of a process that opens the file, in bytes of its encoded columns (said as seconds)."""
    code = (
        "import sys, resource, gc; from pathlib import Path; import pyarrow as pa\n"
        "import pyarrow.csv, foldbasket.tables.reading.readers as r\n"
        "def now():\n    return int(open('/proc/self/statm').read().split()[1]) * resource.getpagesize()\n"
        "before = now(); t = r.read_table(Path(sys.argv[1]), 'x'); gc.collect(); pa.default_memory_pool().release_unused()\n"
        "peak = int(open('/proc/self/status').read().split('VmHWM:')[1].split()[0]) * 1024\n"
        "import ctypes; ctypes.CDLL('libc.so.6').malloc_trim(0)\n"
        "print(t.nbytes, now() - before, peak - before, sum(v.nbytes for v in t.columns.values()))"
    )
    told = subprocess.run(
        [sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True, env=os.environ
    )
    encoded, resting, peak, _ = map(int, told.stdout.split())
    found = []
    for what, taken, aim in (("memory of an open source", resting, 1.3), ("peak memory while reading it", peak, 3.0)):
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
