"""The menu over a member's heading in the grid: everything that its card offers for one member, at hand."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QMenu

from foldbasket.baskets import edits
from foldbasket.desktop.card.depth import into_fields
from foldbasket.desktop.card.menu import MOST_LISTED, add, submenu
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.chosen import Chosen
from foldbasket.desktop.grid.several import deeds
from foldbasket.desktop.grid.sorting import act, order_of_cell
from foldbasket.desktop.work.members import Seen
from foldbasket.folding.report.report import Report
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Placed
from foldbasket.styling.words import plural


def _look(desk: Desk, placed: Placed, member: str) -> None:
    """Shows the look of a member on the card of its field."""
    desk.view.section = "Look"
    desk.select_word(placed.id)
    desk.show_look(member)


def add_member(menu: QMenu, desk: Desk, seen: Seen) -> None:
    """Adds what can be done to one member; nothing where there is nothing."""
    fold = desk.fold
    placed = edits.find_word(fold, seen.word) if fold is not None else None
    if fold is None or not isinstance(placed, Placed) or seen.is_gathered:
        return
    work, several = desk.members, plural(placed_heading(placed))
    add_folding(menu, desk, seen)
    if seen.has_inner:
        add(menu, f"Fold up all {several}", lambda: work.level(seen, True, several))
        add(menu, f"Open all {several}", lambda: work.level(seen, False, several))
        menu.addSeparator()
    if work.can_keep(seen.word, [seen.path[-1]]):
        add(menu, f"Keep only {seen.label}", lambda: work.keep(seen, only=True))
        add(menu, f"Leave {seen.label} out", lambda: work.keep(seen, only=False))
    if not (placed.bands or placed.groups):
        into = submenu(menu, f"Drill into {seen.label}")
        for (ref, part), name in into_fields(desk, placed)[:MOST_LISTED]:
            add(into, name, partial(work.drill, seen, ref, part))
        into.setEnabled(not into.isEmpty())
        add(menu, f"Look of {seen.label}…", lambda: _look(desk, placed, seen.path[-1]))
        if placed.drilled:
            add(menu, "Drill back", lambda: desk.do(edits.DrillBack(fold.key, placed.id)))


def add_folding(menu: QMenu, desk: Desk, seen: Seen) -> None:
    """Adds folding a member up, or opening it, where it has members of its own."""
    if seen.has_inner:
        add(menu, f"{'Open' if seen.is_folded else 'Fold up'} {seen.label}", lambda: desk.members.turn(seen))


def add_members(menu: QMenu, desk: Desk, chosen: Chosen) -> None:
    """Adds what can be done with several members that are selected."""
    parent = menu.parentWidget()
    assert parent is not None
    for deed in deeds(desk, chosen, parent):
        add(
            menu,
            f"{deed.name.removesuffix('…')} {len(chosen.members)} members{'…' if deed.name.endswith('…') else ''}",
            deed.act,
        )


def add_sorting(menu: QMenu, desk: Desk, report: Report, row: int, column: int) -> None:
    """Adds orders by the values in the line of a cell: of the rows by its column, of the columns by its row."""
    for rows, name in ((True, "Order rows by this column"), (False, "Order columns by this row")):
        order = order_of_cell(report, row, column, rows=rows)
        if order is not None:
            add(menu, name, partial(act, desk, order))
