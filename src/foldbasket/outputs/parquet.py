"""The innermost lines of a report as a Parquet table with types: a field for each of its words, and one for each measure."""

from __future__ import annotations

from pathlib import Path

from foldbasket.folding.report.report import Report
from foldbasket.opening.summaries import table_of
from foldbasket.outputs.formats import Output, entered
from foldbasket.tables.reading.parquet import write_parquet


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the file: members as text, measures in their own types; totals are not among the records."""
    write_parquet(table_of(report), path)


PARQUET = entered(Output(".parquet", "Parquet", save, standing=58))
