"""Every kind of finding. A new one is a file beside this one and its name in this list."""

from __future__ import annotations

from collections.abc import Callable, Iterator

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
        found += find(table)
    return found
