"""What is said over a cell or a member of the grid: why a cell is marked, what its measure remarks, and what a double-click does."""

from __future__ import annotations

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.work.members import Seen


def tip_of(desk: Desk, at: Geometry, cell: tuple[int, int] | None, seen: Seen | None) -> str:
    """The words; empty for none."""
    if seen is not None and seen.has_inner:
        return "Double-click opens it." if seen.is_folded else "Double-click folds it up."
    if cell is None:
        return ""
    remark = at.report.measures[at.report.cell(*cell)[0]].remark if desk.report is at.report else ""
    return "\n".join([*at.dressed.said_of(*cell), *([remark] if remark else [])])
