"""What a right click offers: over the grid, over the chart, on a word. Their `workspace` is the `workspace.Workspace` that they open over."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtWidgets import QMenu

from foldbasket.charts.plot import Mark
from foldbasket.desktop.card.menu import add, add_card, new_menu, submenu
from foldbasket.desktop.grid.membermenu import add_folding, add_member, add_members, add_sorting
from foldbasket.desktop.widgets.collecting import let_go
from foldbasket.desktop.work.members import innermost


def over_chart(workspace: Any, mark: Mark | None, at: QPoint) -> QMenu:
    """Opens what can be done with a mark of the chart, and with the chart."""
    chart, desk, menu = workspace.room.chart, workspace.desk, new_menu(workspace)
    assert chart is not None
    cell = chart.cell_of(mark) if mark is not None else None
    if mark is not None:
        chart.choose(mark)
        figures = chart.shown.figures if chart.shown is not None else None
        if cell is not None:
            add(menu, "Proof of this cell", lambda: workspace.proof.show_cell(*cell))
        if figures is not None and figures.labels[mark.place] and not desk.view.reading:
            name = figures.labels[mark.place]
            add(menu, f"Keep only {name}", lambda: chart.keep([mark]))
            add(menu, f"Leave {name} out", lambda: chart.keep([mark], only=False))
    if desk.fold is not None and desk.fold.chart is not None and not desk.view.reading:
        desk.show_chart()
        body = workspace.card.at_once().body
        if body is not None:
            add_card(menu if menu.isEmpty() else submenu(menu, "The chart"), body)
    menu.popup(at)
    return menu


def of_word(workspace: Any, word: str, at: QPoint) -> QMenu:
    """Opens what the card of a word offers, as a menu."""
    menu = new_menu(workspace)
    workspace.desk.select_word(word)
    body = workspace.card.at_once().body
    if body is not None:
        add_card(menu, body)
    menu.popup(at)
    return menu


def over_grid(workspace: Any, point: QPointF, at: QPoint) -> QMenu | None:
    """Opens what can be done with what lies under a point of the grid: a cell, a member, a heading."""
    grid, desk, report = workspace.grid, workspace.desk, workspace.desk.report
    word, cell = grid.heading_at(point), grid.cell_at(point)
    members = [grid.member_at(point)]
    menu = new_menu(workspace)
    chosen = grid.hands.chosen_under(members[0])
    if chosen is not None and len(chosen.members) > 1:
        add_members(menu, desk, chosen)
        menu.popup(at)
        return menu
    if cell is not None and report is not None:
        row, column = cell
        grid.mark_for_menu(row, column)
        add(menu, "Proof of this cell", lambda: workspace.proof.show_cell(row, column))
        add(menu, "Copy", grid.copy)
        word = report.measures[report.cell(row, column)[0]].id if report.measures else None
        members = [innermost(margin, line) for margin, line in ((report.left, row), (report.top, column))]
        add_sorting(menu, desk, report, row, column)
    if desk.view.reading:
        for seen in members:
            if seen is not None:
                add_folding(menu, desk, seen)
    for seen in members if not desk.view.reading else ():
        if seen is not None:
            add_member(menu if cell is None else submenu(menu, seen.label), desk, seen)
    if word is not None and not desk.view.reading:
        desk.select_word(word)
        body = workspace.card.at_once().body
        if body is not None:
            add_card(menu if menu.isEmpty() else submenu(menu, desk.words.said(word)), body)
    if menu.isEmpty():
        let_go(menu)
        return None
    menu.popup(at)
    return menu
