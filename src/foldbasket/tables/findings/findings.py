"""Looking through a table for everything that looks wrong. A new kind of finding is a file beside this one."""

from __future__ import annotations

import numpy as np

from foldbasket import faults
from foldbasket.errors import FoldBasketError
from foldbasket.tables.findings.finding import FINDERS, Finding
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table


def findings_of(table: Table, progress: Progress | None = None, *, by_member: bool = False) -> list[Finding]:
    """All findings in a table; with `by_member` only those that are told by the members of its fields and how many records have each."""
    found: list[Finding] = []
    finders = [each for each in FINDERS if each.by_member or not by_member]
    for at, finder in enumerate(finders):
        if progress is not None:
            progress.step(f"Looking through {table.name}", at / len(finders))
        try:
            found += finder.find(table)
        except FoldBasketError:
            raise
        except Exception as error:
            found.append(_not_looked(faults.note(error), finder.name))
    return found


NOT_LOOKED = "not looked through"


def _not_looked(error: FoldBasketError, kind: str) -> Finding:
    """Says that one kind of finding could not be looked for, so that silence is never taken for a clean table."""
    nothing = np.empty(0, np.int64)
    return Finding(
        NOT_LOOKED, "", kind, f"The table could not be looked through for {kind}", "", 0, (), lambda: nothing, error.todo or ""
    )  # fmt: skip
