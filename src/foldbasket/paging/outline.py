"""The groups of a report as a reader looks them up in a long one: what stands in the outline beside its pages."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from foldbasket.folding.report.report import Report

MOST = 2000
"""More entries than that are no help; the inner fields are left out then."""


class Mark(NamedTuple):
    """An entry: the row where a group begins, how deep it stands (0 for the outermost field), and its name."""

    row: int
    depth: int
    name: str


def outline(report: Report) -> list[Mark]:
    """The groups of every field of the rows but the innermost (of the only field, where there is one), in the order of the rows, then the total
    over all. Inner fields are left out where that would be more than `MOST` entries; empty where the outermost field alone has more."""
    left, codes = report.left, report.rows.codes[report.left.line]
    fields = min(len(report.rows.heads), codes.shape[1])
    if not len(left) or not fields:
        return []
    found: list[Mark] = []
    for field in range(max(1, fields - 1)):
        begins = np.ones(len(left), np.bool_)
        begins[1:] = (codes[1:, : field + 1] != codes[:-1, : field + 1]).any(axis=1)
        begins &= codes[:, field] >= 0
        rows = np.flatnonzero(begins).tolist()
        if len(found) + len(rows) > MOST:
            break
        found += (Mark(row, field, report.rows.label(int(left.line[row]), field)) for row in rows)
    total = np.flatnonzero(codes[:, 0] < 0).tolist()
    if found and total:
        found.append(Mark(total[0], 0, report.rows.caption(int(left.line[total[0]]))))
    return sorted(found)
