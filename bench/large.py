"""Whole renders as processes, many members, tables that are opened again, larger than memory, or on a cluster: against the same done by others."""

from __future__ import annotations

import contextlib
import importlib.util
import shlex
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.dataset as ds
import pyarrow.parquet as pq

from bench.reading import Memory
from bench.timing import Row, as_installed, compare
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.consent import EVERYTHING
from foldbasket.baskets.files import save_basket
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.cubes.cluster_access import Where
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.layout.pickings.where import WhereValue
from foldbasket.links.source import Source
from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.opening.sources import read_source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue
from foldbasket.tables.store import STORE

ENVIRONMENT = {**as_installed(), "PYTHONPATH": "src:."}
REGIONS = pa.array(["Eastfen", "Midmarsh", "Northmoor", "Southcliff", "Westholt"])
LINES = pa.array([f"Line {at}" for at in range(40)])
GROUP = 1_000_000
TELLING = """
import re, sys
from foldbasket.cli import main
if main(sys.argv[1:]):
    sys.exit(1)
print(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1])
"""
"""A command that tells at its end how many KiB it had in memory at the most; what the system tells of a process counts those of the one that began it."""


def ref(field: str) -> FieldRef:
    return FieldRef("Sales", field)


NET, COUNT = Measure("net", "sum", ref("Net")), Measure("count", "count")
MANY = Fold("many", (NET,), (Placed("c", ref("Customer"), keep=WhereValue("net", number="6800")),))
CROSS = Fold(
    "cross",
    (NET, Measure("cost", "sum", ref("Cost")), COUNT),
    (Placed("r", ref("Region")), Placed("l", ref("Line"))),
    (Placed("q", ref("Order date"), part="quarter"),),
    (Members("f", ref("Channel"), members=("Trade", "Web")),),
)
STREAMED = Fold(
    "streamed",
    (NET, COUNT),
    (Placed("r", ref("Region")), Placed("l", ref("Line"))),
    (Placed("q", ref("Order date"), part="quarter"),),
)
PICKED = Fold(
    "picked",
    (NET,),
    (Placed("l", ref("Line"), by=ByValue("net"), descending=True),),
    filters=(Members("f", ref("Region"), members=("Eastfen", "Westholt")),),
)
MEDIAN = Fold("median", (Measure("m", "median", ref("Quantity")),), (Placed("r", ref("Region")),))
ASKED = {
    "many": "select Customer, sum(Net) from '{}' group by 1 having sum(Net) > 6800",
    "cross": "select Region, Line, date_trunc('quarter', \"Order date\"), sum(Net), sum(Cost), count(*) from '{}' "
    "where Channel in ('Trade', 'Web') group by cube (1, 2, 3)",
}


def sales(path: Path, many: int, customers: int, extra: int) -> Path:
    """A Parquet file of so many order lines, in groups of a million."""
    if path.exists():
        return path
    draw = np.random.default_rng(7)
    names = pa.array([f"C{at:07d}" for at in range(customers)])
    channels = pa.array(["Trade", "Web", "Counter"])
    first = np.datetime64("2024-10-01")
    writer = None
    for start in range(0, many, GROUP):
        count = min(GROUP, many - start)

        def some(of: pa.Array, count: int = count) -> pa.Array:
            return pa.DictionaryArray.from_arrays(pa.array(draw.integers(0, len(of), count, np.int32)), of).cast(
                pa.string()
            )

        columns = {
            "Customer": some(names),
            "Region": some(REGIONS),
            "Line": some(LINES),
            "Channel": some(channels),
            "Order date": pa.array((first + draw.integers(0, 730, count)).astype("datetime64[D]")),
            "Quantity": pa.array(draw.integers(1, 60, count, np.int32)),
            "Net": _money(draw.integers(-2_000, 90_000, count)),
            "Cost": _money(draw.integers(10, 60_000, count)),
            **{f"Extra {at}": pa.array(draw.random(count)) for at in range(extra)},
        }
        table = pa.table(columns)
        if writer is None:
            writer = pq.ParquetWriter(path, table.schema)
        writer.write_table(table)
    assert writer is not None
    writer.close()
    return path


def _money(cents: np.ndarray) -> pa.Array:
    halves = np.stack([cents.astype(np.int64), np.where(cents < 0, -1, 0).astype(np.int64)], axis=1)
    return pa.Decimal128Array.from_buffers(pa.decimal128(12, 2), len(cents), [None, pa.py_buffer(halves.tobytes())])


def _basket(folder: Path, data: Path, *folds: Fold) -> Path:
    path = folder / f"{data.stem}.json"
    save_basket(Basket("bench", (SourceSpec("Sales", data.name),), folds=folds), path)
    return path


def _run(*command: str, cwd: Path) -> None:
    subprocess.run(command, cwd=cwd, check=True, stdout=subprocess.DEVNULL, env=ENVIRONMENT)


def _render(root: Path, basket: Path, fold: str, *more: str) -> None:
    to = str(basket.with_name("out.csv"))
    _run(
        sys.executable,
        "-m",
        "foldbasket",
        "render",
        str(basket),
        "--fold",
        fold,
        "--to",
        to,
        "--quiet",
        *more,
        cwd=root,
    )


def rows(folder: Path, quick: bool = False) -> list[Row]:
    """The rows of the table."""
    folder.mkdir(exist_ok=True)
    root = Path(__file__).parents[1]
    scale = 10 if quick else 1
    six = sales(folder / f"six-{scale}.parquet", 6_000_000 // scale, 1_500_000 // scale, 8)
    basket = _basket(folder, six, MANY, CROSS)
    found = [_small(root, folder)]
    if importlib.util.find_spec("duckdb") is not None:
        for fold, what, aim in (
            ("cross", "a fold that uses 7 of 16 columns, totals", 1),
            ("many", "1.5 million members, of which a summary filter keeps some", 2),
        ):
            asked = f"import duckdb; duckdb.sql({ASKED[fold].format(six)!r}).fetchall()"
            found.append(
                compare(
                    f"a whole render of 6 million records: {what}", "the same by DuckDB, whole process", aim,
                    lambda fold=fold: _render(root, basket, fold),
                    lambda asked=asked: _run(sys.executable, "-c", asked, cwd=root), rounds=3,
                )
            )  # fmt: skip
    found += [_again(folder, quick), *_streamed(root, folder, scale), *_clustered(folder, six)]
    return found


def _small(root: Path, folder: Path) -> Row:
    data = folder / "small.csv"
    data.write_text("Region,Net\nEastfen,1.50\nWestholt,2.50\n", "utf-8")
    basket = _basket(folder, data, Fold("f", (NET,), (Placed("r", ref("Region")),)))
    return compare(
        "a whole render of a small fold", "Python importing NumPy and pyarrow", 2,
        lambda: _render(root, basket, "f"),
        lambda: _run(sys.executable, "-c", "import numpy, pyarrow", cwd=root),
    )  # fmt: skip


def _again(folder: Path, quick: bool) -> Row:
    """A CSV opened again from what was kept, against its first opening."""
    from foldbasket.tables.store import SETTLED

    data = folder / f"again-{int(quick)}.csv"
    if not data.exists():
        import pyarrow.csv

        source = pq.read_table(
            sales(folder / f"six-{10 if quick else 1}.parquet", 0, 1, 0),
            columns=["Customer", "Region", "Line", "Order date", "Quantity", "Net"],
        )
        pyarrow.csv.write_csv(source, data)
        time.sleep(SETTLED + 0.5)
    spec = SourceSpec("Sales", data.name)

    def first() -> None:
        read_source(spec, folder, EVERYTHING, keep=False)

    STORE.drop(data)
    read_source(spec, folder, EVERYTHING)
    STORE.write()
    row = compare(
        "open it again, unchanged",
        "opening a CSV of 6 million records first",
        0.05,
        lambda: read_source(spec, folder, EVERYTHING),
        first,
        rounds=2,
    )
    STORE.drop(data)
    return row


def _streamed(root: Path, folder: Path, scale: int) -> list[Row]:
    """A table larger than what may be held, against a scan of its columns; under a bound of the operating system on memory."""
    large = sales(folder / f"hundred-{scale}.parquet", 100_000_000 // scale, 1_000, 0)
    basket = _basket(folder, large, STREAMED, PICKED, MEDIAN)

    def scan(*names: str) -> None:
        for _ in ds.dataset(large).to_batches(columns=list(names)):
            pass

    peaks: list[int] = []

    def bounded(fold: str) -> None:
        rendering = f"render {basket} --fold {fold} --to {folder / 'out.csv'} --quiet --memory 100MB"
        command = f"ulimit -d {1 << 20}; exec {sys.executable} -c {shlex.quote(TELLING)} {rendering}"
        told = subprocess.run(["bash", "-c", command], cwd=root, check=True, capture_output=True, text=True, env=ENVIRONMENT)  # fmt: skip
        peaks.append(int(told.stdout) * 1024)

    million = f"{100 // scale} million records"
    rows = [
        compare(
            f"a whole render of {million} streamed from Parquet under 1 GiB (ulimit -d)", "pyarrow dataset scan of the same columns", 1.3,
            lambda: bounded("streamed"), lambda: scan("Region", "Line", "Order date", "Net"), rounds=2,
        ),
        compare(
            f"a whole render of {million}, kept by members and sorted by value, under 1 GiB", "pyarrow dataset scan of the same columns", 1.3,
            lambda: bounded("picked"), lambda: scan("Region", "Line", "Net"), rounds=2,
        ),
        compare(
            f"a whole render of a median of {million} under 1 GiB", "pyarrow dataset scan of the same columns", 1.3,
            lambda: bounded("median"), lambda: scan("Region", "Quantity"), rounds=2,
        ),
    ]  # fmt: skip
    peak = Memory(f"peak memory of these renders of {million}", "1 GiB", max(peaks), 1 << 30, 1)
    print(peak.markdown(), flush=True)
    return [*rows, peak]


def _clustered(folder: Path, data: Path) -> list[Row]:
    """Two workers against one."""
    opened = basket_or_data(_basket(folder, data, STREAMED))
    with contextlib.ExitStack() as stack:
        clusters = [Cluster(Where(f"local:{many}")) for many in (2, 1)]
        for each in clusters:
            stack.callback(each.close)
        sources = prepare(opened, lazily=True).source

        def fold(cluster: Cluster) -> None:
            Engine(Source(sources.tables), cluster=cluster).fold(STREAMED)

        return [
            compare(
                "a fold of 6 million records on a cluster of two workers",
                "on one of them",
                0.6,
                lambda: fold(clusters[0]),
                lambda: fold(clusters[1]),
                rounds=3,
            )
        ]
