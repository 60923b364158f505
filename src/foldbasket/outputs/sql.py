"""The fold as one SQL statement, for a server that has the same tables."""

from __future__ import annotations

from pathlib import Path

from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.formats import Output, entered


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the file; the shape names whose SQL it is, “table” that of the standard."""
    if report.origin is None:
        raise OutputError("this report comes from no fold.", where=str(path), todo="Write it as CSV or Parquet.")
    path.write_text(report.origin.statement(report.origin.fold, shape), encoding="utf-8")


SQL = entered(Output(".sql", "SQL", save, ("table", "postgresql", "mariadb", "sqlite"), standing=70))
