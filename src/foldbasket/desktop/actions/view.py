"""The menu View: what is in view, how large, and the panes."""

from __future__ import annotations

from typing import Any

from foldbasket.desktop.actions.action import ACTIONS, Window, action

STEP = 24
"""By so many points a pane becomes wider with a key."""


@action("Fold", "View", "Ctrl+1", needs="basket")
def show_fold_view(window: Window) -> None:
    """Brings the fold into view again."""
    folds = window.desk.basket.folds
    key = window.desk.view.fold_key or (folds[0].key if folds else None)
    if key is not None:
        if window.desk.view.paged:
            window.desk.show_pages(False)
        window.desk.show_fold(key)
        window.workspace.grid.setFocus()


@action("Source", "View", "Ctrl+2", needs="sources", edits=True)
def show_source_view(window: Window) -> None:
    """Brings a source into view: the one that was there last, or the first."""
    desk = window.desk
    if desk.basket.sources and desk.view.source_key is None:
        desk.show_source(desk.view.last_source or desk.basket.sources[0].key)
        window.workspace.source.preview.setFocus()


@action("Pages", "View", "Ctrl+3", needs="report", also="print preview paper layout")
def show_pages(window: Window) -> None:
    """Shows the fold as the pages that print."""
    window.desk.show_pages()
    window.workspace.pages.setFocus()


@action("Read, without editing", "View", "Ctrl+4", needs="report", also="view present reader kiosk lock")
def read(window: Window) -> None:
    """Shows report, chart and pickers alone; once more everything again."""
    window.desk.notify(window.desk.view.read(not window.desk.view.reading))
    window.workspace.grid.setFocus()


@action("Larger", "View", "Ctrl++", line=True, needs="basket", also="zoom in bigger")
def zoom_in(window: Window) -> None:
    _zoom(window, 1.1)


@action("Smaller", "View", "Ctrl+-", needs="basket", also="zoom out")
def zoom_out(window: Window) -> None:
    _zoom(window, 1 / 1.1)


@action("Usual size", "View", "Ctrl+0", needs="basket")
def zoom_usual(window: Window) -> None:
    _zoom(window, 0)


def _zoom(window: Window, by: float) -> None:
    """Makes what is in view larger or smaller: pages or the grid; by 0 as large as usual."""
    if window.desk.view.paged and window.desk.view.source_key is None:
        pages = window.workspace.pages
        pages.set_zoom((pages.zoom or pages.large.scale) * by)
    else:
        window.workspace.grid.set_zoom(window.workspace.grid.zoom * by if by else 1.0)


@action(
    "Settings…",
    "View",
    "Ctrl+,",
    also="preferences options dark theme type font size high contrast language cache memory",
)
def settings(window: Any) -> None:
    """What holds for this machine, whatever basket is open."""
    window.show_settings()


@action("Panel of folds and fields", "View", "Ctrl+Alt+1", line=True, needs="basket", edits=True)
def turn_spine(window: Window) -> None:
    window.workspace.turn_pane("spine")


@action("Card", "View", "Ctrl+Alt+2", needs="basket", edits=True)
def turn_card(window: Window) -> None:
    window.workspace.turn_pane("card")


@action("Proof", "View", "Ctrl+J", needs="report")
def turn_proof(window: Window) -> None:
    """Proof of the marked cell; or puts it away where it is."""
    if window.workspace.proof.isVisible():
        window.workspace.show_pane("proof", False)
    else:
        ACTIONS["Proof of the cell at the mark"].run(window)


@action("Map of links", "View", "Ctrl+Alt+3", needs="sources", edits=True, also="relations joins relationships model")
def turn_links(window: Window) -> None:
    window.workspace.turn_pane("links")


@action("Wider pane", "View", "Ctrl+Alt++", needs="basket")
def pane_larger(window: Window) -> None:
    window.workspace.nudge(STEP)


@action("Narrower pane", "View", "Ctrl+Alt+-", needs="basket")
def pane_smaller(window: Window) -> None:
    window.workspace.nudge(-STEP)


@action("Full screen", "View", "F11", line=True)
def full_screen(window: Any) -> None:
    window.showNormal() if window.isFullScreen() else window.showFullScreen()
