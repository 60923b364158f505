"""The menu Source: the source in view, and links."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog

from foldbasket.desktop.actions.action import Window, action
from foldbasket.desktop.actions.file import kinds_to_open
from foldbasket.desktop.widgets.dialogs import ask_line


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


@action("Read all sources again", "Source", "F5", needs="basket", also="refresh reload update")
def read_again(window: Window) -> None:
    window.desk.supply.read_again()


@action("Fold it on a cluster…", "Source", line=True, needs="basket")
def on_cluster(window: Any) -> None:
    """Asks for the address of a scheduler; what can be read part by part is folded there, and held here no more."""
    text = "The address of a scheduler of dask.distributed (tls://127.0.0.1:8786), or local:2 for two workers on this machine. Files are read by the workers."
    now = window.desk.folding.cluster.where.address if window.desk.folding.cluster is not None else "local:2"

    def go(said: str) -> None:
        from foldbasket.folding.cubes.cluster_access import Where

        address = said.strip()
        if address and not Where(address).is_on_this_machine:
            ask_certificates(window, address)
        elif address:
            _join(window, address)

    ask_line(window, "Fold it on a cluster", text, now, "Fold there", go)


def ask_certificates(window: Any, address: str) -> None:
    """Asks where the certificates for an address beyond this machine are."""
    folder = QFileDialog.getExistingDirectory(window, "A folder with ca.pem, cert.pem and key.pem")
    if folder:
        names = [str(Path(folder) / name) for name in ("ca.pem", "cert.pem", "key.pem")]
        _join(window, address, *names)


def _join(window: Any, *where: str) -> None:
    from foldbasket.folding.cubes.cluster_access import (
        Where,  # brings NumPy with it, for which the first window does not wait
    )

    window.desk.folding.join(Where(*where))


@action("Fold it here again", "Source", needs="cluster")
def here_again(window: Any) -> None:
    window.desk.folding.join(None)


@action("Use the fold as a source", "Source", line=True, needs="fold", also="summary table chain")
def fold_as_source(window: Window) -> None:
    if window.desk.fold is not None:
        window.desk.sources.add_fold_source(window.desk.fold.key)


@action("Take the source out", "Source", needs="source")
def remove_source(window: Window) -> None:
    from foldbasket.baskets.edits import RemoveSource

    if window.desk.spec is not None:
        window.desk.do(RemoveSource(window.desk.spec.key))
