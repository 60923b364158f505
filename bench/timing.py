"""How things are timed: subject and anchor by turns, the best of several rounds of each, and their ratio."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path


def as_installed() -> dict[str, str]:
    """The environment of a process as it is where the program is installed: what is compiled once is kept, by its first run here."""
    kept = str(Path(tempfile.gettempdir()) / "fold-basket-bench")
    return {**os.environ, "PYTHONDONTWRITEBYTECODE": "", "PYTHONPYCACHEPREFIX": kept}


@dataclass(frozen=True)
class Row:
    """One line of the result: what was done, against what, both in seconds, and the ratio to aim for."""

    what: str
    anchor: str
    seconds: float
    anchor_seconds: float
    aim: float

    @property
    def ratio(self) -> float:
        return self.seconds / self.anchor_seconds

    def markdown(self) -> str:
        met = "yes" if self.ratio <= self.aim else "no"
        return f"| {self.what} | {self.anchor} | {_said(self.seconds)} | {_said(self.anchor_seconds)} | {self.ratio:.2f} | {self.aim:g} | {met} |"


def _said(seconds: float) -> str:
    return f"{seconds * 1000:.1f} ms" if seconds < 1 else f"{seconds:.2f} s"


def compare(
    what: str, anchor: str, aim: float, subject: Callable[[], object], against: Callable[[], object], rounds: int = 5
) -> Row:
    """Times subject and anchor by turns; the best round of each counts, since noise only ever adds."""
    subject()
    against()
    mine, theirs = [], []
    for _ in range(rounds):
        mine.append(timed(subject))
        theirs.append(timed(against))
    row = Row(what, anchor, min(mine), min(theirs), aim)
    print(row.markdown(), flush=True)
    return row


def timed(work: Callable[[], object]) -> float:
    """Seconds that one call takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
