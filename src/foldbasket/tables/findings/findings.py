"""Looking through a table for everything that looks wrong. A new kind of finding is a file beside this one."""

from __future__ import annotations

from collections.abc import Iterator

from foldbasket import faults
from foldbasket.errors import FoldBasketError
from foldbasket.tables.findings.finding import FINDERS, Finding, none_of_them
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table

NOT_LOOKED = "not looked through"


def findings_of(table: Table, progress: Progress | None = None, *, by_member: bool = False) -> list[Finding]:
    """All findings in a table; with `by_member` only those that are told by the members of its fields and how many records have each."""
    return list(each_finding(table, progress, by_member=by_member))


def each_finding(table: Table, progress: Progress | None = None, *, by_member: bool = False) -> Iterator[Finding]:
    """The same, one after the other as they are found."""
    finders = [each for each in FINDERS if each.by_member or not by_member]
    for at, finder in enumerate(finders):
        if progress is not None:
            progress.step(f"Looking through {table.name}", at / len(finders))
        try:
            yield from finder.find(table)
        except FoldBasketError:
            raise
        except Exception as error:
            yield not_looked(faults.note(error), finder.name)


def not_looked(error: FoldBasketError, kind: str) -> Finding:
    """Says that one kind of finding could not be looked for, so that silence is never taken for a clean table."""
    title = f"The table could not be looked through for {kind}"
    return Finding(NOT_LOOKED, "", kind, title, "", 0, (), none_of_them, error.todo or "")
