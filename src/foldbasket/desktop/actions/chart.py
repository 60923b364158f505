"""The chart's part of the menu View, and what leaves it as a picture."""

from __future__ import annotations

from typing import Any

from foldbasket.desktop.actions.action import Window, action


@action("Chart", "View", "Ctrl+Shift+G", line=True, needs="report", edits=True, also="graph plot diagram bars lines")
def show_chart(window: Window) -> None:
    window.desk.show_chart()


@action("Put the chart beside, under or in place of the grid", "View", needs="report")
def move_chart(window: Any) -> None:
    from foldbasket.spec.chart import Beside

    chart = window.desk.fold.chart if window.desk.fold is not None else None
    if chart is None:
        window.desk.show_chart()
        return
    places = list(Beside)
    window.desk.change_chart("Move the chart", place=places[(places.index(chart.place) + 1) % len(places)])


@action("Into the chart", "View", needs="report")
def into_chart(window: Any) -> None:
    """Puts the keyboard on the chart."""
    if window.workspace.room.has_chart:
        window.workspace.room.chart.setFocus()
    else:
        window.desk.show_chart()


@action("Copy the chart as a picture", "Edit", needs="report")
def copy_chart(window: Any) -> None:
    window.desk.charts.copy()
