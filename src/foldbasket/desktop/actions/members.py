"""What the menu Fold does with the members that are selected, and with the line at the mark."""

from __future__ import annotations

from typing import Any

from foldbasket.desktop.actions.action import Window, action
from foldbasket.errors import BasketError


@action("Keep only the selected members", "Fold", line=True, needs="report", also="filter show only isolate")
def keep_members(window: Window) -> None:
    _do(window, "Keep only")


@action("Leave the selected members out", "Fold", needs="report", also="exclude hide remove filter")
def leave_members(window: Window) -> None:
    _do(window, "Leave out")


@action("Group the selected members…", "Fold", "Ctrl+G", needs="report", also="combine merge bundle put together")
def group_members(window: Window) -> None:
    _do(window, "Group…")


@action("Take the selected groups apart", "Fold", "Ctrl+Alt+G", needs="report", also="split separate")
def take_apart(window: Window) -> None:
    _do(window, "Take apart")


@action(
    "Order rows by the column at the mark",
    "Fold",
    "Ctrl+Alt+R",
    needs="report",
    edits=False,
    also="sort rank descending largest",
)
def order_rows(window: Window) -> None:
    """The largest first; once more the smallest first; a third time by label again."""
    _order(window, rows=True)


@action(
    "Order columns by the row at the mark",
    "Fold",
    "Ctrl+Alt+C",
    needs="report",
    edits=False,
    also="sort rank descending largest",
)
def order_columns(window: Window) -> None:
    _order(window, rows=False)


def _do(window: Any, name: str) -> None:
    from foldbasket.desktop.grid.several import deeds

    chosen = window.workspace.grid.hands.chosen
    if chosen is None or not chosen.members:
        todo = "Click a name in the report, with Shift or Ctrl more; or go to it with the arrow keys."
        window.say_error(BasketError("no member is selected.", todo=todo))
        return
    deed = next((each for each in deeds(window.desk, chosen, window) if each.name == name), None)
    if deed is None:
        window.say_error(BasketError("that cannot be done with what is selected.", todo="Right-click it for what can."))
    else:
        deed.act()


def _order(window: Window, *, rows: bool) -> None:
    from foldbasket.desktop.actions.fold import marked_cell
    from foldbasket.desktop.grid.sorting import act, order_of_cell

    marked = marked_cell(window)
    order = order_of_cell(window.desk.report, marked.row, marked.column, rows=rows) if marked is not None else None
    if order is not None:
        act(window.desk, order)
