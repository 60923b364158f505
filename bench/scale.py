"""A model of folds beyond what is here: what a fold costs on many machines, by constants measured on this one, with a simulated scheduler.

`python -m bench.scale` measures the constants, runs the simulation and prints the tables of docs/scale.md. Nothing of it is exact: it says where
time goes and what breaks first.
"""

from __future__ import annotations

import heapq
import pickle
import random
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from bench.large import STREAMED, _basket, sales
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.merging import merged, stand_in
from foldbasket.folding.engine import Engine
from foldbasket.folding.plan.plan import AxisField, plan_of
from foldbasket.folding.states.aggregates.aggregate import aggregate_named
from foldbasket.links.source import Source
from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure
from foldbasket.tables.progress import Progress


@dataclass(frozen=True)
class Cost:
    """What things take: bytes a record of the columns used, on the disk; records a second and core; bytes and seconds a cell of a cube; seconds a task of
    the scheduler; bytes a second of the network, and of the store all workers read from together."""

    record: float
    rate: float
    cell: float
    merge: float
    task: float = 0.001
    network: float = 1e9
    store: float = 50e9


@dataclass(frozen=True)
class Shape:
    """A fold on a cluster: how many records in how many partitions, on how many workers, into how many cells; one task in so many is a straggler that
    takes ten times as long, and a worker lives for so many seconds on average before it is lost with what it holds."""

    records: float
    partitions: int
    workers: int
    cells: float
    straggler: float = 0.01
    life: float = 30 * 86_400.0


def simulated(cost: Cost, shape: Shape, seed: int = 1) -> dict[str, float]:
    """Seconds until the cubes are made, until they are merged, and in all; tasks that were done again; the bytes that come to the one who asks."""
    draw = random.Random(seed)
    many = shape.records / shape.partitions
    reading = many * cost.record * shape.workers / cost.store
    alone = max(many / cost.rate, reading)
    merging = shape.cells * (cost.merge + 2 * cost.cell / cost.network)
    free = [(0.0, at) for at in range(shape.workers)]
    heapq.heapify(free)
    ends, again, handed = [], 0, 0.0
    left = shape.partitions
    while left:
        at, worker = heapq.heappop(free)
        handed = max(handed + cost.task, at)  # the scheduler hands out one task after the other
        took = alone * draw.lognormvariate(0, 0.15) * (10 if draw.random() < shape.straggler else 1)
        if draw.expovariate(1 / shape.life) < took:
            again += 1
            heapq.heappush(free, (handed + took + 30, worker))  # another takes its place
            continue
        left -= 1
        ends.append(handed + took)
        heapq.heappush(free, (handed + took, worker))
    made = max(ends)
    levels, width, tree = 0, shape.partitions, 0.0
    while width > 1:
        pairs = width // 2
        tree += max(pairs * cost.task, -(-pairs // shape.workers) * merging)
        width -= pairs
        levels += 1
    return {"made": made, "merged": tree, "whole": made + tree, "again": again, "bytes": shape.cells * cost.cell}


def measured(records: int = 4_000_000) -> Cost:
    """The constants, on this machine."""
    with tempfile.TemporaryDirectory() as folder:
        path = sales(Path(folder) / "some.parquet", records, 200_000, 0)
        opened = basket_or_data(_basket(Path(folder), path))
        tables = prepare(opened, lazily=True).source.tables
        engine = Engine(Source(tables), memory=0)
        engine.fold(Fold("warm", STREAMED.measures, STREAMED.rows[:1]))
        start, busy = time.perf_counter(), time.process_time()
        Engine(Source(tables), memory=0).fold(STREAMED)
        wall, core = time.perf_counter() - start, time.process_time() - busy
        cubes = [_cube(prepare(opened).engine) for _ in range(2)]
        start = time.perf_counter()
        made = merged(cubes[0], cubes[1], Progress())
        merging = time.perf_counter() - start
        size = len(pickle.dumps(made, protocol=5))
        print(
            f"{records / wall:,.0f} records a second here, {records / core:,.0f} a core; a cell {size / made.cells:.0f} bytes, merged in {merging / made.cells * 1e9:.0f} ns"
        )
        return Cost(path.stat().st_size / records * 0.6, records / core, size / made.cells, merging / made.cells)


def _cube(engine: Engine) -> Cube:
    """The cube of the customers, as a worker makes it."""
    sums = (aggregate_named("sum"), Measure("n", "sum", FieldRef("Sales", "Net")))
    plan = plan_of("Sales", [AxisField(FieldRef("Sales", "Customer"))], (), [sums])
    made = engine.maker.cube(plan, Progress())
    for wanted in plan.states:
        made.stands[wanted.quantity] = stand_in(engine.maker.column(wanted.quantity))
    return made


def main() -> None:
    """Prints the tables."""
    cost = measured()
    print("| records | partitions | workers | cells | cubes made | merged | whole | done again | result |")
    print("|---|---|---|---|---|---|---|---|---|")
    shapes = [
        Shape(1e9, 1_000, 16, 1e4), Shape(1e9, 1_000, 100, 1e4), Shape(1e9, 1_000, 100, 1e6), Shape(1e12, 10_000, 1_000, 1e4),
        Shape(1e12, 10_000, 1_000, 1e6), Shape(1e12, 10_000, 1_000, 1e7), Shape(1e12, 100_000, 1_000, 1e4), Shape(1e12, 10_000, 1_000, 1e4, life=86_400.0),
        Shape(1e12, 10_000, 1_000, 1e4, straggler=0.05), Shape(1e12, 10_000, 10_000, 1e4),
    ]  # fmt: skip
    for shape in shapes:
        got = simulated(cost, shape)
        print(
            f"| {shape.records:.0e} | {shape.partitions:,} | {shape.workers:,} | {shape.cells:.0e} | {got['made']:,.0f} s | {got['merged']:,.1f} s | {got['whole']:,.0f} s | {got['again']:,.0f} | {got['bytes'] / 1e6:,.1f} MB |"
        )
    slow = replace(cost, store=5e9)
    got = simulated(slow, Shape(1e12, 10_000, 1_000, 1e4))
    print(f"with a store of 5 GB/s in all: {got['whole']:,.0f} s")


if __name__ == "__main__":
    main()
