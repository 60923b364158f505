"""From a key press to the repainted report, in the window, with ten million records open."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bench.timing import Row

FRAME = 0.016
ROUNDS = 7


def rows(records: int) -> list[Row]:
    """Each class of gesture, the best of several rounds, against one frame of the screen: two are wanted where records are not touched, three where
    they are folded anew."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    usual = dict(os.environ)
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update({f"XDG_{name}_HOME": folder for name in ("CONFIG", "STATE", "DATA", "CACHE")})
        try:
            path = Path(folder) / "lines.parquet"
            _write(path, records)
            return _Bench(path).run()
        finally:  # what is measured next has folders of its own
            os.environ.clear()
            os.environ.update(usual)


def _write(path: Path, records: int) -> None:
    import numpy as np
    import pyarrow as pa
    import pyarrow.parquet as pq

    draw = np.random.default_rng(7)

    def of(words: list[str]) -> pa.DictionaryArray:
        codes = draw.integers(0, len(words), records).astype(np.int32)
        return pa.DictionaryArray.from_arrays(pa.array(codes), pa.array(words))

    table = {
        "Region": of([f"Region {at}" for at in range(5)]),
        "Site": of([f"Site {at:02}" for at in range(18)]),
        "Channel": of(["Trade", "Web", "Phone", "Market"]),
        "Quarter": of([f"Q{at % 4 + 1} {2024 + at // 4}" for at in range(10)]),
        "Net": pa.array(draw.integers(100, 90_000, records)),
        "Cost": pa.array(draw.integers(50, 60_000, records)),
    }
    pq.write_table(pa.table(table), path)


class _Bench:
    """A window with a report of some 2,000 cells over the records."""

    def __init__(self, path: Path) -> None:
        from foldbasket.baskets import edits
        from foldbasket.desktop.shell.app import made
        from foldbasket.desktop.shell.window import MainWindow
        from foldbasket.spec.field import FieldRef
        from foldbasket.spec.fold import Fold, Measure, Placed

        self._painted = 0.0
        self._watch_paint()
        self.app = made()
        self.window = MainWindow()
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_paths([path])
        self.desk = self.window.desk
        self._rest()
        (name,) = self.desk.source.tables

        def ref(field: str) -> FieldRef:
            return FieldRef(name, field)

        fold = Fold(
            "Bench",
            (Measure("net", "sum", ref("Net")), Measure("cost", "sum", ref("Cost"))),
            (Placed("region", ref("Region")), Placed("site", ref("Site"))),
            (Placed("quarter", ref("Quarter")),),
        )
        self.desk.do(edits.AddFold(fold), select=None)
        self.desk.show_fold(fold.key)
        self.ref = ref
        self._rest()

    def _rest(self) -> None:
        """Until nothing is under way, in the background either."""
        end = time.monotonic() + 0.3
        while self.desk.busy or time.monotonic() < end:
            self.app.processEvents()
            if self.desk.busy:
                end = time.monotonic() + 0.3
            time.sleep(0.001)

    def timed(self, act: Callable[[], object]) -> float:
        """Seconds from a gesture until the report that comes of it is on the screen."""
        before, start = self.desk.report, time.perf_counter()
        self._painted = 0.0
        act()
        while self.desk.report is before or self._painted == 0.0:
            self._painted = 0.0 if self.desk.report is before else self._painted
            self.app.processEvents()
        return self._painted - start

    def _watch_paint(self) -> None:
        """Notes when the grid was painted last with another report than before."""
        from foldbasket.desktop.grid.view import GridView

        paint = GridView.paintEvent

        def painted(view: GridView, event: Any) -> None:
            paint(view, event)
            self._painted = time.perf_counter()

        GridView.paintEvent = painted  # type: ignore[method-assign]

    def run(self) -> list[Row]:
        import msgspec

        from foldbasket.baskets import edits
        from foldbasket.desktop.actions.action import ACTIONS
        from foldbasket.folding.filters.members import Members
        from foldbasket.spec.fold import Measure, Placed, Where
        from foldbasket.spec.order import ByValue

        desk = self.desk

        def changed(**changes: object) -> Callable[[], object]:
            return lambda: desk.do(edits.ChangeFold("Bench", changes, "bench"))

        def press(name: str) -> Callable[[], object]:
            return lambda: ACTIONS[name].run(self.window)

        fold = desk.fold
        assert fold is not None
        region, site = fold.rows
        ordered = (region, msgspec.structs.replace(site, by=ByValue("net"), descending=True))
        tried: list[tuple[str, float, Callable[[], object]]] = [
            ("fold all groups up", 2, press("Fold all groups up")),
            ("turn rows into columns", 2, press("Turn rows into columns")),
            ("order rows by a value", 2, changed(rows=ordered)),
            ("totals off", 2, changed(row_total=Where.OFF)),
            (
                "keep two members",
                3,
                changed(filters=(Members("c", self.ref("Channel"), None, ("Trade", "Web")),)),
            ),
            ("a field more", 3, changed(rows=(*fold.rows, Placed("channel", self.ref("Channel"))))),
            (
                "a measure more",
                3,
                changed(measures=(*fold.measures, Measure("n", "average", self.ref("Net")))),
            ),
        ]
        found = []
        for what, aim, act in tried:
            best = []
            for _ in range(ROUNDS):
                best.append(self.timed(act))
                self._rest()
                desk.undo()
                self._rest()
            row = Row(
                f"{what}: from the key press to the report on the screen", "one frame, 16 ms", min(best), FRAME, aim
            )
            print(row.markdown(), flush=True)
            found.append(row)
        self.window.close_now()
        return found
