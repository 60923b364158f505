"""The menu Source: the source in view, and links."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog

from foldbasket.desktop.actions.action import Window, action
from foldbasket.desktop.actions.file import kinds_to_open


@action("Accept the suggested links", "Source", needs="suggestions")
def accept_links(window: Window) -> None:
    window.desk.sources.accept_links()


@action("Trim spaces in all text", "Source", line=True, needs="source")
def trim_all(window: Window) -> None:
    from foldbasket.tables.mending.texts import TrimSpaces

    window.desk.sources.mend(TrimSpaces())


@action("Drop empty rows", "Source", needs="source")
def drop_empty(window: Window) -> None:
    from foldbasket.tables.mending.rows import DropEmptyRows

    window.desk.sources.mend(DropEmptyRows())


@action("Read another file in its place…", "Source", line=True, needs="source")
def repoint(window: Any) -> None:
    """Asks for the file to read in the place of the source's own."""
    chosen, _ = QFileDialog.getOpenFileName(window, "Read another file in its place", "", kinds_to_open())
    if chosen:
        window.desk.sources.repoint(Path(chosen))


@action("Read all sources again", "Source", "F5", needs="basket")
def read_again(window: Window) -> None:
    window.desk.supply.read_again()


@action("Use the fold as a source", "Source", line=True, needs="fold")
def fold_as_source(window: Window) -> None:
    if window.desk.fold is not None:
        window.desk.sources.add_fold_source(window.desk.fold.key)


@action("Take the source out", "Source", needs="source")
def remove_source(window: Window) -> None:
    from foldbasket.baskets.edits import RemoveSource

    if window.desk.spec is not None:
        window.desk.do(RemoveSource(window.desk.spec.key))
