"""The innermost loops: scatter records into groups. Compiled where numba is ready, plain NumPy until then.

All take `keys`, the group of each record (int32, shape (n,)), and change the keys or an accumulator in place. Compiled code is
cached on disk; `warm` compiles in the background so that nobody waits for it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

Keys = npt.NDArray[np.int32]

compiled: dict[str, Callable[..., None]] = {}
_warming = threading.Lock()


def extend(keys: Keys, size: int, codes: npt.NDArray) -> None:
    """Takes a further field into the groups: each key becomes ``key × size + code``."""
    if "extend" in compiled:
        compiled["extend"](keys, size, codes)
    else:
        keys *= size
        keys += codes


def leave_out(keys: Keys, kept: npt.NDArray[np.bool_], spare: int) -> None:
    """Sends the records that a filter does not keep to the spare group."""
    if "leave_out" in compiled:
        compiled["leave_out"](keys, kept, spare)
    else:
        keys[~kept] = spare


def count(keys: Keys, counts: npt.NDArray[np.int64]) -> None:
    """Adds one to the group of each record."""
    if "count" in compiled:
        compiled["count"](keys, counts)
    else:
        np.add.at(counts, keys, 1)


def add(keys: Keys, values: npt.NDArray, sums: npt.NDArray) -> None:
    """Adds each value to its group; `sums` is int64 for whole units and float64 for reals."""
    if "add" in compiled and values.dtype == sums.dtype:
        compiled["add"](keys, values, sums)
    else:
        np.add.at(sums, keys, values)


def smallest(keys: Keys, values: npt.NDArray, lows: npt.NDArray) -> None:
    """Keeps the smaller of each value and its group's."""
    if "smallest" in compiled:
        compiled["smallest"](keys, values, lows)
    else:
        np.minimum.at(lows, keys, values)


def largest(keys: Keys, values: npt.NDArray, highs: npt.NDArray) -> None:
    """Keeps the larger of each value and its group's."""
    if "largest" in compiled:
        compiled["largest"](keys, values, highs)
    else:
        np.maximum.at(highs, keys, values)


def warm() -> None:
    """Compiles (or loads from the cache on disk) every loop for whole and real values. Call from a background thread."""
    with _warming:
        if compiled:
            return
        from numba import njit

        def compiled_of(loop: Callable[..., None]) -> Any:
            return njit(nogil=True, cache=True)(loop)

        plain: dict[str, Callable[..., None]] = {
            "extend": _extend,
            "leave_out": _leave_out,
            "count": _count,
            "add": _add,
            "smallest": _smallest,
            "largest": _largest,
        }
        loops = {name: compiled_of(loop) for name, loop in plain.items()}
        keys = np.zeros(1, np.int32)
        loops["count"](keys, np.zeros(1, np.int64))
        loops["leave_out"](keys, np.ones(1, np.bool_), 0)
        for code in (np.uint8, np.uint16, np.uint32):
            loops["extend"](keys, 1, np.zeros(1, code))
        for kind in (np.int64, np.float64):
            for name in ("add", "smallest", "largest"):
                loops[name](keys, np.zeros(1, kind), np.zeros(1, kind))
        compiled.update(loops)


def warm_in_background() -> threading.Thread:
    """Starts `warm` on a thread of its own. A machine where nothing can be compiled keeps to NumPy."""

    def run() -> None:
        try:
            warm()
        except Exception:  # numba absent or its compiler unusable: slower, never wrong
            compiled.clear()

    thread = threading.Thread(target=run, name="warm-kernels", daemon=True)
    thread.start()
    return thread


def _extend(keys: Keys, size: int, codes: npt.NDArray) -> None:
    for at in range(len(keys)):
        keys[at] = keys[at] * size + codes[at]


def _leave_out(keys: Keys, kept: npt.NDArray, spare: int) -> None:
    for at in range(len(keys)):
        keys[at] = keys[at] if kept[at] else spare


def _count(keys: Keys, counts: npt.NDArray) -> None:
    for at in range(len(keys)):
        counts[keys[at]] += 1


def _add(keys: Keys, values: npt.NDArray, sums: npt.NDArray) -> None:
    for at in range(len(keys)):
        sums[keys[at]] += values[at]


def _smallest(keys: Keys, values: npt.NDArray, lows: npt.NDArray) -> None:
    for at in range(len(keys)):
        if values[at] < lows[keys[at]]:
            lows[keys[at]] = values[at]


def _largest(keys: Keys, values: npt.NDArray, highs: npt.NDArray) -> None:
    for at in range(len(keys)):
        if values[at] > highs[keys[at]]:
            highs[keys[at]] = values[at]
