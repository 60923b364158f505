"""Every kind of finding. A new one is a file beside this one and its name in this list."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from foldbasket import faults
from foldbasket.errors import FoldBasketError
from foldbasket.tables.findings import layout, misfits, outliers, rows, spellings
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table

FINDERS: tuple[Callable[[Table], Iterator[Finding]], ...] = (
    layout.find,
    misfits.find,
    spellings.find,
    rows.find,
    outliers.find,
)


def findings_of(table: Table, progress: Progress | None = None) -> list[Finding]:
    """All findings in a table."""
    found: list[Finding] = []
    for at, find in enumerate(FINDERS):
        if progress is not None:
            progress.step(f"Looking through {table.name}", at / len(FINDERS))
        try:
            found += find(table)
        except FoldBasketError:
            raise
        except Exception as error:
            found.append(_not_looked(faults.note(error), find.__module__.rpartition(".")[2]))
    return found


def _not_looked(error: FoldBasketError, kind: str) -> Finding:
    """Says that one kind of finding could not be looked for, so that silence is never taken for a clean table."""
    nothing = np.empty(0, np.int64)
    return Finding(
        "not looked through", "", kind, f"The table could not be looked through for {kind}", "", 0, (), lambda: nothing, error.todo or ""
    )  # fmt: skip
