"""Packages that are loaded when something of them is first asked for: each takes as long as much of our own, and most runs need none of them."""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any


class _Later:
    """A module that is loaded by the first look into it."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        return getattr(importlib.import_module(self._name), name)


if TYPE_CHECKING:
    import pyarrow.parquet as pq
    import sqlglot
    import xlsxwriter
    import xlsxwriter.utility as xlsxwriting
    from sqlglot import exp
else:
    sqlglot, exp = _Later("sqlglot"), _Later("sqlglot.expressions")
    pq = _Later("pyarrow.parquet")
    xlsxwriter, xlsxwriting = _Later("xlsxwriter"), _Later("xlsxwriter.utility")

__all__ = ["exp", "pq", "sqlglot", "xlsxwriter", "xlsxwriting"]
